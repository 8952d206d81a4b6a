"""The place under a roof where a net has most air, of many places and headings."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.measure.kernel import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

EDGE_M = 1e-9
"""A place this near to a face's edge is under it."""


@compiled
def _under(face: Floats, corners: int, x: float, y: float) -> bool:
    """Whether a place lies under a face (V, 3) as seen in plan, its edge included: the even-odd
    rule, plus the edges themselves.
    """
    inside = False
    for i in range(corners):
        j = (i + 1) % corners
        ax, ay, bx, by = face[i, 0], face[i, 1], face[j, 0], face[j, 1]
        if (ay > y) != (by > y) and x < ax + (y - ay) * (bx - ax) / (by - ay):
            inside = not inside
        along_x, along_y = bx - ax, by - ay
        size2 = along_x * along_x + along_y * along_y
        if size2 > 0.0:
            t = min(max(((x - ax) * along_x + (y - ay) * along_y) / size2, 0.0), 1.0)
            off_x, off_y = x - ax - t * along_x, y - ay - t * along_y
            if off_x * off_x + off_y * off_y < EDGE_M * EDGE_M:
                return True
    return inside


@compiled
def lowest_over(faces: Floats, corners: Ints, plane: Floats, x: float, y: float) -> float:
    """Height of the lowest face (F, V, 3) over a place; infinite where there is none. `plane` (F,
    3): NaN for a vertical face, which is over nothing.
    """
    lowest = np.inf
    for f in range(faces.shape[0]):
        if np.isnan(plane[f, 0]):
            continue
        z = plane[f, 0] * x + plane[f, 1] * y + plane[f, 2]
        if z < lowest and _under(faces[f], corners[f], x, y):
            lowest = z
    return lowest


class MostAir(NamedTuple):
    """Where a net hangs best: place, turn, and the least air between it and the roof, m."""

    place: int
    turn: int
    air_m: float


@compiled
def most_air(
    faces: Floats,
    corners: Ints,
    plane: Floats,
    places: Floats,
    surface: Floats,
    turns: Floats,
    gain: float,
) -> MostAir:
    """Of places (P, 2) and turns of a net (T,), radians, those at which the least air between the
    net's `surface` (K, 3) and the roof is greatest, and that air; (-1, -1, 0) where its foot is
    nowhere covered. A later turn counts only where it has more by `gain`.
    """
    place, turn, best = -1, -1, -np.inf
    for t in range(len(turns)):
        cos, sin = np.cos(turns[t]), np.sin(turns[t])
        here, most = -1, best + gain if turn >= 0 else -np.inf
        for p in range(places.shape[0]):
            air = np.inf
            for k in range(surface.shape[0]):
                x = places[p, 0] + surface[k, 0] * cos - surface[k, 1] * sin
                y = places[p, 1] + surface[k, 0] * sin + surface[k, 1] * cos
                lowest = lowest_over(faces, corners, plane, x, y)
                if lowest == np.inf:
                    air = -np.inf
                    break
                air = min(air, lowest - surface[k, 2])
                if air <= most:
                    break
            if air > most:
                here, most = p, air
        if here >= 0:
            place, turn, best = here, t, most
    return MostAir(place, turn, best if place >= 0 else 0.0)
