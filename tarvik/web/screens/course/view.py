"""What a course's own page shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from tarvik.core.errors import InputError
from tarvik.core.intent import Intent
from tarvik.core.units import Units
from tarvik.store import courses, plans
from tarvik.store.models import Course, Night, Person, SheetRow
from tarvik.store.nights import needs_of
from tarvik.web.shared.night_words import weather_words


def number_of_nights(text: str) -> int:
    if not text.strip().isdecimal() or len(text.strip()) > 3:
        raise InputError(
            "nights",
            f"“{text[:20]}” isn't a number of nights; give 1 to {courses.MOST_NIGHTS}",
        )
    return int(text)


@dataclass(frozen=True, slots=True)
class NightShown:
    """A night on the course's page: how many shelters are chosen, and people in them."""

    night: Night
    shelters: int
    beds: int
    intent: Intent
    weather: str


def nights_shown(session: Session, course: Course) -> list[NightShown]:
    """The course's nights in order."""
    out = []
    for night in courses.nights(session, course.id):
        chosen, needs = plans.shelters(session, night.id), needs_of(night)
        beds = {p.id for row in chosen for p in plans.sleepers(row)}
        words = weather_words(needs, Units(course.units))
        out.append(NightShown(night, len(chosen), len(beds), needs.wanted, words))
    return out


@dataclass(frozen=True, slots=True)
class Step:
    """One of the first steps: what to do, where, and whether it is done."""

    words: str
    href: str
    link: str
    done: bool


def first_steps(
    course: Course,
    people: Sequence[Person],
    sheets: Sequence[SheetRow],
    nights: Sequence[NightShown],
) -> list[Step]:
    """What leads to the first plan, in order; nothing once a night has shelters."""
    if not nights or any(told.shelters for told in nights):
        return []
    here, night = f"/courses/{course.id}", nights[0].night
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
            bool(nights[0].weather),
        ),
        Step(
            "Is there time to measure the ground? A few tapes between trees, and every shelter has "
            "its place. Without, the plan counts trees and poles.",
            f"{at_night}/ground",
            "Start a map",
            night.site_id is not None,
        ),
        Step("Then let Tarvik make the plan.", f"{at_night}/plan", "Plan", False),
    ]
