"""Where mats may lie: the set of centres for each heading, and how many mats go in beside each other.

A mat is four rectangles fixed to each other (the whole mat, and the head, middle and foot of its middle strip); each
must lie inside a region of its own, given by half-planes and convex obstacles. For one heading the allowed centres are
then a polygon (the region shrunk by the rectangle, a configuration space), here a list of convex pieces: the entries.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, SAME_M, area, chord, clip, support

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

MOST_PIECES = 48
MOST_MATS = 40
AREA_LEAST = 1e-12
SIDE_M = 1e-6
"""The direction of a shorter side of a piece is rounding, and parts nothing."""


@compiled
def _slab(n: float, m: float, box: Floats) -> float:
    """Least value of n x + m y over the rectangle (x0, x1, y0, y1)."""
    return float(min(n * box[0], n * box[1]) + min(m * box[2], m * box[3]))


@compiled
def _bounds(polygon: Floats, count: int, out: Floats) -> None:
    """Least and greatest x, least and greatest y into `out` (4,)."""
    out[0], out[1], out[2], out[3] = polygon[0, 0], polygon[0, 0], polygon[0, 1], polygon[0, 1]
    for i in range(1, count):
        out[0], out[1] = min(out[0], polygon[i, 0]), max(out[1], polygon[i, 0])
        out[2], out[3] = min(out[2], polygon[i, 1]), max(out[3], polygon[i, 1])


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
    """Keep, in place, only the pieces that lie in no other: the cuts overlap, and what is within another adds nothing.
    Only `fresh` pieces can; `around` (count, 4) are the pieces' bounds.
    """
    gone = np.zeros(count, dtype=np.bool_)
    for p in range(count):
        if not fresh[p]:
            continue
        for q in range(count):
            if q == p or gone[q] or around[p, 0] < around[q, 0] - SAME_M or around[p, 1] > around[q, 1] + SAME_M:
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
def outward(triangles: Floats) -> Floats:
    """Outward unit normals and offsets of the triangles' sides: (T, 3, 3) nx, ny, b."""
    out = np.empty((triangles.shape[0], 3, 3))
    for t in range(triangles.shape[0]):
        turn = 1.0 if area(triangles[t], 3) >= 0 else -1.0
        for i in range(3):
            j = i + 1 if i < 2 else 0
            nx = turn * (triangles[t, j, 1] - triangles[t, i, 1])
            ny = -turn * (triangles[t, j, 0] - triangles[t, i, 0])
            size = max(np.hypot(nx, ny), 1e-12)
            out[t, i, 0], out[t, i, 1] = nx / size, ny / size
            out[t, i, 2] = out[t, i, 0] * triangles[t, i, 0] + out[t, i, 1] * triangles[t, i, 1]
    return out


@compiled
def _cuts(triangle: Floats, normals: Floats, box: Floats, c: float, s: float, inner: float, cuts: Floats) -> None:
    """Half-planes (7, 3) beyond each of which the rectangle misses the triangle: their sum has these sides."""
    for i in range(3):
        nx, ny = normals[i, 0], normals[i, 1]
        cuts[i, 0], cuts[i, 1] = nx, ny
        cuts[i, 2] = normals[i, 2] - _slab(nx * c + ny * s, -nx * s + ny * c, box) + inner
    for k in range(2):
        ax, ay = (c, s) if k == 0 else (-s, c)
        low, high = 1e18, -1e18
        for i in range(3):
            d = ax * triangle[i, 0] + ay * triangle[i, 1]
            low, high = min(low, d), max(high, d)
        cuts[3 + 2 * k, 0], cuts[3 + 2 * k, 1] = -ax, -ay
        cuts[3 + 2 * k, 2] = box[2 * k + 1] - low + inner
        cuts[4 + 2 * k, 0], cuts[4 + 2 * k, 1] = ax, ay
        cuts[4 + 2 * k, 2] = high - box[2 * k] + inner


@compiled
def _missed(piece: Floats, size: int, triangle: Floats, box: Floats, c: float, s: float, cuts: Floats) -> bool:
    """Whether the rectangle, its centre anywhere in the piece, misses the triangle: a side of either parts the piece from
    the sum of triangle and rectangle.
    """
    for k in range(7):
        if -support(piece, size, -cuts[k, 0], -cuts[k, 1]) >= cuts[k, 2]:
            return True
    for i in range(size):
        j = i + 1 if i + 1 < size else 0
        nx, ny = piece[j, 1] - piece[i, 1], piece[i, 0] - piece[j, 0]  # outwards
        if abs(nx) + abs(ny) < SIDE_M:
            continue
        least = nx * triangle[0, 0] + ny * triangle[0, 1]
        for k in range(1, 3):
            least = min(least, nx * triangle[k, 0] + ny * triangle[k, 1])
        if least + _slab(-(nx * c + ny * s), nx * s - ny * c, box) >= nx * piece[i, 0] + ny * piece[i, 1]:
            return True
    return False


