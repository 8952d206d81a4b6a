"""Main figures of any roof of convex faces (hollow, one face over another) in any rain, for the
search over settings.

A mat lies where it is if its four rectangles miss every part of a face lower than they allow, and
if it crosses no edge of the cloth's shadow: neither calm rain's nor that of any wind given. Both
are obstacles to the same kernel that places mats under a convex lid; that the centre itself is
sheltered is looked up for each connected piece of centres.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.centres import MOST_PIECES, clear_of, outward
from tarvik.core.measure.kernel.extent import eased, extent, regions, within_planes
from tarvik.core.measure.kernel.polygon import (
    FLAT_M2,
    MOST_CORNERS,
    SAME_M,
    area,
    bounds_of,
    centroid,
    each_covers_at,
    hull,
    spread_across,
    stretch_inside,
)
from tarvik.core.measure.kernel.roof import ROOM, cut_face, planes

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

MOST_OBSTACLES = 1000
OBSTACLE_CORNERS = 6
"""A part of a face has few more: one that has is taken in several obstacles."""
MOST_PLANES = 400
BESIDE_M = 1e-7
SHORT_M = 1e-5
THIN_M = 1e-4
MOST_SPANS = 64
FAR_M = 1e4
"""Beyond any ground a sheet covers."""
MOST_FOUND = 8
"""Pieces of centres kept of one heading in the search."""


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
def _rim_of(shadows: Floats, corners: Ints, sizes: Floats, out: Floats, made: int) -> int:
    """Edges of the union of the shadows, each as a thin triangle that lies outside it, appended to
    `out`.
    """
    free, around = np.empty((MOST_SPANS, 2)), np.empty((corners.size, 4))
    for f in range(corners.size):
        if sizes[f] >= FLAT_M2:
            bounds_of(shadows[f], corners[f], around[f])
    for f in range(corners.size):
        if sizes[f] < FLAT_M2:
            continue
        for i in range(corners[f]):
            j = i + 1 if i + 1 < corners[f] else 0
            ax, ay, bx, by = (
                shadows[f, i, 0],
                shadows[f, i, 1],
                shadows[f, j, 0],
                shadows[f, j, 1],
            )
            size = np.hypot(bx - ax, by - ay)
            if size < SHORT_M:
                continue
            nx, ny = (by - ay) / size, (ax - bx) / size  # outwards
            free[0, 0], free[0, 1], count = 0.0, 1.0, 1
            for g in range(corners.size):
                if g == f or sizes[g] < FLAT_M2:
                    continue
                if (
                    around[g, 1] < min(ax, bx) - BESIDE_M
                    or around[g, 0] > max(ax, bx) + BESIDE_M
                ):
                    continue
                if (
                    around[g, 3] < min(ay, by) - BESIDE_M
                    or around[g, 2] > max(ay, by) + BESIDE_M
                ):
                    continue
                low, high = stretch_inside(
                    shadows[g],
                    corners[g],
                    ax + nx * BESIDE_M,
                    ay + ny * BESIDE_M,
                    bx + nx * BESIDE_M,
                    by + ny * BESIDE_M,
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
                count = 0
                for k in range(kept):
                    if free[k, 1] > free[k, 0]:
                        free[count, 0], free[count, 1] = free[k, 0], free[k, 1]
                        count += 1
                if count == 0:
                    break
            for k in range(count):
                if (free[k, 1] - free[k, 0]) * size > SHORT_M and made < out.shape[0]:
                    p, q = free[k, 0], free[k, 1]
                    out[made, 0, 0], out[made, 0, 1] = (
                        ax + p * (bx - ax),
                        ay + p * (by - ay),
                    )
                    out[made, 1, 0], out[made, 1, 1] = (
                        ax + q * (bx - ax),
                        ay + q * (by - ay),
                    )
                    out[made, 2, 0] = (out[made, 0, 0] + out[made, 1, 0]) / 2 + nx * THIN_M
                    out[made, 2, 1] = (out[made, 0, 1] + out[made, 1, 1]) / 2 + ny * THIN_M
                    out[made, 3:] = out[made, 2]
                    made += 1
    return made


@compiled
def _hull_planes(
    points: Floats, count: int, box: int, out: Floats, boxes: Ints, made: int, ring: Floats
) -> tuple[int, int]:
    """Half-planes of the convex hull of points appended to `out`; returns their number, -1 when
    there is no hull, and the corners of the hull in `ring` (2 `count` + 4, 2).
    """
    corners = hull(points, count, ring)
    if corners < 3:
        return -1, 0
    for i in range(corners):
        j = i + 1 if i + 1 < corners else 0
        dx, dy = ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1]
        size = max(np.hypot(dx, dy), 1e-12)
        if made < out.shape[0]:
            out[made, 0], out[made, 1] = -dy / size, dx / size
            out[made, 2] = out[made, 0] * ring[i, 0] + out[made, 1] * ring[i, 1]
            boxes[made] = box
            made += 1
    return made, corners


@compiled
def _beyond(obstacle: Floats, limits: Floats, first: int, last: int) -> bool:
    """Whether an obstacle lies wholly beyond one of the half-planes, or on its edge."""
    for k in range(first, last):
        most = -1e18
        for i in range(obstacle.shape[0]):
            most = max(
                most,
                limits[k, 0] * obstacle[i, 0]
                + limits[k, 1] * obstacle[i, 1]
                - limits[k, 2],
            )
        if most <= 1e-6:
            return True
    return False


@compiled
def shade(
    faces: Floats, corners: Ints, falls: Floats, shadows: Floats, sizes: Floats
) -> None:
    """The faces' shadows (K, F, V, 2) along each of `falls` (K, 2), and their areas (K, F)."""
    for k in range(falls.shape[0]):
        for f in range(corners.size):
            sizes[k, f] = _turned(
                faces[f], corners[f], falls[k, 0], falls[k, 1], shadows[k, f]
            )


