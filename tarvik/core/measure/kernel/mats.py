"""How many mats go in beside each other, of whose centres the `entries` tell where they may lie
(see centres.py).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area, clip, support

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

MOST_MATS = 40


@compiled
def support_table(
    polygons: Floats, sizes: Ints, count: int, steps: int, stride: int, table: Floats
) -> None:
    """Support function of every entry in every `stride`-th direction: table (count, steps)."""
    for k in range(0, steps, stride):
        nx, ny = np.cos(2 * np.pi * k / steps), np.sin(2 * np.pi * k / steps)
        for e in range(count):
            table[e, k] = support(polygons[e], sizes[e], nx, ny)


@compiled
def widest(polygons: Floats, sizes: Ints) -> int:
    """Number of the largest entry; -1 when there is none."""
    most, found = -1.0, -1
    for e in range(sizes.size):
        size = abs(area(polygons[e], sizes[e]))
        if size > most:
            most, found = size, e
    return found


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
    table: Floats,
    heading: Ints,
    count: int,
    extents: Floats,
    k: int,
    only_a: int,
    only_b: int,
    which: Ints,
    place: Floats,
) -> tuple[int, float]:
    """Most mats one after the other along direction k, parted by straight lines across it.

    Greedy by the earliest end, which is best for a one-dimensional row. `only_a`, `only_b` restrict
    the headings (-1: any). Fills `which` (entry) and `place` (centre along k, forward and backward
    runs averaged); returns the number and the play left over in metres.
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
def most_in_stack(
    table: Floats, heading: Ints, count: int, extents: Floats, stride: int
) -> int:
    """Most mats in one stack over all directions, headings mixed at will."""
    which, place = np.empty(MOST_MATS, dtype=np.int64), np.empty(MOST_MATS)
    half = extents.size // 2
    best, width = 0, 2 * extents.min()
    for k in range(0, half, stride):
        if (
            1 + int(_span(table, count, k) / width + 1e-9) > best
        ):  # their middles lie a mat's width apart at least
            best = max(
                best, stack(table, heading, count, extents, k, -1, -1, which, place)[0]
            )
    return best


@compiled
def _span(table: Floats, count: int, k: int) -> float:
    """How far apart along direction k centres may be at most."""
    low, high, opposite = 1e18, -1e18, k + table.shape[1] // 2
    for e in range(count):
        low, high = min(low, -table[e, opposite]), max(high, table[e, k])
    return high - low


@compiled
def best_stack(
    table: Floats,
    heading: Ints,
    count: int,
    extents: Floats,
    stride: int,
    wanted: int,
    tidy: int,
    which: Ints,
    place: Floats,
) -> int:
    """Direction of the stack of `wanted` mats with most play, -1 when there is none; fills `which`
    and `place`.

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
def _play(
    table: Floats, heading: Ints, extents: Floats, i: int, j: int, a: int, b: int, k: int
) -> float:
    """How far apart mats of kinds `a` and `b` can lie along direction k, their centres in entries i
    and j; negative: they overlap by so much at least.
    """
    steps = extents.shape[1]
    return float(
        table[j, k]
        + table[i, (k + steps // 2) % steps]
        - extents[a, (heading[i] - k) % steps]
        - extents[b, (heading[j] - k) % steps]
    )


class BestPair(NamedTuple):
    """The two entries whose mats can be parted furthest: the play, both, and the direction
    between.
    """

    play: float
    first: int
    second: int
    direction: int


@compiled
def best_pair(
    table: Floats,
    heading: Ints,
    kind: Ints,
    count: int,
    extents: Floats,
    stride: int,
    enough: float,
    a: int,
    b: int,
) -> BestPair:
    """Two entries, of kinds `a` and `b`, whose mats can be parted furthest: (play, first, second,
    direction between).

    `kind` says of which mat each entry holds the centres; `extents` (kinds, steps) are the mats'
    half extents. Two mats are apart when a side of one of them parts them, so only the mats' own
    side directions need trying; that the extreme centres can be taken apart from each other makes
    the answer exact for the given headings.
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
                k = (
                    (heading[i] if side < 4 else heading[j]) + (side % 4) * quarter
                ) % steps
                if k % stride:
                    continue
                play = _play(table, heading, extents, i, j, a, b, k)
                if play > best:
                    best, b1, b2, bk = play, i, j, k
                    if best >= enough:
                        return BestPair(best, b1, b2, bk)
    return BestPair(best, b1, b2, bk)