@compiled
def _split(
    pieces: Floats, sizes: Ints, count: int, triangle: Floats, normals: Floats, box: Floats, c: float, s: float,
    inner: float, out: Floats, out_sizes: Ints,
) -> int:  # fmt: skip
    """Remove from each piece the centres at which the rectangle would touch the triangle. Returns the number of pieces, or
    -1 when none was touched and `out` holds nothing.
    """
    cuts, bounds = np.empty((7, 3)), np.empty(4)
    low_x, high_x = triangle[:3, 0].min() + _slab(-c, s, box), triangle[:3, 0].max() - _slab(c, -s, box)
    low_y, high_y = triangle[:3, 1].min() + _slab(-s, -c, box), triangle[:3, 1].max() - _slab(s, c, box)
    hit = np.zeros(count, dtype=np.bool_)
    any_hit, ready = False, False
    for p in range(count):
        _bounds(pieces[p], sizes[p], bounds)
        if bounds[0] >= high_x or bounds[1] <= low_x or bounds[2] >= high_y or bounds[3] <= low_y:
            continue
        if not ready:
            _cuts(triangle, normals, box, c, s, inner, cuts)
            ready = True
        hit[p] = not _missed(pieces[p], sizes[p], triangle, box, c, s, cuts)
        any_hit = any_hit or hit[p]
    if not any_hit:
        return -1
    fresh, around = np.zeros(MOST_PIECES, dtype=np.bool_), np.empty((MOST_PIECES, 4))
    made = 0
    for p in range(count):
        for k in range(7 if hit[p] else 1):
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
            _bounds(out[made], n, around[made])
            made += 1
    return _widest(out, out_sizes, made, fresh, around) if made > 1 else made


@compiled
def within_planes(
    bounds: Floats, planes: Floats, plane_box: Ints, boxes: Floats, c: float, s: float, inner: float, one: Floats,
    two: Floats,
) -> tuple[Floats, Floats, int]:  # fmt: skip
    """Centres at which, headed (c, s), every rectangle keeps its half-planes: (polygon, scratch, corners), 0 for none."""
    one[0, 0], one[0, 1], one[1, 0], one[1, 1] = bounds[0], bounds[2], bounds[1], bounds[2]
    one[2, 0], one[2, 1], one[3, 0], one[3, 1] = bounds[1], bounds[3], bounds[0], bounds[3]
    n = 4
    for m in range(planes.shape[0]):
        nx, ny = planes[m, 0], planes[m, 1]
        shift = _slab(nx * c + ny * s, -nx * s + ny * c, boxes[plane_box[m]])
        n = clip(one, n, nx, ny, planes[m, 2] - shift + inner * np.hypot(nx, ny), two)
        one, two = two, one
        if n < 3:
            return one, two, 0
    return one, two, n if area(one, n) > AREA_LEAST else 0


@compiled
def entries(
    bounds: Floats, planes: Floats, plane_box: Ints, triangles: Floats, triangle_box: Ints, boxes: Floats,
    headings: Ints, steps: int, inner: float, enough: int, polygons: Floats, sizes: Ints, heading: Ints,
) -> int:  # fmt: skip
    """Convex pieces of allowed centres for every heading; returns their number. Stops when there are `enough`.

    `bounds` (4,) xmin, xmax, ymin, ymax; `planes` (M, 3) nx, ny, b with n . q >= b wanted over the rectangle
    `boxes[plane_box]`; `headings` are steps of 360 / `steps` degrees, anticlockwise from +x, towards the head end.
    """
    made = 0
    room = np.empty((2, MOST_PIECES, MOST_CORNERS, 2))
    room_sizes = np.empty((2, MOST_PIECES), dtype=np.int64)
    one, two = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    normals = outward(triangles)
    for h in range(headings.size):
        if made >= enough:
            break
        angle = 2 * np.pi * headings[h] / steps
        c, s = np.cos(angle), np.sin(angle)
        one, two, n = within_planes(bounds, planes, plane_box, boxes, c, s, inner, one, two)
        if n == 0:
            continue
        side, pieces = clear_of(one, n, triangles, normals, triangle_box, boxes, c, s, inner, room, room_sizes)
        for p in range(pieces):
            if made < sizes.size:
                n = room_sizes[side, p]
                polygons[made, :n], sizes[made], heading[made] = room[side, p, :n], n, headings[h]
                made += 1
    return made


