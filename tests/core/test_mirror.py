"""Roofs that are their own mirror image: judged by Shapely, and what one side tells against both
worked out.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon, affinity

from tarvik.core.fold.pattern import Role
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.dry import dry_ground
from tarvik.core.measure.figures import measure
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.kernel.centres import outward
from tarvik.core.measure.kernel.general import MOST_FOUND, general_entries
from tarvik.core.measure.kernel.mirror import NEITHER, headings_of, with_images
from tarvik.core.measure.kernel.polygon import area
from tarvik.core.measure.mats import INNER_M, lay_mats
from tarvik.core.measure.roof import roof_of
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.weather.rain import CALM, Weather, fall_directions
from tests.core.test_general_roofs import BODY, packed
from tests.core.test_measures import SHELTERS

CLEAR, STEPS = Clearance(), 180


def image(shape: Polygon, axis: int, middle: float) -> Polygon:
    """The polygon mirrored about x (axis 0) or y (1) = middle."""
    return affinity.scale(
        shape, -1 if axis == 0 else 1, -1 if axis == 1 else 1, origin=(middle, middle)
    )


def alike(shelter: Shelter, axis: int, middle: float) -> bool:
    """Whether every face's plan and heights, mirrored, are those of some face."""
    faces = [f for f in shelter.faces() if f.role is not Role.FLOOR]
    for face in faces:
        mirrored = face.xyz.copy()
        mirrored[:, axis] = 2 * middle - mirrored[:, axis]
        wanted = shapely.MultiPoint(mirrored)
        if not any(
            len(other.xyz) == len(mirrored)
            and all(
                np.abs(other.xyz - corner).max(axis=1).min() < 1e-8 for corner in mirrored
            )
            and shapely.MultiPoint(other.xyz).hausdorff_distance(wanted) < 1e-8
            for other in faces
        ):
            return False
    return True


@given(
    shelter=SHELTERS,
    wind=st.sampled_from([0.0, 5.0]),
    bearing=st.sampled_from([90.0, 270.0, 0.0, 30.0]),
)
def test_what_is_called_a_mirror_image_is_one(
    shelter: Shelter, wind: float, bearing: float
) -> None:
    """Rain along x keeps a roof its own image of y, rain along y that of x, rain askew neither."""
    weather = Weather(5, wind, bearing) if wind else CALM
    axis, middle = roof_of(shelter).mirror(fall_directions(weather))
    across = {90.0: {1}, 270.0: {1}, 0.0: {0}, 30.0: set()}[bearing] if wind else {0, 1}
    if axis != NEITHER:
        assert axis in across
        assert alike(shelter, axis, middle)
        dry = dry_ground(roof_of(shelter), weather).region
        assert affinity.scale(
            dry, *((-1, 1) if axis == 0 else (1, -1)), origin=(middle, middle)
        ).symmetric_difference(dry).area < 1e-6 * max(dry.area, 1.0)


def test_most_pitches_are_their_own_mirror_image() -> None:
    """Common practice: a tent, a lean-to and a square plow point are the same from the left and
    from the right.
    """
    square = Sheet.rectangle(3.0, 3.0)
    for slug in (
        "a-frame",
        "a-frame-closed",
        "lean-to",
        "plow-point",
        "closed-wedge",
        "half-cone",
    ):
        shelter = fold_sheet(
            PITCHES[slug], square, {s.name: s.default for s in PITCHES[slug].settings}
        )
        assert roof_of(shelter).mirror(np.zeros((1, 2)))[0] == 1, slug
    porch = fold_sheet(
        PITCHES["a-frame-porch"],
        square,
        {s.name: s.default for s in PITCHES["a-frame-porch"].settings},
    )
    assert roof_of(porch).mirror(np.zeros((1, 2)))[0] != 1


