"""Runoff: how steeply the roof sheds water, and where it leaves."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import constant
from tarvik.core.fold.pattern import Role

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.roof import Roof
    from tarvik.core.shelter import Shelter

POOLING_DEG: Final = constant(
    "pooling_slope",
    10.0,
    "degrees",
    "common practice",
    "a roof flatter than this lets water stand in a sag",
)

STEEP_DEG: Final = constant(
    "steep_enough",
    20.0,
    "degrees",
    "common practice",
    "slope from which a roof sheds steady rain",
)


def too_flat(least_slope_deg: Floats) -> Floats:
    """How much roofs whose flattest panels have such slopes (N,) lack of shedding steady rain: 0
    from STEEP_DEG on, 1 level.
    """
    return np.asarray(np.maximum(1.0 - least_slope_deg / STEEP_DEG, 0.0))


def least_slopes_deg(faces: Floats) -> Floats:
    """Slope of the flattest face of each of many roofs (N, F, V, 3), as slopes_deg tells them; 90
    without any.

    Method: Newell's normal.
    """
    after = np.roll(faces, -1, axis=2)
    (ax, ay, az), (bx, by, bz) = np.moveaxis(faces, 3, 0), np.moveaxis(after, 3, 0)
    nx = ((ay - by) * (az + bz)).sum(axis=2)
    ny = ((az - bz) * (ax + bx)).sum(axis=2)
    nz = ((ax - bx) * (ay + by)).sum(axis=2)
    level = np.hypot(nx, ny)
    slopes = np.where(nz == 0.0, 90.0, np.degrees(np.arctan2(level, np.abs(nz))))
    return np.asarray(slopes.min(axis=1, initial=90.0))


def slopes_deg(roof: Roof) -> list[float]:
    """Slope of every face from level; 90 for a vertical one."""
    return [
        90.0 if np.isnan(p[0]) else math.degrees(math.atan(math.hypot(p[0], p[1])))
        for p in roof.plane
    ]


def least_slope_deg(roof: Roof) -> float:
    """Slope of the flattest face."""
    return min(slopes_deg(roof), default=90.0)


def downhill(xyz: Floats) -> Floats | None:
    """Which way a flat panel (k, 3) falls: a level vector (2,) as long as its slope; None for an
    upright one.

    Method: Newell's normal.
    """
    nx = ny = nz = 0.0
    corners = xyz.tolist()
    for (ax, ay, az), (bx, by, bz) in zip(corners, (*corners[1:], corners[0]), strict=True):
        nx += ay * bz - az * by
        ny += az * bx - ax * bz
        nz += ax * by - ay * bx
    if abs(nz) < 1e-9 * max(math.hypot(nx, ny, nz), 1e-12):
        return None
    return np.array(
        [nx / nz, ny / nz]
    )  # a plane z = -(nx x + ny y) / nz falls along (nx, ny) / nz


def low_points(shelter: Shelter) -> Sequence[str]:
    """Points of the roof at which its water leaves: no neighbour along a roof panel's edge is
    lower.
    """
    heights = dict(zip(shelter.pattern.points, shelter.xyz[:, 2].tolist(), strict=True))
    neighbours: dict[str, set[str]] = {}
    for panel in shelter.panels:
        if panel.role is Role.FLOOR:
            continue
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
            neighbours.setdefault(a, set()).add(b)
            neighbours.setdefault(b, set()).add(a)
    return [
        p
        for p, near in neighbours.items()
        if all(heights[p] <= heights[q] + 1e-9 for q in near)
    ]
