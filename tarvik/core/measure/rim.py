"""The free edges of a shelter's roof: those that no second roof panel continues."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.shelter import RECENT, Shelter

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats, Panel


@dataclass(frozen=True, slots=True)
class RimEdge:
    """A free edge of the roof panel `panel` (its place among the shelter's panels), from point `a`
    to point `b`.

    `outward` (2,) is the level unit vector square to the edge, away from its panel; zero for an
    upright edge.
    """

    panel: int
    points: tuple[str, str]
    a: Floats
    b: Floats
    outward: Floats


@keep_last(RECENT)
def rim_edges(shelter: Shelter) -> tuple[RimEdge, ...]:
    """Every free edge of the panels that are not floor. A strip doubled under ends where it is
    folded, not at its own rim.
    """
    points = {name: row for row, name in enumerate(shelter.pattern.points)}
    places = shelter.xyz.tolist()
    middles: dict[int, tuple[float, float]] = {}
    found = []
    for number, a, b in free_edges(shelter.panels):
        if number not in middles:
            corners = [places[points[p]] for p in shelter.panels[number].points]
            middles[number] = (
                sum(c[0] for c in corners) / len(corners),
                sum(c[1] for c in corners) / len(corners),
            )
        (ax, ay, _), (bx, by, _) = places[points[a]], places[points[b]]
        x, y = middles[number]
        size = max(math.hypot(bx - ax, by - ay), 1e-12)
        way = (
            -1.0
            if (by - ay) * ((ax + bx) / 2 - x) + (ax - bx) * ((ay + by) / 2 - y) < 0
            else 1.0
        )
        outward = np.array([way * (by - ay) / size, way * (ax - bx) / size])
        found.append(
            RimEdge(number, (a, b), shelter.xyz[points[a]], shelter.xyz[points[b]], outward)
        )
    return tuple(found)


@keep_last(256)
def free_edges(panels: tuple[Panel, ...]) -> list[tuple[int, str, str]]:
    """Edges of the roof's panels that belong to one of them only: the panel's number, from point,
    to point.
    """
    owners: dict[frozenset[str], int] = {}
    edges = [
        (number, a, b)
        for number, panel in enumerate(panels)
        if panel.role is not Role.FLOOR and not panel.doubled
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True)
    ]
    for _, a, b in edges:
        owners[frozenset((a, b))] = owners.get(frozenset((a, b)), 0) + 1
    return [(number, a, b) for number, a, b in edges if owners[frozenset((a, b))] == 1]
