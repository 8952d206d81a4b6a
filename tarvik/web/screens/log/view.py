"""What the log shows: a row a shelter, predicted beside measured, and what the entries teach."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from statistics import median
from typing import Final

from sqlalchemy.orm import Session

from tarvik.core.plan.party import Skill
from tarvik.core.units import Units, format_length
from tarvik.exchange.night_form import holding_of, own_values_of
from tarvik.store import field, kit
from tarvik.store.models import Course, Person
from tarvik.web.drawing.scatter import Dot, scatter
from tarvik.web.drawing.wet_map import wet_map
from tarvik.web.screens.log.lessons import Lesson, lessons_of
from tarvik.web.screens.log.rows import LogRow, row_of

SLANTS: Final = (
    ("rain straight down", 0.0, 0.15),
    ("slanting", 0.15, 0.6),
    ("driven by wind", 0.6, float("inf")),
)
"""How rain fell: in words, from which run over its fall, and up to which."""


@dataclass(frozen=True, slots=True)
class WetShare:
    """Of so many shelters in such rain, how many stayed dry, damp and wet."""

    pitch: str
    slant: str
    dry: int
    damp: int
    wet: int


@dataclass(frozen=True, slots=True)
class SkillMinutes:
    """Minutes to set a pitch by the most practised of those who slept there: the middle one of so
    many, and from which to which.
    """

    pitch: str
    skill: str
    entries: int
    middle: float
    least: int
    most: int


@dataclass(frozen=True, slots=True)
class WetPlan:
    """Where a shelter got wet, drawn."""

    words: str
    drawing: str


@dataclass(frozen=True, slots=True)
class LogView:
    """The log of a course. `all_entries`: of the provider's courses, which the lessons are from;
    `tautness`: how many were how tight; `lost`: stakes that came out.
    """

    course: Course
    rows: tuple[LogRow, ...]
    peaks: str
    minutes: str
    by_skill: tuple[SkillMinutes, ...]
    lessons: tuple[Lesson, ...]
    wet: tuple[WetShare, ...]
    wet_plans: tuple[WetPlan, ...]
    tautness: tuple[tuple[str, int], ...]
    all_entries: int
    tab: str = "log"


def lessons_here(session: Session, course: Course) -> tuple[Lesson, ...]:
    """What all entries that the asker may see teach."""
    rows = [row_of(night, entry) for night, entry in field.logged(session)]
    return _lessons(course, rows)


def _lessons(course: Course, rows: Sequence[LogRow]) -> tuple[Lesson, ...]:
    rules = course.rules or {}
    units, holding = Units(course.units), holding_of(rules)
    return tuple(lessons_of(rows, units, holding, own_values_of(rules)))


def log_view(session: Session, course: Course) -> LogView:
    """The log of a course, and what all entries that the asker may see teach."""
    units = Units(course.units)
    every = [
        (night.course_id, row_of(night, entry)) for night, entry in field.logged(session)
    ]
    own = [row for course_id, row in every if course_id == course.id]
    everywhere = [row for _, row in every]
    tight = Counter(row.taut for row in own if row.taut)
    return LogView(
        course=course,
        rows=tuple(own),
        peaks=_plot(
            [
                Dot(r.planned_peak_m, r.peak_m, f"{r.night}, {r.pitch}")
                for r in own
                if r.peak_m and r.planned_peak_m and not r.changed
            ],
            lambda m: format_length(m, units),
            "Peaks: planned and measured",
        ),
        minutes=_plot(
            [
                Dot(r.planned_minutes, float(r.minutes), f"{r.night}, {r.pitch}")
                for r in own
                if r.minutes and r.planned_minutes and not r.changed
            ],
            lambda minutes: f"{minutes:.0f} min",
            "Minutes to set: planned and needed",
        ),
        by_skill=_by_skill(own, kit.rows(session, course.id, "people")),
        lessons=_lessons(course, everywhere),
        wet=tuple(_wet_shares(everywhere)),
        wet_plans=tuple(
            WetPlan(
                f"{r.night}, {r.pitch}",
                wet_map(
                    r.footprint, r.mats, r.wet_at, f"Where {r.pitch} got wet, from above"
                ),
            )
            for r in own
            if r.wet_at and r.footprint
        ),
        tautness=tuple(tight.most_common()),
        all_entries=len(every),
    )


def _plot(dots: Sequence[Dot], shown: Callable[[float], str], title: str) -> str:
    return scatter(dots, shown, title) if dots else ""


def _wet_shares(rows: Sequence[LogRow]) -> list[WetShare]:
    """How dry shelters stayed, by pitch and by the slant of the rain that was forecast."""
    found: dict[tuple[str, str], Counter[str]] = {}
    for row in rows:
        if (
            row.wet
            and not row.changed
            and row.rain_slope is not None
            and row.forecast_rain_mm_h
        ):
            slant = next(
                words for words, low, high in SLANTS if low <= row.rain_slope < high
            )
            found.setdefault((row.pitch, slant), Counter())[row.wet] += 1
    return [
        WetShare(pitch, slant, counts["dry"], counts["damp"], counts["wet"])
        for (pitch, slant), counts in sorted(found.items())
    ]


def _by_skill(rows: Sequence[LogRow], people: Sequence[Person]) -> tuple[SkillMinutes, ...]:
    """Minutes by pitch and skill, where somebody of the group is known to have slept there."""
    order = list(Skill)
    skill = {person.name: Skill(person.skill) for person in people}
    found: dict[tuple[str, Skill], list[int]] = {}
    for row in rows:
        known = [skill[name] for name in row.people if name in skill]
        if row.minutes and not row.changed and known:
            found.setdefault((row.pitch, max(known, key=order.index)), []).append(
                row.minutes
            )
    return tuple(
        SkillMinutes(pitch, best.value, len(some), median(some), min(some), max(some))
        for (pitch, best), some in sorted(found.items())
    )