@compiled
def clear_of(
    centres: Floats, count: int, triangles: Floats, normals: Floats, triangle_box: Ints, boxes: Floats, c: float, s: float,
    inner: float, room: Floats, sizes: Ints,
) -> tuple[int, int]:  # fmt: skip
    """Centres of a convex polygon at which, headed (c, s), every rectangle misses its obstacles, as convex pieces in
    `room[side, :pieces]` (2, MOST_PIECES, MOST_CORNERS, 2), `sizes` (2, MOST_PIECES); returns (side, pieces).

    `normals` are the obstacles' `outward`.
    """
    room[0, 0, :count], sizes[0, 0], pieces, side = centres[:count], count, 1, 0
    for t in range(triangles.shape[0]):
        left = _split(
            room[side], sizes[side], pieces, triangles[t], normals[t], boxes[triangle_box[t]], c, s, inner,
            room[1 - side], sizes[1 - side],
        )  # fmt: skip
        if left >= 0:
            side, pieces = 1 - side, left
        if pieces == 0:
            break
    return side, pieces


@compiled
def support_table(polygons: Floats, sizes: Ints, count: int, steps: int, stride: int, table: Floats) -> None:
    """Support function of every entry in every `stride`-th direction: table (count, steps)."""
    for k in range(0, steps, stride):
        nx, ny = np.cos(2 * np.pi * k / steps), np.sin(2 * np.pi * k / steps)
        for e in range(count):
            table[e, k] = support(polygons[e], sizes[e], nx, ny)


@compiled
def half_extents(length: float, width: float, steps: int) -> Floats:
    """Half of a mat's extent in direction k steps off its heading."""
    out = np.empty(steps)
    for k in range(steps):
        angle = 2 * np.pi * k / steps
        out[k] = (length * abs(np.cos(angle)) + width * abs(np.sin(angle))) / 2
    return out