@compiled
def hopeful(
    table: Floats,
    heading: Ints,
    kind: Ints,
    count: int,
    extents: Floats,
    stride: int,
    least: float,
    a: int,
    b: int,
    mark: Ints,
) -> None:
    """Set `mark` (steps,) of the headings of every pair of entries, of kinds `a` and `b`, parted by
    at least `least`.
    """
    steps = extents.shape[1]
    quarter = steps // 4
    for i in range(count):
        if kind[i] != a:
            continue
        for j in range(i if a == b else 0, count):
            if kind[j] != b or (mark[heading[i]] and mark[heading[j]]):
                continue
            for side in range(8):
                k = (
                    (heading[i] if side < 4 else heading[j]) + (side % 4) * quarter
                ) % steps
                if k % stride:
                    continue
                play = _play(table, heading, extents, i, j, a, b, k)
                if play >= least:
                    mark[heading[i]], mark[heading[j]] = 1, 1
                    break


class BestTriple(NamedTuple):
    """Three entries parted by a line: the play, its direction, the first, the pair, and
    the direction between those two.
    """

    play: float
    direction: int
    first: int
    second: int
    third: int
    pair_direction: int


@compiled
def best_triple(
    polygons: Floats,
    sizes: Ints,
    heading: Ints,
    kind: Ints,
    count: int,
    table: Floats,
    extents: Floats,
    people: Ints,
    directions: Ints,
    stride: int,
    ground: Floats,
    pair_m2: float,
) -> BestTriple:
    """Three mats, of the kinds `people` (3,), of which a straight line parts one from the other
    two.

    For each direction of that line the one mat is pushed as far out as it goes; the two others are
    a pair in what is left of the convex `ground` (k, 2), unless that is smaller than `pair_m2`, the
    area of two mats. Returns (play, direction, first entry, pair entries, pair direction); play < 0
    when nothing was found.
    """
    steps = extents.shape[1]
    half = steps // 2
    cut = np.empty_like(polygons)
    cut_sizes, cut_heading, back = (
        np.empty_like(sizes),
        np.empty_like(heading),
        np.empty_like(heading),
    )
    cut_kind, cut_table = np.empty_like(kind), np.empty_like(table)
    left = np.empty((MOST_CORNERS, 2))
    best, bk, b0, b1, b2, bd = -1e18, -1, -1, -1, -1, -1
    for lone in range(3):
        if (lone > 0 and people[lone] == people[0]) or (
            lone > 1 and people[lone] == people[1]
        ):
            continue
        one, two = people[(lone + 1) % 3], people[(lone + 2) % 3]
        for k in directions:
            nx, ny = np.cos(2 * np.pi * k / steps), np.sin(2 * np.pi * k / steps)
            edge, first = 1e18, -1
            for e in range(count):
                if kind[e] == people[lone]:
                    end = (
                        -table[e, (k + half) % steps]
                        + 2 * extents[people[lone], (heading[e] - k) % steps]
                    )
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
                    cut_sizes[made], cut_heading[made], cut_kind[made], back[made] = (
                        n,
                        heading[e],
                        kind[e],
                        e,
                    )
                    made += 1
            if made == 0:
                continue
            support_table(cut, cut_sizes, made, steps, stride, cut_table)
            play, i, j, d = best_pair(
                cut_table, cut_heading, cut_kind, made, extents, stride, 0.0, one, two
            )
            if play > best:
                best, bk, b0, b1, b2, bd = play, k, first, back[i], back[j], d
                if best >= 0.0:
                    return BestTriple(best, bk, b0, b1, b2, bd)
    return BestTriple(best, bk, b0, b1, b2, bd)


@compiled
def mixed_stack(
    table: Floats,
    heading: Ints,
    kind: Ints,
    count: int,
    extents: Floats,
    k: int,
    each: Ints,
    which: Ints,
    place: Floats,
) -> int:
    """Mats of several kinds one after the other along direction k, `each` (kinds,) of them; greedy
    by the earliest end.

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
