"""Main figures of any roof of convex faces (hollow, one face over another) in any rain, for the search over settings.

A mat lies where it is if its four rectangles miss every part of a face lower than they allow, and if it crosses no edge
of the cloth's shadow: neither calm rain's nor that of any wind given. Both are obstacles to the same kernel that places
mats under a convex lid; that the centre itself is sheltered is looked up for each connected piece of centres.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.mats import MOST_PIECES, clear_of, outward, within_planes
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area, centroid, clip, hull
from tarvik.core.measure.kernel.roof import planes

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

ROOM = 40
MOST_OBSTACLES = 400
MOST_PLANES = 400
BESIDE_M = 1e-7
SHORT_M = 1e-5
THIN_M = 1e-4
FLAT_M2 = 1e-9
MOST_SPANS = 64
MOST_FOUND = 8
"""Pieces of centres kept of one heading in the search."""
NEAR_M = 1e-9
GAUSS = 0.28867513459481287  # sqrt(1/12), of a strip's height off its middle


@compiled
def _turned(face: Floats, count: int, gx: float, gy: float, out: Floats) -> float:
    """Shadow of a face, anticlockwise into `out`; returns its area."""
    for i in range(count):
        out[i, 0] = face[i, 0] + gx * face[i, 2]
        out[i, 1] = face[i, 1] + gy * face[i, 2]
    size = area(out, count)
    if size < 0:
        for i in range(count // 2):
            j = count - 1 - i
            for k in range(2):
                out[i, k], out[j, k] = out[j, k], out[i, k]
    return abs(size)


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
            if (shadows[f, j, 0] - ax) * (y - ay) - (shadows[f, j, 1] - ay) * (x - ax) < -1e-9:
                inside = False
                break
        if inside:
            return True
    return False


@compiled
def _span(polygon: Floats, count: int, ax: float, ay: float, bx: float, by: float) -> tuple[float, float]:
    """Stretch (from, to) of the segment a-b, as shares of it, inside a convex polygon; (1, 0) when none."""
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
def _rim_of(shadows: Floats, corners: Ints, sizes: Floats, out: Floats, made: int) -> int:
    """Edges of the union of the shadows, each as a thin triangle that lies outside it, appended to `out`."""
    free = np.empty((MOST_SPANS, 2))
    for f in range(corners.size):
        if sizes[f] < FLAT_M2:
            continue
        for i in range(corners[f]):
            j = i + 1 if i + 1 < corners[f] else 0
            ax, ay, bx, by = shadows[f, i, 0], shadows[f, i, 1], shadows[f, j, 0], shadows[f, j, 1]
            size = np.hypot(bx - ax, by - ay)
            if size < SHORT_M:
                continue
            nx, ny = (by - ay) / size, (ax - bx) / size  # outwards
            free[0, 0], free[0, 1], count = 0.0, 1.0, 1
            for g in range(corners.size):
                if g == f or sizes[g] < FLAT_M2:
                    continue
                low, high = _span(
                    shadows[g], corners[g], ax + nx * BESIDE_M, ay + ny * BESIDE_M, bx + nx * BESIDE_M, by + ny * BESIDE_M
                )
                if high <= low:
                    continue
                kept = count
                for k in range(count):
                    p, q = free[k, 0], free[k, 1]
                    if low <= p and q <= high:
                        free[k, 1] = free[k, 0]
                    elif p < low < q and p < high < q:
                        free[k, 1] = low
                        if kept < MOST_SPANS:
                            free[kept, 0], free[kept, 1] = high, q
                            kept += 1
                    elif p < low < q:
                        free[k, 1] = low
                    elif p < high < q:
                        free[k, 0] = high
                count = kept
            for k in range(count):
                if (free[k, 1] - free[k, 0]) * size > SHORT_M and made < out.shape[0]:
                    p, q = free[k, 0], free[k, 1]
                    out[made, 0, 0], out[made, 0, 1] = ax + p * (bx - ax), ay + p * (by - ay)
                    out[made, 1, 0], out[made, 1, 1] = ax + q * (bx - ax), ay + q * (by - ay)
                    out[made, 2, 0] = (out[made, 0, 0] + out[made, 1, 0]) / 2 + nx * THIN_M
                    out[made, 2, 1] = (out[made, 0, 1] + out[made, 1, 1]) / 2 + ny * THIN_M
                    made += 1
    return made


@compiled
def _hull_planes(points: Floats, count: int, box: int, out: Floats, boxes: Ints, made: int) -> int:
    """Half-planes of the convex hull of points appended to `out`; -1 when there is no hull."""
    ring = np.empty((2 * count + 4, 2))
    corners = hull(points, count, ring)
    if corners < 3:
        return -1
    for i in range(corners):
        j = i + 1 if i + 1 < corners else 0
        dx, dy = ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1]
        size = max(np.hypot(dx, dy), 1e-12)
        if made < out.shape[0]:
            out[made, 0], out[made, 1] = -dy / size, dx / size
            out[made, 2] = out[made, 0] * ring[i, 0] + out[made, 1] * ring[i, 1]
            boxes[made] = box
            made += 1
    return made


@compiled
def _beyond(triangle: Floats, limits: Floats, first: int, last: int) -> bool:
    """Whether a triangle lies wholly beyond one of the half-planes, or on its edge."""
    for k in range(first, last):
        most = -1e18
        for i in range(3):
            most = max(most, limits[k, 0] * triangle[i, 0] + limits[k, 1] * triangle[i, 1] - limits[k, 2])
        if most <= 1e-6:
            return True
    return False


@compiled
def _cut_face(face: Floats, count: int, plane: Floats, height: float, below: bool, out: Floats) -> int:
    """Plan of the part of a face above, or below, a height."""
    flat = np.empty((ROOM, 2))
    for i in range(count):
        flat[i, 0], flat[i, 1] = face[i, 0], face[i, 1]
    gx, gy, b = plane[0], plane[1], height - plane[2]
    if below:
        gx, gy, b = -gx, -gy, -b
    size = np.hypot(gx, gy)
    if size < 1e-12:  # level: all or nothing
        if b <= 0.0:
            for i in range(count):
                out[i, 0], out[i, 1] = flat[i, 0], flat[i, 1]
            return count
        return 0
    return clip(flat, count, gx, gy, b, out)


@compiled
def shade(faces: Floats, corners: Ints, falls: Floats, shadows: Floats, sizes: Floats) -> None:
    """The faces' shadows (K, F, V, 2) along each of `falls` (K, 2), and their areas (K, F)."""
    for k in range(falls.shape[0]):
        for f in range(corners.size):
            sizes[k, f] = _turned(faces[f], corners[f], falls[k, 0], falls[k, 1], shadows[k, f])