@compiled
def stack(
    table: Floats, heading: Ints, count: int, extents: Floats, k: int, only_a: int, only_b: int, which: Ints, place: Floats
) -> tuple[int, float]:
    """Most mats one after the other along direction k, parted by straight lines across it.

    Greedy by the earliest end, which is best for a one-dimensional row. `only_a`, `only_b` restrict the headings
    (-1: any). Fills `which` (entry) and `place` (centre along k, forward and backward runs averaged); returns the
    number and the play left over in metres.
    """
    steps = extents.size
    opposite = (k + steps // 2) % steps
    edge, made = -1e18, 0
    early = np.empty(MOST_MATS)
    while made < MOST_MATS:
        best, best_end = -1, 1e18
        for e in range(count):
            if only_a >= 0 and heading[e] != only_a and heading[e] != only_b:
                continue
            half = extents[(heading[e] - k) % steps]
            at = max(-table[e, opposite], edge + half)
            if at <= table[e, k] and at + half < best_end - 1e-12:
                best, best_end = e, at + half
        if best < 0:
            break
        which[made] = best
        early[made] = best_end - extents[(heading[best] - k) % steps]
        edge = best_end
        made += 1
    edge, play = 1e18, 1e18
    for i in range(made - 1, -1, -1):
        half = extents[(heading[which[i]] - k) % steps]
        late = min(table[which[i], k], edge - half)
        play = min(play, late - early[i])
        place[i] = (early[i] + late) / 2
        edge = late - half
    return made, play


@compiled
def most_in_stack(table: Floats, heading: Ints, count: int, extents: Floats, stride: int) -> int:
    """Most mats in one stack over all directions, headings mixed at will."""
    which, place = np.empty(MOST_MATS, dtype=np.int64), np.empty(MOST_MATS)
    best = 0
    for k in range(0, extents.size // 2, stride):
        best = max(best, stack(table, heading, count, extents, k, -1, -1, which, place)[0])
    return best


@compiled
def best_stack(
    table: Floats, heading: Ints, count: int, extents: Floats, stride: int, wanted: int, tidy: int, which: Ints, place: Floats
) -> int:
    """Direction of the stack of `wanted` mats with most play, -1 when there is none; fills `which` and `place`.

    `tidy` 0: all heads one way; 1: heads either way along one line; 2: any headings.
    """
    steps = extents.size
    quarter, half = steps // 4, steps // 2
    some, at = np.empty(MOST_MATS, dtype=np.int64), np.empty(MOST_MATS)
    best, found = -1e18, -1
    for k in range(0, half if tidy == 2 else steps, stride):
        a = (k + quarter) % steps if tidy < 2 else -1
        b = (a + half) % steps if tidy == 1 else a
        made, play = stack(table, heading, count, extents, k, a, b, some, at)
        if made >= wanted and play > best:
            best, found = play, k
            which[:wanted], place[:wanted] = some[:wanted], at[:wanted]
    return found


@compiled
def _play(table: Floats, heading: Ints, extents: Floats, i: int, j: int, a: int, b: int, k: int) -> float:
    """How far apart mats of kinds `a` and `b` can lie along direction k, their centres in entries i and j; negative: they
    overlap by so much at least.
    """
    steps = extents.shape[1]
    return float(
        table[j, k] + table[i, (k + steps // 2) % steps] - extents[a, (heading[i] - k) % steps]
        - extents[b, (heading[j] - k) % steps]
    )  # fmt: skip


@compiled
def best_pair(
    table: Floats, heading: Ints, kind: Ints, count: int, extents: Floats, stride: int, enough: float, a: int, b: int
) -> tuple[float, int, int, int]:
    """Two entries, of kinds `a` and `b`, whose mats can be parted furthest: (play, first, second, direction between).

    `kind` says of which mat each entry holds the centres; `extents` (kinds, steps) are the mats' half extents. Two mats
    are apart when a side of one of them parts them, so only the mats' own side directions need trying; that the extreme
    centres can be taken apart from each other makes the answer exact for the given headings.
    """
    steps = extents.shape[1]
    quarter = steps // 4
    best, b1, b2, bk = -1e18, -1, -1, 0
    for i in range(count):
        if kind[i] != a:
            continue
        for j in range(i if a == b else 0, count):
            if kind[j] != b:
                continue
            for side in range(8):
                k = ((heading[i] if side < 4 else heading[j]) + (side % 4) * quarter) % steps
                if k % stride:
                    continue
                play = _play(table, heading, extents, i, j, a, b, k)
                if play > best:
                    best, b1, b2, bk = play, i, j, k
                    if best >= enough:
                        return best, b1, b2, bk
    return best, b1, b2, bk


@compiled
def hopeful(
    table: Floats, heading: Ints, kind: Ints, count: int, extents: Floats, stride: int, least: float, a: int, b: int,
    mark: Ints,
) -> None:  # fmt: skip
    """Set `mark` (steps,) of the headings of every pair of entries, of kinds `a` and `b`, parted by at least `least`."""
    steps = extents.shape[1]
    quarter = steps // 4
    for i in range(count):
        if kind[i] != a:
            continue
        for j in range(i if a == b else 0, count):
            if kind[j] != b or (mark[heading[i]] and mark[heading[j]]):
                continue
            for side in range(8):
                k = ((heading[i] if side < 4 else heading[j]) + (side % 4) * quarter) % steps
                if k % stride:
                    continue
                play = _play(table, heading, extents, i, j, a, b, k)
                if play >= least:
                    mark[heading[i]], mark[heading[j]] = 1, 1
                    break


@compiled
def best_triple(
    polygons: Floats, sizes: Ints, heading: Ints, kind: Ints, count: int, table: Floats, extents: Floats, people: Ints,
    directions: Ints, stride: int, ground: Floats, pair_m2: float,
) -> tuple[float, int, int, int, int, int]:  # fmt: skip
    """Three mats, of the kinds `people` (3,), of which a straight line parts one from the other two.

    For each direction of that line the one mat is pushed as far out as it goes; the two others are a pair in what is
    left of the convex `ground` (k, 2), unless that is smaller than `pair_m2`, the area of two mats.
    Returns (play, direction, first entry, pair entries, pair direction); play < 0 when nothing was found.
    """
    steps = extents.shape[1]
    half = steps // 2
    cut = np.empty_like(polygons)
    cut_sizes, cut_heading, back = np.empty_like(sizes), np.empty_like(heading), np.empty_like(heading)
    cut_kind, cut_table = np.empty_like(kind), np.empty_like(table)
    left = np.empty((MOST_CORNERS, 2))
    best, bk, b0, b1, b2, bd = -1e18, -1, -1, -1, -1, -1
    for lone in range(3):
        if (lone > 0 and people[lone] == people[0]) or (lone > 1 and people[lone] == people[1]):
            continue
        one, two = people[(lone + 1) % 3], people[(lone + 2) % 3]
        for k in directions:
            nx, ny = np.cos(2 * np.pi * k / steps), np.sin(2 * np.pi * k / steps)
            edge, first = 1e18, -1
            for e in range(count):
                if kind[e] == people[lone]:
                    end = -table[e, (k + half) % steps] + 2 * extents[people[lone], (heading[e] - k) % steps]
                    if end < edge:
                        edge, first = end, e
            if first < 0:
                continue
            corners = clip(ground, ground.shape[0], nx, ny, edge, left)
            if corners < 3 or area(left, corners) < pair_m2:
                continue
            made = 0
            for e in range(count):
                if kind[e] != one and kind[e] != two:
                    continue
                b = edge + extents[kind[e], (heading[e] - k) % steps]
                if table[e, k] < b:
                    continue
                n = clip(polygons[e], sizes[e], nx, ny, b, cut[made])
                if n >= 3:
                    cut_sizes[made], cut_heading[made], cut_kind[made], back[made] = n, heading[e], kind[e], e
                    made += 1
            if made == 0:
                continue
            support_table(cut, cut_sizes, made, steps, stride, cut_table)
            play, i, j, d = best_pair(cut_table, cut_heading, cut_kind, made, extents, stride, 0.0, one, two)
            if play > best:
                best, bk, b0, b1, b2, bd = play, k, first, back[i], back[j], d
                if best >= 0.0:
                    return best, bk, b0, b1, b2, bd
    return best, bk, b0, b1, b2, bd


@compiled
def mixed_stack(
    table: Floats, heading: Ints, kind: Ints, count: int, extents: Floats, k: int, each: Ints, which: Ints, place: Floats
) -> int:
    """Mats of several kinds one after the other along direction k, `each` (kinds,) of them; greedy by the earliest end.

    Fills `which` (entry) and `place` (centre along k); returns how many were laid.
    """
    steps = extents.shape[1]
    opposite = (k + steps // 2) % steps
    left = each.copy()
    edge, made = -1e18, 0
    while made < MOST_MATS:
        best, best_end = -1, 1e18
        for e in range(count):
            if left[kind[e]] == 0:
                continue
            half = extents[kind[e], (heading[e] - k) % steps]
            at = max(-table[e, opposite], edge + half)
            if at <= table[e, k] and at + half < best_end - 1e-12:
                best, best_end = e, at + half
        if best < 0:
            break
        which[made] = best
        place[made] = best_end - extents[kind[best], (heading[best] - k) % steps]
        left[kind[best]] -= 1
        edge = best_end
        made += 1
    return made


@compiled
def rows(
    polygons: Floats, sizes: Ints, heading: Ints, count: int, table: Floats, width: float, length: float, steps: int,
    step_m: float, most_rows: int, row_at: Floats, row_entry: Ints,
) -> tuple[int, int, int]:  # fmt: skip
    """Most mats in two rows or more, all along one line of headings, heads either way row by row.

    Returns (mats, rows, heading of the rows) and fills `row_at` (place along the heading) and `row_entry`.
    """
    half = steps // 2
    gap = int(np.ceil(length / step_m))
    step = length / gap  # a whole number of steps to a mat's length, so that rows may touch
    grid = 2048
    best, best_rows, best_heading = 0, 0, 0
    number, entry, total = np.empty(grid, dtype=np.int64), np.empty(grid, dtype=np.int64), np.empty(grid, dtype=np.int64)
    for h in range(half):
        low, high = 1e18, -1e18
        for e in range(count):
            if heading[e] % half == h:
                low, high = min(low, -table[e, (h + half) % steps]), max(high, table[e, h])
        if high - low < length:  # no second row: a stack does as well
            continue
        cells = int((high - low) / step) + 1
        if cells <= 0 or cells > grid:
            continue
        nx, ny = np.cos(2 * np.pi * h / steps), np.sin(2 * np.pi * h / steps)
        for g in range(cells):
            number[g], entry[g] = 0, -1
            for e in range(count):
                if heading[e] % half == h:
                    a, b = chord(polygons[e], sizes[e], nx, ny, low + g * step)
                    fit = int((b - a) / width) + 1 if b >= a else 0
                    if fit > number[g]:
                        number[g], entry[g] = fit, e
            total[g] = max(number[g] + (total[g - gap] if g >= gap else 0), total[g - 1] if g else 0)
        if total[cells - 1] > best:
            best, best_rows, best_heading = total[cells - 1], 0, h
            g = cells - 1
            while g >= 0 and total[g] > 0 and best_rows < most_rows:
                if g > 0 and total[g] == total[g - 1]:
                    g -= 1
                else:
                    row_at[best_rows], row_entry[best_rows] = low + g * step, entry[g]
                    best_rows += 1
                    g -= gap
    return best, best_rows, best_heading
