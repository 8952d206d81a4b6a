"""Where a mat's centre may lie, for each heading.

A mat is four rectangles fixed to each other (the whole mat, and the head, middle and foot of its
middle strip); each must lie inside a region of its own, given by half-planes and convex obstacles.
For one heading the allowed centres are then a polygon (the region shrunk by the rectangle, a
configuration space), here a list of convex pieces: the entries.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.extent import (
    AREA_LEAST,
    eased,
    extent,
    regions,
    slab,
    within_planes,
)
from tarvik.core.measure.kernel.polygon import (
    MOST_CORNERS,
    SAME_M,
    area,
    bounds_of,
    centroid,
    clip,
    each_covers_at,
    spread_across,
    support,
)

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

MOST_PIECES = 48
SIDE_M = 1e-6
"""The direction of a shorter side of a piece is rounding, and parts nothing."""
NO_SIDE_M = 1e-12
"""Corners of an obstacle nearer to each other are the same one."""


@compiled
def _near(
    piece: Floats, size: int, low_x: float, high_x: float, low_y: float, high_y: float
) -> bool:
    """Whether a piece reaches into a rectangle."""
    left, right, under, over = piece[0, 0], piece[0, 0], piece[0, 1], piece[0, 1]
    for i in range(1, size):
        left, right = min(left, piece[i, 0]), max(right, piece[i, 0])
        under, over = min(under, piece[i, 1]), max(over, piece[i, 1])
    return bool(left < high_x and right > low_x and under < high_y and over > low_y)


@compiled
def _within(inner: Floats, corners: int, outer: Floats, sides: int) -> bool:
    """Whether every corner of one polygon lies in another, convex and anticlockwise."""
    for i in range(sides):
        j = i + 1 if i + 1 < sides else 0
        dx, dy = outer[j, 0] - outer[i, 0], outer[j, 1] - outer[i, 1]
        least = -SAME_M * (abs(dx) + abs(dy))
        for k in range(corners):
            if dx * (inner[k, 1] - outer[i, 1]) - dy * (inner[k, 0] - outer[i, 0]) < least:
                return False
    return True


@compiled
def _widest(pieces: Floats, sizes: Ints, count: int, fresh: Bools, around: Floats) -> int:
    """Keep, in place, only the pieces that lie in no other: the cuts overlap, and what is within
    another adds nothing. Only `fresh` pieces can; `around` (count, 4) are the pieces' bounds.
    """
    gone = np.zeros(count, dtype=np.bool_)
    for p in range(count):
        if not fresh[p]:
            continue
        for q in range(count):
            if (
                q == p
                or gone[q]
                or around[p, 0] < around[q, 0] - SAME_M
                or around[p, 1] > around[q, 1] + SAME_M
            ):
                continue
            if around[p, 2] < around[q, 2] - SAME_M or around[p, 3] > around[q, 3] + SAME_M:
                continue
            if _within(pieces[p], sizes[p], pieces[q], sizes[q]):
                gone[p] = True
                break
    kept = 0
    for p in range(count):
        if not gone[p]:
            if kept < p:
                pieces[kept, : sizes[p]], sizes[kept] = pieces[p, : sizes[p]], sizes[p]
            kept += 1
    return kept


@compiled
def outward(obstacles: Floats) -> tuple[Floats, Ints]:
    """Outward unit normals and offsets of the obstacles' sides, (T, P, 3) nx, ny, b, and how many
    each has (T,). Obstacles (T, P, 2) are convex; one of fewer corners has the last one again.
    """
    most = obstacles.shape[1]
    out, sides = (
        np.empty((obstacles.shape[0], most, 3)),
        np.zeros(obstacles.shape[0], dtype=np.int64),
    )
    for t in range(obstacles.shape[0]):
        turn = 1.0 if area(obstacles[t], most) >= 0 else -1.0
        for i in range(most):
            j = i + 1 if i + 1 < most else 0
            nx = turn * (obstacles[t, j, 1] - obstacles[t, i, 1])
            ny = -turn * (obstacles[t, j, 0] - obstacles[t, i, 0])
            size = np.hypot(nx, ny)
            if size < NO_SIDE_M:
                continue
            k = sides[t]
            out[t, k, 0], out[t, k, 1] = nx / size, ny / size
            out[t, k, 2] = (
                out[t, k, 0] * obstacles[t, i, 0] + out[t, k, 1] * obstacles[t, i, 1]
            )
            sides[t] += 1
    return out, sides


@compiled
def _cuts(
    obstacle: Floats,
    normals: Floats,
    sides: int,
    box: Floats,
    c: float,
    s: float,
    inner: float,
    cuts: Floats,
) -> int:
    """Half-planes beyond each of which the rectangle misses the obstacle, for their sum has these
    sides: into `cuts` (P + 4, 3); returns their number.
    """
    for i in range(sides):
        nx, ny = normals[i, 0], normals[i, 1]
        cuts[i, 0], cuts[i, 1] = nx, ny
        cuts[i, 2] = normals[i, 2] - slab(nx * c + ny * s, -nx * s + ny * c, box) + inner
    for k in range(2):
        ax, ay = (c, s) if k == 0 else (-s, c)
        low, high = 1e18, -1e18
        for i in range(obstacle.shape[0]):
            d = ax * obstacle[i, 0] + ay * obstacle[i, 1]
            low, high = min(low, d), max(high, d)
        near, far = sides + 2 * k, sides + 2 * k + 1
        cuts[near, 0], cuts[near, 1], cuts[near, 2] = -ax, -ay, box[2 * k + 1] - low + inner
        cuts[far, 0], cuts[far, 1], cuts[far, 2] = ax, ay, high - box[2 * k] + inner
    return sides + 4


@compiled
def _missed(
    piece: Floats,
    size: int,
    obstacle: Floats,
    box: Floats,
    c: float,
    s: float,
    cuts: Floats,
    count: int,
) -> bool:
    """Whether the rectangle, its centre anywhere in the piece, misses the obstacle: a side of
    either parts the piece from the sum of obstacle and rectangle.
    """
    for k in range(count):
        if -support(piece, size, -cuts[k, 0], -cuts[k, 1]) >= cuts[k, 2]:
            return True
    for i in range(size):
        j = i + 1 if i + 1 < size else 0
        nx, ny = piece[j, 1] - piece[i, 1], piece[i, 0] - piece[j, 0]  # outwards
        if abs(nx) + abs(ny) < SIDE_M:
            continue
        least = nx * obstacle[0, 0] + ny * obstacle[0, 1]
        for k in range(1, obstacle.shape[0]):
            least = min(least, nx * obstacle[k, 0] + ny * obstacle[k, 1])
        if (
            least + slab(-(nx * c + ny * s), nx * s - ny * c, box)
            >= nx * piece[i, 0] + ny * piece[i, 1]
        ):
            return True
    return False


@compiled
def _split(
    pieces: Floats,
    sizes: Ints,
    count: int,
    whole: Floats,
    corners: int,
    obstacle: Floats,
    normals: Floats,
    sides: int,
    box: Floats,
    c: float,
    s: float,
    inner: float,
    out: Floats,
    out_sizes: Ints,
) -> int:
    """Remove from each piece of the convex `whole` the centres at which the rectangle would touch
    the obstacle. Returns the number of pieces, or -1 when none was touched and `out` holds nothing.
    """
    low_x, high_x = (
        obstacle[:, 0].min() + slab(-c, s, box),
        obstacle[:, 0].max() - slab(c, -s, box),
    )
    low_y, high_y = (
        obstacle[:, 1].min() + slab(-s, -c, box),
        obstacle[:, 1].max() - slab(s, c, box),
    )
    first = 0
    while first < count and not _near(
        pieces[first], sizes[first], low_x, high_x, low_y, high_y
    ):
        first += 1
    if first == count:
        return -1
    cuts = np.empty((sides + 4, 3))
    lines = _cuts(obstacle, normals, sides, box, c, s, inner, cuts)
    if count > 1 and _missed(whole, corners, obstacle, box, c, s, cuts, lines):
        return -1
    hit = np.zeros(count, dtype=np.bool_)
    any_hit = False
    for p in range(first, count):
        if p == first or _near(pieces[p], sizes[p], low_x, high_x, low_y, high_y):
            hit[p] = not _missed(pieces[p], sizes[p], obstacle, box, c, s, cuts, lines)
            any_hit = any_hit or hit[p]
    if not any_hit:
        return -1
    fresh, around = np.zeros(MOST_PIECES, dtype=np.bool_), np.empty((MOST_PIECES, 4))
    made = 0
    for p in range(count):
        for k in range(lines if hit[p] else 1):
            if made == MOST_PIECES:
                break
            if hit[p]:
                n = clip(pieces[p], sizes[p], cuts[k, 0], cuts[k, 1], cuts[k, 2], out[made])
                if n < 3 or area(out[made], n) <= AREA_LEAST:
                    continue
            else:
                n = sizes[p]
                out[made, :n] = pieces[p, :n]
            out_sizes[made], fresh[made] = n, hit[p]
            bounds_of(out[made], n, around[made])
            made += 1
    return _widest(out, out_sizes, made, fresh, around) if made > 1 else made


@compiled
def entries(
    bounds: Floats,
    planes: Floats,
    plane_box: Ints,
    obstacles: Floats,
    obstacle_box: Ints,
    boxes: Floats,
    headings: Ints,
    steps: int,
    inner: float,
    shadows: Floats,
    shadow_corners: Ints,
    shadow_sizes: Floats,
    enough: float,
    polygons: Floats,
    sizes: Ints,
    heading: Ints,
) -> int:
    """Convex pieces of allowed centres for every heading, their middle in every one of the shadows
    (K, F, V, 2); returns their number. Stops when there are `enough`.

    `bounds` (4,) xmin, xmax, ymin, ymax; `planes` (M, 3) nx, ny, b with n . q >= b wanted over the
    rectangle `boxes[plane_box]`; `headings` are steps of 360 / `steps` degrees, anticlockwise from
    +x, towards the head end.
    """
    made, apart = 0, -1.0
    room = np.empty((2, MOST_PIECES, MOST_CORNERS, 2))
    room_sizes = np.empty((2, MOST_PIECES), dtype=np.int64)
    one, two = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    normals, sides = outward(obstacles)
    region, corners, region_box = regions(bounds, planes, plane_box, boxes.shape[0])
    limits, reach, order = eased(planes, inner), np.empty(4), np.arange(planes.shape[0])
    for step in headings:
        if apart >= enough:
            break
        angle = 2 * np.pi * step / steps
        c, s = np.cos(angle), np.sin(angle)
        if not extent(region, corners, region_box, boxes, c, s, reach):
            continue
        one, two, n = within_planes(reach, limits, plane_box, boxes, c, s, order, one, two)
        if n == 0:
            continue
        side, pieces = clear_of(
            one,
            n,
            obstacles,
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
        for p in range(pieces):
            n = room_sizes[side, p]
            if shadows.shape[0]:
                x, y = centroid(room[side, p], n)
                if not each_covers_at(shadows, shadow_corners, shadow_sizes, x, y):
                    continue
            if made < sizes.size:
                polygons[made, :n], sizes[made], heading[made] = room[side, p, :n], n, step
                apart = max(apart, spread_across(room[side, p], n, c, s))
                made += 1
    return made


@compiled
def clear_of(
    centres: Floats,
    count: int,
    obstacles: Floats,
    normals: Floats,
    sides: Ints,
    obstacle_box: Ints,
    boxes: Floats,
    c: float,
    s: float,
    inner: float,
    room: Floats,
    sizes: Ints,
) -> tuple[int, int]:
    """Centres of a convex polygon at which, headed (c, s), every rectangle misses its obstacles, as
    convex pieces in `room[side, :pieces]` (2, MOST_PIECES, MOST_CORNERS, 2), `sizes` (2,
    MOST_PIECES); returns (side, pieces).

    `normals` and `sides` are the obstacles' `outward`.
    """
    room[0, 0, :count], sizes[0, 0], pieces, side = centres[:count], count, 1, 0
    for t in range(obstacles.shape[0]):
        left = _split(
            room[side],
            sizes[side],
            pieces,
            centres,
            count,
            obstacles[t],
            normals[t],
            sides[t],
            boxes[obstacle_box[t]],
            c,
            s,
            inner,
            room[1 - side],
            sizes[1 - side],
        )
        if left >= 0:
            side, pieces = 1 - side, left
        if pieces == 0:
            break
    return side, pieces
