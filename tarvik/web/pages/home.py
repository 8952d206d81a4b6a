"""Start page, course home, and the course's own fields."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse
from pydantic import BaseModel
from sqlalchemy.orm import Session

from tarvik.core.errors import InputError
from tarvik.core.units import Units
from tarvik.store import accounts, courses, deleted, erasing, kit, plans, provider_people
from tarvik.store.accounts import Role
from tarvik.store.models import Account, Course, Person, SheetRow
from tarvik.store.nights import needs_of
from tarvik.web.access import for_guests, for_members, for_role, guarded_router
from tarvik.web.night_words import weather_words
from tarvik.web.pages.common import me, page, require_making_courses, tarvik, who
from tarvik.web.problems import sign_in_page

router = guarded_router()


class FieldChange(BaseModel):
    """One field as typed, with what was seen before."""

    column: str
    text: str
    version: int
    was: str = ""


@router.get("/")
@for_guests
def start(request: Request) -> Any:
    """The courses one is part of, and a form for a new one; how to get in for who is not signed
    in.
    """
    if who(request) is None:
        return sign_in_page(request)
    with tarvik(request).database.session() as session:
        return start_page(request, session)


def start_page(request: Request, session: Session, status: int = 200, **more: Any) -> Any:
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
    return page(request, "start.html", status, **context)


@router.post("/courses")
@for_members
def create(
    request: Request,
    name: Annotated[str, Form()] = "",
    place: Annotated[str, Form()] = "",
    units: Annotated[str, Form()] = "metric",
    nights: Annotated[str, Form()] = "1",
    first: Annotated[str, Form()] = "",
) -> Any:
    """Make a course; on a mistake show the form again with everything typed still there."""
    typed = {"name": name, "place": place, "units": units, "nights": nights, "first": first}
    with tarvik(request).database.session() as session:
        require_making_courses(request, session)
        try:
            made = courses.new_course(
                session, name, place, units, _nights(nights), courses.read_date(first)
            )
            accounts.set_role(session, made.id, me(request).account_id, accounts.Role.OWNER)
        except InputError as err:
            return start_page(request, session, 422, typed=typed, fault=err)
    return RedirectResponse(f"/courses/{made.id}", status_code=303)


def _nights(text: str) -> int:
    if not text.strip().isdecimal() or len(text.strip()) > 3:
        raise InputError(
            "nights", f"«{text[:20]}» is no number of nights; give 1 to {courses.MOST_NIGHTS}"
        )
    return int(text)


@router.get("/courses/{course_id:number}")
@for_role(Role.VIEWER)
def home(request: Request, course_id: int) -> Any:
    """Where the course stands: people, sheets, nights, and what to do next."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        people = kit.rows(session, course_id, "people")
        sheets = kit.rows(session, course_id, "sheets")
        nights = []
        for night in courses.nights(session, course_id):
            chosen = plans.shelters(session, night.id)
            beds = {p.id for row in chosen for p in plans.sleepers(row)}
            needs = needs_of(night)
            nights.append(
                {
                    "night": night,
                    "shelters": len(chosen),
                    "beds": len(beds),
                    "intent": needs.wanted,
                    "weather": weather_words(needs, Units(course.units)),
                }
            )
        owners = {s.owner_id for s in sheets}
        return page(
            request,
            "home.html",
            course=course,
            people=people,
            sheets=sheets,
            nights=nights,
            supports=kit.supports_of(session, course_id),
            without=[p for p in people if p.id not in owners],
            tab="home",
            first_night=nights[0]["night"] if nights else None,
            first_steps=_first_steps(course, people, sheets, nights),
            deleted=deleted.of_course(session, course_id),
            erasing=erasing.announcement(session, course_id),
        )


@dataclass(frozen=True, slots=True)
class Step:
    """One of the first steps: what to do, where, and whether it is done."""

    words: str
    href: str
    link: str
    done: bool