@compiled
def room_under(
    faces: Floats, corners: Ints, plane: Floats, heights: Floats, falls: Floats, limits: Floats, limit_box: Ints,
    obstacles: Floats, obstacle_box: Ints, shadows: Floats, sizes: Floats,
) -> tuple[int, int, int]:  # fmt: skip
    """Fill in half-planes and obstacles for the four rectangles of a mat; returns their numbers, and how many of the
    obstacles, the first, are edges of what is sheltered; (-1, 0, 0) for no room.

    `shadows` (K, F, V, 2) and `sizes` (K, F) are the faces' shadows along each of `falls` (K, 2).
    """
    f_count = corners.size
    points, cut = np.empty((f_count * ROOM, 2)), np.empty((ROOM, 2))
    made, blocked = 0, 0
    for k in range(falls.shape[0]):
        count = 0
        for f in range(f_count):
            if sizes[k, f] >= FLAT_M2:
                for i in range(corners[f]):
                    points[count] = shadows[k, f, i]
                    count += 1
        first = made
        made = _hull_planes(points, count, 0, limits, limit_box, made) if count >= 3 else -1
        if made < 0:
            return -1, 0, 0
        start = blocked
        blocked = _rim_of(shadows[k], corners, sizes[k], obstacles, blocked)
        kept = start
        for t in range(start, blocked):
            if not _beyond(obstacles[t], limits, first, made):
                obstacles[kept], obstacle_box[kept] = obstacles[t], 0
                kept += 1
        blocked = kept
    rims = blocked
    for b in np.argsort(-heights):  # the highest first: where nothing fits, that is soonest found
        count = 0
        for f in range(f_count):
            if np.isnan(plane[f, 0]):
                continue
            n = _cut_face(faces[f], corners[f], plane[f], heights[b], False, cut)
            for i in range(n):
                points[count] = cut[i]
                count += 1
        first = made
        made = _hull_planes(points, count, b, limits, limit_box, made) if count >= 3 else -1
        if made < 0:
            return -1, 0, 0
        for f in range(f_count):
            if np.isnan(plane[f, 0]):
                continue
            n = _cut_face(faces[f], corners[f], plane[f], heights[b], True, cut)
            for i in range(1, n - 1):
                if blocked < obstacles.shape[0]:
                    obstacles[blocked, 0], obstacles[blocked, 1], obstacles[blocked, 2] = cut[0], cut[i], cut[i + 1]
                    obstacle_box[blocked] = b
                    if abs(area(obstacles[blocked], 3)) > FLAT_M2 and not _beyond(obstacles[blocked], limits, first, made):
                        blocked += 1
    return made, blocked, rims


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
    """Places and weights of level lines between neighbouring corners (sorted): two Gauss points a strip, exact to the
    third power, one in strips narrower than the share `finest` of the whole.
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
    faces: Floats, corners: Ints, plane: Floats, shadows: Floats, sizes: Floats, levels: Floats, reached: Bools,
    parts: Floats, part_sizes: Ints, events: Floats,
) -> int:  # fmt: skip
    """Heights y of all corners of the shadows, and of the faces' parts below each level, into `events`; returns their number.
    `reached` tells the levels under which any face rises: under a roof that is all lower there is nothing to add up.
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
                part_sizes[v, f] = _cut_face(faces[f], corners[f], plane[f], levels[v], True, cut)
                parts[v, f, : part_sizes[v, f]] = cut[: part_sizes[v, f]]
                for i in range(part_sizes[v, f]):
                    events[made] = cut[i, 1]
                    made += 1
    return made


