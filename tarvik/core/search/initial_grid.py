"""The settings that a search begins with."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.kept import keep_last
from tarvik.core.pitches.base import Sought
from tarvik.core.search.batch import FoldedBatch, values_of
from tarvik.core.search.grid import allowed, combined, grid

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Pitch, Setting
    from tarvik.core.rig.supports import Supports
    from tarvik.core.search.problem import SearchProblem

MOST_SLIDING: Final = 3
"""Sliding settings that are searched at once."""
HARDLY_ANY: Final = constant(
    "hardly_any",
    0.3,
    "1",
    ENGINEERING,
    "share of a grid that folds below which bands are tried",
)
KEPT: Final = 64
"""Grids kept folded: some tens of kilobytes each."""
_BAND_TRIED: Final = 32
_BAND_TAKEN: Final = 5


@dataclass(frozen=True, slots=True)
class Steps:
    """How many values of each sliding setting are tried, by the number of such settings: `first` of
    those always searched, `also` of those that have a usual value, which they keep where it is
    empty. `doors`: whether every state of the doors is.
    """

    initial: Mapping[int, int]
    also: Mapping[int, int] = field(default_factory=dict)
    doors: bool = False


@dataclass(frozen=True, slots=True)
class InitialGrid:
    """The cases (N, settings) that a search begins with, the same for every body; `width`: how far
    about each sliding setting's value the next round looks; `wide`: whether settings that have a
    usual value are among them, or doors.
    """

    cases: Floats
    values: dict[str, Floats]
    folded: FoldedBatch
    sliding: list[Setting]
    width: dict[str, float]
    wide: bool

    @classmethod
    def of(cls, problem: SearchProblem, steps: Steps) -> InitialGrid | None:
        """None when none folds."""
        doors = doors_left(problem) if steps.doors else []
        initial, also = (
            [*_always_sought(problem), *doors],
            also_sought(problem) if steps.also else [],
        )
        sliding = [*(s for s in initial if not s.is_choice), *also]
        counts = dict.fromkeys(
            (s.name for s in initial), steps.initial[len(sliding) - len(also)]
        )
        counts |= dict.fromkeys((s.name for s in also), steps.also.get(len(also), 0))
        grids = {
            s.name: grid(s, problem.sheet, problem.objective.supports, counts[s.name])
            for s in (*initial, *also)
        }
        if problem.fitting.box[0] == problem.fitting.box[1] and "turn" in grids:
            grids["turn"] = np.zeros(1)
        width = {
            s.name: float(np.ptp(grids[s.name])) / max(len(grids[s.name]) - 1, 1)
            for s in sliding
        }
        asked = _Asked(
            problem.fitting.pitch,
            problem.fitting.box,
            problem.objective.supports,
            tuple(grids),
            tuple(g.tobytes() for g in grids.values()),
            tuple(problem.still(tuple(grids)).items()),
            problem.airy,
            problem.sloped,
            problem.named,
            0 if also else steps.initial[1],
            sliding[0] if len(sliding) >= MOST_SLIDING else None,
        )
        cases, folded = _folded(asked)
        if not np.isfinite(folded.peak).any():
            return None
        return cls(cases, asked.values(cases), folded, sliding, width, bool(also or doors))


class _Asked(NamedTuple):
    """What tells how many cases fold: the pitch on a sheet of that box, the names of the settings
    that are tried, their grids packed, and the values of the others; how many cases of `level`
    heights there are besides; and `banded`, along which setting, where hardly any case folds.
    """

    pitch: Pitch
    box: tuple[float, float]
    supports: Supports
    names: tuple[str, ...]
    packed: tuple[bytes, ...]
    still: tuple[tuple[str, float], ...]
    airy: bool
    sloped: bool
    named: bool
    level: int
    banded: Setting | None

    @property
    def grids(self) -> dict[str, Floats]:
        """The values of each setting that are tried."""
        return {
            name: np.frombuffer(packed)
            for name, packed in zip(self.names, self.packed, strict=True)
        }

    def values(self, cases: Floats) -> dict[str, Floats]:
        """Every setting (N,) of some cases (N, names)."""
        return values_of(self.names, cases, dict(self.still))


@keep_last(KEPT)
def _folded(asked: _Asked) -> tuple[Floats, FoldedBatch]:
    """The grids' combinations (N, settings), or banded ones, and they folded; kept, for many sheets
    of a bag are of one size, and who lies there and in what rain makes no difference.
    """
    cases = combined(list(asked.grids.values()))
    cases = np.vstack([cases, _level(asked.grids, cases, asked.level)])
    folded = _cases_folded(asked, cases)
    if asked.banded is not None and np.isfinite(folded.peak).mean() < HARDLY_ANY:
        banded = _banded(asked, asked.banded)
        if len(banded):
            cases, folded = banded, _cases_folded(asked, banded)
    return cases, folded


def forget_folded() -> None:
    """Forget the grids kept folded (for benchmarks)."""
    _folded.cache_clear()


def _cases_folded(asked: _Asked, cases: Floats) -> FoldedBatch:
    return FoldedBatch.folded(
        asked.pitch,
        asked.box,
        asked.values(cases),
        airy=asked.airy,
        sloped=asked.sloped,
        named=asked.named,
    )


def _always_sought(problem: SearchProblem) -> list[Setting]:
    """The settings searched whatever they give; of many sliding ones the first."""
    free = [
        s
        for s in problem.fitting.pitch.settings
        if (s.sought is Sought.FIRST or problem.objective.intent.moves_door(s))
        and s.name not in problem.given
        and not (s.name == "turn" and problem.given)
    ]
    sliding = [s for s in free if not s.is_choice][:MOST_SLIDING]
    return [s for s in free if s.is_choice or s in sliding]


def _level(grids: Mapping[str, Floats], cases: Floats, count: int) -> Floats:
    """Cases (N, settings) of all heights alike, in fine steps: where the room for one more is often
    narrowest.
    """
    heights = [
        column
        for column, name in enumerate(grids)
        if name.startswith("height") and len(grids[name]) > 1
    ]
    level = np.tile(cases[0], (count if len(heights) > 1 else 0, 1))
    if len(level):
        spread = list(grids.values())[heights[0]]
        level[:, heights] = np.linspace(spread[0], spread[-1], count)[:, None]
    return level


def also_sought(problem: SearchProblem) -> list[Setting]:
    """The settings that have a usual value and may leave it."""
    return [
        s
        for s in problem.fitting.pitch.settings
        if s.sought is Sought.ALSO and s.name not in problem.given
    ]


def doors_left(problem: SearchProblem) -> list[Setting]:
    """The doors that stand as the pitch has them unless one more of those wanted lies dry when they
    do not; where as many are to lie there as fit, they stay.
    """
    if problem.objective.wanted is None:
        return []
    return [
        s
        for s in problem.fitting.pitch.doors
        if s.name not in problem.given and not problem.objective.intent.moves_door(s)
    ]


def _banded(asked: _Asked, along: Setting) -> Floats:
    """Cases (N, settings) of the other grids' combinations, each at some values of one setting over
    the band in which the sheet folds: of settings that must suit each other, hardly any of a plain
    grid's combinations does.
    """
    names = [*(n for n in asked.names if n != along.name), along.name]
    tried = allowed(
        np.linspace(along.least, along.most, _BAND_TRIED), along, asked.supports
    )
    cases = combined([*(asked.grids[n] for n in names[:-1]), tried])
    start = asked.pitch.layout(asked.box, values_of(names, cases, dict(asked.still))).start
    folds = np.isfinite(start).all(axis=(1, 2)).reshape(-1, len(tried))
    rows = np.flatnonzero(folds.any(axis=1))
    low, high = (
        folds[rows].argmax(axis=1),
        len(tried) - 1 - folds[rows, ::-1].argmax(axis=1),
    )
    picked = np.rint(
        low[:, None] + (high - low)[:, None] * np.linspace(0.0, 1.0, _BAND_TAKEN)
    ).astype(np.intp)
    some = cases.reshape(-1, len(tried), len(names))[rows[:, None], picked].reshape(
        -1, len(names)
    )
    return np.unique(some[:, [names.index(n) for n in asked.names]], axis=0)
