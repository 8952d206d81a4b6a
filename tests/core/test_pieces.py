"""Dry ground in convex pieces, in machine code, against Shapely's overlays of the same shapes."""

from __future__ import annotations

from itertools import combinations, pairwise

import numpy as np
import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import MultiPoint, Polygon

from tarvik.core.fold.pattern import Role
from tarvik.core.measure.dry import DryGround, dry_ground, shadow
from tarvik.core.measure.kernel.pieces import (
    MOST_PIECES,
    MOST_POINTS,
    MOST_SIDES,
    dry_under,
    hull_and_gaps,
    part,
)
from tarvik.core.measure.roof import (
    Region,
    Roof,
    as_region,
    common,
    joined,
    roof_of,
    without,
)
from tarvik.core.shelter import Face, Shelter
from tarvik.core.weather.rain import Weather, fall_directions
from tests.core.test_dry import WEATHERS
from tests.core.test_measures import SHELTERS

SLIVER_M2 = 1e-4
PLACE = st.floats(-3, 3).map(lambda x: round(x, 6))
POINTS = st.lists(st.tuples(PLACE, PLACE), min_size=3, max_size=9)


def ring(points: list[tuple[float, float]]) -> np.ndarray:
    """Convex hull by Shapely, anticlockwise."""
    shape = MultiPoint(points).convex_hull
    assume(isinstance(shape, Polygon) and shape.area > 0.05)
    return np.asarray(shapely.orient_polygons(shape).exterior.coords)[:-1]


def empty() -> tuple[np.ndarray, np.ndarray]:
    return np.empty((MOST_POINTS, 2)), np.zeros(MOST_PIECES + 1, dtype=np.int64)


def parted(
    points: np.ndarray, ends: np.ndarray, shape: np.ndarray
) -> list[list[np.ndarray]]:
    """The pieces inside a polygon and those outside."""
    (inner, inner_ends), (outer, outer_ends) = empty(), empty()
    work, crossed = np.empty((3, MOST_SIDES, 2)), np.empty(MOST_SIDES, dtype=np.int64)
    held, left = part(
        points,
        ends,
        len(ends) - 1,
        shape,
        len(shape),
        inner,
        inner_ends,
        0,
        outer,
        outer_ends,
        0,
        work,
        crossed,
    )
    return [
        [some[a:b].copy() for a, b in pairwise(cuts[: count + 1])]
        for some, cuts, count in ((inner, inner_ends, held), (outer, outer_ends, left))
    ]


