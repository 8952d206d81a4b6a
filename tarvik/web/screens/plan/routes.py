"""The plan of a night: seen whole, changed by hand, fixed in parts, kept under names; its evening
as a calendar.
"""

from __future__ import annotations

from contextlib import contextmanager
from typing import TYPE_CHECKING, Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask

from tarvik.core.errors import InputError
from tarvik.store import asks, courses, kit, night_plan, plans
from tarvik.store.accounts import Role
from tarvik.store.kit import NotFoundError
from tarvik.store.models import ShelterRow, now
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, fields_of, page, part
from tarvik.web.limits import refusal
from tarvik.web.screens.plan.present_view import PIECES
from tarvik.web.screens.plan.view import PlanView, plan_view
from tarvik.web.shared.house_rules import broken_by, new_breaks, told
from tarvik.web.shared.questions import owner_name
from tarvik.web.state import parts_of

if TYPE_CHECKING:
    from collections.abc import Iterator

    from sqlalchemy.orm import Session

    from tarvik.store.models import Night

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/plan")
PAIR_KINDS = ("never", "always")
PieceKey = Annotated[str, Field(max_length=30)]
Count = Annotated[int, Field(ge=0, le=2000)]
RULE_TITLE = "A rule of the course is broken"


class Move(BaseModel):
    """Where a person is put; None: no bed yet. `knowing`: a broken rule was told and is wanted."""

    shelter: int | None = None
    knowing: bool = False


class AcceptIn(BaseModel):
    """A rule that the people of a shelter break, to be taken knowingly."""

    shelter: int
    rule: str


class LockIn(BaseModel):
    """What is fixed or let go."""

    kind: str
    number: int


class AimsIn(BaseModel):
    """The aims, the most important first."""

    aims: list[str]


class PairIn(BaseModel):
    """Two people who never, or always, share; once more takes it back."""

    kind: str
    one: int
    two: int


class EveningIn(BaseModel):
    """When the group arrives, what it has, who is late (minutes) or cannot help."""

    arrival: str | None = Field(default=None, pattern=r"^([01]\d|2[0-3]):[0-5]\d$")
    mallets: int | None = Field(default=None, ge=1, le=50)
    person: int | None = None
    late_min: int | None = Field(default=None, ge=0, le=600)
    gone: bool | None = None


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int) -> Response:
    """The screen. Whoever opens it is about to ask for a plan, so a worker may begin with it."""
    with parts_of(request).database.session() as session:
        opened = page(
            request,
            "plan/plan.html",
            **fields_of(_view(request, session, course_id, night_id)),
        )
    opened.background = BackgroundTask(parts_of(request).queue.look_ahead, night_id)
    return opened


@router.get("/view")
@for_role(Role.VIEWER)
def view(request: Request, session: Db, course_id: int, night_id: int) -> Response:
    """Map and lists alone."""
    return refreshed(request, session, course_id, night_id)


def refreshed(
    request: Request, session: Session, course_id: int, night_id: int
) -> Response:
    """Map and lists as they are after a change."""
    session.flush()
    session.expire_all()
    return part(
        request, "plan/view.html", **fields_of(_view(request, session, course_id, night_id))
    )


def _view(request: Request, session: Session, course_id: int, night_id: int) -> PlanView:
    course, night = (
        courses.course(session, course_id),
        courses.night(session, course_id, night_id),
    )
    return plan_view(request, session, course, night)


@contextmanager
def same_choices(session: Session, night: Night, what: str) -> Iterator[None]:
    """A change that can be undone and leaves the choices as they are: what was found about them
    still holds.
    """
    plans.lock(session, night)
    before = plans.current_step(session, night)
    plans.remember(session, night, what)
    yield
    asks.still_found(session, night.id, before, plans.current_step(session, night))


