"""What the entries of a provider's logs teach, and which of it a course goes by."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final

from tarvik.core.hang.hand_set import HAND_N
from tarvik.core.learning import (
    BANDS,
    PRIOR_MINUTES,
    PRIOR_PEAK,
    SPREAD_MINUTES,
    SPREAD_PEAK,
    Learned,
    learned_from_holds,
    learned_from_ratios,
    learned_from_words,
)
from tarvik.core.loads.holding import TRUST, Holding, ground_named, stake_holds_n
from tarvik.core.own_values import ALL, OwnValues
from tarvik.core.pitches import PITCHES
from tarvik.core.units import Units, format_force, format_length
from tarvik.web.screens.log.rows import LogRow

PULLED_LEAST: Final = 0.3
"""A stake that the night pulled with a smaller share of its holding tells nothing."""
TEN: Final = 9.5
"""Minutes from which tenths are not told."""
CLOSE: Final = 0.02
"""A value that new entries have moved by a smaller share is not offered anew."""


@dataclass(frozen=True, slots=True)
class Lesson:
    """What entries teach about one value: in words what it is of, the built-in value and the
    learned one with its interval, all as they are shown, and which entries lie far off.

    `kind` and `slug` name what a course may go by ("holding" of a ground, "minutes" of a pitch;
    empty: nothing a plan reckons with), `factor` is how many times the built-in value it is now,
    `in_use` the factor that the course goes by, with its value as shown.
    """

    what: str
    built_in: str
    now: str
    low: str
    high: str
    entries: int
    far_off: tuple[str, ...]
    factor: float
    kind: str = ""
    slug: str = ""
    in_use: float | None = None
    used: str = ""

    @property
    def moved_on(self) -> bool:
        """Whether entries since then have moved a value that the course goes by."""
        return self.in_use is not None and abs(self.factor / self.in_use - 1) > CLOSE


@dataclass(frozen=True, slots=True)
class _About:
    """What a lesson is about: its words, the built-in value, how values are shown, what names it
    among own values.
    """

    what: str
    built_in: float
    shown: Callable[[float], str]
    kind: str = ""
    slug: str = ""


def lessons_of(
    rows: Sequence[LogRow], units: Units, holding: Holding, own: OwnValues
) -> list[Lesson]:
    """Everything the entries teach: minutes by pitch, peaks, how hard stakes are
    drawn, what they hold by ground. `holding`:
    of the course's usual stakes; `own`: what the course goes by.
    """
    as_planned = [row for row in rows if not row.changed]
    found = [*_minutes(as_planned), *_peaks(as_planned, units), *_drawn(rows, units)]
    found += _holds(as_planned, units, holding)
    return [_with_use(lesson, about, own) for lesson, about in found]


def _with_use(lesson: Lesson, about: _About, own: OwnValues) -> Lesson:
    used = getattr(own, about.kind).get(about.slug) if about.kind else None
    if used is None:
        return lesson
    return replace(lesson, in_use=used, used=about.shown(about.built_in * used))


def _minutes(rows: Sequence[LogRow]) -> list[tuple[Lesson, _About]]:
    found = []
    for slug in dict.fromkeys(row.slug for row in rows if row.slug in PITCHES):
        timed = [r for r in rows if r.slug == slug and r.minutes and r.planned_minutes]
        if timed:
            ratios = [float(r.minutes or 0) / r.planned_minutes for r in timed]
            learned = learned_from_ratios(ratios, PRIOR_MINUTES, SPREAD_MINUTES)
            pitch = PITCHES[slug]
            about = _About(
                f"minutes to set: {pitch.name}", pitch.minutes, _in_minutes, "minutes", slug
            )
            found.append((_lesson(about, learned, timed), about))
    return found


def _peaks(rows: Sequence[LogRow], units: Units) -> list[tuple[Lesson, _About]]:
    peaked = [r for r in rows if r.peak_m and r.planned_peak_m]
    if not peaked:
        return []
    ratios = [(r.peak_m or 0.0) / (r.planned_peak_m or 1.0) for r in peaked]
    learned = learned_from_ratios(ratios, PRIOR_PEAK, SPREAD_PEAK)
    what = f"peak, for {format_length(1.0, units)} planned"
    about = _About(what, 1.0, lambda m: format_length(m, units), "peak", ALL)
    return [(_lesson(about, learned, peaked), about)]


def _drawn(rows: Sequence[LogRow], units: Units) -> list[tuple[Lesson, _About]]:
    """How hard stakes are drawn by hand, of every shelter whether as planned or not."""
    said = [row for row in rows if row.taut in BANDS]
    if not said:
        return []
    about = _About(
        "pull with which a stake is set",
        HAND_N,
        lambda newtons: format_force(newtons, units),
        "taut",
        ALL,
    )
    learned = learned_from_words([row.taut for row in said])
    return [(_lesson(about, learned, said), about)]


def _holds(
    rows: Sequence[LogRow], units: Units, holding: Holding
) -> list[tuple[Lesson, _About]]:
    """What stakes hold, ground by ground: the weakest stake of each shelter, of which it is known
    whether any came out.
    """
    grounds: dict[str, list[tuple[LogRow, float]]] = {}
    for row in rows:
        used = row.stake_used
        if (
            row.ground
            and row.pulled is not None
            and used is not None
            and used >= PULLED_LEAST
        ):
            grounds.setdefault(row.ground, []).append((row, used))
    found = []
    for ground, known in grounds.items():
        learned = learned_from_holds(
            [used for _, used in known], [not r.pulled for r, _ in known]
        )
        kind = ground_named(ground)
        trusted_n = (
            stake_holds_n(kind, holding.stake_depth_m, holding.stake_width_m) / TRUST
        )
        about = _About(
            f"what a stake is trusted with: {kind.name}",
            trusted_n,
            lambda newtons: format_force(newtons, units),
            "holding",
            ground,
        )
        found.append((_lesson(about, learned, [row for row, _ in known]), about))
    return found


def _in_minutes(value: float) -> str:
    return f"{value:.0f} min" if value >= TEN else f"{value:.1f} min"


def _lesson(about: _About, learned: Learned, rows: Sequence[LogRow]) -> Lesson:
    low, now, high = learned.now
    shown, built_in = about.shown, about.built_in
    return Lesson(
        about.what,
        shown(built_in),
        shown(built_in * now),
        shown(built_in * low),
        shown(built_in * high),
        learned.entries,
        tuple(f"{rows[n].night}, {rows[n].pitch}" for n in learned.far_off),
        now,
        about.kind,
        about.slug,
    )
