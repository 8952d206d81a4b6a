"""Start page, course home, and the course's own fields."""

from __future__ import annotations

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonObject
from tarvik.store import (
    accounts,
    courses,
    deleted,
    erasing,
    kit,
    night_copy,
    provider_people,
    templates,
)
from tarvik.store.accounts import Role
from tarvik.store.models import Account, Course
from tarvik.web.access import for_guests, for_members, for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, me, page, require_making_courses, who
from tarvik.web.problems import sign_in_page
from tarvik.web.screens.course.view import first_steps, nights_shown, number_of_nights

router = guarded_router()


class FieldChange(BaseModel):
    """One field as typed, with what was seen before."""

    column: str
    text: str
    version: int
    was: str = ""


class WantedForm(BaseModel):
    """What is to be taken of a course, as ticked; `name` of the new course, `source` of what is
    taken over.
    """

    name: Annotated[str, Field(max_length=120)] = ""
    source: Annotated[str, Field(max_length=12)] = ""
    people: bool = False
    kit: bool = False
    sites: bool = False
    nights: bool = False

    def wanted(self) -> templates.Wanted:
        """The same for the store."""
        return templates.Wanted(self.people, self.kit, self.sites, self.nights)


@router.get("/")
@for_guests
def start(request: Request, session: Db) -> Response:
    """The courses one is part of, and a form for a new one; how to get in for who is not signed
    in.
    """
    if who(request) is None:
        return sign_in_page(request)
    return start_page(request, session)


def start_page(
    request: Request, session: Session, status: int = 200, **more: object
) -> Response:
    """The courses one is part of, those an owner may bring back, and the forms for a new one."""
    account = session.get_one(Account, me(request).account_id)
    gone = [
        c
        for c in deleted.courses(session, account.provider_id)
        if accounts.role_in(session, account, c.id) is Role.OWNER
    ]
    context = {
        "courses": accounts.courses_of(session, account),
        "deleted": [(c, c.deleted_at + deleted.KEPT_FOR) for c in gone if c.deleted_at],
        "may_make": provider_people.may_make_courses(session, account),
        "typed": {},
        "fault": None,
        **more,
    }
    return page(request, "course/start.html", status, **context)


@router.post("/courses")
@for_members
def create(
    request: Request,
    session: Db,
    name: Annotated[str, Form()] = "",
    place: Annotated[str, Form()] = "",
    units: Annotated[str, Form()] = "metric",
    nights: Annotated[str, Form()] = "1",
    first: Annotated[str, Form()] = "",
) -> Response:
    """Make a course; on a mistake show the form again with everything typed still there."""
    typed = {"name": name, "place": place, "units": units, "nights": nights, "first": first}
    require_making_courses(request, session)
    try:
        made = courses.new_course(
            session, name, place, units, number_of_nights(nights), courses.read_date(first)
        )
        accounts.set_role(session, made.id, me(request).account_id, accounts.Role.OWNER)
    except InputError as err:
        return start_page(request, session, 422, typed=typed, fault=err)
    return RedirectResponse(f"/courses/{made.id}", status_code=303)


@router.get("/courses/{course_id:number}")
@for_role(Role.VIEWER)
def home(request: Request, session: Db, course: CourseHere, course_id: int) -> Response:
    """Where the course stands: people, sheets, nights, and what to do next."""
    people = kit.rows(session, course_id, "people")
    sheets = kit.rows(session, course_id, "sheets")
    nights = nights_shown(session, course)
    owners = {s.owner_id for s in sheets}
    return page(
        request,
        "course/home.html",
        course=course,
        people=people,
        sheets=sheets,
        nights=nights,
        supports=kit.supports_of(session, course_id),
        without=[p for p in people if p.id not in owners],
        tab="course",
        first_steps=first_steps(course, people, sheets, nights),
        deleted=deleted.of_course(session, course_id),
        erasing=erasing.announcement(session, course_id),
        others=_others(request, session, course),
        may_make=provider_people.may_make_courses(
            session, session.get_one(Account, me(request).account_id)
        ),
    )


