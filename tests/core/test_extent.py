"""What lets the count of mats pass over headings and directions: it may never pass over one that
holds a mat. Judged by Shapely and by plain loops.
"""

from __future__ import annotations

import math

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st
from shapely import Polygon, affinity, box

from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.kernel.extent import eased, extent, regions, within_planes
from tarvik.core.measure.kernel.mats import half_extents, most_in_stack, support_table
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area
from tests.core.test_kernel import POINTS, ring

STEPS = 180
FAR = np.array([-9.0, 9.0, -9.0, 9.0])
STATURE_M = 1.5


def _planes(outline: np.ndarray) -> np.ndarray:
    """Half-planes inside an anticlockwise outline."""
    along = np.roll(outline, -1, axis=0) - outline
    normal = np.column_stack([-along[:, 1], along[:, 0]]) / np.hypot(*along.T)[:, None]
    return np.column_stack([normal, (normal * outline).sum(axis=1)])


@given(
    points=POINTS,
    shares=st.lists(st.floats(0.3, 1.0), min_size=4, max_size=4),
    turn=st.integers(0, STEPS - 1),
    off=st.tuples(st.floats(-1, 1), st.floats(-1, 1)),
)
def test_a_mat_that_lies_is_never_passed_over(
    points: list[tuple[float, float]],
    shares: list[float],
    turn: int,
    off: tuple[float, float],
) -> None:
    """Under a roof of four nested outlines a mat put at random: where Shapely has its four
    rectangles inside theirs, its heading is tried, and its centre is among those found.
    """
    outline = ring(points)
    whole = Polygon(outline)
    boxes = Clearance().boxes(STATURE_M)
    nested = [
        affinity.scale(whole, 2 * share, 2 * share, origin=whole.centroid)
        for share in shares
    ]
    planes = [_planes(np.asarray(p.exterior.coords)[:-1]) for p in nested]
    every, which = np.concatenate(planes), np.repeat(np.arange(4), [len(p) for p in planes])
    angle = 2 * math.pi * turn / STEPS
    centre = np.array([whole.centroid.x + off[0], whole.centroid.y + off[1]])
    rectangles = [box(b[0], b[2], b[1], b[3]) for b in boxes]
    laid = [
        affinity.translate(
            affinity.rotate(r, angle, origin=(0, 0), use_radians=True), *centre
        )
        for r in rectangles
    ]
    inside = all(
        region.buffer(1e-9).contains(rectangle)
        for region, rectangle in zip(nested, laid, strict=True)
    )

    c, s = math.cos(angle), math.sin(angle)
    reach, one, two = np.empty(4), np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    tried = extent(*regions(FAR, every, which, 4), boxes, c, s, reach)
    centres = np.zeros((0, 2))
    if tried:
        one, _, count = within_planes(
            reach, eased(every, -1e-6), which, boxes, c, s, np.arange(len(which)), one, two
        )
        centres = one[:count].copy()
    if inside:
        assert tried
        assert reach[0] - 1e-6 <= c * centre[0] + s * centre[1] <= reach[1] + 1e-6
        assert reach[2] - 1e-6 <= -s * centre[0] + c * centre[1] <= reach[3] + 1e-6
        assert (
            Polygon(centres)
            .buffer(1e-5)
            .covers(affinity.translate(box(0, 0, 0, 0).centroid, *centre))
        )
    elif len(centres):
        least = min(
            float((planes[b][:, :2] @ centre - planes[b][:, 2]).min()) for b in range(4)
        )
        assume(abs(least) > 1e-3)
        eased_in = all(
            region.buffer(-1e-5).contains(r) for region, r in zip(nested, laid, strict=True)
        )
        assert not eased_in


@given(points=POINTS, turn=st.integers(0, STEPS - 1), share=st.floats(0.1, 2.0))
def test_centres_within_half_planes_are_all_there_are(
    points: list[tuple[float, float]], turn: int, share: float
) -> None:
    """The polygon of centres of one rectangle has the area that Shapely's corners of it leave: the
    outline moved by each corner, all of them together.
    """
    outline = ring(points) * share
    boxes = Clearance().boxes(STATURE_M)[:1]
    angle = 2 * math.pi * turn / STEPS
    c, s = math.cos(angle), math.sin(angle)
    x0, x1, y0, y1 = boxes[0]
    left = Polygon(outline)
    for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)):
        left = left.intersection(
            affinity.translate(Polygon(outline), -(c * x - s * y), -(s * x + c * y))
        )
    planes, which = _planes(outline), np.zeros(len(outline), dtype=np.int64)
    reach, one, two = np.empty(4), np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    found = 0.0
    if extent(*regions(FAR, planes, which, 1), boxes, c, s, reach):
        one, _, count = within_planes(
            reach, planes, which, boxes, c, s, np.arange(len(which)), one, two
        )
        found = float(area(one, count)) if count else 0.0
    assert abs(found - left.area) < 1e-6


def _most_plainly(
    centres: np.ndarray, heading: np.ndarray, length: float, width: float
) -> int:
    """Mats at single centres, one beyond the other, tried in every direction with plain loops."""
    best = 0
    for k in range(STEPS // 2):
        n = np.array([math.cos(2 * math.pi * k / STEPS), math.sin(2 * math.pi * k / STEPS)])
        spans = []
        for centre, h in zip(centres, heading, strict=True):
            off = 2 * math.pi * (h - k) / STEPS
            half = (length * abs(math.cos(off)) + width * abs(math.sin(off))) / 2
            spans.append((centre @ n + half, centre @ n - half))
        edge, made = -math.inf, 0
        for end, start in sorted(spans):
            if start >= edge:
                edge, made = end, made + 1
        best = max(best, made)
    return best


@given(
    places=st.lists(
        st.tuples(st.integers(-30, 30), st.integers(-30, 30), st.integers(0, STEPS - 1)),
        min_size=1,
        max_size=14,
    )
)
def test_no_direction_of_a_stack_is_passed_over(places: list[tuple[int, int, int]]) -> None:
    centres = np.array([(x / 10 + 1e-4 * i, y / 10) for i, (x, y, _) in enumerate(places)])
    heading = np.array([h for _, _, h in places], dtype=np.int64)
    corners = 1e-9 * np.array(
        [[-1, -1], [1, -1], [1, 1], [-1, 1]]
    )  # rounding leaves a single place no extent
    polygons = np.zeros((len(centres), MOST_CORNERS, 2))
    polygons[:, :4] = centres[:, None, :] + corners
    table, sizes = np.empty((len(centres), STEPS)), np.full(len(centres), 4)
    support_table(polygons, sizes, len(centres), STEPS, 1, table)
    extents = half_extents(1.8, 0.6, STEPS)
    found = most_in_stack(table, heading, len(centres), extents, 1)
    assert found == _most_plainly(centres, heading, 1.8, 0.6)
