"""Settings at which one sleeper more lies dry, where none of the cases of a grid has room for so
many.

The place of one more is often a few centimetres of a setting wide. But the share of a mat's length
and width at which so many would lie changes evenly with the settings: so it is climbed, from the
best of the grid's cases on, in steps that halve where they lead no higher.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.kernel.share import highest_share
from tarvik.core.measure.mats import INNER_M
from tarvik.core.pitches.base import Sought
from tarvik.core.search.candidate import Candidate
from tarvik.core.search.grid import allowed, combined, in_range
from tarvik.core.search.objective import MAT_FIRST
from tarvik.core.search.scores import FINE, BatchScores

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Setting
    from tarvik.core.search.batch import FoldedBatch
    from tarvik.core.search.initial_grid import InitialGrid
    from tarvik.core.search.problem import SearchProblem

SHARE_LEAST: Final = constant(
    "mat_share_least",
    0.88,
    "1",
    ENGINEERING,
    "share of a mat that shows where whole ones may fit",
)
SHARE_WIDE: Final = constant(
    "mat_share_wide", 0.8, "1", ENGINEERING, "the same on the wide grid of all settings"
)
SHARE_GAIN: Final = constant(
    "mat_share_gain", 0.002, "1", ENGINEERING, "share of a mat by which a step has to gain"
)
SHARE_CLOSE: Final = constant(
    "mat_share_close",
    0.96,
    "1",
    ENGINEERING,
    "share of a mat from which on every heading is tried",
)
SHARE_NEARLY: Final = constant(
    "mat_share_nearly",
    0.98,
    "1",
    ENGINEERING,
    "share of a mat about which whole ones are looked for",
)
SHARE_CHANGE: Final = constant(
    "mat_share_change",
    0.8,
    "1/m",
    ENGINEERING,
    "change of that share with a setting at most",
)
ABOUT_M: Final = constant(
    "look_about",
    0.06,
    "m",
    ENGINEERING,
    "how far about a place that nearly holds all is looked",
)
METRE_DEG: Final = constant(
    "metre_degree", 0.0175, "m", ENGINEERING, "metre by which a degree moves the cloth"
)
WHOLE: Final = 1.0
EVERY: Final = 1
"""Headings every 2 degrees, as the exact figures have them."""
_MOST: Final = 1
"""Which telling of the rain is most of it."""
_CLIMBS: Final = 3
_CLIMBS_FEW: Final = 1
"""For one or two: of 84 climbs that found a bed for them, every one did from its best start."""
_FINEST_M: Final = 0.01
_FINEST_DEG: Final = 1.0
_HALVINGS: Final = 3
_ABOUT: Final = {1: 13, 2: 9, 3: 5}
_ABOUT_MANY: Final = 3
_SAME: Final = 6
"""Decimals to which two settings are the same."""
_STEP: Final = np.array([-1.0, 0.0, 1.0])


@dataclass(frozen=True, slots=True)
class _Top:
    """How far a climb has come: the share of a mat at which all lie, and there."""

    share: float
    settings: dict[str, float]


@dataclass(frozen=True, slots=True)
class _Slope:
    """Many cases, and how nearly so many mats lie dry in each."""

    problem: SearchProblem
    folded: FoldedBatch
    values: Mapping[str, Floats]
    mats: int

    @classmethod
    def of(cls, problem: SearchProblem, values: Mapping[str, Floats], mats: int) -> _Slope:
        return cls(problem, problem.folded(values), values, mats)

    def scores(self) -> BatchScores:
        """What the room of the cases is worth."""
        return BatchScores.of(self.problem, self.folded, self.values, FINE)

    def tried(self, scores: BatchScores, share: float) -> NDArray[np.intp]:
        """Cases with dry ground for so many mats of that share, those worth most first."""
        least = self.mats * float(np.prod(self.problem.mat)) * share * share
        order = np.argsort(-scores.worth, kind="stable")
        return np.asarray(
            order[np.isfinite(scores.worth[order]) & (scores.dry[order] >= least)]
        )

    def highest(
        self, order: NDArray[np.intp], share: float, stride: int
    ) -> tuple[int, _Top | None]:
        """Of cases tried in that order the one where all mats lie at the greatest share, and its
        number, if that is greater; the first where whole ones lie.
        """
        problem, rain = self.problem, self.problem.rain
        case, reached = highest_share(
            self.folded.faces,
            self.folded.corners,
            problem.heights,
            problem.boxes,
            problem.mat,
            self.mats,
            order,
            stride,
            INNER_M,
            rain[0],
            rain[min(_MOST, len(rain) - 1)],
            rain[-1],
            share,
            SHARE_GAIN,
            _HALVINGS,
        )
        if case < 0:
            return -1, None
        return case, _Top(
            reached, {name: float(array[case]) for name, array in self.values.items()}
        )

    def most_worth(self) -> _Top | None:
        """Of the cases where whole mats lie the one worth most."""
        return self.highest(self.tried(self.scores(), WHOLE), WHOLE - SHARE_GAIN, EVERY)[1]


def with_room_for(
    problem: SearchProblem, initial: InitialGrid, scores: BatchScores, mats: int
) -> list[Candidate]:
    """Settings at which so many mats lie dry, of several such places each one; none where no climb
    gets there. `scores`: those of the initial grid.
    """
    if not len(initial.folded.corners):
        return []
    climb = _Climb(problem, initial, mats)
    tops = [climb.up_from(top) for top in _starts(initial, scores, mats)]
    return [climb.as_a_tape_reads(top) for top in tops if top.share == WHOLE]


def _starts(initial: InitialGrid, scores: BatchScores, mats: int) -> list[_Top]:
    """The best of the first cases that are no neighbours of each other."""
    lowest = _least_share(
        initial, SHARE_WIDE if initial.wide and not scores.problem.few else SHARE_LEAST
    )
    slope, climbs = (
        _Slope(scores.problem, initial.folded, initial.values, mats),
        _CLIMBS_FEW if scores.problem.few else _CLIMBS,
    )
    tops: list[_Top] = []
    chequered = _every_other(initial)
    for case in slope.tried(scores, lowest):
        if not chequered[case]:
            continue
        least = lowest - SHARE_GAIN if len(tops) < climbs else tops[-1].share
        _, top = (
            slope.highest(np.array([case]), least, FINE) if least < WHOLE else (-1, None)
        )
        if top is None:
            continue
        beside = [t for t in tops if _neighbours(t, top, initial.width)]
        if all(t.share < top.share for t in beside):
            tops = sorted(
                [*(t for t in tops if t not in beside), top], key=lambda t: -t.share
            )[:climbs]
    return tops


@dataclass(slots=True)
class _Climb:
    """Climbs to settings at which so many mats lie whole, which remember where they have been: from
    several starts they often come to the same places. `low`: the share that a case did not come up
    to, by its settings, headings and rain.
    """

    problem: SearchProblem
    initial: InitialGrid
    mats: int
    low: dict[tuple[float, ...], float] = field(default_factory=dict)

    def up_from(self, top: _Top) -> _Top:
        """Where steps up from there end: each is as long as the last one, or half of it where that
        led no higher. Once near, shares are measured anew as the exact figures would.
        """
        sliding, width, stride = self.initial.sliding, self.initial.width, FINE
        while (
            top.share < WHOLE
            and _longer_than_need_be(sliding, width)
            and _in_reach(sliding, width, top.share)
        ):
            if stride == FINE and top.share >= SHARE_CLOSE:
                top, stride = replace(top, share=SHARE_CLOSE - SHARE_GAIN), EVERY
            higher = self._step(top, width, stride)
            if higher is top:
                width = {name: reach / 2 for name, reach in width.items()}
            top = higher
        return self._about(top) if SHARE_NEARLY <= top.share < WHOLE else top

    def _alone(self, settings: Mapping[str, float]) -> _Slope:
        return _Slope.of(
            self.problem,
            {name: np.array([value]) for name, value in settings.items()},
            self.mats,
        )

    def _step(self, top: _Top, width: Mapping[str, float], stride: int) -> _Top:
        """The best a step away in any direction, or the top itself: settings always searched move
        together, the others one by one.
        """
        grids = [
            self._allowed(s, top.settings[s.name] + width[s.name] * _STEP)
            for s in self.initial.sliding
        ]
        here = [np.array([top.settings[s.name]]) for s in self.initial.sliding]
        together = [s.sought is Sought.FIRST for s in self.initial.sliding]
        parts = [
            [g if both else h for g, h, both in zip(grids, here, together, strict=True)]
        ]
        parts += [
            [*here[:i], grids[i], *here[i + 1 :]]
            for i, both in enumerate(together)
            if not both
        ]
        return self._best_of(top, np.vstack([combined(part) for part in parts]), stride)

    def _about(self, top: _Top) -> _Top:
        """Where whole mats lie about a place that nearly holds them, or that place: ridges that no
        step follows end there.
        """
        sliding, grids = self.initial.sliding, []
        spread = np.linspace(-1.0, 1.0, _ABOUT.get(len(sliding), _ABOUT_MANY))
        for setting in sliding:
            reach = ABOUT_M if setting.is_length else ABOUT_M / METRE_DEG
            grids.append(
                self._allowed(
                    setting,
                    top.settings[setting.name]
                    + min(reach, self.initial.width[setting.name]) * spread,
                )
            )
        whole = self._best_of(
            replace(top, share=WHOLE - SHARE_GAIN), combined(grids), EVERY
        )
        return whole if whole.share == WHOLE else top

    def _allowed(self, setting: Setting, values: Floats) -> Floats:
        """Those of ascending values that are in range and within the supports' reach."""
        return allowed(in_range(values, setting), setting, self.problem.objective.supports)

    def _best_of(self, top: _Top, cases: Floats, stride: int) -> _Top:
        """The highest of cases (N, sliding settings), or the top itself; the first that holds whole
        mats.
        """
        names = [s.name for s in self.initial.sliding]
        apart = [value for name, value in top.settings.items() if name not in names]
        keys = [(stride, *apart, *(round(float(x), _SAME) for x in case)) for case in cases]
        once = {key: i for i, key in enumerate(keys)}
        fresh = [
            i
            for key, i in once.items()
            if self.low.get(key, WHOLE + 1.0) > top.share + SHARE_GAIN
        ]
        if not fresh:
            return top
        values = {name: np.full(len(fresh), value) for name, value in top.settings.items()}
        values |= {name: cases[fresh, column] for column, name in enumerate(names)}
        slope = _Slope.of(self.problem, values, self.mats)
        best, higher = slope.highest(np.arange(len(fresh)), top.share, stride)
        if higher is not None and higher.share == WHOLE:
            return slope.most_worth() or higher
        higher = higher or top
        self.low |= {
            keys[i]: higher.share + SHARE_GAIN
            for number, i in enumerate(fresh)
            if number != best
        }
        return higher

    def as_a_tape_reads(self, top: _Top) -> Candidate:
        """What is there, in whole centimetres and degrees if all lie there too."""
        whole = {}
        for setting in self.initial.sliding:
            value = top.settings[setting.name]
            near = round(value, 2 if setting.is_length else 0)
            reached = near in allowed(
                np.array([value, near]), setting, self.problem.objective.supports
            )
            whole[setting.name] = near if reached else value
        read = self._alone(top.settings | whole)
        if read.most_worth() is None:
            read = self._alone(top.settings)
        settings = {name: float(array[0]) for name, array in read.values.items()}
        return Candidate(
            float(read.scores().worth[0]) + MAT_FIRST * self.mats, self.mats, settings
        )


