"""In the field: shelter by shelter what to look at, what the weather does, who is late; one thing
measured, and what follows. The page is kept on the phone, and what is said without network comes
later.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Annotated, Literal

from fastapi import Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from pydantic import AwareDatetime, BaseModel, Field, StringConstraints

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonObject
from tarvik.core.units import Units
from tarvik.exchange.field_pack import pack
from tarvik.exchange.log_form import LogIn
from tarvik.store import courses, field, plans
from tarvik.store.accounts import Role
from tarvik.store.models import Account
from tarvik.web.access import for_anyone, for_members, for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, fields_of, file_name, me, page, part
from tarvik.web.navigation import screen
from tarvik.web.screens.field.pack import files_of
from tarvik.web.screens.field.view import (
    field_view,
    measured_view,
    planned_of,
    steps_view,
)
from tarvik.web.shared.frame import NIGHT_COOKIE
from tarvik.web.state import STATIC

router = guarded_router()
HERE = "/courses/{course_id:number}/nights/{night_id:number}/field"
MOST_AT_ONCE = 500
Short = Annotated[str, StringConstraints(max_length=40, strip_whitespace=True)]


class EntryIn(BaseModel):
    """Something said of a shelter: a check with its state, or a note. `key`: made by the device."""

    key: Annotated[str, StringConstraints(pattern=r"^[0-9a-f-]{36}$")]
    kind: Literal["check", "note", "log"]
    sheet: int
    pitch: Short = ""
    check: Short = ""
    state: Literal["ok", "wrong", ""] = ""
    text: Annotated[str, StringConstraints(max_length=400, strip_whitespace=True)] = ""
    log: LogIn | None = None
    at: AwareDatetime

    def said(
        self, planned: Callable[[int, str], JsonObject], units: Units, by: str
    ) -> field.Said:
        """As it is kept; a log with what was planned. Raises InputError."""
        data: JsonObject = {"pitch": self.pitch}
        if self.kind == field.NOTE:
            data |= {"text": self.text}
        elif self.kind == field.CHECK:
            data |= {"check": self.check, "state": self.state}
        else:
            typed = (self.log or LogIn()).values(units)
            data |= typed | planned(self.sheet, typed["span"])
        return field.Said(self.key, self.kind, self.sheet, data, self.at, by)


class EntriesIn(BaseModel):
    """What a device sends at once."""

    entries: list[EntryIn] = Field(max_length=MOST_AT_ONCE)


class Heard(BaseModel):
    """How many entries were new, and those that are of no shelter of this night any more."""

    new: int
    gone: list[str]
    at: datetime


@router.get(HERE)
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere, night: NightHere) -> Response:
    """The screen."""
    view = field_view(request, session, course, night)
    return page(request, "field/field.html", **(fields_of(view.camp) | fields_of(view)))


@router.post(HERE + "/entries")
@for_role(Role.ASSISTANT)
def entries(
    request: Request, session: Db, course: CourseHere, night: NightHere, said: EntriesIn
) -> Heard:
    """Keep what was said of shelters, each entry once."""

    def planned(sheet_id: int, span: str) -> JsonObject:
        return planned_of(request, session, course, night, sheet_id, span)

    units = Units(course.units)
    name = session.get_one(Account, me(request).account_id).name
    pitched = {row.sheet_id for row in plans.shelters(session, night.id)}
    there = [e.said(planned, units, name) for e in said.entries if e.sheet in pitched]
    return Heard(
        new=field.keep(session, night.id, there),
        gone=[e.key for e in said.entries if e.sheet not in pitched],
        at=datetime.now().astimezone(),
    )


@router.get(HERE + "/steps/{sheet_id:number}")
@for_role(Role.VIEWER)
def steps(
    request: Request, session: Db, course: CourseHere, night: NightHere, sheet_id: int
) -> Response:
    """A shelter at its usual steps, worked out ahead."""
    return part(
        request,
        "field/steps.html",
        steps=steps_view(request, session, course, night, sheet_id),
        units=course.units,
    )


@router.get(HERE + "/measured/{sheet_id:number}")
@for_role(Role.VIEWER)
def measured(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    sheet_id: int,
    what: str = "",
    value: str = "",
) -> Response:
    """What follows from one thing measured."""
    try:
        told = measured_view(request, session, course, night, sheet_id, what, value[:40])
    except InputError as err:
        return part(request, "field/measured.html", fault=err, told=None)
    return part(request, "field/measured.html", fault=None, told=told)


@router.get("/courses/{course_id:number}/field-pack.zip")
@for_role(Role.LEADER)
def field_pack(request: Request, session: Db, course: CourseHere) -> Response:
    """Everything of the course in open forms, as one file."""
    return Response(
        pack(files_of(request, session, course)),
        media_type="application/zip",
        headers={
            "Content-Disposition": f'attachment; filename="{file_name(course)}-field-pack.zip"'
        },
    )


@router.get("/field")
@for_members
def last(request: Request, session: Db) -> Response:
    """Where the app on a phone begins: the night that was looked at last."""
    kept, _, number = request.cookies.get(NIGHT_COOKIE, "").partition(".")
    if kept.isdecimal() and number.isdecimal():
        course = courses.course(session, int(kept))
        night = courses.night(session, course.id, int(number))
        return RedirectResponse(screen("field").at(course.id, night.id), status_code=303)
    return RedirectResponse("/", status_code=303)


@router.get("/field-worker.js")
@for_anyone
def worker() -> Response:
    """The service worker that keeps the field's pages for when there is no network."""
    headers = {"Service-Worker-Allowed": "/", "Cache-Control": "no-cache"}
    return FileResponse(
        STATIC / "app" / "field-worker.js", media_type="text/javascript", headers=headers
    )


@router.get("/field.webmanifest")
@for_anyone
def manifest() -> Response:
    """What a phone wants to know to install Tarvik."""
    return FileResponse(
        STATIC / "app" / "field.webmanifest", media_type="application/manifest+json"
    )