@settings(max_examples=60)
@given(shelter=SHELTERS, windy=st.booleans(), stride=st.sampled_from([3, 5]))
def test_one_side_tells_of_both(shelter: Shelter, windy: bool, stride: int) -> None:
    """The centres found for the headings of one side, and their images, are those found for every
    heading.
    """
    weather = Weather(5, 4, 90) if windy else CALM
    falls = fall_directions(weather)
    axis, middle = roof_of(shelter).mirror(falls)
    if axis == NEITHER:
        return
    faces, corners = packed(shelter)
    found = []
    for side in (axis, NEITHER):
        tried = headings_of(STEPS, stride, 0, side)
        polygons, sizes, heading = (
            np.empty((1440, 40, 2)),
            np.empty(1440, dtype=np.int64),
            np.empty(1440, dtype=np.int64),
        )
        made, _ = general_entries(
            faces[0],
            corners,
            np.array(CLEAR.heights()),
            CLEAR.boxes(1.6),
            falls,
            tried,
            STEPS,
            INNER_M,
            np.inf,
            polygons,
            sizes,
            heading,
            np.empty((40, 2)),
            0.0,
        )
        if side != NEITHER:
            made = with_images(polygons, sizes, heading, made, STEPS, side, middle)
        assert all(area(polygons[e], sizes[e]) > 0 for e in range(made))
        room = {int(h): [] for h in range(STEPS)}
        for e in range(made):
            room[int(heading[e])].append(Polygon(polygons[e, : sizes[e]]).buffer(0))
        found.append(room)
    for h in range(STEPS):
        one, both = (room[h] for room in found)
        if max(len(one), len(both)) < MOST_FOUND:  # of more pieces only so many are kept
            assert (
                shapely.union_all(one).symmetric_difference(shapely.union_all(both)).area
                < 1e-6
            )


@settings(max_examples=60)
@given(shelter=SHELTERS, stature=st.sampled_from([1.3, 1.6, 1.8]))
def test_as_many_lie_under_a_roof_as_with_no_regard_to_mirrors(
    shelter: Shelter, stature: float
) -> None:
    ground = Ground.under(roof_of(shelter), None, CLEAR)
    if ground is not None:
        whole = replace(ground, mirror=(NEITHER, 0.0))
        assert len(lay_mats(ground, stature, CLEAR)) == len(lay_mats(whole, stature, CLEAR))


@pytest.mark.parametrize("axis", [0, 1, NEITHER])
@pytest.mark.parametrize("stride", [1, 3, 5])
@pytest.mark.parametrize("first", [0, 15, 90, 105, 165])
def test_every_heading_is_tried_or_its_image_is(axis: int, stride: int, first: int) -> None:
    """Mirrored about y, the heading of so many degrees becomes that of as many less than none;
    about x, less than 180.
    """
    tried = headings_of(STEPS, stride, first, axis).tolist()
    assert len(tried) == len(set(tried))
    images = (
        {(STEPS - h) % STEPS for h in tried}
        if axis == 1
        else {(90 - h) % STEPS for h in tried}
        if axis == 0
        else set()
    )
    assert set(tried) | images == set(range(0, STEPS, stride))
    assert first == tried[0] or first in images


def test_convex_obstacles_have_their_sides() -> None:
    """A square told with its last corner again has four sides, each a metre from the middle,
    looking outwards.
    """
    square = np.array([[1.0, 1], [-1, 1], [-1, -1], [1, -1], [1, -1], [1, -1]])
    for ring in (square, square[::-1]):
        normals, sides = outward(np.ascontiguousarray(ring[None]))
        assert sides[0] == 4
        assert normals[0, :4, 2] == pytest.approx(np.ones(4))
        assert {tuple(np.round(n).astype(int).tolist()) for n in normals[0, :4, :2]} == {
            (0, 1),
            (-1, 0),
            (0, -1),
            (1, 0),
        }


@settings(max_examples=40)
@given(shelter=SHELTERS)
def test_mats_lie_where_the_figures_say_in_mirrored_roofs(shelter: Shelter) -> None:
    """Every mat's outline is dry: taken from one side or its image."""
    weather = Weather(5, 4, 90)
    figures = measure(shelter, BODY, weather)
    if shelter.pitch.bed is None:
        for mat in figures.mats:
            assert Polygon(mat.corners()).difference(figures.dry).area < 1e-6
