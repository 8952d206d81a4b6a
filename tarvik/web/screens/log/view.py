"""What the log shows: a row a shelter, predicted beside measured, and what the entries teach."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final

from sqlalchemy.orm import Session

from tarvik.core.learning import (
    PRIOR_MINUTES,
    PRIOR_PEAK,
    SPREAD_MINUTES,
    SPREAD_PEAK,
    Learned,
    learned_from_holds,
    learned_from_ratios,
)
from tarvik.core.loads.holding import ground_named
from tarvik.core.pitches import PITCHES
from tarvik.core.units import Units, format_length
from tarvik.exchange.log_form import LogKept
from tarvik.store import field
from tarvik.store.models import Course, FieldEntry, Night
from tarvik.web.drawing.scatter import Dot, scatter

PULLED_LEAST: Final = 0.3
"""A stake that the night pulled with a smaller share of its holding tells nothing."""


@dataclass(frozen=True, slots=True)
class LogRow:
    """One shelter of one morning. `pitch`, `people`: as planned; the rest as it was said, SI
    units.
    """

    night: str
    pitch: str
    people: tuple[str, ...]
    changed: str
    minutes: int | None
    planned_minutes: float
    peak_m: float | None
    planned_peak_m: float | None
    wet: str
    where: str
    pulled: int | None
    force: int | None
    again: str
    note: str
    by: str
    at: datetime
    stake_used: float | None
    ground: str


@dataclass(frozen=True, slots=True)
class Lesson:
    """What entries teach about one value: in words what it is of, the built-in value and the
    learned one with its interval, all as they are shown, and which entries lie far off.
    """

    what: str
    built_in: str
    now: str
    low: str
    high: str
    entries: int
    far_off: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class LogView:
    """The log of a course. `all_entries`: of the provider's courses, which the lessons are from."""

    course: Course
    rows: tuple[LogRow, ...]
    peaks: str
    minutes: str
    lessons: tuple[Lesson, ...]
    all_entries: int
    tab: str = "log"


def row_of(night: Night, entry: FieldEntry) -> LogRow:
    """An entry as a row."""
    log = LogKept.model_validate(entry.data)
    return LogRow(
        night=night.title,
        pitch=PITCHES[log.pitch].name if log.pitch in PITCHES else log.pitch,
        people=log.people,
        changed=log.changed,
        minutes=log.minutes,
        planned_minutes=log.planned.minutes or 0.0,
        peak_m=log.peak_m,
        planned_peak_m=log.planned.peak_m,
        wet=log.wet,
        where=log.where,
        pulled=log.pulled,
        force=log.force,
        again=log.again,
        note=log.note,
        by=entry.by,
        at=entry.said_at,
        stake_used=log.planned.stake_used,
        ground=log.planned.ground,
    )


def logged_rows(session: Session, course_id: int) -> list[LogRow]:
    """The log of a course, shelter by shelter."""
    return [row_of(night, entry) for night, entry in field.logged(session, course_id)]


def log_view(session: Session, course: Course) -> LogView:
    """The log of a course, and what all entries that the asker may see teach."""
    units = Units(course.units)
    every = [(night.course_id, row_of(night, entry)) for night, entry in field.logged(session)]
    own = [row for course_id, row in every if course_id == course.id]
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
        lessons=tuple(_lessons([row for _, row in every], units)),
        all_entries=len(every),
    )


def _plot(dots: Sequence[Dot], shown: Any, title: str) -> str:
    return scatter(dots, shown, title) if dots else ""


def _lessons(rows: Sequence[LogRow], units: Units) -> list[Lesson]:
    as_planned = [row for row in rows if not row.changed]
    lessons = []
    for pitch in dict.fromkeys(row.pitch for row in as_planned):
        timed = [r for r in as_planned if r.pitch == pitch and r.minutes and r.planned_minutes]
        if timed:
            found = learned_from_ratios(
                [float(r.minutes or 0) / r.planned_minutes for r in timed],
                PRIOR_MINUTES,
                SPREAD_MINUTES,
            )
            lessons.append(
                _lesson(
                    f"minutes to set: {pitch}", timed[0].planned_minutes, found, timed, _minutes
                )
            )
    peaked = [r for r in as_planned if r.peak_m and r.planned_peak_m]
    if peaked:
        ratios = [(r.peak_m or 0.0) / (r.planned_peak_m or 1.0) for r in peaked]
        found = learned_from_ratios(ratios, PRIOR_PEAK, SPREAD_PEAK)
        lessons.append(
            _lesson("peak, for 1 m planned", 1.0, found, peaked, lambda m: format_length(m, units))
        )
    return [*lessons, *_holds(as_planned)]


def _minutes(value: float) -> str:
    return f"{value:.0f} min" if value >= TEN else f"{value:.1f} min"


TEN: Final = 9.5
"""Minutes from which tenths are not told."""


def _holds(rows: Sequence[LogRow]) -> list[Lesson]:
    """What stakes hold, ground by ground: the weakest stake of each shelter, of which it is known
    whether any came out.
    """
    grounds: dict[str, list[tuple[LogRow, float]]] = {}
    for row in rows:
        used = row.stake_used
        if row.ground and row.pulled is not None and used is not None and used >= PULLED_LEAST:
            grounds.setdefault(row.ground, []).append((row, used))
    lessons = []
    for ground, known in grounds.items():
        found = learned_from_holds([used for _, used in known], [not r.pulled for r, _ in known])
        lessons.append(
            _lesson(
                f"what stakes hold in {ground_named(ground).name}",
                100.0,
                found,
                [row for row, _ in known],
                lambda share: f"{share:.0f} %",
            )
        )
    return lessons


def _lesson(
    what: str, built_in: float, found: Learned, rows: Sequence[LogRow], shown: Any
) -> Lesson:
    low, _, high = found.now
    return Lesson(
        what,
        shown(built_in),
        shown(found.value(built_in)),
        shown(built_in * low),
        shown(built_in * high),
        found.entries,
        tuple(f"{rows[n].night}, {rows[n].pitch}" for n in found.far_off),
    )
