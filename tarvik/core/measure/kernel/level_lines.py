"""Areas under any roof of convex faces, and of unions of convex polygons, by level lines: exact
along each.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.roof import ROOM, cut_face

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

FLAT_M2 = 1e-9
MOST_SPANS = 64
NEAR_M = 1e-9
GAUSS = 0.28867513459481287  # sqrt(1/12), of a strip's height off its middle


@compiled
def _merged(spans: Floats, count: int) -> int:
    """Sort and unite spans in place; returns their number."""
    for i in range(1, count):
        a, b = spans[i, 0], spans[i, 1]
        k = i
        while k > 0 and spans[k - 1, 0] > a:
            spans[k, 0], spans[k, 1] = spans[k - 1, 0], spans[k - 1, 1]
            k -= 1
        spans[k, 0], spans[k, 1] = a, b
    made = 0
    for i in range(count):
        if made and spans[i, 0] <= spans[made - 1, 1]:
            spans[made - 1, 1] = max(spans[made - 1, 1], spans[i, 1])
        else:
            spans[made, 0], spans[made, 1] = spans[i, 0], spans[i, 1]
            made += 1
    return made


@compiled
def _shared(a: Floats, na: int, b: Floats, nb: int, out: Floats) -> int:
    """Spans common to two sorted lists."""
    made, j = 0, 0
    for i in range(na):
        while j < nb and b[j, 1] <= a[i, 0]:
            j += 1
        k = j
        while k < nb and b[k, 0] < a[i, 1]:
            out[made, 0], out[made, 1] = max(a[i, 0], b[k, 0]), min(a[i, 1], b[k, 1])
            made += 1
            k += 1
    return made


@compiled
def _crossing(polygon: Floats, count: int, y: float) -> tuple[float, float]:
    """Stretch (x from, to) of a level line inside a convex polygon; (1, 0) when none."""
    low, high = 1e18, -1e18
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        py, qy = polygon[i, 1], polygon[j, 1]
        if (py > y) != (qy > y):
            x = polygon[i, 0] + (y - py) / (qy - py) * (polygon[j, 0] - polygon[i, 0])
            low, high = min(low, x), max(high, x)
    return (low, high) if low <= high else (1.0, 0.0)


@compiled
def _level_lines(events: Floats, finest: float) -> tuple[Floats, Floats]:
    """Places and weights of level lines between neighbouring corners (sorted): two Gauss points a
    strip, exact to the third power, one in strips narrower than the share `finest` of the whole.
    """
    made = events.size
    least = (events[made - 1] - events[0]) * finest
    places, steps = np.empty(2 * made), np.empty(2 * made)
    lines, k = 0, 0
    while k < made - 1:
        j = k + 1
        while j < made - 1 and events[j] - events[k] < NEAR_M:
            j += 1
        tall, middle = events[j] - events[k], (events[k] + events[j]) / 2
        k = j
        if tall < NEAR_M:
            continue
        if tall < least:
            places[lines], steps[lines] = middle, tall
            lines += 1
        else:
            for side in (-1.0, 1.0):
                places[lines], steps[lines] = middle + side * tall * GAUSS, tall / 2
                lines += 1
    return places[:lines], steps[:lines]


@compiled
def _corners_met(
    faces: Floats,
    corners: Ints,
    plane: Floats,
    shadows: Floats,
    sizes: Floats,
    levels: Floats,
    reached: Bools,
    parts: Floats,
    part_sizes: Ints,
    events: Floats,
) -> int:
    """Heights y of all corners of the shadows, and of the faces' parts below each level, into
    `events`; returns their number. `reached` tells the levels under which any face rises: under a
    roof that is all lower there is nothing to add up.
    """
    cut = np.empty((ROOM, 2))
    for f in range(corners.size):
        for i in range(corners[f]):
            for v in range(levels.size):
                reached[v] = reached[v] or faces[f, i, 2] > levels[v]
    made = 0
    for f in range(corners.size):
        for k in range(shadows.shape[0]):
            if sizes[k, f] >= FLAT_M2:
                for i in range(corners[f]):
                    events[made] = shadows[k, f, i, 1]
                    made += 1
        for v in range(levels.size):
            if reached[v] and not np.isnan(plane[f, 0]):
                part_sizes[v, f] = cut_face(
                    faces[f], corners[f], plane[f], levels[v], True, cut
                )
                parts[v, f, : part_sizes[v, f]] = cut[: part_sizes[v, f]]
                for i in range(part_sizes[v, f]):
                    events[made] = cut[i, 1]
                    made += 1
    return made


@compiled
def areas(
    faces: Floats,
    corners: Ints,
    plane: Floats,
    shadows: Floats,
    sizes: Floats,
    levels: Floats,
    finest: float,
    half: bool,
    middle: float,
    out: Floats,
) -> None:
    """Ground sheltered along every fall into out[0], and of the ground covered in calm air that
    under a roof at least `levels` high into out[1:], by level lines between neighbouring corners,
    exact along each. Strips narrower than the share `finest` of the whole get one line, others two.
    `half`: below y = `middle` is the mirror image of what is above.
    """
    spans, other, both = (
        np.empty((MOST_SPANS, 2)),
        np.empty((MOST_SPANS, 2)),
        np.empty((MOST_SPANS, 2)),
    )
    out[:] = 0.0
    parts, part_sizes = (
        np.empty((levels.size, corners.size, ROOM, 2)),
        np.zeros((levels.size, corners.size), dtype=np.int64),
    )
    events = np.empty((shadows.shape[0] + levels.size) * corners.size * ROOM)
    reached = np.zeros(levels.size, dtype=np.bool_)
    made = _corners_met(
        faces, corners, plane, shadows, sizes, levels, reached, parts, part_sizes, events
    )
    if made == 0:
        return
    if half:
        kept = 0
        for k in range(made):
            if events[k] > middle:
                events[kept] = events[k]
                kept += 1
        events[kept] = middle  # in the place of one of those below
        made, finest = kept + 1, 2 * finest
    places, steps = _level_lines(np.sort(events[:made]), finest)
    for line in range(places.size):
        y, step = places[line], steps[line] * (2.0 if half else 1.0)
        have = 0
        covered = 0.0
        for k in range(shadows.shape[0]):
            n = 0
            for f in range(corners.size):
                if sizes[k, f] >= FLAT_M2:
                    a, b = _crossing(shadows[k, f], corners[f], y)
                    if b > a and n < MOST_SPANS:
                        other[n, 0], other[n, 1] = a, b
                        n += 1
            n = _merged(other, n)
            if k == 0:
                spans[:n], have = other[:n], n
                for i in range(n):
                    covered += other[i, 1] - other[i, 0]
            else:
                have = _shared(spans, have, other, n, both)
                spans[:have] = both[:have]
        for i in range(have):
            out[0] += (spans[i, 1] - spans[i, 0]) * step
        for v in range(levels.size):
            if not reached[v]:
                continue
            n = 0
            for f in range(corners.size):
                if part_sizes[v, f] >= 3:
                    a, b = _crossing(parts[v, f], part_sizes[v, f], y)
                    if b > a and n < MOST_SPANS:
                        other[n, 0], other[n, 1] = a, b
                        n += 1
            n = _merged(other, n)
            under = 0.0
            for i in range(n):
                under += other[i, 1] - other[i, 0]
            out[1 + v] += (covered - under) * step


@compiled
def _met(edges: Floats, count: int) -> Floats:
    """Heights y, sorted, where edges (count, 4) of polygons start and where they cross."""
    events = np.empty(count + count * (count - 1) // 2)
    made = 0
    for e in range(count):
        ax, ay, bx, by = (
            edges[e, 0],
            edges[e, 1],
            edges[e, 2] - edges[e, 0],
            edges[e, 3] - edges[e, 1],
        )
        low_x, high_x = min(ax, edges[e, 2]), max(ax, edges[e, 2])
        low_y, high_y = min(ay, edges[e, 3]), max(ay, edges[e, 3])
        events[made] = ay
        made += 1
        for g in range(e):
            cx, cy = edges[g, 0], edges[g, 1]
            if min(cx, edges[g, 2]) > high_x or max(cx, edges[g, 2]) < low_x:
                continue
            if min(cy, edges[g, 3]) > high_y or max(cy, edges[g, 3]) < low_y:
                continue
            dx, dy = edges[g, 2] - cx, edges[g, 3] - cy
            cross = bx * dy - by * dx
            if abs(cross) < 1e-14:
                continue
            t = ((cx - ax) * dy - (cy - ay) * dx) / cross
            u = ((cx - ax) * by - (cy - ay) * bx) / cross
            if 0.0 < t < 1.0 and 0.0 < u < 1.0:
                events[made] = ay + t * by
                made += 1
    return np.sort(events[:made])


@compiled
def _sides(polygons: Floats, sizes: Ints, edges: Floats, count: int) -> int:
    """Sides of polygons (M, V, 2) into `edges` from row `count` on; returns the number of rows
    then.
    """
    for m in range(polygons.shape[0]):
        for i in range(sizes[m]):
            j = i + 1 if i + 1 < sizes[m] else 0
            edges[count, 0], edges[count, 1] = polygons[m, i, 0], polygons[m, i, 1]
            edges[count, 2], edges[count, 3] = polygons[m, j, 0], polygons[m, j, 1]
            count += 1
    return count


@compiled
def _covered(polygons: Floats, sizes: Ints, y: float, spans: Floats) -> int:
    """Stretches of a level line inside any of the convex polygons, into `spans`; returns their
    number.
    """
    n = 0
    for m in range(polygons.shape[0]):
        if sizes[m] >= 3:
            a, b = _crossing(polygons[m], sizes[m], y)
            if b > a:
                spans[n, 0], spans[n, 1] = a, b
                n += 1
    return _merged(spans, n)


@compiled
def union_area(polygons: Floats, sizes: Ints) -> float:
    """Area of the union of convex polygons (M, ROOM, 2), exact: between neighbouring corners and
    crossings the length of a level line inside grows evenly, so the middle line of each strip gives
    its area.
    """
    edges = np.empty((polygons.shape[0] * polygons.shape[1], 4))
    count = _sides(polygons, sizes, edges, 0)
    events = _met(edges, count)
    made = events.size
    spans = np.empty((polygons.shape[0] + 1, 2))
    total = 0.0
    for k in range(made - 1):
        tall = events[k + 1] - events[k]
        if tall < 1e-12:
            continue
        n = _covered(polygons, sizes, (events[k] + events[k + 1]) / 2, spans)
        for i in range(n):
            total += (spans[i, 1] - spans[i, 0]) * tall
    return total


@compiled
def area_under(faces: Floats, corners: Ints, plane: Floats, height: float) -> float:
    """Plan area (m2), exact, of what all faces cover and no face lower than `height` is over."""
    whole, low = np.zeros((corners.size, ROOM, 2)), np.zeros((corners.size, ROOM, 2))
    sizes, low_sizes = (
        np.zeros(corners.size, dtype=np.int64),
        np.zeros(corners.size, dtype=np.int64),
    )
    cut = np.empty((ROOM, 2))
    for f in range(corners.size):
        if np.isnan(plane[f, 0]):
            continue
        sizes[f] = corners[f]
        for i in range(corners[f]):
            whole[f, i, 0], whole[f, i, 1] = faces[f, i, 0], faces[f, i, 1]
        low_sizes[f] = cut_face(faces[f], corners[f], plane[f], height, True, cut)
        low[f, : low_sizes[f]] = cut[: low_sizes[f]]
    return union_area(whole, sizes) - union_area(low, low_sizes)


@compiled
def upper_corners(
    faces: Floats, corners: Ints, plane: Floats, height: float, out: Floats
) -> int:
    """Corners of the parts of all faces above a height, in plan, into `out`; returns their
    number.
    """
    cut = np.empty((ROOM, 2))
    count = 0
    for f in range(corners.size):
        if not np.isnan(plane[f, 0]):
            n = cut_face(faces[f], corners[f], plane[f], height, False, cut)
            out[count : count + n] = cut[:n]
            count += n
    return count
