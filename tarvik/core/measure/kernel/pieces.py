"""Regions as convex pieces that do not overlap, of which convex polygons take some away or keep
some: exactly, no grid.

`points` (MOST_POINTS, 2) holds the corners of one piece after the other, `ends` (MOST_PIECES + 1,)
where each begins and the last one ends. All polygons run anticlockwise.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.polygon import FLAT_M2, SAME_M, area, clip, hull

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

MOST_PIECES = 1000
MOST_POINTS = 6000
MOST_SIDES = 64
"""Corners that one polygon, or one piece, may have here."""
NOTHING_M2 = 1e-11
"""Ground so small is neither cut off nor kept."""
HAIR_M = 1e-12
"""A piece that crosses a side by less does not cross it."""
BARE_M2 = 1e-9
"""Ground so small, wetted anew, does not count."""
HEM_M = 1e-7
"""An edge no higher than this lies on the ground, and corners this near are one."""


@compiled
def _room() -> tuple[Floats, Ints]:
    """An empty set of pieces."""
    return np.empty((MOST_POINTS, 2)), np.zeros(MOST_PIECES + 1, dtype=np.int64)


@compiled
def _put(some: Floats, count: int, points: Floats, ends: Ints, pieces: int) -> int:
    """One piece more, no corner of it twice; returns how many there are, or -1 when there is no
    room for it.
    """
    if pieces < 0 or pieces >= MOST_PIECES or ends[pieces] + count > MOST_POINTS:
        return -1
    at = ends[pieces]
    for i in range(count):
        h = i - 1 if i else count - 1
        if abs(some[i, 0] - some[h, 0]) > HAIR_M or abs(some[i, 1] - some[h, 1]) > HAIR_M:
            points[at, 0], points[at, 1] = some[i, 0], some[i, 1]
            at += 1
    ends[pieces + 1] = at
    return pieces + 1


@compiled
def _crossed(some: Floats, count: int, shape: Floats, sides: int, crossed: Ints) -> int:
    """Numbers of a polygon's sides that run across a piece into `crossed`; returns how many, or -1
    when the piece lies outside.
    """
    made = 0
    for i in range(sides):
        j = i + 1 if i + 1 < sides else 0
        nx, ny = shape[i, 1] - shape[j, 1], shape[j, 0] - shape[i, 0]
        size = np.hypot(nx, ny)
        if size < SAME_M:
            continue
        b = nx * shape[i, 0] + ny * shape[i, 1]
        low, high = 1e18, -1e18
        for k in range(count):
            off = nx * some[k, 0] + ny * some[k, 1] - b
            low, high = min(low, off), max(high, off)
        if high <= HAIR_M * size:
            return -1
        if low < -HAIR_M * size:
            crossed[made] = i
            made += 1
    return made


@compiled
def part(
    points: Floats,
    ends: Ints,
    pieces: int,
    shape: Floats,
    sides: int,
    inner: Floats,
    inner_ends: Ints,
    held: int,
    outer: Floats,
    outer_ends: Ints,
    left: int,
    work: Floats,
    crossed: Ints,
) -> tuple[int, int]:
    """Put the parts of the pieces inside a convex polygon into `inner`, behind the `held` there,
    and those outside into `outer`, behind the `left` there; returns how many are then in each, -1
    when they did not fit. A piece that the polygon does not touch, or holds whole, stays in one.
    `work` (3, MOST_SIDES, 2) and `crossed` (MOST_SIDES,) are room to work in.
    """
    some, other, off = work[0], work[1], work[2]
    if pieces < 0:
        return -1, -1
    for p in range(pieces):
        count = ends[p + 1] - ends[p]
        piece = points[ends[p] : ends[p + 1]]
        cuts = _crossed(piece, count, shape, sides, crossed)
        if cuts < 0:
            left = _put(piece, count, outer, outer_ends, left)
        elif cuts == 0:
            held = _put(piece, count, inner, inner_ends, held)
        elif count + cuts > MOST_SIDES:
            return -1, -1
        else:
            mark, whole = left, area(piece, count)
            some[:count] = piece
            for c in range(cuts):
                i = crossed[c]
                j = i + 1 if i + 1 < sides else 0
                nx, ny = shape[i, 1] - shape[j, 1], shape[j, 0] - shape[i, 0]
                b = nx * shape[i, 0] + ny * shape[i, 1]
                cut = clip(some, count, -nx, -ny, -b, off)
                if cut >= 3 and area(off, cut) > NOTHING_M2:
                    left = _put(off, cut, outer, outer_ends, left)
                    count = clip(some, count, nx, ny, b, other)
                    some, other = other, some
                    if count < 3:
                        break
            size = area(some, count) if count >= 3 else 0.0
            if size > NOTHING_M2:
                left = mark if size >= whole - NOTHING_M2 else left
                held = _put(some, count, inner, inner_ends, held)
            else:  # what was cut off belongs together again
                left = _put(piece, piece.shape[0], outer, outer_ends, mark)
        if held < 0 or left < 0:
            return -1, -1
    return held, left


@compiled
def pieces_area(points: Floats, ends: Ints, pieces: int) -> float:
    """Area of all pieces."""
    total = 0.0
    for p in range(pieces):
        total += area(points[ends[p] : ends[p + 1]], ends[p + 1] - ends[p])
    return total


class Less(NamedTuple):
    """Pieces without a polygon: their corners, where each ends, how many; and what may be
    written to.
    """

    corners: Floats
    ends: Ints
    pieces: int
    spare: Floats
    spare_ends: Ints


@compiled
def _less(
    points: Floats,
    ends: Ints,
    pieces: int,
    shape: Floats,
    sides: int,
    rest: Floats,
    rest_ends: Ints,
    spare: tuple[Floats, Ints, Floats, Ints],
) -> Less:
    """The pieces without a convex polygon, written to `rest`: what was the pieces is then what may
    be written to. `spare` (see `_spare`) is room to work in.
    """
    inner, inner_ends, work, crossed = spare
    _, left = part(
        points,
        ends,
        pieces,
        shape,
        sides,
        inner,
        inner_ends,
        0,
        rest,
        rest_ends,
        0,
        work,
        crossed,
    )
    return Less(rest, rest_ends, left, points, ends)


class Spare(NamedTuple):
    """Room to work in: corners and ends of pieces, rings, and the rings' sizes."""

    corners: Floats
    ends: Ints
    rings: Floats
    sizes: Ints


