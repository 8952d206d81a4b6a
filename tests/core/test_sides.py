"""Cloth seen along the rain against the plain union of all its triangles."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.hang.hung import Hanging, hang
from tarvik.core.hang.room import HungRoom
from tarvik.core.hang.sides import Cloth, neighbours, rims
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import assess
from tarvik.core.shelter import fold_sheet
from tarvik.core.weather.rain import Weather, fall_directions
from tests.core.test_folds import cases_that_fold

GRID_M = 1e-10
HANGING = [slug for slug in PITCHES if slug not in ("bag", "net-only")]
TRAVELS = [(0.0, 0.0), (0.7, 0.0), (-0.4, 0.9), (0.0, -1.6)]


def every_triangle(cloth: Cloth, travel: np.ndarray) -> shapely.Geometry:
    """What all triangles shade, each for itself: plain and slow."""
    corners = cloth.corners
    parts = shapely.polygons(corners[..., :2] + corners[..., 2:] * travel)
    return shapely.union_all(parts[shapely.area(parts) > GRID_M], grid_size=GRID_M)


@pytest.mark.parametrize("slug", HANGING)
def test_the_shadow_of_a_hung_sheet_is_that_of_all_its_triangles(slug: str) -> None:
    ((sheet, settings),) = cases_that_fold(slug, np.random.default_rng(len(slug)), 1)
    shelter = fold_sheet(PITCHES[slug], sheet, settings)
    rig = assess(shelter, UNLIMITED).rig
    assert rig is not None
    cloth = HungRoom.under(hang(shelter, rig, Hanging(lines=11))).cloth
    for travel in TRAVELS:
        shadow, plain = (
            cloth.shadow(np.array(travel)),
            every_triangle(cloth, np.array(travel)),
        )
        assert shadow.is_valid
        assert shadow.symmetric_difference(plain).area < 1e-6 * max(plain.area, 1.0)


@given(st.lists(st.floats(-0.5, 0.5), min_size=75, max_size=75))
def test_the_shadow_of_crumpled_cloth_holds_all_its_triangles(off: list[float]) -> None:
    """Five by five nodes pushed about at random: sides of any shape, some crossing themselves."""
    place = np.arange(25).reshape(5, 5)
    a, b, c, d = place[:-1, :-1], place[1:, :-1], place[1:, 1:], place[:-1, 1:]
    triangles = np.concatenate(
        [np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]
    )
    flat = np.stack(
        [*(g.ravel() for g in np.meshgrid(range(5), range(5))), np.zeros(25)], axis=1
    )
    cloth = Cloth.of(flat[:, [1, 0, 2]] + 3 * np.array(off).reshape(25, 3), triangles)
    shadow, plain = cloth.shadow(np.zeros(2)), every_triangle(cloth, np.zeros(2))
    assert shadow.symmetric_difference(plain).area < 1e-6 * max(plain.area, 1.0)


def test_two_triangles_lie_beside_each_other_and_have_one_rim() -> None:
    triangles = np.array([[0, 1, 2], [0, 2, 3]])
    beside = neighbours(triangles)
    assert beside.tolist() == [[-1, -1, 1], [0, -1, -1]]
    side, sides, nodes, ends, owner = rims(triangles, beside, np.array([True, True]))
    assert (side.tolist(), sides, ends.tolist(), owner.tolist()) == ([0, 0], 1, [4], [0])
    assert sorted(nodes.tolist()) == [0, 1, 2, 3]
    _, sides, _, ends, _ = rims(triangles, beside, np.array([True, False]))
    assert (sides, ends.tolist()) == (2, [3, 6])


def test_a_side_that_three_triangles_share_ends_the_cloth_there() -> None:
    """Rounding may fold a sliver of a mesh onto its neighbour: the walk round the rim ends."""
    triangles = np.array([[0, 1, 2], [1, 0, 3], [1, 0, 4]])
    beside = neighbours(triangles)
    assert (beside == -1).all()
    assert rims(triangles, beside, np.ones(3, dtype=bool))[1] == 3


def test_winds_are_taken_so_close_that_dry_ground_is_told_to_a_millimetre() -> None:
    """Hand calculation: over a travel of 1 m, winds 5 degrees apart cut 0.95 mm off the arc."""
    fine = fall_directions(Weather(8.0, 3.0, 90.0, 45.0))
    coarse = fall_directions(Weather(8.0, 3.0, 90.0, 45.0), 5.0)
    assert len(coarse) == 1 + 19 < len(fine)
    assert np.allclose(coarse[[0, 1, -1]], fine[[0, 1, -1]])