def _fixing(session: Session, course_id: int, night_id: int, what: LockIn) -> str:
    """Words for fixing something, or letting it go."""
    held = asks.asked_of(night_plan.of_night(session, night_id))["locks"].get(what.kind, ())
    if what.kind == "people":
        name = kit.one(session, course_id, "people", what.number).name
    else:
        name = f"{owner_name(kit.one(session, course_id, 'sheets', what.number))}'s sheet"
    return f"unlocking {name}" if what.number in held else f"locking {name}"


@router.post("/people/{person_id:number}")
@for_role(Role.ASSISTANT)
def move(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
    person_id: int,
    to: Move,
) -> Response:
    """Put a person into another shelter."""
    row = session.get(ShelterRow, to.shelter) if to.shelter is not None else None
    if row is not None and row.night_id == night.id and not to.knowing:
        person = kit.one(session, course_id, "people", person_id)
        there = [p for p in plans.sleepers(row) if p.id != person.id]
        if breaks := new_breaks(session, course, night, [*there, person], row):
            return refusal(409, RULE_TITLE, told(breaks))
    plans.move_person(session, night, person_id, to.shelter)
    return refreshed(request, session, course_id, night_id)


@router.post("/accept")
@for_role(Role.LEADER)
def accept(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
    what: AcceptIn,
) -> Response:
    """Take a broken rule knowingly: who did, and when, stays with it."""
    row = plans.shelter(session, night.id, what.shelter)
    for one in broken_by(course, plans.sleepers(row)):
        if one.rule == what.rule:
            by, at = request.state.who.name, now().strftime("%d %b %H:%M UTC")
            with same_choices(session, night, f"accepting that {one.words}"):
                asks.accept(session, night.id, asks.Accepted(one.rule, one.people, by, at))
    return refreshed(request, session, course_id, night_id)


@router.post("/locks")
@for_role(Role.ASSISTANT)
def lock(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    what: LockIn,
) -> Response:
    """Fix something, or let it go."""
    with same_choices(session, night, _fixing(session, course_id, night_id, what)):
        asks.toggle_lock(session, night_id, what.kind, what.number)
    return refreshed(request, session, course_id, night_id)


@router.post("/aims")
@for_role(Role.ASSISTANT)
def aims(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    wanted: AimsIn,
) -> Response:
    """Put the aims into another order."""
    plans.lock(session, night)
    plans.remember(session, night, "the order of the aims")
    asks.set_asked(session, night_id, {"aims": wanted.aims})
    return refreshed(request, session, course_id, night_id)


@router.post("/undo")
@for_role(Role.ASSISTANT)
def undo(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    redo: bool = False,
) -> Response:
    """Take back the last change of the choices, or make it again."""
    (plans.redo if redo else plans.undo)(session, night)
    return refreshed(request, session, course_id, night_id)


@router.post("/use/{job_id:number}")
@for_role(Role.ASSISTANT)
def use(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    job_id: int,
) -> Response:
    """Take up a plan that was found but not made the night's: called off, or overtaken by a
    change.
    """
    job = asks.one_job(session, night_id, job_id)
    result = job.result or {}
    if not result.get("choices"):
        raise InputError("job", "this job found no plan")
    plans.replace_all(
        session,
        night,
        [plans.choice_of(c) for c in result["choices"]],
        "taking up the plan found",
    )
    job.result = {**result, "applied": True}
    asks.keep_found(session, night_id, "plan", plans.current_step(session, night), result)
    return refreshed(request, session, course_id, night_id)


@router.post("/named")
@for_role(Role.ASSISTANT)
def keep(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    name: Annotated[str, Form()] = "",
) -> Response:
    """Keep the choices under a name."""
    asks.keep_as(session, night, name)
    return refreshed(request, session, course_id, night_id)


@router.post("/named/{plan_id:number}/take")
@for_role(Role.ASSISTANT)
def take(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    plan_id: int,
) -> Response:
    """Make a kept plan the night's."""
    asks.take_up(session, night, plan_id)
    return refreshed(request, session, course_id, night_id)