@compiled
def _spare() -> Spare:
    points, ends = _room()
    return Spare(
        points, ends, np.empty((3, MOST_SIDES, 2)), np.empty(MOST_SIDES, dtype=np.int64)
    )


@compiled
def _add(
    points: Floats, ends: Ints, pieces: int, to: Floats, to_ends: Ints, held: int
) -> int:
    """Put all pieces behind the `held` ones of others; returns how many are there then, -1 when
    there is no room.
    """
    for p in range(pieces):
        held = _put(points[ends[p] : ends[p + 1]], ends[p + 1] - ends[p], to, to_ends, held)
    return held if pieces >= 0 else -1


@compiled
def covered(
    shadows: Floats, corners: Ints, sizes: Floats, points: Floats, ends: Ints
) -> int:
    """Ground under any of the shadows (F, V, 2) of convex faces, of `sizes` (F,), in pieces;
    returns their number, or -1.
    """
    (own, own_ends), (rest, rest_ends), spare = _room(), _room(), _spare()
    pieces = 0
    for f in range(corners.size):
        if sizes[f] < FLAT_M2:
            continue
        count = _put(shadows[f], corners[f], own, own_ends, 0)
        for g in range(f):
            if sizes[g] >= FLAT_M2:
                own, own_ends, count, rest, rest_ends = _less(
                    own, own_ends, count, shadows[g], corners[g], rest, rest_ends, spare
                )
        pieces = _add(own, own_ends, count, points, ends, pieces)
    return pieces


class Without(NamedTuple):
    """What lies outside all zones: whether there was room for it, corners, and where
    pieces end.
    """

    had_room: bool
    corners: Floats
    ends: Ints


@compiled
def without_any(points: Floats, ends: Ints, zones: Floats) -> Without:
    """What of the pieces lies outside all convex zones (Z, V, 2); whether there was room for it."""
    (some, some_ends), (rest, rest_ends), spare = _room(), _room(), _spare()
    pieces = _add(points, ends, ends.size - 1, some, some_ends, 0)
    for z in range(zones.shape[0]):
        some, some_ends, pieces, rest, rest_ends = _less(
            some, some_ends, pieces, zones[z], zones.shape[1], rest, rest_ends, spare
        )
    if pieces < 0:
        return Without(False, points[:0], ends[:1])
    return Without(True, some[: some_ends[pieces]].copy(), some_ends[: pieces + 1].copy())


