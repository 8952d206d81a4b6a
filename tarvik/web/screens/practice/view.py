"""What the practice screen shows: a round of drills, timed pitches, how far everybody is."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core.drills.boxes import LATER, Learnt
from tarvik.core.drills.drill import TITLES, Choice, Drill, Estimate, Kind, Order
from tarvik.core.drills.make import drills
from tarvik.core.drills.material import Material
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.party import SPEED, Skill
from tarvik.core.set_up_times import Curve, curve
from tarvik.core.solve import Question, Solution
from tarvik.core.tonight import Night as CoreNight
from tarvik.core.tonight import Tonight
from tarvik.core.units import FOOT_M, Units
from tarvik.store import courses, kit, nights, practice
from tarvik.store.models import Course, Person, now
from tarvik.web.drawing.curve import learning_curve
from tarvik.web.drawing.shown_shelter import shown_shelter
from tarvik.web.shared.as_hung import seen
from tarvik.web.shared.standing import judge_of

EACH: Final = 2
"""Drills of every kind in a round."""
ROUND: Final = (Kind.KNOT, Kind.ORDER, Kind.BY_EYE, Kind.FAULT, Kind.WHICH_PITCH)
"""Kinds in the order in which they come: those first that are made at once."""
MOST_SHEETS: Final = 6
"""Sheets of different sizes that drills are made from."""


@dataclass(frozen=True, slots=True)
class DrillShown:
    """A drill as a page shows it. `right`: what the page scores by, as JSON; `per_unit`: metres or
    square metres in the unit that is typed.
    """

    drill: Drill
    title: str
    form: str
    options: tuple[str, ...]
    right: str
    drawing: str
    unit: str = ""
    per_unit: float = 1.0
    share: float = 0.0


@dataclass(frozen=True, slots=True)
class Progress:
    """How far somebody is with one kind of drill."""

    title: str
    asked: int
    known: int
    sure: int
    due: int


@dataclass(frozen=True, slots=True)
class TimedPitch:
    """Somebody's times for one pitch, with the curve through them as a drawing."""

    pitch: str
    minutes: tuple[float, ...]
    curve: Curve
    drawing: str


@dataclass(frozen=True, slots=True)
class PracticeView:
    """The screen for one of the people, or for nobody yet."""

    course: Course
    people: tuple[Person, ...]
    person: Person | None
    progress: tuple[Progress, ...]
    timed: tuple[TimedPitch, ...]
    pace: float | None
    pitches: tuple[tuple[str, str], ...]
    kinds: tuple[Kind, ...]
    tab: str = "practice"


def practice_view(session: Session, course: Course, person_id: int | None) -> PracticeView:
    """Everything on the screen. Raises NotFoundError for somebody else's person."""
    people = tuple(kit.rows(session, course.id, "people"))
    person = None if person_id is None else kit.one(session, course.id, "people", person_id)
    timings = practice.timings(session, course.id)
    return PracticeView(
        course=course,
        people=people,
        person=person,
        progress=() if person is None else progress_of(practice.known(session, person.id)),
        timed=() if person is None else _timed(person, timings.get(person.id, {})),
        pace=None if person is None else practice.paces(timings).get(person.id),
        pitches=tuple((slug, pitch.name) for slug, pitch in PITCHES.items()),
        kinds=ROUND,
    )


def progress_of(known: Mapping[str, Learnt]) -> tuple[Progress, ...]:
    """How far somebody is, kind by kind."""
    at, shown = now(), []
    for kind in Kind:
        own = [one for item, one in known.items() if item.split(":", 1)[0] == kind]
        if own:
            shown.append(
                Progress(
                    TITLES[kind],
                    sum(one.asked for one in own),
                    sum(one.known for one in own),
                    sum(one.box >= len(LATER) - 2 for one in own),
                    sum(one.due <= at for one in own),
                )
            )
    return tuple(shown)


def _timed(person: Person, own: Mapping[str, list[float]]) -> tuple[TimedPitch, ...]:
    shown = []
    for slug, minutes in own.items():
        pitch = PITCHES[slug]
        law = curve(minutes, pitch.minutes, SPEED[Skill(person.skill)])
        drawn = learning_curve(minutes, law, pitch.name)
        shown.append(TimedPitch(pitch.name, tuple(minutes), law, drawn))
    return tuple(shown)


def material_of(request: Request, session: Session, course: Course) -> Material:
    """What drills of a course are made from: its sheets of different sizes, its nights, what is at
    hand; nobody is named.
    """
    units = Units(course.units)
    rows = kit.rows(session, course.id, "sheets")
    sheets = dict.fromkeys(kit.sheet_of(row) for row in rows)
    cores = [
        nights.night_of(session, course, night)
        for night in courses.nights(session, course.id)
    ]

    any_night = judge_of(request, session, course, CoreNight())

    def judge(question: Question, night: CoreNight) -> tuple[Solution, Tonight]:
        shape = seen(any_night.hangings, [any_night.solver.solve(question)])[0]
        return shape.solution, replace(any_night, night=night).weighed(shape, 1)

    return Material(
        tuple(sheets)[:MOST_SHEETS],
        tuple(cores),
        judge,
        any_night.solver.solve,
        any_night.supports,
        units,
    )


def round_of(
    request: Request, session: Session, course: Course, person_id: int | None, kind: Kind
) -> list[DrillShown]:
    """Today's drills of a kind for somebody, or for anybody."""
    known = {} if person_id is None else practice.known(session, person_id)
    material = material_of(request, session, course)
    made = drills(kind, material, now().date().toordinal(), EACH, known, now())
    return [_shown(drill, material) for drill in made]


def _shown(drill: Drill, material: Material) -> DrillShown:
    drawing = ""
    if drill.shelter is not None and drill.shelter.shelter is not None:
        drawing = shown_shelter(drill.shelter, marked=drill.marked, path=drill.path)
    if isinstance(drill, Choice):
        return DrillShown(
            drill,
            TITLES[drill.kind],
            "choice",
            drill.options,
            json.dumps(sorted(drill.right)),
            drawing,
        )
    if isinstance(drill, Order):
        return DrillShown(
            drill,
            TITLES[drill.kind],
            "order",
            drill.shown,
            json.dumps(drill.right),
            drawing,
        )
    if not isinstance(drill, Estimate):
        raise TypeError(f"no way to show {type(drill).__name__}")
    metric = material.units is Units.METRIC
    unit = ("m²" if metric else "ft²") if drill.square else ("m" if metric else "ft")
    per_unit = 1.0 if metric else FOOT_M**2 if drill.square else FOOT_M
    return DrillShown(
        drill,
        TITLES[drill.kind],
        "estimate",
        (),
        json.dumps(round(drill.value, 4)),
        drawing,
        unit,
        per_unit,
        drill.share,
    )