@router.delete("/named/{plan_id:number}")
@for_role(Role.ASSISTANT)
def drop(
    request: Request, session: Db, course_id: int, night_id: int, plan_id: int
) -> Response:
    """Forget a kept plan."""
    courses.night(session, course_id, night_id)
    asks.drop_named(session, night_id, plan_id)
    return refreshed(request, session, course_id, night_id)


@router.post("/pairs")
@for_role(Role.LEADER)
def pair(
    request: Request, session: Db, course_id: int, night_id: int, wanted: PairIn
) -> Response:
    """Say that two people never, or always, share; or take it back."""
    if wanted.kind not in PAIR_KINDS or wanted.one == wanted.two:
        raise InputError("pair", "name two people who never, or always, share")
    for person in (wanted.one, wanted.two):
        kit.one(session, course_id, "people", person)
    entry = [wanted.kind, *sorted((wanted.one, wanted.two))]
    kept = (courses.locked(session, course_id).rules or {}).get("pairs", [])
    pairs = [list(p) for p in kept]
    left = [p for p in pairs if p != entry] if entry in pairs else [*pairs, entry]
    courses.set_rule(session, course_id, "pairs", left)
    return refreshed(request, session, course_id, night_id)


@router.post("/evening")
@for_role(Role.ASSISTANT)
def evening(
    request: Request, session: Db, course_id: int, night_id: int, change: EveningIn
) -> Response:
    """Say when the group arrives, how many mallets there are, who comes late or cannot help."""
    courses.night(session, course_id, night_id)
    asked = asks.asked_of(night_plan.locked_for_change(session, night_id))["evening"]
    changed = {**asked}
    if change.arrival is not None:
        changed["arrival"] = change.arrival
    if change.mallets is not None:
        changed["mallets"] = change.mallets
    if change.person is not None:
        kit.one(session, course_id, "people", change.person)
        if change.late_min is not None:
            changed["late"] = {**changed["late"], str(change.person): change.late_min}
        if change.gone is not None:
            rest = [p for p in changed["gone"] if p != change.person]
            changed["gone"] = [*rest, change.person] if change.gone else rest
    asks.set_asked(session, night_id, {"evening": changed})
    return refreshed(request, session, course_id, night_id)


@router.post("/present")
@for_role(Role.ASSISTANT)
def present(
    session: Db,
    course_id: int,
    night: NightHere,
    people: Annotated[list[int] | None, Form()] = None,
    sheets: Annotated[list[int] | None, Form()] = None,
    kinds: Annotated[list[PieceKey] | None, Form()] = None,
    counts: Annotated[list[Count] | None, Form()] = None,
) -> Response:
    """Say who and what is there tonight: all that is not ticked is not. `kinds`: rows of poles,
    lines and stakes, and in `counts` how many of each are there.
    """
    there = {"people": set(people or ()), "sheets": set(sheets or ())}
    away = {
        table: [
            row.id for row in kit.rows(session, course_id, table) if row.id not in ticked
        ]
        for table, ticked in there.items()
    }
    here = dict(zip(kinds or (), counts or (), strict=False))
    short = {
        key: one.row.count - here[key]
        for table in PIECES
        for one in kit.pieces(session, course_id, table)
        if (key := kit.piece_key(table, one.row.id)) in here and here[key] < one.row.count
    }
    asks.set_asked(session, night.id, {"absent": {**away, "kit": short}})
    return RedirectResponse(f"/courses/{course_id}/nights/{night.id}/plan", status_code=303)


@router.get("/evening.ics")
@for_role(Role.VIEWER)
def calendar(session: Db, night: NightHere) -> Response:
    """The evening's tasks for a calendar."""
    body = night_plan.calendar_of(session, night)
    if body is None:
        raise NotFoundError("no evening is planned yet: press “Plan the evening” first")
    return Response(
        body,
        media_type="text/calendar; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="evening-{night.id}.ics"'},
    )