def _longer_than_need_be(sliding: Sequence[Setting], width: Mapping[str, float]) -> bool:
    """Whether any setting's step is."""
    return any(
        width[s.name] > (_FINEST_M if s.is_length else _FINEST_DEG) / 2 for s in sliding
    )


def _steps_m(sliding: Sequence[Setting], width: Mapping[str, float]) -> list[float]:
    """How far a step of each setting moves the cloth."""
    return [width[s.name] * (1.0 if s.is_length else METRE_DEG) for s in sliding]


def _in_reach(sliding: Sequence[Setting], width: Mapping[str, float], share: float) -> bool:
    """Whether steps of such a length, and all the shorter ones, may lead to whole mats."""
    return share + SHARE_CHANGE * 2 * sum(_steps_m(sliding, width)) >= SHARE_CLOSE


def _every_other(initial: InitialGrid) -> NDArray[np.bool_]:
    """The first cases (N,) of one colour, as on a chequered board of their sliding settings: the
    others lie beside them.
    """
    ranks = [
        np.unique(initial.values[s.name], return_inverse=True)[1].ravel()
        for s in initial.sliding
    ]
    return np.asarray(sum(ranks, np.zeros(len(initial.cases), dtype=np.intp)) % 2 == 0)


def _least_share(initial: InitialGrid, least: float) -> float:
    """The share from which on a case of the first grid, two steps from the next one of its colour,
    may have a whole one about it; finer headings make up the rest.
    """
    return max(
        least,
        SHARE_CLOSE
        - 2 * SHARE_CHANGE * max(_steps_m(initial.sliding, initial.width), default=0.0),
    )


def _neighbours(one: _Top, two: _Top, width: Mapping[str, float]) -> bool:
    """Whether two cases lie beside each other on a grid of such steps."""
    return all(
        abs(value - two.settings[name]) <= 1.01 * width.get(name, 0.0)
        for name, value in one.settings.items()
    )