class EndsAndRings(NamedTuple):
    """Room for half-planes of parts: their ends, their corners, and the corners' numbers."""

    ends: Ints
    rings: Floats
    corners: Ints


@compiled
def ends_and_rings(parts: int, faces: int) -> EndsAndRings:
    """Room for what `limits_under` tells of each part's half-planes: their ends, their corners and
    the corners' numbers.
    """
    return EndsAndRings(
        np.empty(parts, dtype=np.int64),
        np.empty((parts, 2 * faces * ROOM + 4, 2)),
        np.empty(parts, dtype=np.int64),
    )


@compiled
def limits_under(
    faces: Floats,
    corners: Ints,
    plane: Floats,
    heights: Floats,
    limits: Floats,
    limit_box: Ints,
    shadows: Floats,
    sizes: Floats,
    ends: Ints,
    rings: Floats,
    ring_sizes: Ints,
) -> int:
    """Fill in the half-planes within which each of a mat's four rectangles must keep; returns their
    number, or -1 when there is no room. `ends` (B + K,): where those of each rectangle's height,
    then those of each shadow, end; `rings` (B + K, 2 F ROOM + 4, 2) and `ring_sizes` their corners.

    `shadows` (K, F, V, 2) and `sizes` (K, F) are the faces' shadows along each fall of the rain.
    """
    points, cut = np.empty((corners.size * ROOM, 2)), np.empty((ROOM, 2))
    made = 0
    for b in np.argsort(
        -heights
    ):  # the highest first: where nothing fits, that is soonest found
        count = 0
        for f in range(corners.size):
            if np.isnan(plane[f, 0]):
                continue
            n = cut_face(faces[f], corners[f], plane[f], heights[b], False, cut)
            for i in range(n):
                points[count] = cut[i]
                count += 1
        if count < 3:
            return -1
        made, ring_sizes[b] = _hull_planes(
            points, count, b, limits, limit_box, made, rings[b]
        )
        if made < 0:
            return -1
        ends[b] = made
    for k in range(shadows.shape[0]):
        count = 0
        for f in range(corners.size):
            if sizes[k, f] >= FLAT_M2:
                for i in range(corners[f]):
                    points[count] = shadows[k, f, i]
                    count += 1
        if count < 3:
            return -1
        n = heights.size + k
        made, ring_sizes[n] = _hull_planes(
            points, count, 0, limits, limit_box, made, rings[n]
        )
        if made < 0:
            return -1
        ends[n] = made
    return made