@router.patch("/courses/{course_id:number}")
@for_role(Role.LEADER)
def change(session: Db, course_id: int, body: FieldChange) -> JsonObject:
    """Save one field of the course."""
    course = courses.change_course(
        session, course_id, body.column, body.text, body.version, body.was
    )
    return {"version": course.version, "text": getattr(course, body.column)}


@router.post("/courses/{course_id:number}/delete")
@for_role(Role.OWNER)
def delete(request: Request, session: Db, course_id: int) -> Response:
    """Delete a course; the start page offers to bring it back."""
    courses.delete_course(session, course_id)
    return start_page(request, session)


@router.post("/courses/{course_id:number}/restore")
@for_role(Role.OWNER)
def restore(session: Db, course_id: int) -> Response:
    """Undo the deletion of a course."""
    courses.delete_course(session, course_id, undo=True)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.post("/courses/{course_id:number}/copied")
@for_role(Role.LEADER)
def copy_course(
    request: Request,
    session: Db,
    course: CourseHere,
    form: Annotated[WantedForm, Form()],
) -> Response:
    """A new course with what is wanted of this one."""
    require_making_courses(request, session)
    made = templates.copied(session, course.id, form.wanted(), form.name)
    accounts.set_role(session, made.id, me(request).account_id, accounts.Role.OWNER)
    return RedirectResponse(f"/courses/{made.id}", status_code=303)


@router.post("/courses/{course_id:number}/taken")
@for_role(Role.LEADER)
def take(
    request: Request,
    session: Db,
    course: CourseHere,
    form: Annotated[WantedForm, Form()],
) -> Response:
    """Add what is wanted of another course that the asker is part of."""
    others = _others(request, session, course)
    source = next((c for c in others if str(c.id) == form.source), None)
    if source is None:
        raise InputError("source", "choose a course of yours to take from")
    if not form.wanted().anything:
        raise InputError("wanted", "tick what is to be taken: people, kit or sites")
    templates.taken(session, course.id, source.id, form.wanted())
    return RedirectResponse(f"/courses/{course.id}", status_code=303)


def _others(request: Request, session: Session, course: Course) -> list[Course]:
    """Other courses that the asker is part of."""
    account = session.get_one(Account, me(request).account_id)
    return [c for c in accounts.courses_of(session, account) if c.id != course.id]


@router.post("/courses/{course_id:number}/nights")
@for_role(Role.LEADER)
def add_night(session: Db, course_id: int) -> Response:
    """One night more."""
    courses.course(session, course_id)
    courses.add_night(session, course_id)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.post("/courses/{course_id:number}/nights/{night_id:number}/copy")
@for_role(Role.LEADER)
def copy_night(session: Db, course_id: int, night_id: int) -> Response:
    """A night again, with the same place, weather and shelters."""
    courses.course(session, course_id)
    night_copy.copied(session, course_id, night_id)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.post("/courses/{course_id:number}/nights/{night_id:number}/delete")
@for_role(Role.LEADER)
def delete_night(session: Db, course_id: int, night_id: int) -> Response:
    """Delete a night; the course's page offers to bring it back."""
    courses.course(session, course_id)
    deleted.delete_night(session, course_id, night_id)
    return RedirectResponse(f"/courses/{course_id}#deleted", status_code=303)


@router.post("/courses/{course_id:number}/deleted/{kind}/{row_id:number}")
@for_role(Role.LEADER)
def bring_back(session: Db, course_id: int, kind: str, row_id: int) -> Response:
    """Bring back what was deleted lately."""
    courses.course(session, course_id)
    deleted.bring_back(session, course_id, kind, row_id)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.patch("/courses/{course_id:number}/nights/{night_id:number}")
@for_role(Role.ASSISTANT)
def change_night(
    session: Db, course_id: int, night_id: int, body: FieldChange
) -> JsonObject:
    """Save a night's title or date."""
    night = courses.change_night(
        session, course_id, night_id, body.column, body.text, body.version, body.was
    )
    text = (
        night.title
        if body.column == "title"
        else (night.on.isoformat() if night.on else "")
    )
    return {"version": night.version, "text": text}