def packed(pieces: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    return np.concatenate([np.empty((0, 2)), *pieces]), np.cumsum([0, *map(len, pieces)])


def same(pieces: list[np.ndarray], region: Region) -> bool:
    """Whether pieces lie apart and cover just a region."""
    shapes = [Polygon(p) for p in pieces]
    twice = sum(common(one, two).area for one, two in combinations(shapes, 2))
    within = sum(common(one, region).area for one in shapes)
    return (
        twice < 1e-7
        and abs(sum(s.area for s in shapes) - region.area) < 1e-7
        and abs(within - region.area) < 1e-7
    )


@given(piece=POINTS, shapes=st.lists(POINTS, min_size=1, max_size=5))
def test_what_polygons_leave_and_keep(
    piece: list[tuple[float, float]], shapes: list[list[tuple[float, float]]]
) -> None:
    """One polygon after the other taken away: inside and outside are what Shapely says, and nothing
    lies twice.
    """
    left, region = [ring(piece)], Polygon(ring(piece))
    for shape in map(ring, shapes):
        whole = len(left)
        inside, left = parted(*packed(left), shape)
        assert same(inside, common(region, Polygon(shape)))
        region = without(region, [Polygon(shape)])
        assert same(left, region)
        assert len(inside) <= whole


@given(piece=POINTS, far=st.floats(7, 20), more=st.floats(0, 3))
def test_what_is_not_crossed_stays_in_one(
    piece: list[tuple[float, float]], far: float, more: float
) -> None:
    """A polygon beside a piece, one round it, the same one and one that shares a side with it cut
    nothing.
    """
    one = ring(piece)
    around = np.array([(-3.0, -3.0), (3.0, -3.0), (3.0, 3.0), (-3.0, 3.0)]) * (1 + more)
    a, b = one[0], one[1]
    out = np.array([b[1] - a[1], a[0] - b[0]])
    for shape, held in (
        (one + far, 0),
        (around, 1),
        (one, 1),
        (np.array([b, a, a + out, b + out]), 0),
    ):
        inside, outside = parted(*packed([one]), shape)
        assert (len(inside), len(outside)) == (held, 1 - held)
        assert np.allclose(
            sorted((inside or outside)[0].tolist()), sorted(one.tolist()), atol=1e-9
        )


@given(
    faces=st.lists(POINTS, min_size=1, max_size=5),
    moves=st.lists(st.tuples(PLACE, PLACE), min_size=1, max_size=6),
)
def test_ground_in_every_shadow(
    faces: list[list[tuple[float, float]]], moves: list[tuple[float, float]]
) -> None:
    """Shadows that lie in each other, over each other, apart: their union for each fall, what all
    unions share, and that the falls told to wet anything give the same alone.
    """
    rings = [ring(f) for f in faces]
    corners = np.array([len(r) for r in rings])
    shadows = np.zeros((1 + len(moves), len(rings), corners.max(), 2))
    for k, move in enumerate([(0.0, 0.0), *moves]):
        for f, r in enumerate(rings):
            shadows[k, f, : len(r)] = r + np.array(move) * 0.3 * (1 + f)
    sizes = np.array(
        [
            [Polygon(s[:n]).area for s, n in zip(some, corners, strict=True)]
            for some in shadows
        ]
    )
    unions = [
        joined([Polygon(s[:n]) for s, n in zip(some, corners, strict=True)])
        for some in shadows
    ]
    wets = np.zeros(len(shadows), dtype=bool)
    size, points, ends = dry_under(
        shadows, corners, sizes, np.arange(1, len(shadows)), wets
    )
    shared = alone = unions[0]
    for union, wet in zip(unions[1:], wets[1:], strict=True):
        shared = common(shared, union)
        alone = common(alone, union) if wet else alone
    assert size == pytest.approx(shared.area, abs=1e-6)
    assert alone.area == pytest.approx(shared.area, abs=1e-6)
    assert same([points[a:b] for a, b in pairwise(ends)], shared)


@given(piece=POINTS, shapes=st.lists(POINTS, min_size=0, max_size=4))
def test_the_hull_and_its_gaps(
    piece: list[tuple[float, float]], shapes: list[list[tuple[float, float]]]
) -> None:
    left = [ring(piece)]
    for shape in map(ring, shapes):
        left = parted(*packed(left), shape)[1]
    assume(left)
    region = joined([Polygon(p) for p in left])
    outline, gaps = hull_and_gaps(*packed(left))
    assert Polygon(outline).area == pytest.approx(region.convex_hull.area, abs=1e-6)
    assert same(list(gaps), without(Polygon(outline), [region]))


@settings(max_examples=60)
@given(shelter=SHELTERS, weather=WEATHERS)
def test_dry_ground_as_mats_take_it(shelter: Shelter, weather: Weather) -> None:
    """The hull's half-planes, less the pockets, are the dry ground as it is drawn; its area is told
    alike. A sliver thinner than the grid of shapes is dropped by one and kept by the other: up
    to a square centimetre.
    """
    dry = dry_ground(roof_of(shelter), weather)
    assert dry.area_m2 == pytest.approx(dry.region.area, abs=1e-7)
    assume(dry.area_m2 > 1e-3)
    corners = shapely.get_coordinates(dry.region)
    limits, triangles = dry.hull_and_pockets
    assert (corners @ limits[:, :2].T >= limits[:, 2] - 1e-7).all()
    hull = as_region(dry.region.convex_hull)
    pockets = joined([Polygon(t) for t in triangles])
    assert without(hull, [dry.region]).symmetric_difference(pockets).area < SLIVER_M2
    assert sum(Polygon(t).area for t in triangles) == pytest.approx(
        hull.area - dry.region.area, abs=SLIVER_M2
    )


def test_more_pieces_than_there_is_room_for() -> None:
    """Of a heap of crossing strips the kernel gives up; the ground is the same as Shapely's, and
    nothing of it is lost.
    """
    rng = np.random.default_rng(5)
    faces = []
    for turn in rng.uniform(0, np.pi, 70):
        along, across = (
            np.array([np.cos(turn), np.sin(turn)]),
            np.array([-np.sin(turn), np.cos(turn)]) * 0.02,
        )
        middle = rng.uniform(-0.5, 0.5, 2)
        xy = [
            middle + s * along + t * across for s, t in ((-2, -1), (2, -1), (2, 1), (-2, 1))
        ]
        faces.append(Face("strip", Role.ROOF, np.column_stack([xy, np.full(4, 1.0)])))
    roof, weather = Roof.over(faces), Weather(4, 0.05, 40, 0)
    falls = fall_directions(weather)
    shadows = roof.faces[None, :, :, :2] + falls[:, None, None, :]
    sizes = np.full(shadows.shape[:2], 0.16)
    assert (
        dry_under(shadows, roof.corners, sizes, np.array([1]), np.zeros(2, dtype=bool))[0]
        == -1
    )
    wanted = common(shadow(roof, falls[0]), shadow(roof, falls[1]))
    found = dry_ground(roof, weather)
    assert found.area_m2 == pytest.approx(wanted.area, abs=1e-6)
    assert (
        isinstance(found, DryGround)
        and found.region.symmetric_difference(wanted).area < 1e-6
    )
