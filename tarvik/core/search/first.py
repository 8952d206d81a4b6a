"""The settings that a search begins with."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.pitches.base import Sought
from tarvik.core.search.grids import allowed, combined, grid

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Setting
    from tarvik.core.search.cases import Cases, Hunt

MOST_SLIDING: Final = 3
"""Sliding settings that are searched at once."""
HARDLY_ANY: Final = constant("hardly_any", 0.3, "1", ENGINEERING, "share of a grid that folds below which bands are tried")
_BAND_TRIED: Final = 32
_BAND_TAKEN: Final = 5


@dataclass(frozen=True, slots=True)
class Steps:
    """How many values of each sliding setting are tried, by the number of such settings: `first` of those always searched,
    `also` of those that have a usual value, which they keep where it is empty.
    """

    first: Mapping[int, int]
    also: Mapping[int, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class First:
    """The cases (N, settings) that a search begins with, the same for every body; `width`: how far about each sliding
    setting's value the next round looks.
    """

    cases: Floats
    values: dict[str, Floats]
    folded: Cases
    sliding: list[Setting]
    width: dict[str, float]

    @classmethod
    def of(cls, hunt: Hunt, steps: Steps) -> First | None:
        """None when none folds."""
        first, also = _always_sought(hunt), also_sought(hunt) if steps.also else []
        sliding = [*(s for s in first if not s.is_choice), *also]
        counts = dict.fromkeys((s.name for s in first), steps.first[len(sliding) - len(also)])
        counts |= dict.fromkeys((s.name for s in also), steps.also.get(len(also), 0))
        grids = {s.name: grid(s, hunt.sheet, hunt.aim.supports, counts[s.name]) for s in (*first, *also)}
        if hunt.fitting.box[0] == hunt.fitting.box[1] and "turn" in grids:
            grids["turn"] = np.zeros(1)
        width = {s.name: float(np.ptp(grids[s.name])) / max(len(grids[s.name]) - 1, 1) for s in sliding}
        cases = combined(list(grids.values()))
        if not also:
            cases = np.vstack([cases, _level(grids, cases, steps.first[1])])
        values = hunt.values(list(grids), cases)
        folded = hunt.folded(values)
        if len(sliding) >= MOST_SLIDING and np.isfinite(folded.peak).mean() < HARDLY_ANY:
            banded = _banded(hunt, grids, sliding[0])
            cases = banded if len(banded) else cases
            values = hunt.values(list(grids), cases)
            folded = hunt.folded(values)
        return cls(cases, values, folded, sliding, width) if np.isfinite(folded.peak).any() else None


def _always_sought(hunt: Hunt) -> list[Setting]:
    """The settings searched whatever they give; of many sliding ones the first."""
    airy = hunt.aim.intent.air > 0
    free = [
        s for s in hunt.fitting.pitch.settings
        if (s.sought is Sought.FIRST or (s.is_door and airy)) and s.name not in hunt.given
        and not (s.name == "turn" and hunt.given)
    ]  # fmt: skip
    sliding = [s for s in free if not s.is_choice][:MOST_SLIDING]
    return [s for s in free if s.is_choice or s in sliding]


def _level(grids: Mapping[str, Floats], cases: Floats, count: int) -> Floats:
    """Cases (N, settings) of all heights alike, in fine steps: where the room for one more is often narrowest."""
    heights = [column for column, name in enumerate(grids) if name.startswith("height") and len(grids[name]) > 1]
    level = np.tile(cases[0], (count if len(heights) > 1 else 0, 1))
    if len(level):
        spread = list(grids.values())[heights[0]]
        level[:, heights] = np.linspace(spread[0], spread[-1], count)[:, None]
    return level


def also_sought(hunt: Hunt) -> list[Setting]:
    """The settings that have a usual value and may leave it."""
    return [s for s in hunt.fitting.pitch.settings if s.sought is Sought.ALSO and s.name not in hunt.given]


def _banded(hunt: Hunt, grids: Mapping[str, Floats], along: Setting) -> Floats:
    """Cases (N, settings) of the other grids' combinations, each at some values of one setting over the band in which the
    sheet folds: of settings that must suit each other, hardly any of a plain grid's combinations does.
    """
    names = [*(n for n in grids if n != along.name), along.name]
    tried = allowed(np.linspace(along.least, along.most, _BAND_TRIED), along, hunt.aim.supports)
    cases = combined([*(grids[n] for n in names[:-1]), tried])
    start = hunt.fitting.pitch.layout(hunt.fitting.box, hunt.values(names, cases)).start
    folds = np.isfinite(start).all(axis=(1, 2)).reshape(-1, len(tried))
    rows = np.flatnonzero(folds.any(axis=1))
    low, high = folds[rows].argmax(axis=1), len(tried) - 1 - folds[rows, ::-1].argmax(axis=1)
    picked = np.rint(low[:, None] + (high - low)[:, None] * np.linspace(0.0, 1.0, _BAND_TAKEN)).astype(np.intp)
    some = cases.reshape(-1, len(tried), len(names))[rows[:, None], picked].reshape(-1, len(names))
    return np.unique(some[:, [names.index(n) for n in grids]], axis=0)
