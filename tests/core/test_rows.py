"""Mats in rows: the stretch that a row has room on against Shapely, the rows chosen against every
choice on a fine grid.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from shapely import LineString, MultiPoint, Polygon

from tarvik.core.measure.kernel.mats import MOST_MATS, support_table
from tarvik.core.measure.kernel.polygon import MOST_CORNERS
from tarvik.core.measure.kernel.rows import rows, stretch_as_wide
from tarvik.core.measure.mats import STEPS

if TYPE_CHECKING:
    from numpy.typing import NDArray

WIDTH_M, LENGTH_M = 0.6, 1.85
FAR_M = 20.0
MILLIMETRES = st.integers(-3000, 3000).map(lambda n: n / 1000)
PLACES = st.lists(st.tuples(MILLIMETRES, MILLIMETRES), min_size=3, max_size=9)


def hull_of(points: list[tuple[float, float]]) -> Polygon:
    """Their convex hull, as long as it is no sliver."""
    hull = MultiPoint(points).convex_hull
    assume(isinstance(hull, Polygon) and hull.area > 0.05)
    return hull


def across(shape: Polygon, x: float) -> float:
    """How wide it is at x, by Shapely."""
    return float(shape.intersection(LineString([(x, -FAR_M), (x, FAR_M)])).length)


class Pieces:
    """Pieces in which centres may lie, all headed along +x (or back), as the kernel takes them."""

    def __init__(self, shapes: list[Polygon], headings: list[int]) -> None:
        self.shapes, count = shapes, len(shapes)
        self.polygons, self.sizes = (
            np.zeros((count, MOST_CORNERS, 2)),
            np.zeros(count, dtype=np.int64),
        )
        for n, shape in enumerate(shapes):
            corners = np.array(shape.exterior.normalize().coords)[:-1][::-1]
            self.polygons[n, : len(corners)], self.sizes[n] = corners, len(corners)
        self.heading, self.table = (
            np.array(headings, dtype=np.int64),
            np.zeros((count, STEPS)),
        )
        support_table(self.polygons, self.sizes, count, STEPS, 1, self.table)

    def laid(
        self, least: int = 1
    ) -> tuple[int, NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
        """Mats in all, and each row's place, piece and mats."""
        at, entry, mats = (
            np.zeros(MOST_MATS),
            np.zeros(MOST_MATS, dtype=np.int64),
            np.zeros(MOST_MATS, dtype=np.int64),
        )
        total, made, _ = rows(
            self.polygons,
            self.sizes,
            self.heading,
            len(self.sizes),
            self.table,
            WIDTH_M,
            LENGTH_M,
            least,
            at,
            entry,
            mats,
        )
        return total, at[:made], entry[:made], mats[:made]


def box(x: float, y: float, long: float, wide: float) -> Polygon:
    """A rectangle from (x, y) on."""
    return Polygon([(x, y), (x + long, y), (x + long, y + wide), (x, y + wide)])


@given(points=PLACES, share=st.floats(0.05, 0.95))
def test_a_stretch_ends_where_the_ground_is_just_wide_enough(
    points: list[tuple[float, float]], share: float
) -> None:
    hull = hull_of(points)
    places = np.unique([x for x, _ in hull.exterior.coords])
    wide = np.array([across(hull, x) for x in places])
    least = share * wide.max()
    low, high = stretch_as_wide(places, wide, len(places), least)
    for end, outward in ((low, -1), (high, 1)):
        at_the_end = end in (places[0], places[-1])
        assert across(hull, end) >= least - 1e-6
        assert at_the_end or across(hull, end + outward * 1e-3) < least + 1e-9
    assert across(hull, (low + high) / 2) >= least - 1e-6


def test_a_stretch_nowhere_wide_enough_is_none() -> None:
    assert stretch_as_wide(np.array([0.0, 1.0]), np.array([0.5, 0.6]), 2, 0.7) == (1.0, 0.0)


def best_by_eye(shapes: list[Polygon], step: float = 0.02) -> int:
    """Most mats in rows on a grid of places, each row in the piece that holds most there: plain
    dynamic programming.
    """
    low, high = min(s.bounds[0] for s in shapes), max(s.bounds[2] for s in shapes)
    places = np.arange(low, high, step)
    gap = int(np.ceil(LENGTH_M / step - 1e-9))
    total = np.zeros(len(places) + gap, dtype=int)
    for k in range(len(places) - 1, -1, -1):
        there = [s for s in shapes if s.bounds[0] <= places[k] <= s.bounds[2]]
        held = max((int(across(s, places[k]) / WIDTH_M) + 1 for s in there), default=0)
        total[k] = max(total[k + 1], held + total[k + gap])
    return int(total[0])


@given(
    some=st.lists(PLACES, min_size=1, max_size=3),
    back=st.lists(st.booleans(), min_size=3, max_size=3),
)
def test_no_rows_hold_more(some: list[list[tuple[float, float]]], back: list[bool]) -> None:
    """No choice of places two centimetres apart holds more; and the mats claimed lie where they
    may: so many widths of the piece at the row's place, a mat's length from the rows beside it.
    """
    shapes = [hull_of(points) for points in some]
    pieces = Pieces(shapes, [STEPS // 2 if b else 0 for b in back[: len(shapes)]])
    total, at, entry, mats = pieces.laid()
    long = max(s.bounds[2] for s in shapes) - min(s.bounds[0] for s in shapes)
    assert total >= best_by_eye(shapes) or (total == 0 and long < LENGTH_M)
    assert total == mats.sum()
    assert np.all(np.diff(at) >= LENGTH_M - 1e-9)
    for x, e, n in zip(at, entry, mats, strict=True):
        assert shapes[e].bounds[0] - 1e-9 <= x <= shapes[e].bounds[2] + 1e-9
        assert across(shapes[e], x) >= (n - 1) * WIDTH_M - 1e-6


@pytest.mark.parametrize(
    ("long", "wide", "mats"),
    [
        (LENGTH_M, 3 * WIDTH_M, 8),  # two rows of four, to a hair
        (LENGTH_M - 0.001, 3 * WIDTH_M, 0),  # a millimetre short of a second row
        (2 * LENGTH_M, 2 * WIDTH_M, 9),
        (2 * LENGTH_M, 2 * WIDTH_M - 0.001, 6),
    ],
)
def test_plain_rooms_by_division(long: float, wide: float, mats: int) -> None:
    """Centres in a rectangle: one more row for each mat's length, one more mat in it for each
    width.
    """
    assert Pieces([box(-0.7, 0.3, long, wide)], [0]).laid()[0] == mats


def test_a_row_in_the_widest_part_leaves_the_other_its_place() -> None:
    """A wedge: the widest place is at its end, and the second row lies a length before it, not
    where a step falls.
    """
    wedge = Polygon([(0, 0), (LENGTH_M + 0.003, -0.9), (LENGTH_M + 0.003, 0.9)])
    total, at, _, mats = Pieces([wedge], [0]).laid()
    assert total == 5
    assert mats.tolist() == [1, 4]
    assert at[1] - at[0] == pytest.approx(LENGTH_M, abs=0.004)


def test_fewer_than_asked_are_none() -> None:
    pieces = Pieces([box(0, 0, LENGTH_M, 3 * WIDTH_M)], [0])
    assert pieces.laid(8)[0] == 8
    assert pieces.laid(9)[0] == 0
