"""The settings that a search begins with."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.search.grids import allowed, combined, grid

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Setting
    from tarvik.core.search.cases import Cases, Hunt

MOST_SLIDING: Final = 3
"""Sliding settings that are searched at once."""
_BAND_TRIED: Final = 64
_BAND_TAKEN: Final = 5


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
    def of(cls, hunt: Hunt, counts: Mapping[int, int]) -> First | None:
        """`counts`: how many values of each sliding setting, by the number of those. None when none folds."""
        sheet, supports, given, box = hunt.sheet, hunt.aim.supports, hunt.given, hunt.fitting.box
        settings = hunt.fitting.pitch.settings
        airy = hunt.aim.intent.air > 0
        free = [
            s for s in settings
            if (s.searched or (s.is_door and airy)) and s.name not in given and not (s.name == "turn" and given)
        ]  # fmt: skip
        sliding = [s for s in free if not s.is_choice][:MOST_SLIDING]
        size = len(sliding)
        grids = {s.name: grid(s, sheet, supports, counts[size]) for s in free}
        if box[0] == box[1] and "turn" in grids:
            grids["turn"] = np.zeros(1)
        width = {s.name: float(np.ptp(grids[s.name])) / max(len(grids[s.name]) - 1, 1) for s in sliding}
        banded = size > 1 and sum(s.searched and not s.is_choice for s in settings) >= MOST_SLIDING
        cases = _banded(hunt, grids, sliding[0]) if banded else combined(list(grids.values()))
        heights = [column for column, name in enumerate(grids) if name.startswith("height") and len(grids[name]) > 1]
        if len(heights) > 1 and len(cases):
            # Also all heights alike, in fine steps: where the room for one more is often narrowest.
            level = np.tile(cases[0], (counts[1], 1))
            spread = list(grids.values())[heights[0]]
            level[:, heights] = np.linspace(spread[0], spread[-1], counts[1])[:, None]
            cases = np.vstack([cases, level])
        values = hunt.values(list(grids), cases)
        folded = hunt.folded(values)
        return cls(cases, values, folded, sliding, width) if np.isfinite(folded.peak).any() else None


def _banded(hunt: Hunt, grids: Mapping[str, Floats], along: Setting) -> Floats:
    """Cases (N, settings) of the other grids' combinations, each at some values of one setting over the band in which the
    sheet folds: of three settings that must suit each other, hardly any of a plain grid's combinations does.
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
