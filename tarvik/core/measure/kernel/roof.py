"""Roofs made of flat faces, packed as `faces` (F, V, 3) with `corners` (F,) used corners each;
floors left out.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area, clip, hull

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]


FLAT_TURN = 1e-9
"""Corners that turn the other way by less are straight (m4: of the turn with the face's normal)."""
LEVEL = 1e-12
"""A face that rises no more is level."""
ROOM = 40
"""Corners that a part of a face may have."""


@compiled
def planes(faces: Floats, corners: Ints, out: Floats) -> float:
    """Planes z = gx x + gy y + c into `out` (F, 3), NaN for a vertical face (Newell's normal);
    returns the plan area.
    """
    total = 0.0
    for f in range(faces.shape[0]):
        nx, ny, nz, mx, my, mz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        n = corners[f]
        for i in range(n):
            p, q = faces[f, i], faces[f, i + 1 if i + 1 < n else 0]
            nx += (p[1] - q[1]) * (p[2] + q[2])
            ny += (p[2] - q[2]) * (p[0] + q[0])
            nz += (p[0] - q[0]) * (p[1] + q[1])
            mx += p[0] / n
            my += p[1] / n
            mz += p[2] / n
        total += abs(nz) / 2
        if abs(nz) < 1e-9:
            out[f] = np.nan
        else:
            gx, gy = -nx / nz, -ny / nz
            out[f, 0], out[f, 1], out[f, 2] = gx, gy, mz - gx * mx - gy * my
    return total


@compiled
def hollow(faces: Floats, corners: Ints) -> int:
    """Number of the first face that is not convex; -1 when all are."""
    for f in range(corners.size):
        n = corners[f]
        normal = np.zeros(3)
        turns = np.empty((n, 3))
        for i in range(n):
            a, b, c = (
                faces[f, i - 1 if i else n - 1],
                faces[f, i],
                faces[f, i + 1 if i + 1 < n else 0],
            )
            u, v = b - a, c - b
            turns[i, 0], turns[i, 1], turns[i, 2] = (
                u[1] * v[2] - u[2] * v[1],
                u[2] * v[0] - u[0] * v[2],
                u[0] * v[1] - u[1] * v[0],
            )
            normal += turns[i]
        for i in range(n):
            if (
                turns[i, 0] * normal[0] + turns[i, 1] * normal[1] + turns[i, 2] * normal[2]
                < -FLAT_TURN
            ):
                return f
    return -1


@compiled
def dome(faces: Floats, corners: Ints, plane: Floats, rim: Floats) -> int:
    """Whether the roof is one convex lid: its plan is convex and it is the lowest of its planes
    everywhere.

    Writes the plan's outline to `rim` and returns its number of corners; 0 when the roof is of
    another kind.
    """
    total = planes(faces, corners, plane)
    points = np.empty((faces.shape[0] * faces.shape[1], 2))
    count = 0
    for f in range(faces.shape[0]):
        if np.isnan(plane[f, 0]):
            return 0
        for i in range(corners[f]):
            points[count] = faces[f, i, :2]
            count += 1
            for g in range(faces.shape[0]):
                if (
                    plane[g, 0] * faces[f, i, 0]
                    + plane[g, 1] * faces[f, i, 1]
                    + plane[g, 2]
                    < faces[f, i, 2] - 1e-7
                ):
                    return 0
    if count > 2 * MOST_CORNERS - 2:
        return 0
    room = np.empty((2 * MOST_CORNERS, 2))
    made = hull(points, count, room)
    if made < 3 or made > MOST_CORNERS - 8 or abs(area(room, made) - total) > 1e-7:
        return 0
    rim[:made] = room[:made]
    return made


@compiled
def ground_above(rim: Floats, count: int, plane: Floats, height: float) -> Floats:
    """Ground (k, 2) under a convex lid whose roof is at least `height` above it; empty when there
    is none.
    """
    a, b = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    a[:count] = rim[:count]
    for f in range(plane.shape[0]):
        count = clip(a, count, plane[f, 0], plane[f, 1], height - plane[f, 2], b)
        a, b = b, a
        if count < 3:
            return a[:0].copy()
    return a[:count].copy()


@compiled
def area_above(rim: Floats, count: int, plane: Floats, height: float) -> float:
    """Area of `ground_above`."""
    ground = ground_above(rim, count, plane, height)
    return area(ground, ground.shape[0]) if ground.shape[0] else 0.0


@compiled
def cut_face(
    face: Floats, count: int, plane: Floats, height: float, below: bool, out: Floats
) -> int:
    """Plan of the part of a face above, or below, a height."""
    gx, gy, b = plane[0], plane[1], height - plane[2]
    if below:
        gx, gy, b = -gx, -gy, -b
    if gx * gx + gy * gy < LEVEL * LEVEL:  # all or nothing
        if b <= 0.0:
            for i in range(count):
                out[i, 0], out[i, 1] = face[i, 0], face[i, 1]
            return count
        return 0
    return clip(face, count, gx, gy, b, out)
