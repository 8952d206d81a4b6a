"""Small convex polygons as arrays (n, 2), anticlockwise, in metres."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

MOST_CORNERS = 40
SAME_M = 1e-9
"""Points nearer than this are one point."""
FLAT_M2 = 1e-9
"""A smaller shadow is none."""


@compiled
def clip(polygon: Floats, count: int, nx: float, ny: float, b: float, out: Floats) -> int:
    """Part of a convex polygon with nx x + ny y >= b, written to `out`, as many corners as it has
    room for; returns their number (0: nothing). Columns of `polygon` after x and y are let be.
    """
    made, most = 0, out.shape[0]
    if count == 0:
        return 0
    first = nx * polygon[0, 0] + ny * polygon[0, 1] - b
    di = first
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        dj = nx * polygon[j, 0] + ny * polygon[j, 1] - b if j else first
        if di >= 0.0 and made < most:
            out[made, 0], out[made, 1] = polygon[i, 0], polygon[i, 1]
            made += 1
        if (di >= 0.0) != (dj >= 0.0):
            t = di / (di - dj)
            if made < most:
                out[made, 0] = polygon[i, 0] + t * (polygon[j, 0] - polygon[i, 0])
                out[made, 1] = polygon[i, 1] + t * (polygon[j, 1] - polygon[i, 1])
                made += 1
        di = dj
    return made


@compiled
def bounds_of(polygon: Floats, count: int, out: Floats) -> None:
    """Least and greatest x, least and greatest y into `out` (4,)."""
    out[0], out[1], out[2], out[3] = (
        polygon[0, 0],
        polygon[0, 0],
        polygon[0, 1],
        polygon[0, 1],
    )
    for i in range(1, count):
        out[0], out[1] = min(out[0], polygon[i, 0]), max(out[1], polygon[i, 0])
        out[2], out[3] = min(out[2], polygon[i, 1]), max(out[3], polygon[i, 1])


@compiled
def area(polygon: Floats, count: int) -> float:
    """Signed area, positive when anticlockwise."""
    total = 0.0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        total += polygon[i, 0] * polygon[j, 1] - polygon[j, 0] * polygon[i, 1]
    return total / 2


@compiled
def spread_across(polygon: Floats, count: int, c: float, s: float) -> float:
    """How far apart its corners lie square to the direction (c, s)."""
    low, high = 1e18, -1e18
    for i in range(count):
        off = c * polygon[i, 1] - s * polygon[i, 0]
        low, high = min(low, off), max(high, off)
    return high - low


@compiled
def centroid(polygon: Floats, count: int) -> tuple[float, float]:
    """Centre of area; the mean of the corners for a sliver without area."""
    total, cx, cy = 0.0, 0.0, 0.0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        cross = polygon[i, 0] * polygon[j, 1] - polygon[j, 0] * polygon[i, 1]
        total += cross
        cx += (polygon[i, 0] + polygon[j, 0]) * cross
        cy += (polygon[i, 1] + polygon[j, 1]) * cross
    if abs(total) < 1e-9:
        return float(polygon[:count, 0].mean()), float(polygon[:count, 1].mean())
    return cx / (3 * total), cy / (3 * total)


@compiled
def support(polygon: Floats, count: int, nx: float, ny: float) -> float:
    """Largest nx x + ny y over the polygon."""
    best = -1e18
    for i in range(count):
        best = max(best, nx * polygon[i, 0] + ny * polygon[i, 1])
    return best


@compiled
def chord(
    polygon: Floats, count: int, nx: float, ny: float, t: float
) -> tuple[float, float]:
    """Ends of the part of the line n . q = t inside a convex polygon, measured along (-ny, nx); (1,
    0) when empty.
    """
    low, high = 1e18, -1e18
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        di = nx * polygon[i, 0] + ny * polygon[i, 1] - t
        dj = nx * polygon[j, 0] + ny * polygon[j, 1] - t
        if abs(di) <= 1e-9:
            s = -ny * polygon[i, 0] + nx * polygon[i, 1]
            low, high = min(low, s), max(high, s)
        if di * dj < 0.0:
            f = di / (di - dj)
            x = polygon[i, 0] + f * (polygon[j, 0] - polygon[i, 0])
            y = polygon[i, 1] + f * (polygon[j, 1] - polygon[i, 1])
            s = -ny * x + nx * y
            low, high = min(low, s), max(high, s)
    if low > high:
        return 1.0, 0.0
    return low, high


@compiled
def stretch_inside(
    polygon: Floats, count: int, ax: float, ay: float, bx: float, by: float
) -> tuple[float, float]:
    """Stretch (from, to) of the segment a-b, as shares of it, inside a convex polygon; (1, 0) when
    none.
    """
    low, high = 0.0, 1.0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        nx, ny = polygon[i, 1] - polygon[j, 1], polygon[j, 0] - polygon[i, 0]
        b = nx * polygon[i, 0] + ny * polygon[i, 1]
        da, db = nx * ax + ny * ay - b, nx * bx + ny * by - b
        if da < 0.0 and db < 0.0:
            return 1.0, 0.0
        if da < 0.0:
            low = max(low, da / (da - db))
        elif db < 0.0:
            high = min(high, da / (da - db))
    return low, high


@compiled
def hull(points: Floats, count: int, out: Floats) -> int:
    """Convex hull (monotone chain, Andrew 1979) of `points`, anticlockwise into `out`; returns its
    number of corners.
    """
    order = np.empty(count, dtype=np.int64)
    kept = 0
    for i in range(count):
        x, y = points[i, 0], points[i, 1]
        k = kept
        while k > 0 and (
            points[order[k - 1], 0] > x
            or (points[order[k - 1], 0] == x and points[order[k - 1], 1] > y)
        ):
            k -= 1
        again, j = (
            False,
            k - 1,
        )  # a point twice, or nearly, would pass for a straight corner
        while j >= 0 and not again and x - points[order[j], 0] < SAME_M:
            again = x - points[order[j], 0] + abs(points[order[j], 1] - y) < SAME_M
            j -= 1
        j = k
        while j < kept and not again and points[order[j], 0] - x < SAME_M:
            again = points[order[j], 0] - x + abs(points[order[j], 1] - y) < SAME_M
            j += 1
        if again:
            continue
        for j in range(kept, k, -1):
            order[j] = order[j - 1]
        order[k] = i
        kept += 1
    count = kept
    if count < 3:
        return 0
    made = 0
    for sweep in range(2):
        floor = made + 1 if sweep else 2
        for r in range(count):
            q = order[count - 1 - r] if sweep else order[r]
            if sweep and r == 0:
                continue
            while made >= floor and _left(out, made, points, q) <= 0.0:
                made -= 1
            out[made, 0], out[made, 1] = points[q, 0], points[q, 1]
            made += 1
    return made - 1


@compiled
def _left(chain: Floats, made: int, points: Floats, q: int) -> float:
    ax, ay = chain[made - 2, 0], chain[made - 2, 1]
    bx, by = chain[made - 1, 0], chain[made - 1, 1]
    return float((bx - ax) * (points[q, 1] - ay) - (by - ay) * (points[q, 0] - ax))


@compiled
def _covers(shadows: Floats, corners: Ints, sizes: Floats, x: float, y: float) -> bool:
    """Whether any of the convex shadows covers a place."""
    for f in range(corners.size):
        if sizes[f] < FLAT_M2:
            continue
        inside = True
        for i in range(corners[f]):
            j = i + 1 if i + 1 < corners[f] else 0
            ax, ay = shadows[f, i, 0], shadows[f, i, 1]
            if (shadows[f, j, 0] - ax) * (y - ay) - (shadows[f, j, 1] - ay) * (
                x - ax
            ) < -1e-9:
                inside = False
                break
        if inside:
            return True
    return False


@compiled
def each_covers_at(
    shadows: Floats, corners: Ints, sizes: Floats, x: float, y: float
) -> bool:
    """Whether a place lies in every one of the shadows (K, F, V, 2), of `sizes` (K, F), of roofs'
    faces.
    """
    everywhere = True
    for k in range(shadows.shape[0]):
        everywhere = everywhere and _covers(shadows[k], corners, sizes[k], x, y)
    return everywhere
