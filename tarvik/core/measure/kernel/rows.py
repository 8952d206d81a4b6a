"""Mats in rows: those of a row beside each other, the rows one behind the other along one line of
headings.

Where a mat's centre may lie is a convex polygon (see centres.py), so the stretch on which a row of
so many has room is one interval of places along the heading, known exactly; the best rows are then
chosen by the earliest end.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.mats import MOST_MATS
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, chord

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

NOWHERE = 1e17
"""Places beyond this are none."""
PLAY_M = 1e-10
"""So much less than a row's width still is its width: an exact fit counts as one."""


@compiled
def _chords(
    polygon: Floats, size: int, nx: float, ny: float, place: Floats, wide: Floats
) -> None:
    """Places (size,) of a convex polygon's corners along (nx, ny), from the least on, and how wide
    it is across there.
    """
    for i in range(size):
        at = nx * polygon[i, 0] + ny * polygon[i, 1]
        j = i
        while j > 0 and place[j - 1] > at:
            place[j] = place[j - 1]
            j -= 1
        place[j] = at
    for i in range(size):
        a, b = chord(polygon, size, nx, ny, place[i])
        wide[i] = max(b - a, 0.0)


@compiled
def stretch_as_wide(
    place: Floats, wide: Floats, size: int, least: float
) -> tuple[float, float]:
    """Stretch (from, to) of places on which something whose width changes evenly between the places
    told, and has one greatest, is at least so wide; (1, 0) where it is nowhere.
    """
    low, high = 1.0, 0.0
    for i in range(size):
        if wide[i] < least:
            continue
        if low > high:
            low = place[i]
            if i > 0:
                low -= (
                    (wide[i] - least) / (wide[i] - wide[i - 1]) * (place[i] - place[i - 1])
                )
        high = place[i]
        if i + 1 < size and wide[i + 1] < least:
            high += (wide[i] - least) / (wide[i] - wide[i + 1]) * (place[i + 1] - place[i])
    return low, high


@compiled
def _stretches(
    polygons: Floats,
    sizes: Ints,
    some: Ints,
    table: Floats,
    h: int,
    mat_wide: float,
    entry: Ints,
    mats: Ints,
    ends: Floats,
) -> int:
    """For each of `some` entries and each number of mats beside each other it has room for, the
    stretch of places: into `entry`, `mats` and `ends` (N, 2); returns how many.
    """
    steps = table.shape[1]
    nx, ny = np.cos(2 * np.pi * h / steps), np.sin(2 * np.pi * h / steps)
    place, wide = np.empty(MOST_CORNERS), np.empty(MOST_CORNERS)
    made = 0
    for e in some:
        _chords(polygons[e], sizes[e], nx, ny, place, wide)
        most = 1 + int((wide[: sizes[e]].max() + PLAY_M) / mat_wide)
        for n in range(1, most + 1):
            low, high = stretch_as_wide(place, wide, sizes[e], (n - 1) * mat_wide - PLAY_M)
            if low <= high and made < entry.size:
                entry[made], mats[made], ends[made, 0], ends[made, 1] = e, n, low, high
                made += 1
    return made


@compiled
def _chosen(
    mats: Ints, ends: Floats, count: int, length: float, which: Ints
) -> tuple[int, int]:
    """Most mats in rows that lie a mat's length apart, of rows with so many mats and such
    stretches; returns their number and that of the rows, whose numbers go into `which`, the first
    place first.
    """
    free, last = np.full(MOST_MATS + 1, NOWHERE), np.full(MOST_MATS + 1, -1)
    free[0], best = -NOWHERE, 0
    for total in range(
        1, MOST_MATS + 1
    ):  # `free`: the first place at which a row may follow so many mats
        for r in range(count):
            if mats[r] > total or free[total - mats[r]] == NOWHERE:
                continue
            at = max(ends[r, 0], free[total - mats[r]])
            if at <= ends[r, 1] and at + length < free[total]:
                free[total], last[total] = at + length, r
        if last[total] < 0:
            break
        best = total
    made, left = 0, best
    while left > 0:
        made += 1
        left -= mats[last[left]]
    left = best
    for i in range(made - 1, -1, -1):
        which[i] = last[left]
        left -= mats[which[i]]
    return best, made


class BestRows(NamedTuple):
    """Rows of mats: how many mats, how many rows, and the heading of the rows; all 0 where
    fewer fit.
    """

    mats: int
    rows: int
    heading: int


@compiled
def rows(
    polygons: Floats,
    sizes: Ints,
    heading: Ints,
    count: int,
    table: Floats,
    width: float,
    length: float,
    least: int,
    row_at: Floats,
    row_entry: Ints,
    row_mats: Ints,
) -> BestRows:
    """Most mats in two rows or more, all along one line of headings, heads either way row by row;
    at `least` so many.

    `table` (count, steps) is the entries' support table. Returns (mats, rows, heading of the rows),
    all 0 where fewer fit, and fills `row_at` (place along the heading, as far from both neighbours
    as may be), `row_entry` and `row_mats` (mats in the row), each (MOST_MATS,).
    """
    steps = table.shape[1]
    half, quarter = steps // 2, steps // 4
    best, best_rows, best_heading = least - 1, 0, 0
    some = np.empty(count, dtype=np.int64)
    most = 8 * count
    entry, mats, ends = (
        np.empty(most, dtype=np.int64),
        np.empty(most, dtype=np.int64),
        np.empty((most, 2)),
    )
    which = np.empty(MOST_MATS, dtype=np.int64)
    for h in range(half):
        low, high, wide, along = 1e18, -1e18, 0.0, 0
        for e in range(count):
            if heading[e] % half == h:
                low, high = min(low, -table[e, (h + half) % steps]), max(high, table[e, h])
                wide = max(
                    wide,
                    table[e, (h + quarter) % steps]
                    + table[e, (h + quarter + half) % steps],
                )
                some[along] = e
                along += 1
        if along == 0 or high - low < length:  # no second row: a stack does as well
            continue
        if (1 + int((high - low) / length)) * (1 + int((wide + PLAY_M) / width)) <= best:
            continue
        made = _stretches(polygons, sizes, some[:along], table, h, width, entry, mats, ends)
        total, lines = _chosen(mats, ends, made, length, which)
        if total > best:
            best, best_rows, best_heading = total, lines, h
            _placed(mats, ends, entry, which, lines, length, row_at, row_entry, row_mats)
    return BestRows(best, best_rows, best_heading) if best_rows else BestRows(0, 0, 0)


@compiled
def _placed(
    mats: Ints,
    ends: Floats,
    entry: Ints,
    which: Ints,
    count: int,
    length: float,
    row_at: Floats,
    row_entry: Ints,
    row_mats: Ints,
) -> None:
    """Lay the chosen rows midway between where each lies when all lie as early, and as late, as may
    be.
    """
    edge = -NOWHERE
    for i in range(count):
        r = which[i]
        row_entry[i], row_mats[i], row_at[i] = entry[r], mats[r], max(ends[r, 0], edge)
        edge = row_at[i] + length
    edge = NOWHERE
    for i in range(count - 1, -1, -1):
        late = min(ends[which[i], 1], edge)
        edge = late - length
        row_at[i] = (row_at[i] + late) / 2