def _first_steps(
    course: Course,
    people: Sequence[Person],
    sheets: Sequence[SheetRow],
    nights: Sequence[dict[str, Any]],
) -> list[Step]:
    """What leads to the first plan, in order; nothing once a night has shelters."""
    if not nights or any(told["shelters"] for told in nights):
        return []
    here, night = f"/courses/{course.id}", nights[0]["night"]
    at_night = f"{here}/nights/{night.id}"
    return [
        Step(
            "Who is coming? Names and statures are enough.",
            f"{here}/kit#people",
            "Enter people",
            bool(people),
        ),
        Step(
            "Do girls and boys, or other groups, sleep apart? Give each person a sleeping group. "
            "Unless the house rules say otherwise, leaders sleep apart from students, and adults "
            "from people under age.",
            f"{here}/kit#people",
            "Sleeping groups",
            any(p.quarters for p in people),
        ),
        Step(
            "Which sheets, poles, lines and stakes are in the bag?",
            f"{here}/kit#sheets",
            "Enter kit",
            bool(sheets),
        ),
        Step(
            f"What weather does {night.title} bring?",
            f"{at_night}/weather",
            "Weather & needs",
            bool(nights[0]["weather"]),
        ),
        Step("Then let Tarvik make the plan.", f"{at_night}/plan", "Plan", False),
    ]


@router.patch("/courses/{course_id:number}")
@for_role(Role.LEADER)
def change(request: Request, course_id: int, body: FieldChange) -> dict[str, Any]:
    """Save one field of the course."""
    with tarvik(request).database.session() as session:
        course = courses.change_course(
            session, course_id, body.column, body.text, body.version, body.was
        )
        return {"version": course.version, "text": getattr(course, body.column)}


@router.post("/courses/{course_id:number}/delete")
@for_role(Role.OWNER)
def delete(request: Request, course_id: int) -> Any:
    """Delete a course; the start page offers to bring it back."""
    with tarvik(request).database.session() as session:
        courses.delete_course(session, course_id)
        return start_page(request, session)


@router.post("/courses/{course_id:number}/restore")
@for_role(Role.OWNER)
def restore(request: Request, course_id: int) -> Any:
    """Undo the deletion of a course."""
    with tarvik(request).database.session() as session:
        courses.delete_course(session, course_id, undo=True)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.post("/courses/{course_id:number}/nights")
@for_role(Role.LEADER)
def add_night(request: Request, course_id: int) -> Any:
    """One night more."""
    with tarvik(request).database.session() as session:
        courses.course(session, course_id)
        courses.add_night(session, course_id)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.post("/courses/{course_id:number}/nights/{night_id:number}/delete")
@for_role(Role.LEADER)
def delete_night(request: Request, course_id: int, night_id: int) -> Any:
    """Delete a night; the course's page offers to bring it back."""
    with tarvik(request).database.session() as session:
        courses.course(session, course_id)
        deleted.delete_night(session, course_id, night_id)
    return RedirectResponse(f"/courses/{course_id}#deleted", status_code=303)


@router.post("/courses/{course_id:number}/deleted/{kind}/{row_id:number}")
@for_role(Role.LEADER)
def bring_back(request: Request, course_id: int, kind: str, row_id: int) -> Any:
    """Bring back what was deleted lately."""
    with tarvik(request).database.session() as session:
        courses.course(session, course_id)
        deleted.bring_back(session, course_id, kind, row_id)
    return RedirectResponse(f"/courses/{course_id}", status_code=303)


@router.patch("/courses/{course_id:number}/nights/{night_id:number}")
@for_role(Role.ASSISTANT)
def change_night(
    request: Request, course_id: int, night_id: int, body: FieldChange
) -> dict[str, Any]:
    """Save a night's title or date."""
    with tarvik(request).database.session() as session:
        night = courses.change_night(
            session, course_id, night_id, body.column, body.text, body.version, body.was
        )
        text = night.title if body.column == "title" else (night.on.isoformat() if night.on else "")
        return {"version": night.version, "text": text}
