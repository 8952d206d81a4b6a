"""What a leader asks of a night's plan, kept: order of the aims, locks, who is late; named plans;
the jobs of the workers.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from sqlalchemy import func, select, update

from tarvik.core.errors import InputError
from tarvik.core.plan.aims import AIMS, OWN, in_order, usual_order
from tarvik.store import kit, plans
from tarvik.store.kit import NotFoundError
from tarvik.store.models import NamedPlan, NightPlan, PlanJob, now
from tarvik.store.night_plan import locked_for_change, of_night

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject
    from tarvik.store.models import Night

KINDS: Final = ("plan", "why", "slack", "evening", "mishap", "kit")
OPEN: Final = ("waiting", "running")
MOST_NAMED: Final = 20
MOST_OPEN: Final = 20
"""Jobs a provider may have open at a time."""
NO_LOCKS: Final[JsonMapping] = {"people": [], "standing": [], "unused": []}
EVENING: Final[JsonMapping] = {
    "arrival": "17:30",
    "mallets": 2,
    "late": {},
    "gone": [],
    "done": [],
}


NOBODY_ABSENT: Final[JsonMapping] = {"people": [], "sheets": [], "kit": {}}


@dataclass(frozen=True, slots=True)
class Absent:
    """Who and which sheets of the course are not there on a night, by number; and `pieces` of other
    kit, all together.
    """

    people: frozenset[int] = frozenset()
    sheets: frozenset[int] = frozenset()
    pieces: int = 0


def absent(session: Session, night_id: int) -> Absent:
    """Who and what is not there on a night."""
    told = asked_of(of_night(session, night_id))["absent"]
    pieces = sum(kit.missing(session, night_id).values())
    return Absent(frozenset(told["people"]), frozenset(told["sheets"]), pieces)


def asked_of(row: NightPlan, school: str = OWN) -> JsonObject:
    """Everything asked, with what is usual in the course's school where nothing was said."""
    asked = row.asked or {}
    return {
        "aims": list(in_order(asked.get("aims", ()), usual_order(school))),
        "locks": {**NO_LOCKS, **asked.get("locks", {})},
        "evening": {**EVENING, **asked.get("evening", {})},
        "absent": {**NOBODY_ABSENT, **asked.get("absent", {})},
        "seconds": asked.get("seconds", 20),
    }


def set_asked(session: Session, night_id: int, changes: JsonMapping) -> None:
    """Change some of what is asked. Raises InputError."""
    row = locked_for_change(session, night_id)
    if "aims" in changes and sorted(changes["aims"]) != sorted(AIMS):
        raise InputError("aims", f"name each aim once: {', '.join(AIMS)}")
    row.asked = {**(row.asked or {}), **changes}
    session.flush()


def toggle_lock(session: Session, night_id: int, kind: str, number: int) -> bool:
    """Fix a person to the bed, a shelter where it stands, or a sheet to the bag; or let it go.
    Returns whether it is fixed.
    """
    if kind not in NO_LOCKS:
        raise InputError("lock", f"“{kind[:20]}” is none of {', '.join(NO_LOCKS)}")
    row = locked_for_change(session, night_id)
    asked = asked_of(row)
    held = list(asked["locks"][kind])
    fixed = number not in held
    held = [*held, number] if fixed else [n for n in held if n != number]
    row.asked = {**(row.asked or {}), "locks": {**asked["locks"], kind: held}}
    session.flush()
    return fixed


def promise(session: Session, night_id: int, words: str) -> None:
    """Keep what a repair promises: a bed for everybody once this was let go."""
    row = locked_for_change(session, night_id)
    row.asked = {**(row.asked or {}), "promise": words}
    session.flush()


def take_promise(session: Session, night_id: int) -> str | None:
    """What the last repair promises, taken off; None when there is nothing to be checked."""
    row = locked_for_change(session, night_id)
    asked = dict(row.asked or {})
    words: str | None = asked.pop("promise", None)
    row.asked = asked
    session.flush()
    return words


@dataclass(frozen=True, slots=True)
class Accepted:
    """A broken rule that somebody took knowingly: whom it concerns, who took it, and when."""

    rule: str
    people: tuple[int, ...]
    by: str
    at: str

    @property
    def broken(self) -> tuple[str, tuple[int, ...]]:
        """The rule, and whom it concerns."""
        return self.rule, self.people


