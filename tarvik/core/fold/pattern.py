"""A crease pattern: named points on the flat sheet, the panels between its creases, and where
points are held.

Everything carries a leading batch axis N, so that thousands of settings of one pitch are folded at
once.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.kept import keep_last

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Place = tuple[Floats | float, ...]


class Role(StrEnum):
    """What a panel does in the shelter. `FLOOR` lies on the ground or is tucked under."""

    ROOF = "roof"
    WALL = "wall"
    DOOR = "door"
    AWNING = "awning"
    FLOOR = "floor"


@dataclass(frozen=True, slots=True)
class Panel:
    """A part of the sheet that stays flat: its corner points in order. `doubled`: it lies on
    another as a second layer.
    """

    id: str
    role: Role
    points: tuple[str, ...]
    doubled: bool = False

    def __hash__(self) -> int:
        return hash(
            self.points
        )  # enough to tell most apart, and much is kept by panels and patterns


@dataclass(frozen=True, slots=True)
class Pattern:
    """Topology of a crease pattern: the same for every setting of a pitch.

    `give`: pairs of points across the bias that may come nearer or draw apart, where a pitch lifts
    the cloth.
    """

    points: tuple[str, ...]
    panels: tuple[Panel, ...]
    give: frozenset[frozenset[str]] = frozenset()

    def __hash__(self) -> int:
        return hash(self.points)

    def index(self, point: str) -> int:
        """Row of a point in the arrays. Raises ValueError for an unknown point."""
        return self.points.index(point)

    def rigid_pairs(self) -> NDArray[np.intp]:
        """All pairs of points that share a panel, shape (E, 2): edges and diagonals keep their
        length.
        """
        return _rigid_pairs(self)


@keep_last(256)
def _rigid_pairs(pattern: Pattern) -> NDArray[np.intp]:
    index = pattern.index
    pairs = {
        tuple(sorted((index(a), index(b))))
        for p in pattern.panels
        for a, b in combinations(p.points, 2)
        if frozenset((a, b)) not in pattern.give
    }
    return np.array(sorted(pairs), dtype=np.intp)


def stacked(places: Sequence[Place], size: int) -> Floats:
    """Coordinates (N, P, k) from P places of k numbers or arrays (N,)."""
    numbers = [c for place in places for c in place]
    out = np.empty((size, len(numbers)))
    for column, c in enumerate(numbers):
        out[:, column] = c
    return out.reshape(size, len(places), -1)


@dataclass(frozen=True, slots=True)
class Layout:
    """A batch of folds to be solved.

    `uv` (N, P, 2) places on the sheet; `start` (N, P, 3) the pitch's own starting shape, exact
    where a closed form exists, NaN where the setting cannot be folded; `held` (P, 3) marks
    coordinates that must stay at their start value.
    """

    pattern: Pattern
    uv: Floats
    start: Floats
    held: NDArray[np.bool_]