@compiled
def obstacles_under(
    faces: Floats,
    corners: Ints,
    plane: Floats,
    heights: Floats,
    limits: Floats,
    ends: Ints,
    obstacles: Floats,
    obstacle_box: Ints,
    shadows: Floats,
    sizes: Floats,
) -> tuple[int, int]:
    """Fill in what stands in the way of each of a mat's rectangles within its `limits_under`:
    convex `obstacles` (T, OBSTACLE_CORNERS, 2), the last corner again where there are fewer.
    Returns the number, and how many of them, the first, are edges of what is sheltered.
    """
    cut = np.empty((ROOM, 2))
    order = np.argsort(-heights)
    blocked, first = 0, ends[order[-1]]
    for k in range(shadows.shape[0]):
        start, last = blocked, ends[heights.size + k]
        blocked = _rim_of(shadows[k], corners, sizes[k], obstacles, blocked)
        kept = start
        for t in range(start, blocked):
            if not _beyond(obstacles[t], limits, first, last):
                obstacles[kept], obstacle_box[kept] = obstacles[t], 0
                kept += 1
        blocked, first = kept, last
    rims, first = blocked, 0
    for b in order:
        last = ends[b]
        for f in range(corners.size):
            if np.isnan(plane[f, 0]):
                continue
            n = cut_face(faces[f], corners[f], plane[f], heights[b], True, cut)
            for start in range(1, n - 1, OBSTACLE_CORNERS - 2):
                if blocked < obstacles.shape[0]:
                    obstacles[blocked, 0] = cut[0]
                    for k in range(1, OBSTACLE_CORNERS):
                        obstacles[blocked, k] = cut[min(start + k - 1, n - 1)]
                    obstacle_box[blocked] = b
                    size = abs(area(obstacles[blocked], OBSTACLE_CORNERS))
                    if size > FLAT_M2 and not _beyond(
                        obstacles[blocked], limits, first, last
                    ):
                        blocked += 1
        first = last
    return blocked, rims


class AboutGround(NamedTuple):
    """Half-planes about a mat's ground, of which rectangle each is, and how many are about
    the ground itself.
    """

    planes: Floats
    rectangle: Ints
    sides: int


@compiled
def _about_ground(
    ground: Floats, count: int, limits: Floats, limit_box: Ints
) -> AboutGround:
    """The half-planes about the convex `ground` of a mat, then those of its other rectangles, of
    which rectangle each is, and how many are about the ground: of many falls of the rain most
    half-planes leave more than others do.
    """
    out, box, made = (
        np.empty((count + limit_box.size, 3)),
        np.zeros(count + limit_box.size, dtype=np.int64),
        0,
    )
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        dx, dy = ground[j, 0] - ground[i, 0], ground[j, 1] - ground[i, 1]
        size = np.hypot(dx, dy)
        if size > SAME_M:
            out[made, 0], out[made, 1] = -dy / size, dx / size
            out[made, 2] = out[made, 0] * ground[i, 0] + out[made, 1] * ground[i, 1]
            made += 1
    sides = made
    for m in range(limit_box.size):
        if limit_box[m] > 0:
            out[made], box[made] = limits[m], limit_box[m]
            made += 1
    return AboutGround(out[:made], box[:made], sides)


@compiled
def _in_reach(obstacles: Floats, boxes: Ints, count: int, about: Floats) -> int:
    """Keep, in place, the obstacles that lie beyond none of the half-planes about a mat's ground,
    for every rectangle is part of the mat; returns their number.
    """
    kept = 0
    for t in range(count):
        if not _beyond(obstacles[t], about, 0, about.shape[0]):
            obstacles[kept], boxes[kept] = obstacles[t], boxes[t]
            kept += 1
    return kept