@compiled
def _convex(points: Floats, ends: Ints, pieces: int) -> int:
    """Make one piece of all where together they are convex; returns the number of pieces."""
    if pieces > 1:
        around = np.empty((2 * ends[pieces] + 2, 2))
        count = hull(points, ends[pieces], around)
        if (
            3 <= count < MOST_SIDES
            and area(around, count) - pieces_area(points, ends, pieces) <= NOTHING_M2
        ):
            return _put(around, count, points, ends, 0)
    return pieces


class DryPieces(NamedTuple):
    """Dry ground: its area, m2 (-1 for too many pieces), corners, and where pieces end."""

    area_m2: float
    corners: Floats
    ends: Ints


@compiled
def dry_under(
    shadows: Floats, corners: Ints, sizes: Floats, order: Ints, wets: Bools
) -> DryPieces:
    """Area (m2) and pieces of the ground that lies in the shadows (K, F, V, 2), of `sizes` (K, F),
    of every fall of the rain, the calm one first and the others in an `order`; -1 when there are
    too many pieces. `wets` (K,) tells the falls that wet what those before them left dry.

    Of each piece what no shadow of a fall covers is taken away, so that what stays dry stays in few
    pieces.
    """
    (points, ends), (dry, dry_ends), (wet, wet_ends), (rest, rest_ends) = (
        _room(),
        _room(),
        _room(),
        _room(),
    )
    (own, own_ends), spare = _room(), _spare()
    pieces = _convex(points, ends, covered(shadows[0], corners, sizes[0], points, ends))
    if pieces < 0:
        return DryPieces(-1.0, points[:0], ends[:1])
    before = pieces_area(points, ends, pieces)
    for k in order:
        kept = 0
        for p in range(pieces):
            piece, size = points[ends[p] : ends[p + 1]], ends[p + 1] - ends[p]
            left = _put(piece, size, wet, wet_ends, 0)
            for f in range(corners.size):
                if left > 0 and sizes[k, f] >= FLAT_M2:
                    wet, wet_ends, left, rest, rest_ends = _less(
                        wet,
                        wet_ends,
                        left,
                        shadows[k, f],
                        corners[f],
                        rest,
                        rest_ends,
                        spare,
                    )
            if left < 0:
                return DryPieces(-1.0, points[:0], ends[:1])
            count = _put(piece, size, own, own_ends, 0)
            if pieces_area(wet, wet_ends, left) > NOTHING_M2:
                for w in range(left):
                    own, own_ends, count, rest, rest_ends = _less(
                        own,
                        own_ends,
                        count,
                        wet[wet_ends[w] : wet_ends[w + 1]],
                        wet_ends[w + 1] - wet_ends[w],
                        rest,
                        rest_ends,
                        spare,
                    )
            kept = _add(own, own_ends, count, dry, dry_ends, kept)
            if kept < 0:
                return DryPieces(-1.0, points[:0], ends[:1])
        points, ends, dry, dry_ends, pieces = dry, dry_ends, points, ends, kept
        after = pieces_area(points, ends, pieces)
        wets[k], before = after < before - BARE_M2, after
        if pieces == 0:
            break
    return DryPieces(before, points[: ends[pieces]].copy(), ends[: pieces + 1].copy())


@compiled
def _same(a: Floats, b: Floats) -> bool:
    return bool(
        abs(a[0] - b[0]) < HEM_M and abs(a[1] - b[1]) < HEM_M and abs(a[2] - b[2]) < HEM_M
    )


@compiled
def _shared(faces: Floats, corners: Ints, f: int, a: Floats, b: Floats) -> bool:
    """Whether any face but `f` has the edge between two corners too."""
    for g in range(corners.size):
        for j in range(corners[g]):
            c, d = faces[g, j], faces[g, j + 1 if j + 1 < corners[g] else 0]
            if g != f and ((_same(a, c) and _same(b, d)) or (_same(a, d) and _same(b, c))):
                return True
    return False


