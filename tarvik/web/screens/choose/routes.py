"""Choosing shelters on the board: one by one, or all at once; taking them off; undo. A second
leader overwrites nothing.
"""

from __future__ import annotations

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES
from tarvik.core.plain import JsonObject
from tarvik.core.rig.verdict import Verdict
from tarvik.store import courses, kit, nights, plans
from tarvik.store.accounts import Role
from tarvik.store.models import Night, SheetRow
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, page, part
from tarvik.web.shared.house_rules import new_breaks
from tarvik.web.shared.questions import (
    given_settings,
    joined_to,
    owner_name,
    owner_names,
    question,
    wanted,
)
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")


def overtaken(
    request: Request,
    session: Session,
    night: Night,
    seen: str,
    mine: str,
    again: JsonObject,
) -> Response | None:
    """A page with both choices when somebody changed the night since this leader looked, else
    None.
    """
    plans.lock(session, night)
    now = plans.current_step(session, night)
    if not seen.isdecimal() or len(seen) > 12 or int(seen) == now:
        return None
    theirs = [
        (
            f"{owner_names(row)}: {PITCHES[row.pitch].name}, "
            f"{', '.join(p.name for p in plans.sleepers(row)) or 'nobody'}"
        )
        for row in plans.shelters(session, night.id)
    ]
    course = courses.course(session, night.course_id)
    return page(
        request,
        "choose/overtaken.html",
        409,
        course=course,
        night=night,
        mine=mine,
        theirs=theirs,
        tab="board",
        again={**again, "seen": [now]},
    )


@router.get("/choose/{sheet_id:number}/{pitch}")
@for_role(Role.VIEWER)
def ask(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
    sheet_id: int,
    pitch: str,
) -> Response:
    """The form that puts people under a sheet."""
    sheet: SheetRow = kit.one(session, course_id, "sheets", sheet_id)
    joined = joined_to(request, session, sheet)
    asked = question(
        sheet,
        pitch,
        nights.night_of(session, course, night),
        kit.supports_of(session, course_id, night_id),
        given_settings(request, pitch),
        wanted=wanted(request),
        joined=joined,
    )
    solution = parts_of(request).solver.solve(asked)
    beds = {
        p.id: row for row in plans.shelters(session, night_id) for p in plans.sleepers(row)
    }
    people = [
        {
            "person": p,
            "elsewhere": owner_names(beds[p.id])
            if p.id in beds and sheet not in beds[p.id].sheets
            else "",
            "ticked": (p.id in beds and sheet in beds[p.id].sheets)
            or (p.id == sheet.owner_id and p.id not in beds),
        }
        for p in kit.rows(session, course_id, "people")
    ]
    return part(
        request,
        "choose/choose.html",
        course=course,
        night=night,
        sheet=sheet,
        owner=owner_name(sheet),
        joined_owner=owner_name(joined) if joined else "",
        people=people,
        pitch=PITCHES[pitch],
        solution=solution,
        seen=plans.current_step(session, night),
    )


@router.post("/choose/{sheet_id:number}/{pitch}")
@for_role(Role.ASSISTANT)
def choose(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
    sheet_id: int,
    pitch: str,
    people: Annotated[list[int] | None, Form()] = None,
    seen: Annotated[str, Form()] = "",
    knowing: Annotated[str, Form()] = "",
) -> Response:
    """Put people under a sheet in a pitch; where they break a rule only `knowing`."""
    sheet: SheetRow = kit.one(session, course_id, "sheets", sheet_id)
    joined = joined_to(request, session, sheet)
    sleepers = [kit.one(session, course_id, "people", p) for p in people or ()]
    tallest = max(sleepers, key=lambda p: p.stature_m, default=None)
    asked = question(
        sheet,
        pitch,
        nights.night_of(session, course, night),
        kit.supports_of(session, course_id, night_id),
        given_settings(request, pitch),
        tallest,
        wanted=max(1, len(sleepers)),
        joined=joined,
    )
    solution = parts_of(request).solver.solve(asked)
    if solution.verdict is Verdict.CANNOT:
        raise InputError(
            "pitch",
            f"this sheet cannot be pitched so: {solution.assessment.reasons[0].message}",
        )
    mine = (
        f"{owner_name(sheet)}: {PITCHES[pitch].name}, {', '.join(p.name for p in sleepers)}"
    )
    late = overtaken(request, session, night, seen, mine, {"people": people or []})
    if late is not None:
        return late
    before = next((r for r in plans.shelters(session, night_id) if sheet in r.sheets), None)
    breaks = [] if knowing else new_breaks(session, course, night, sleepers, before)
    if breaks:
        again = {"people": people or [], "seen": [seen], "knowing": ["yes"]}
        return page(
            request,
            "choose/rule_broken.html",
            409,
            course=course,
            night=night,
            mine=mine,
            breaks=breaks,
            tab="board",
            again=again,
        )
    plans.choose(
        session,
        night,
        plans.Choice(
            sheet_id,
            pitch,
            dict(solution.settings),
            tuple(people or ()),
            joined_id=joined.id if joined else None,
        ),
    )
    return RedirectResponse(
        f"/courses/{course_id}/nights/{night_id}/board", status_code=303
    )


@router.post("/shelters/{shelter_id:number}/remove")
@for_role(Role.ASSISTANT)
def remove(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    shelter_id: int,
    seen: Annotated[str, Form()] = "",
) -> Response:
    """Take a shelter off; undo brings it back."""
    late = overtaken(request, session, night, seen, "one shelter taken off", {})
    if late is not None:
        return late
    plans.remove(session, night, shelter_id)
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/camp", status_code=303)


@router.post("/undo")
@for_role(Role.ASSISTANT)
def undo(request: Request, course_id: int, night_id: int) -> Response:
    """Take back the last change of this night's choices."""
    with parts_of(request).database.session() as session:
        plans.undo(session, courses.night(session, course_id, night_id))
    back = "camp" if request.query_params.get("back") == "camp" else "board"
    return RedirectResponse(
        f"/courses/{course_id}/nights/{night_id}/{back}", status_code=303
    )
