"""Openings: each stretch between a free edge of the roof and the ground, and how much of it faces the wind."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
from shapely import Polygon

from tarvik.core.fold.pattern import Role
from tarvik.core.measure.roof import joined

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Shelter


FLAT: Final = np.array([1.0, 1.0, 0.0])
SLIVER_M2: Final = 1e-9
"""Outlines smaller than this, seen edge-on, count nothing."""


@dataclass(frozen=True, slots=True)
class Opening:
    """A gap between a free edge (ends `a`, `b` in the world) and the ground under it.

    `bearing_deg` is where it looks (clockwise from +y), `area_m2` the area of the vertical gap.
    """

    edge: tuple[str, str]
    a: Floats
    b: Floats
    outward: Floats

    @property
    def bearing_deg(self) -> float:
        return math.degrees(math.atan2(self.outward[0], self.outward[1])) % 360

    @property
    def area_m2(self) -> float:
        return float(math.hypot(*(self.b - self.a)[:2]) * (self.a[2] + self.b[2]) / 2)


def openings(shelter: Shelter, least_m2: float = 1e-4) -> list[Opening]:
    """Every opening larger than `least_m2`."""
    owners: dict[frozenset[str], list[tuple[str, ...]]] = {}
    edges: dict[frozenset[str], tuple[str, str]] = {}
    for panel in shelter.panels:
        if panel.role is Role.FLOOR:
            continue
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
            key = frozenset((a, b))
            owners.setdefault(key, []).append(panel.points)
            edges[key] = (a, b)
    found = []
    for key, panels in owners.items():
        if len(panels) != 1:
            continue
        a, b = edges[key]
        start, end = shelter.at(a), shelter.at(b)
        along = (end - start)[:2]
        normal = np.array([along[1], -along[0]])
        middle = np.mean([shelter.at(p)[:2] for p in panels[0]], axis=0)
        if normal @ ((start + end)[:2] / 2 - middle) < 0:
            normal = -normal
        opening = Opening((a, b), start, end, normal / max(float(np.hypot(*normal)), 1e-12))
        if opening.area_m2 > least_m2:
            found.append(opening)
    return found


def _upright(xyz: Floats, across: Floats) -> Polygon:
    """A flat outline (k, 3) seen along the wind: distance across it, and height."""
    return Polygon(np.column_stack([xyz[:, :2] @ across, xyz[:, 2]]))


def open_to_wind(shelter: Shelter, wind_from_deg: float) -> float:
    """Share of the frontal area towards the wind that is open, 0 to 1.

    Both are projections on an upright plane across the wind: the openings that look into the wind, over the whole
    outline of the shelter with its openings. Cloth standing in front of an opening is not taken off.
    """
    bearing = math.radians(wind_from_deg)
    upwind = np.array([math.sin(bearing), math.cos(bearing)])
    across = np.array([upwind[1], -upwind[0]])

    every = [(o, _upright(np.array([o.a, o.b, o.b * FLAT, o.a * FLAT]), across)) for o in openings(shelter)]
    panels = [_upright(face.xyz, across) for face in shelter.faces() if face.role is not Role.FLOOR]
    whole = joined([p for p in (*panels, *(gap for _, gap in every)) if p.area > SLIVER_M2]).area
    towards = joined([g for o, g in every if o.outward @ upwind > 1e-9 and g.area > SLIVER_M2]).area
    return float(min(towards / whole, 1.0)) if whole > 1e-9 else 0.0