@compiled
def _wet_margins(faces: Floats, corners: Ints, travels: Floats) -> Floats:
    """Quadrilaterals (M, 4, 2) where rain comes in under a convex lid's upwind edges, the largest
    first: for each edge and fall one.

    Under a concave roof on a convex plan a ray against the rain is stopped unless it leaves the
    plan below the edge it passes; so exactly the ground within (height of the edge) x (travel per
    metre) downwind of an edge is wet.
    """
    most = faces.shape[0] * faces.shape[1] * travels.shape[0]
    margins, sizes, made = np.empty((most, 4, 2)), np.empty(most), 0
    for f in range(corners.size):
        n = corners[f]
        right = area(faces[f], n) > 0
        for i in range(n):
            a, b = faces[f, i], faces[f, i + 1 if i + 1 < n else 0]
            if not right:
                a, b = b, a  # the face on the left
            if max(a[2], b[2]) <= HEM_M or _shared(faces, corners, f, a, b):
                continue
            for k in range(travels.shape[0]):
                x, y = travels[k]
                if (b[0] - a[0]) * y - (b[1] - a[1]) * x > 0.0:
                    margin = margins[made]
                    margin[0, 0], margin[0, 1], margin[1, 0], margin[1, 1] = (
                        a[0],
                        a[1],
                        b[0],
                        b[1],
                    )
                    margin[2, 0], margin[2, 1] = b[0] + b[2] * x, b[1] + b[2] * y
                    margin[3, 0], margin[3, 1] = a[0] + a[2] * x, a[1] + a[2] * y
                    sizes[made] = -area(margin, 4)
                    made += sizes[made] < -FLAT_M2
    return margins[np.argsort(sizes[:made])]


class DryUnderLid(NamedTuple):
    """The same under a lid, and the wet margins (M, 4, 2) that it is the plan without."""

    area_m2: float
    corners: Floats
    ends: Ints
    margins: Floats


@compiled
def dry_under_lid(
    rim: Floats, faces: Floats, corners: Ints, travels: Floats
) -> DryUnderLid:
    """Area (m2) and pieces of the ground under a convex lid with the outline `rim` (k, 2) that
    stays dry when rain moves each of `travels` (K, 2) sideways per metre of fall, -1 when there are
    too many pieces; and the wet margins (M, 4, 2) that it is the plan without.
    """
    margins = _wet_margins(faces, corners, travels)
    (points, ends), (rest, rest_ends), spare = _room(), _room(), _spare()
    pieces, kept = _put(rim, rim.shape[0], points, ends, 0), 0
    before = area(rim, rim.shape[0])
    for m in range(margins.shape[0]):
        points, ends, pieces, rest, rest_ends = _less(
            points, ends, pieces, margins[m], 4, rest, rest_ends, spare
        )
        if pieces < 0:
            return DryUnderLid(-1.0, points[:0], ends[:1], margins)
        after = pieces_area(points, ends, pieces)
        if after < before - BARE_M2:
            margins[kept] = margins[m]
            kept += 1
        before = after
    return DryUnderLid(
        before, points[: ends[pieces]].copy(), ends[: pieces + 1].copy(), margins[:kept]
    )


@compiled
def hull_and_gaps(points: Floats, ends: Ints) -> tuple[Floats, Floats]:
    """Convex hull (k, 2) of all pieces, and what it has more than they, as triangles (T, 3, 2) that
    do not overlap. No hull and no triangle when there is no room for it, or no piece.
    """
    ring = np.empty((2 * points.shape[0] + 2, 2))
    around = hull(points, points.shape[0], ring)
    (gaps, gap_ends), (rest, rest_ends), spare = _room(), _room(), _spare()
    count = _put(ring, around, gaps, gap_ends, 0) if 3 <= around < MOST_SIDES else -1
    for p in range(ends.size - 1):
        gaps, gap_ends, count, rest, rest_ends = _less(
            gaps,
            gap_ends,
            count,
            points[ends[p] : ends[p + 1]],
            ends[p + 1] - ends[p],
            rest,
            rest_ends,
            spare,
        )
    if count < 0:
        return ring[:0].copy(), np.empty((0, 3, 2))
    triangles, made = np.empty((gap_ends[count], 3, 2)), 0
    for p in range(count):
        first = gap_ends[p]
        if area(gaps[first : gap_ends[p + 1]], gap_ends[p + 1] - first) > BARE_M2:
            for i in range(first + 1, gap_ends[p + 1] - 1):
                triangles[made, 0], triangles[made, 1], triangles[made, 2] = (
                    gaps[first],
                    gaps[i],
                    gaps[i + 1],
                )
                made += 1
    return ring[:around].copy(), triangles[:made].copy()