def accepted(session: Session, night_id: int) -> list[Accepted]:
    """The broken rules that were taken knowingly for a night."""
    kept = (of_night(session, night_id).asked or {}).get("accepted", [])
    return [Accepted(a["rule"], tuple(a["people"]), a["by"], a["at"]) for a in kept]


def accept(session: Session, night_id: int, one: Accepted) -> None:
    """Take a broken rule knowingly."""
    row = locked_for_change(session, night_id)
    asked = row.asked or {}
    rest = [
        a
        for a in asked.get("accepted", [])
        if (a["rule"], tuple(a["people"])) != one.broken
    ]
    made = {"rule": one.rule, "people": list(one.people), "by": one.by, "at": one.at}
    row.asked = {**asked, "accepted": [*rest, made]}
    session.flush()


def still_found(session: Session, night_id: int, step: int, now: int) -> None:
    """What was found about the choices at a step holds at the one after it too: they are the
    same.
    """
    row = locked_for_change(session, night_id)
    found = row.found or {}
    row.found = {
        k: {**v, "step": now} if v.get("step") == step else v for k, v in found.items()
    }
    session.flush()


def keep_found(
    session: Session, night_id: int, kind: str, step: int, found: JsonMapping
) -> None:
    """Keep what was worked out about a night's choices as they were at a step."""
    row = locked_for_change(session, night_id)
    row.found = {**(row.found or {}), kind: {"step": step, **found}}
    session.flush()


def named(session: Session, night_id: int) -> Sequence[NamedPlan]:
    """Plans kept under names, the oldest first."""
    return session.scalars(
        select(NamedPlan).where(NamedPlan.night_id == night_id).order_by(NamedPlan.id)
    ).all()


def keep_as(session: Session, night: Night, name: str) -> NamedPlan:
    """Keep the night's choices under a name; the same name is replaced. Raises InputError."""
    clean = " ".join(name.split())
    if not 1 <= len(clean) <= 80:
        raise InputError("name", "give the plan a name of at most 80 letters")
    plans.lock(session, night)
    there = {p.name: p for p in named(session, night.id)}
    if clean not in there and len(there) >= MOST_NAMED:
        raise InputError("name", f"a night keeps at most {MOST_NAMED} plans")
    found = of_night(session, night.id).found or {}
    value = found.get("plan", {})
    current = value.get("step") == plans.current_step(session, night)
    row = there.get(clean) or NamedPlan(night_id=night.id, name=clean)
    row.shelters = plans.snapshot(session, night)
    row.value = value.get("reached", []) if current else []
    row.made_at = now()
    session.add(row)
    session.flush()
    return row


def one_named(session: Session, night_id: int, plan_id: int) -> NamedPlan:
    """A named plan of this night. Raises NotFoundError."""
    row = session.get(NamedPlan, plan_id)
    if row is None or row.night_id != night_id:
        raise NotFoundError("this plan is no longer kept")
    return row


def take_up(session: Session, night: Night, plan_id: int) -> None:
    """Make a named plan the night's choices; sheets and people that are gone are left out."""
    row = one_named(session, night.id, plan_id)
    sheets = {s.id for s in kit.rows(session, night.course_id, "sheets")}
    people = {p.id for p in kit.rows(session, night.course_id, "people")}
    choices = []
    for plain in row.shelters:
        there = [p for p in plain["people"] if p in people]
        choice = plans.choice_of({**plain, "people": there})
        if sheets.issuperset(choice.sheets) and there:
            choices.append(choice)
    plans.replace_all(session, night, choices, f"taking up “{row.name}”")


def drop_named(session: Session, night_id: int, plan_id: int) -> None:
    """Forget a named plan."""
    session.delete(one_named(session, night_id, plan_id))
    session.flush()


def new_job(session: Session, night: Night, kind: str, asked: JsonMapping) -> PlanJob:
    """A job for the workers. One of a kind for a night at a time: an older one that is not done is
    called off.
    """
    if kind not in KINDS:
        raise InputError("kind", f"“{kind[:20]}” is none of {', '.join(KINDS)}")
    plans.lock(session, night)
    call_off_open(session, night.id, kind)
    job = PlanJob(
        night_id=night.id,
        kind=kind,
        asked=dict(asked),
        step=plans.current_step(session, night),
    )
    session.add(job)
    session.flush()
    return job


