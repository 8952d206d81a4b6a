"""People of different statures under one sheet, each on a mat of their own length.

Equal people: `lay_mats`. Different ones: two exactly, three exactly in every arrangement in which a
straight line parts one mat from the other two; more in rows by stature. If all fit at the tallest
one's length, that is the answer: a shorter mat with its head end where the longer one's was always
fits too.
"""

from __future__ import annotations

import math
from itertools import combinations
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.measure.kernel import mats as kernel
from tarvik.core.measure.mats import (
    ALL_HEADINGS,
    STEPS,
    Entries,
    Mat,
    Place,
    entries_of,
    in_stack,
    joined_entries,
    lay_mats,
    pair,
    triple,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.ground import Ground

ALIKE_M: Final = 0.005
"""Statures nearer than this take mats of one length."""
_SETS: Final = 40


def lay_people(
    ground: Ground | None,
    statures: Sequence[float],
    clearance: Clearance,
    *,
    headings: NDArray[np.int64] = ALL_HEADINGS,
) -> list[tuple[int, Mat]]:
    """Lay out as many of these people as fit: (number of the person, mat). Of equally many, the
    taller are left out.

    Empty for nobody.
    """
    if ground is None or not statures:
        return []
    order = sorted(range(len(statures)), key=lambda i: -statures[i])
    if statures[order[0]] - statures[order[-1]] <= ALIKE_M:
        mats = lay_mats(ground, statures[order[0]], clearance, headings=headings)
        return list(zip(sorted(order)[: len(mats)], mats, strict=False))
    most = _Most(ground, [statures[i] for i in order], clearance, headings)
    return sorted((order[i], mat) for i, mat in most.laid())


def _shortened(mat: Mat, length_m: float) -> Mat:
    """The mat cut down to a length, its head end where it was."""
    angle = math.radians(mat.heading_deg)
    shift = (mat.length_m - length_m) / 2
    return Mat(
        mat.x + shift * math.cos(angle),
        mat.y + shift * math.sin(angle),
        mat.heading_deg,
        length_m,
        mat.width_m,
    )


class _Most:
    """The search over sets of people, tallest first in `statures`."""

    def __init__(
        self,
        ground: Ground,
        statures: Sequence[float],
        clearance: Clearance,
        headings: NDArray[np.int64],
    ) -> None:
        self.ground, self.statures, self.clearance, self.headings = (
            ground,
            statures,
            clearance,
            headings,
        )
        self.lengths = sorted({round(s, 3) for s in statures}, reverse=True)
        self._entries = [
            entries_of(ground, clearance.boxes(s), 1, headings, kind=i)
            for i, s in enumerate(self.lengths)
        ]
        self.extents: Floats = np.array(
            [
                kernel.half_extents(clearance.mat_length(s), clearance.mat_width_m, STEPS)
                for s in self.lengths
            ]
        )

    def laid(self) -> list[tuple[int, Mat]]:
        """The largest set found; sets of equal size are tried with the shortest people first."""
        people = range(len(self.statures))
        for size in range(len(self.statures), 0, -1):
            sets = (
                sorted(combinations(people, size), reverse=True)
                if len(self.statures) <= 6
                else [tuple(people)[-size:]]
            )
            for some in sets[:_SETS]:
                mats = self._of(some)
                if mats:
                    return list(zip(some, mats, strict=True))
        return []

    def _of(self, people: tuple[int, ...]) -> list[Mat]:
        """Mats for just these people, in their order; empty when no arrangement was found."""
        room = (
            sum(self.clearance.mat_length(self.statures[p]) for p in people)
            * self.clearance.mat_width_m
        )
        if room > self.ground.area_m2 + 1e-9:
            return []
        at_most = lay_mats(
            self.ground, self.statures[people[0]], self.clearance, headings=self.headings
        )
        if len(at_most) >= len(people):
            return [
                _shortened(mat, self.clearance.mat_length(self.statures[p]))
                for p, mat in zip(people, at_most, strict=False)
            ]
        kinds = [self.lengths.index(round(self.statures[p], 3)) for p in people]
        return self._mats(self._places(kinds), kinds)

    def _places(self, kinds: Sequence[int]) -> list[Place]:
        parts = [self._entries[k] for k in sorted(set(kinds))]
        if not all(part.count for part in parts):
            return []
        entries = joined_entries(parts)
        if len(kinds) == 2:
            return pair(entries, self.extents, (kinds[0], kinds[1]))
        if len(kinds) == 3:
            areas = sorted(
                self.clearance.mat_length(self.lengths[k]) * self.clearance.mat_width_m
                for k in kinds
            )
            found = triple(
                self.ground,
                entries,
                self.extents,
                (kinds[0], kinds[1], kinds[2]),
                areas[0] + areas[1],
            )
            if found:
                return found
        return self._stack(entries, kinds)

    def _stack(self, entries: Entries, kinds: Sequence[int]) -> list[Place]:
        """All of them one beside the other along some direction."""
        each = np.bincount(kinds, minlength=len(self.lengths)).astype(np.int64)
        which, place = (
            np.empty(kernel.MOST_MATS, dtype=np.int64),
            np.empty(kernel.MOST_MATS),
        )
        for k in range(STEPS):
            made = kernel.mixed_stack(
                entries.table,
                entries.heading,
                entries.kind,
                entries.count,
                self.extents,
                k,
                each,
                which,
                place,
            )
            if made >= len(kinds):
                return [
                    in_stack(entries, int(which[i]), k, float(place[i]))
                    for i in range(made)
                ]
        return []

    def _mats(self, places: Sequence[Place], kinds: Sequence[int]) -> list[Mat]:
        """Places handed to the people they are for."""
        left = list(places)
        out = []
        for kind in kinds if places else ():
            place = next(p for p in left if p.kind == kind)
            left.remove(place)
            length = self.clearance.mat_length(self.lengths[kind])
            out.append(
                Mat(
                    place.x,
                    place.y,
                    place.step * 360 / STEPS,
                    length,
                    self.clearance.mat_width_m,
                )
            )
        return out
