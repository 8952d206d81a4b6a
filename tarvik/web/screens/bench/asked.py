"""What a bench's address asks for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core.pitches import pitch_named
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Solution
from tarvik.core.tonight import Night as TonightsNight
from tarvik.store import courses, kit, nights
from tarvik.store.models import Course, Night, Person, SheetRow
from tarvik.web.shared.as_hung import Seen, seen
from tarvik.web.shared.questions import (
    given_settings,
    joined_to,
    question,
    sheet_here,
    wanted,
    wind_from,
    with_gear,
)
from tarvik.web.state import parts_of

MOST_MATES = 8


def _person(session: Any, request: Request, course_id: int) -> Person | None:
    text = request.query_params.get("person", "")
    return (
        kit.one(session, course_id, "people", int(text))
        if text.isdecimal() and len(text) < 10
        else None
    )


def _mates(
    session: Any, request: Request, course_id: int, person: Person | None
) -> list[Person]:
    """Everybody who is to lie there: the person it is drawn for, and those ticked."""
    ticked = [
        t for t in request.query_params.getlist("mate") if t.isdecimal() and len(t) < 10
    ][:MOST_MATES]
    mates = [kit.one(session, course_id, "people", int(t)) for t in dict.fromkeys(ticked)]
    if not mates:
        return []
    return [
        *([person] if person is not None else []),
        *(m for m in mates if person is None or m.id != person.id),
    ]


@dataclass(frozen=True)
class Asked:
    """What a bench's address asks for."""

    course: Course
    night: Night
    sheet: SheetRow
    person: Person | None
    given: dict[str, float]
    tonight: TonightsNight
    mates: list[Person]
    joined: SheetRow | None = None

    @property
    def cloth(self) -> Sheet:
        """What is pitched: the sheet, or it and another joined."""
        return kit.cloth_of(self.sheet, self.joined)


def asked_of(
    request: Request,
    session: Session,
    course_id: int,
    night_id: int,
    sheet_id: int,
    pitch: str,
) -> Asked:
    """What the address asks for, read from the store. Raises InputError and NotFoundError."""
    pitch_named(pitch)
    course, night = (
        courses.course(session, course_id),
        courses.night(session, course_id, night_id),
    )
    sheet, person = (
        sheet_here(session, course_id, sheet_id),
        _person(session, request, course_id),
    )
    return Asked(
        course,
        night,
        sheet,
        person,
        given_settings(request, pitch),
        with_gear(request, nights.night_of(session, course, night)),
        _mates(session, request, course_id, person or sheet.owner),
        joined_to(request, session, sheet),
    )


def solved(
    request: Request, session: Session, asked: Asked, pitch: str, given: dict[str, float]
) -> Solution:
    """The shelter at these settings, or the best where none are given."""
    supports = kit.supports_of(session, asked.course.id, asked.night.id)
    return parts_of(request).solver.solve(
        question(
            asked.sheet,
            pitch,
            asked.tonight,
            supports,
            given,
            asked.person,
            wanted=wanted(request),
            people=tuple(kit.body_of(m) for m in asked.mates),
            wind_from_deg=wind_from(request),
            joined=asked.joined,
        )
    )


def hung(
    request: Request, session: Session, asked: Asked, pitch: str, given: dict[str, float]
) -> Seen:
    """The same as it hangs."""
    solution = solved(request, session, asked, pitch, given)
    return seen(parts_of(request).hangings, [solution])[0]