def call_off_open(session: Session, night_id: int, kind: str | None = None) -> None:
    """Nobody wants a night's open jobs any more: those of a kind, or all."""
    open_ones = update(PlanJob).where(PlanJob.night_id == night_id, PlanJob.state.in_(OPEN))
    if kind is not None:
        open_ones = open_ones.where(PlanJob.kind == kind)
    session.execute(open_ones.values(wanted=False, state="cancelled", ended_at=now()))


def forget_found(session: Session, night_id: int) -> None:
    """What was worked out about a night's choices no longer holds."""
    session.execute(
        update(NightPlan).where(NightPlan.night_id == night_id).values(found={})
    )


def one_job(session: Session, night_id: int, job_id: int) -> PlanJob:
    """A job of this night. Raises NotFoundError."""
    job = session.get(PlanJob, job_id)
    if job is None or job.night_id != night_id:
        raise NotFoundError("there is no such job for this night")
    return job


def latest_job(
    session: Session, night_id: int, kind: str, state: str | None = None
) -> PlanJob | None:
    """The last job of a kind, in any state or in this one."""
    query = select(PlanJob).where(PlanJob.night_id == night_id, PlanJob.kind == kind)
    if state is not None:
        query = query.where(PlanJob.state == state)
    return session.scalars(query.order_by(PlanJob.id.desc()).limit(1)).first()


def running_job(session: Session, night_id: int) -> PlanJob | None:
    """The newest job of a night that is not done yet."""
    query = select(PlanJob).where(
        PlanJob.night_id == night_id, PlanJob.state.in_(OPEN), PlanJob.wanted
    )
    return session.scalars(query.order_by(PlanJob.id.desc()).limit(1)).first()


def call_off(session: Session, night_id: int, job_id: int) -> PlanJob:
    """Nobody wants the job any more; a plan found so far is kept in its result."""
    job = one_job(session, night_id, job_id)
    job.wanted = False
    if job.state == "waiting":
        job.state, job.ended_at = "cancelled", now()
    session.flush()
    return job


def begin(session: Session, job_id: int) -> PlanJob | None:
    """Take a job up, again if a worker died over it; None when it is done, or called off."""
    job = session.scalars(
        select(PlanJob).where(PlanJob.id == job_id).with_for_update()
    ).one_or_none()
    if job is None or job.state not in OPEN or not job.wanted:
        return None
    job.state, job.runs = "running", job.runs + 1
    session.flush()
    return job


def report(session: Session, job_id: int, progress: JsonMapping) -> bool:
    """Tell how far a job is; returns whether it is still wanted."""
    found = session.execute(
        update(PlanJob)
        .where(PlanJob.id == job_id, PlanJob.state == "running")
        .values(progress=dict(progress))
        .returning(PlanJob.wanted)
    ).one_or_none()
    return bool(found and found.wanted)


def open_jobs(session: Session) -> int:
    """How many jobs are open: in a request, of the asker's provider."""
    query = select(func.count()).select_from(PlanJob).where(PlanJob.state.in_(OPEN))
    return session.scalar(query) or 0


def any_waiting(session: Session) -> bool:
    """Whether any job waits for a worker."""
    return (
        session.scalars(
            select(PlanJob.id).where(PlanJob.state == "waiting").limit(1)
        ).first()
        is not None
    )


def still_wanted(session: Session, job_id: int) -> bool:
    """Whether a job was not called off."""
    return bool(session.scalar(select(PlanJob.wanted).where(PlanJob.id == job_id)))


def end(session: Session, job_id: int, state: str, result: JsonMapping) -> bool:
    """End a job with its result. True only for the one worker that ends it: what follows from it is
    done once.
    """
    ended = session.execute(
        update(PlanJob)
        .where(PlanJob.id == job_id, PlanJob.state == "running")
        .values(state=state, result=dict(result), ended_at=now())
        .returning(PlanJob.id)
    ).one_or_none()
    return ended is not None
