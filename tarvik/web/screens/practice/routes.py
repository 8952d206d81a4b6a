"""Practice: the screen, a round of drills, what was answered, and pitches that were timed."""

from __future__ import annotations

import re
import uuid
from typing import Annotated, Final

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import AwareDatetime, BaseModel, Field, StringConstraints

from tarvik.core.drills.drill import Kind
from tarvik.core.errors import InputError
from tarvik.core.pitches import pitch_named
from tarvik.store import kit, practice
from tarvik.store.accounts import Role
from tarvik.store.models import now
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, fields_of, page, part
from tarvik.web.screens.practice.view import practice_view, round_of

router = guarded_router("/courses/{course_id:number}/practice")
LEAST_S, MOST_S = 10, 7200
MOST_AT_ONCE: Final = 200
STAGES: Final = ("start", "ridge", "stakes", "round")
"""What the stopwatch notes on the way: begun, ridge up, stakes in, walked round."""


class AnswerIn(BaseModel):
    """A drill answered on a device, scored there."""

    key: Annotated[str, StringConstraints(pattern=r"^[0-9a-f-]{36}$")]
    item: Annotated[str, StringConstraints(pattern=r"^[a-z0-9:-]{3,80}$")]
    right: bool
    at: AwareDatetime

    def practised(self) -> practice.Practised:
        """As it is kept."""
        return practice.Practised(
            self.key, practice.DRILL, self.item, {"right": self.right}, self.at
        )


class AnswersIn(BaseModel):
    """What a device sends at once."""

    answers: list[AnswerIn] = Field(max_length=MOST_AT_ONCE)


class Heard(BaseModel):
    """How many answers were new."""

    new: int


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere, person: str = "") -> Response:
    """The screen, for one of the people or for nobody yet."""
    number = int(person) if person.isdecimal() and len(person) < 10 else None
    view = practice_view(session, course, number)
    return page(request, "practice/practice.html", units=course.units, **fields_of(view))


@router.get("/round")
@for_role(Role.VIEWER)
def round_(
    request: Request, session: Db, course: CourseHere, kind: Kind, person: str = ""
) -> Response:
    """Today's drills of a kind."""
    number = int(person) if person.isdecimal() and len(person) < 10 else None
    if number is not None:
        kit.one(session, course.id, "people", number)
    shown = round_of(request, session, course, number, kind)
    return part(request, "practice/drills.html", drills=shown, units=course.units)


@router.post("/{person_id:number}/answers")
@for_role(Role.ASSISTANT)
def answers(session: Db, course: CourseHere, person_id: int, said: AnswersIn) -> Heard:
    """Keep what somebody answered, each answer once."""
    person = kit.one(session, course.id, "people", person_id)
    entries = [one.practised() for one in said.answers]
    return Heard(new=practice.keep(session, course.id, person.id, entries))


@router.post("/{person_id:number}/timed")
@for_role(Role.ASSISTANT)
def timed(
    session: Db,
    course: CourseHere,
    person_id: int,
    pitch: Annotated[str, Form(max_length=40)],
    took: Annotated[str, Form(max_length=20)],
    splits: Annotated[str, Form(max_length=100)] = "",
) -> Response:
    """Keep how long somebody took to set a pitch up."""
    person = kit.one(session, course.id, "people", person_id)
    slug = pitch_named(pitch).slug
    told = {"seconds": seconds_of(took), "splits": _splits(splits)}
    entry = practice.Practised(str(uuid.uuid4()), practice.TIMED, slug, told, now())
    practice.keep(session, course.id, person.id, [entry])
    return RedirectResponse(
        f"/courses/{course.id}/practice?person={person.id}#timed", status_code=303
    )


def seconds_of(text: str) -> int:
    """Seconds from "4:30", "4 min", "4.5" minutes or "270 s". Raises InputError."""
    words = text.strip().lower().replace(",", ".")
    clock = re.fullmatch(r"(\d{1,3}):([0-5]\d)", words)
    number = re.fullmatch(r"(\d{1,4}(?:\.\d+)?)\s*(s|sec|seconds|m|min|minutes)?", words)
    if clock:
        seconds = 60.0 * int(clock[1]) + int(clock[2])
    elif number:
        seconds = float(number[1]) * (1 if (number[2] or "").startswith("s") else 60)
    else:
        raise InputError("took", f"“{text}” isn't a time: minutes as 4:30 or 4.5")
    if not LEAST_S <= seconds <= MOST_S:
        raise InputError("took", f"“{text}” is no time for setting a shelter up")
    return round(seconds)


def _splits(text: str) -> dict[str, int]:
    """Seconds at which each stage was reached, from "ridge=70 stakes=180"."""
    found = {}
    for part_ in text.split():
        name, _, seconds = part_.partition("=")
        if name in STAGES and seconds.isdecimal() and int(seconds) <= MOST_S:
            found[name] = int(seconds)
    return found
