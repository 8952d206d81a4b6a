"""The compiled polygon work against Shapely, an independent library, and rows of mats against plain
arithmetic.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from shapely import LineString, MultiPoint, Polygon, box

from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.kernel.polygon import (
    MOST_CORNERS,
    area,
    centroid,
    chord,
    clip,
    hull,
    support,
)
from tarvik.core.measure.mats import lay_mats
from tarvik.core.measure.outline import hull_and_pockets

PLACE = st.floats(-3, 3).map(lambda x: round(x, 6))
POINTS = st.lists(st.tuples(PLACE, PLACE), min_size=3, max_size=12)
ROOM = Clearance()


def ring(points: list[tuple[float, float]]) -> np.ndarray:
    """Convex hull by Shapely, anticlockwise, in a roomy array."""
    shape = MultiPoint(points).convex_hull
    assume(isinstance(shape, Polygon) and shape.area > 0.05)
    return np.asarray(shape.exterior.coords)[:-1][::-1]


def roomy(corners: np.ndarray) -> np.ndarray:
    """Padded as the kernels want it."""
    out = np.zeros((MOST_CORNERS, 2))
    out[: len(corners)] = corners
    return out


@given(points=POINTS)
def test_hull_area_and_centre(points: list[tuple[float, float]]) -> None:
    outline = ring(points)
    out = np.zeros((2 * MOST_CORNERS, 2))
    count = hull(np.array(points), len(points), out)
    shape = Polygon(outline)
    assert area(out, count) == pytest.approx(shape.area, abs=1e-9)
    assert centroid(out, count) == pytest.approx(
        (shape.centroid.x, shape.centroid.y), abs=1e-6
    )


@given(points=POINTS, turn=st.floats(0, 2 * math.pi), b=st.floats(-2, 2))
def test_clip_support_and_chord(
    points: list[tuple[float, float]], turn: float, b: float
) -> None:
    """The part beyond a line, the furthest reach and the width along a line, as Shapely has
    them.
    """
    outline = ring(points)
    n = np.array([math.cos(turn), math.sin(turn)])
    out = np.zeros((MOST_CORNERS, 2))
    count = clip(roomy(outline), len(outline), n[0], n[1], b, out)
    across = np.array([-n[1], n[0]])
    half = Polygon(
        [
            n * b - 20 * across,
            n * b + 20 * across,
            n * (b + 40) + 20 * across,
            n * (b + 40) - 20 * across,
        ]
    )
    wanted = Polygon(outline).intersection(half)
    assert (area(out, count) if count >= 3 else 0.0) == pytest.approx(wanted.area, abs=1e-7)
    assert support(roomy(outline), len(outline), n[0], n[1]) == pytest.approx(
        float((outline @ n).max())
    )
    low, high = chord(roomy(outline), len(outline), n[0], n[1], b)
    cut = (
        Polygon(outline)
        .buffer(1e-9)
        .intersection(LineString([n * b - 20 * across, n * b + 20 * across]))
    )
    assert max(high - low, 0.0) == pytest.approx(cut.length, abs=1e-4)


def ground(shape: Polygon) -> Ground:
    """High and dry ground of any outline."""
    planes, pockets = hull_and_pockets(shape)
    x0, y0, x1, y1 = shape.bounds
    return Ground(
        np.array([x0 - 1, x1 + 1, y0 - 1, y1 + 1]),
        planes,
        np.zeros(len(planes), dtype=np.int64),
        pockets,
        np.zeros(len(pockets), dtype=np.int64),
        shape.area,
        np.asarray(shape.convex_hull.exterior.coords)[:-1][::-1].copy(),
    )


@pytest.mark.parametrize(
    ("width", "depth"),
    [(2.0, 2.0), (3.7, 1.9), (2.5, 3.8), (3.1, 4.0), (5.0, 3.75), (1.3, 5.6)],
)
def test_rooms_are_filled_row_by_row(width: float, depth: float) -> None:
    """A rectangle takes at least what rows of mats, all one way or the other, take by division."""
    length, mat = 1.85, 0.6
    rows = max(
        math.floor(width / mat + 1e-9) * math.floor(depth / length + 1e-9),
        math.floor(depth / mat + 1e-9) * math.floor(width / length + 1e-9),
    )
    mats = lay_mats(ground(box(0, 0, width + 1e-3, depth + 1e-3)), 1.75, ROOM)
    assert len(mats) >= rows
    assert len(mats) <= (width + 1e-3) * (depth + 1e-3) / (length * mat)
    for i, one in enumerate(mats):
        for two in mats[:i]:
            assert Polygon(one.corners()).intersection(Polygon(two.corners())).area < 1e-6


@given(hole=st.tuples(st.floats(0.6, 3.0), st.floats(0.6, 3.0)), size=st.floats(0.05, 0.6))
def test_nothing_lies_over_a_hole(hole: tuple[float, float], size: float) -> None:
    """A stump in a room of 3.6 m: every mat keeps off it, and taking it away never costs a mat."""
    room = box(0, 0, 3.6, 3.6)
    stump = box(
        hole[0] - size / 2, hole[1] - size / 2, hole[0] + size / 2, hole[1] + size / 2
    )
    mats = lay_mats(ground(room.difference(stump)), 1.75, ROOM)
    assert all(Polygon(m.corners()).intersection(stump).area < 1e-9 for m in mats)
    assert len(lay_mats(ground(room), 1.75, ROOM)) >= min(len(mats), 3)


def test_a_point_twice_and_points_in_a_line() -> None:
    """Nearly equal points must not pass for a straight corner; points in one line have no hull."""
    out = np.zeros((2 * MOST_CORNERS, 2))
    nearly = np.array([(0.0, 0.0), (0.0, -1.0), (1.0, 0.0), (-1e-147, 0.0), (1e-12, 0.0)])
    assert area(out, hull(nearly, 5, out)) == pytest.approx(0.5)
    assert hull(np.array([(0.0, 0.0), (0.0, 0.0), (1.0, 1.0)]), 3, out) == 0
    leaning = np.array([(0.0, 0.0), (0.0, 2.0), (1.0, 0.0), (-1e-147, 1.0)])
    assert area(out, hull(leaning, 4, out)) == pytest.approx(1.0)
    line = np.array([(0.0, 0.0), (1.0, 1.0), (2.0, 2.0)])
    assert abs(area(out, hull(line, 3, out))) < 1e-12
