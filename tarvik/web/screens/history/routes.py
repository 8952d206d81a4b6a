"""Who changed what in a course, earlier versions restored; and a person's data given out or
erased.
"""

from __future__ import annotations

from typing import Annotated

from fastapi import Form, Request
from fastapi.encoders import jsonable_encoder
from fastapi.responses import JSONResponse, RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.store import courses, erasing, going_back, history
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, page

router = guarded_router("/courses/{course_id:number}")


@router.get("/history")
@for_role(Role.LEADER)
def show(
    request: Request,
    session: Db,
    course: CourseHere,
    course_id: int,
    before: int | None = None,
) -> Response:
    """The trail, the newest first."""
    nights = courses.nights(session, course_id)
    told = history.told(
        session, course_id, before if before is None or 0 < before < 2**62 else None
    )
    return page(
        request,
        "history/history.html",
        course=course,
        tab="history",
        told=told,
        nights={n.id: n.title for n in nights},
        more=told[-1].first if told else None,
    )


@router.post("/history/restore")
@for_role(Role.LEADER)
def restore(
    session: Db,
    course_id: int,
    since: Annotated[int, Form(ge=1, lt=2**62)],
    what: Annotated[str, Form()] = "course",
    night: Annotated[int | None, Form(ge=1, lt=2**31)] = None,
) -> Response:
    """The course, a night or its plan as it was before a change."""
    if what not in ("course", "night", "plan") or (what != "course" and night is None):
        raise InputError("what", "choose the course, a night or its plan")
    courses.course(session, course_id)
    if what != "course":
        courses.night(session, course_id, night or 0)
    going_back.restore(
        session,
        course_id,
        since,
        None if what == "course" else night,
        plan_only=what == "plan",
    )
    return RedirectResponse(f"/courses/{course_id}/history", status_code=303)


@router.get("/erase/{person_id:number}.json")
@for_role(Role.LEADER)
def give_out(session: Db, course_id: int, person_id: int) -> JSONResponse:
    """Everything kept of a person."""
    told = jsonable_encoder(erasing.told_of(session, course_id, person_id))
    return JSONResponse(
        told,
        headers={"Content-Disposition": f'attachment; filename="person-{person_id}.json"'},
    )


@router.post("/erase/{person_id:number}")
@for_role(Role.LEADER)
def erase(
    session: Db, course_id: int, person_id: int, sure: Annotated[str, Form()] = ""
) -> Response:
    """Erase a person for good."""
    if sure != "yes":
        raise InputError("sure", "erasing cannot be undone: tick that it is meant")
    courses.course(session, course_id)
    erasing.erase(session, course_id, person_id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)
