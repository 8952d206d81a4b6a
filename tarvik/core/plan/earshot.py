"""Who is within earshot and eyeshot of whom, by the places where shelters may stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely

if TYPE_CHECKING:
    from numpy.typing import NDArray
    from shapely.geometry.base import BaseGeometry

    from tarvik.core.fold.pattern import Floats

CELL_SHARE: Final = 0.2
"""Side of a cell over the earshot."""


@dataclass(frozen=True)
class Hearing:
    """Who hears whom. `kind` (n,) numbers each place's kind: places of a kind hear the same.
    `hears` tells for each kind the cells of kinds that it hears whole, and the single kinds that it
    hears of others; `cells` are each cell's kinds.
    """

    kind: NDArray[np.intp]
    hears: list[tuple[list[int], list[int]]]
    cells: list[list[int]]


def heard(at: Floats, reach_m: float, blinds: BaseGeometry | None) -> Hearing:
    """Which places (n, 2) are within earshot of each, and in its sight. Kinds and cells keep the
    model small: many places hear the same, and most of what is heard is heard by the cell.
    """
    places, place = np.unique(at, axis=0, return_inverse=True)
    near = (
        np.hypot(
            places[:, None, 0] - places[None, :, 0], places[:, None, 1] - places[None, :, 1]
        )
        <= reach_m
    )
    if blinds is not None and not blinds.is_empty:
        one, two = np.nonzero(np.triu(near, 1))
        hidden = shapely.intersects(
            blinds, shapely.linestrings(np.stack([places[one], places[two]], axis=1))
        )
        near[one[hidden], two[hidden]] = near[two[hidden], one[hidden]] = False
    _, first, kind = np.unique(near, axis=0, return_index=True, return_inverse=True)
    near = near[
        np.ix_(first, first)
    ]  # hearing is mutual: who hears the same is heard by the same
    keys = np.floor(places[first] / (reach_m * CELL_SHARE)).astype(int)
    _, cell = np.unique(keys, axis=0, return_inverse=True)
    members = [np.flatnonzero(cell.ravel() == c) for c in range(int(cell.max()) + 1)]
    out = []
    for row in near:
        whole, single = [], []
        for number, some in enumerate(members):
            there = row[some]
            if there.all():
                whole.append(number)
            elif there.any():
                single += some[there].tolist()
        out.append((whole, single))
    return Hearing(kind.ravel()[place.ravel()], out, [m.tolist() for m in members])