@compiled
def areas(
    faces: Floats, corners: Ints, plane: Floats, shadows: Floats, sizes: Floats, levels: Floats, finest: float, out: Floats
) -> None:
    """Ground sheltered along every fall into out[0], and of the ground covered in calm air that under a roof at least
    `levels` high into out[1:], by level lines between neighbouring corners, exact along each. Strips narrower than the
    share `finest` of the whole get one line, others two.
    """
    spans, other, both = np.empty((MOST_SPANS, 2)), np.empty((MOST_SPANS, 2)), np.empty((MOST_SPANS, 2))
    out[:] = 0.0
    parts, part_sizes = np.empty((levels.size, corners.size, ROOM, 2)), np.zeros((levels.size, corners.size), dtype=np.int64)
    events = np.empty((shadows.shape[0] + levels.size) * corners.size * ROOM)
    reached = np.zeros(levels.size, dtype=np.bool_)
    made = _corners_met(faces, corners, plane, shadows, sizes, levels, reached, parts, part_sizes, events)
    if made == 0:
        return
    places, steps = _level_lines(np.sort(events[:made]), finest)
    for line in range(places.size):
        y, step = places[line], steps[line]
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
def union_area(polygons: Floats, sizes: Ints) -> float:
    """Area of the union of convex polygons (M, ROOM, 2), exact: between neighbouring corners and crossings the length of
    a level line inside grows evenly, so the middle line of each strip gives its area.
    """
    edges = np.empty((polygons.shape[0] * polygons.shape[1], 4))
    count = 0
    for m in range(polygons.shape[0]):
        for i in range(sizes[m]):
            j = i + 1 if i + 1 < sizes[m] else 0
            edges[count, 0], edges[count, 1] = polygons[m, i, 0], polygons[m, i, 1]
            edges[count, 2], edges[count, 3] = polygons[m, j, 0], polygons[m, j, 1]
            count += 1
    events = np.empty(count + count * (count - 1) // 2)
    made = 0
    for e in range(count):
        events[made] = edges[e, 1]
        made += 1
        for g in range(e):
            ax, ay, bx, by = edges[e, 0], edges[e, 1], edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
            cx, cy, dx, dy = edges[g, 0], edges[g, 1], edges[g, 2] - edges[g, 0], edges[g, 3] - edges[g, 1]
            cross = bx * dy - by * dx
            if abs(cross) < 1e-14:
                continue
            t = ((cx - ax) * dy - (cy - ay) * dx) / cross
            u = ((cx - ax) * by - (cy - ay) * bx) / cross
            if 0.0 < t < 1.0 and 0.0 < u < 1.0:
                events[made] = ay + t * by
                made += 1
    events = np.sort(events[:made])
    spans = np.empty((polygons.shape[0] + 1, 2))
    total = 0.0
    for k in range(made - 1):
        tall = events[k + 1] - events[k]
        if tall < 1e-12:
            continue
        y, n = (events[k] + events[k + 1]) / 2, 0
        for m in range(polygons.shape[0]):
            if sizes[m] >= 3:
                a, b = _crossing(polygons[m], sizes[m], y)
                if b > a:
                    spans[n, 0], spans[n, 1] = a, b
                    n += 1
        n = _merged(spans, n)
        for i in range(n):
            total += (spans[i, 1] - spans[i, 0]) * tall
    return total


@compiled
def area_under(faces: Floats, corners: Ints, plane: Floats, height: float) -> float:
    """Plan area (m2), exact, of what all faces cover and no face lower than `height` is over."""
    whole, low = np.zeros((corners.size, ROOM, 2)), np.zeros((corners.size, ROOM, 2))
    sizes, low_sizes = np.zeros(corners.size, dtype=np.int64), np.zeros(corners.size, dtype=np.int64)
    cut = np.empty((ROOM, 2))
    for f in range(corners.size):
        if np.isnan(plane[f, 0]):
            continue
        sizes[f] = corners[f]
        for i in range(corners[f]):
            whole[f, i, 0], whole[f, i, 1] = faces[f, i, 0], faces[f, i, 1]
        low_sizes[f] = _cut_face(faces[f], corners[f], plane[f], height, True, cut)
        low[f, : low_sizes[f]] = cut[: low_sizes[f]]
    return union_area(whole, sizes) - union_area(low, low_sizes)


@compiled
def upper_corners(faces: Floats, corners: Ints, plane: Floats, height: float, out: Floats) -> int:
    """Corners of the parts of all faces above a height, in plan, into `out`; returns their number."""
    cut = np.empty((ROOM, 2))
    count = 0
    for f in range(corners.size):
        if not np.isnan(plane[f, 0]):
            n = _cut_face(faces[f], corners[f], plane[f], height, False, cut)
            out[count : count + n] = cut[:n]
            count += n
    return count


@compiled
def sheltered(shadows: Floats, corners: Ints, sizes: Floats, polygons: Floats, counts: Ints, out: Ints) -> None:
    """Which pieces of centres (M,) have their middle in every one of the shadows (K, F, V, 2)."""
    for m in range(counts.size):
        x, y = centroid(polygons[m], counts[m])
        out[m] = 1
        for k in range(shadows.shape[0]):
            if not _covers(shadows[k], corners, sizes[k], x, y):
                out[m] = 0


@compiled
def general_entries(
    faces: Floats, corners: Ints, heights: Floats, boxes: Floats, falls: Floats, headings: Ints, steps: int,
    inner: float, enough: int, polygons: Floats, sizes: Ints, heading: Ints,
) -> int:  # fmt: skip
    """Pieces of allowed centres under any roof in any rain, as `entries` gives them under a lid."""
    plane = np.empty((corners.size, 3))
    limits, limit_box = np.empty((MOST_PLANES, 3)), np.zeros(MOST_PLANES, dtype=np.int64)
    obstacles, obstacle_box = np.empty((MOST_OBSTACLES, 3, 2)), np.zeros(MOST_OBSTACLES, dtype=np.int64)
    shadows = np.zeros((falls.shape[0], corners.size, faces.shape[1], 2))
    shadow_sizes = np.zeros((falls.shape[0], corners.size))
    planes(faces, corners, plane)
    shade(faces, corners, falls, shadows, shadow_sizes)
    count, blocked, _ = room_under(
        faces, corners, plane, heights, falls, limits, limit_box, obstacles, obstacle_box, shadows, shadow_sizes
    )
    if count < 0:
        return 0
    low_x, high_x, low_y, high_y = 1e18, -1e18, 1e18, -1e18
    for f in range(corners.size):
        for i in range(corners[f]):
            low_x, high_x = min(low_x, faces[f, i, 0]), max(high_x, faces[f, i, 0])
            low_y, high_y = min(low_y, faces[f, i, 1]), max(high_y, faces[f, i, 1])
    bounds = np.array([low_x - 1, high_x + 1, low_y - 1, high_y + 1])
    made = 0
    room, room_sizes = np.empty((2, MOST_PIECES, MOST_CORNERS, 2)), np.empty((2, MOST_PIECES), dtype=np.int64)
    one, two = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    triangles = obstacles[:blocked]
    normals = outward(triangles)
    for h in range(headings.size):
        angle = 2 * np.pi * headings[h] / steps
        c, s = np.cos(angle), np.sin(angle)
        one, two, corners_left = within_planes(bounds, limits[:count], limit_box[:count], boxes, c, s, inner, one, two)
        if corners_left == 0:
            continue
        side, pieces = clear_of(one, corners_left, triangles, normals, obstacle_box, boxes, c, s, inner, room, room_sizes)
        for p in range(min(pieces, MOST_FOUND)):
            n = room_sizes[side, p]
            x, y = centroid(room[side, p], n)
            inside = True
            for k in range(falls.shape[0]):
                inside = inside and _covers(shadows[k], corners, shadow_sizes[k], x, y)
            if inside and made < sizes.size:
                polygons[made, :n], sizes[made], heading[made] = room[side, p, :n], n, headings[h]
                made += 1
        if made >= enough:
            break
    return made
