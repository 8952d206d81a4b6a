"""The free edges of a shelter's roof: those that no second roof panel continues."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.fold.pattern import Role
from tarvik.core.shelter import MOST_KEPT, Shelter

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats


@dataclass(frozen=True, slots=True)
class RimEdge:
    """A free edge of the roof panel `panel` (its place among the shelter's panels), from point `a` to point `b`.

    `outward` (2,) is the level unit vector square to the edge, away from its panel; zero for an upright edge.
    """

    panel: int
    points: tuple[str, str]
    a: Floats
    b: Floats
    outward: Floats


@lru_cache(maxsize=MOST_KEPT)
def rim_edges(shelter: Shelter) -> tuple[RimEdge, ...]:
    """Every free edge of the panels that are not floor. A strip doubled under ends where it is folded, not at its own rim."""
    owners: dict[frozenset[str], list[int]] = {}
    for number, panel in enumerate(shelter.panels):
        if panel.role is not Role.FLOOR and not panel.doubled:
            for pair in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
                owners.setdefault(frozenset(pair), []).append(number)
    found = []
    for number, panel in enumerate(shelter.panels):
        if panel.role is Role.FLOOR or panel.doubled:
            continue
        middle = shelter.at_all(panel.points)[:, :2].mean(axis=0).tolist()
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
            if len(owners[frozenset((a, b))]) == 1:
                found.append(_edge(shelter, number, a, b, middle))
    return tuple(found)


def _edge(shelter: Shelter, panel: int, a: str, b: str, middle: Sequence[float]) -> RimEdge:
    start, end = shelter.at(a), shelter.at(b)
    (ax, ay, _), (bx, by, _) = start.tolist(), end.tolist()
    out = np.array([by - ay, ax - bx]) / max(math.hypot(bx - ax, by - ay), 1e-12)
    inward = (by - ay) * ((ax + bx) / 2 - middle[0]) + (ax - bx) * ((ay + by) / 2 - middle[1]) < 0
    return RimEdge(panel, (a, b), start, end, -out if inward else out)