@compiled
def general_entries(
    faces: Floats,
    corners: Ints,
    heights: Floats,
    boxes: Floats,
    falls: Floats,
    headings: Ints,
    steps: int,
    inner: float,
    enough: float,
    polygons: Floats,
    sizes: Ints,
    heading: Ints,
    ground: Floats,
    ground_least: float,
) -> tuple[int, int]:
    """Pieces of allowed centres under any roof in any rain, as `entries` gives them under a lid;
    returns their number, and that of the corners of the convex `ground` (MOST_CORNERS, 2) in which
    every mat lies: none are sought where that is less than `ground_least` (m2).
    """
    plane = np.empty((corners.size, 3))
    limits, limit_box = np.empty((MOST_PLANES, 3)), np.zeros(MOST_PLANES, dtype=np.int64)
    obstacles = np.empty((MOST_OBSTACLES, OBSTACLE_CORNERS, 2))
    obstacle_box = np.zeros(MOST_OBSTACLES, dtype=np.int64)
    shadows = np.zeros((falls.shape[0], corners.size, faces.shape[1], 2))
    shadow_sizes = np.zeros((falls.shape[0], corners.size))
    planes(faces, corners, plane)
    shade(faces, corners, falls, shadows, shadow_sizes)
    parts = heights.size + falls.shape[0]
    ends, rings, ring_sizes = ends_and_rings(parts, corners.size)
    count = limits_under(
        faces,
        corners,
        plane,
        heights,
        limits,
        limit_box,
        shadows,
        shadow_sizes,
        ends,
        rings,
        ring_sizes,
    )
    if count < 0:
        return 0, 0
    made, blocked, apart, outer = 0, -1, -1.0, np.empty((0, 3))
    within, within_box = eased(limits[:count], inner), limit_box[:count]
    region, corners_of, _ = regions(
        np.array([-FAR_M, FAR_M, -FAR_M, FAR_M]), within, within_box, 1
    )
    ground_corners = corners_of[0]
    ground[:ground_corners] = region[0, :ground_corners]
    if ground_corners < 3 or area(ground, ground_corners) < ground_least:
        return 0, ground_corners
    ring_box = np.zeros(parts, dtype=np.int64)
    ring_box[: heights.size] = np.arange(heights.size)
    if ground_corners < min(
        MOST_CORNERS, rings.shape[1]
    ):  # else some half-planes were let be
        within, within_box, about = _about_ground(
            ground, ground_corners, within, within_box
        )
        outer = eased(within[:about], -inner)
        rings[0, :ground_corners], ring_sizes[0], parts = (
            ground[:ground_corners],
            ground_corners,
            heights.size,
        )
    reach, order = np.empty(4), np.arange(within_box.size)
    room, room_sizes = (
        np.empty((2, MOST_PIECES, MOST_CORNERS, 2)),
        np.empty((2, MOST_PIECES), dtype=np.int64),
    )
    one, two = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    some, normals, sides = (
        obstacles[:0],
        np.empty((0, OBSTACLE_CORNERS, 3)),
        np.empty(0, dtype=np.int64),
    )
    for h in range(headings.size):
        angle = 2 * np.pi * headings[h] / steps
        c, s = np.cos(angle), np.sin(angle)
        if not extent(rings, ring_sizes[:parts], ring_box, boxes, c, s, reach):
            continue
        one, two, corners_left = within_planes(
            reach, within, within_box, boxes, c, s, order, one, two
        )
        if corners_left == 0:
            continue
        if (
            blocked < 0
        ):  # only now: where nobody fits, mostly the half-planes alone have told so
            blocked, _ = obstacles_under(
                faces,
                corners,
                plane,
                heights,
                limits,
                ends,
                obstacles,
                obstacle_box,
                shadows,
                shadow_sizes,
            )
            blocked = _in_reach(obstacles, obstacle_box, blocked, outer)
            some = obstacles[:blocked]
            normals, sides = outward(some)
        side, pieces = clear_of(
            one,
            corners_left,
            some,
            normals,
            sides,
            obstacle_box,
            boxes,
            c,
            s,
            inner,
            room,
            room_sizes,
        )
        for p in range(min(pieces, MOST_FOUND)):
            n = room_sizes[side, p]
            x, y = centroid(room[side, p], n)
            if made < sizes.size and each_covers_at(shadows, corners, shadow_sizes, x, y):
                polygons[made, :n], sizes[made], heading[made] = (
                    room[side, p, :n],
                    n,
                    headings[h],
                )
                apart = max(apart, spread_across(room[side, p], n, c, s))
                made += 1
        if apart >= enough:
            break
    return made, ground_corners
