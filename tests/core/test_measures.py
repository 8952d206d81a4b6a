"""Covered ground, roof height, sections, sitting ground, dry ground: against ray casting and an
independent library.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import assume, given
from hypothesis import strategies as st

from tarvik.core.body import Body
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.dry import dry_ground, shadow
from tarvik.core.measure.figures import measure, sitting_height
from tarvik.core.measure.openings import open_to_wind, openings
from tarvik.core.measure.roof import Roof
from tarvik.core.measure.runoff import least_slope_deg, low_points
from tarvik.core.measure.section import clear_height, section
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Face, Shelter, fold_sheet
from tarvik.core.weather.rain import (
    Weather,
    fall_directions,
    median_drop_mm,
    rain_slope,
    terminal_speed,
)
from tests.reference import STANDING, ray_heights, some_settings, triangles


def shelter_of(slug: str, width: float, length: float, height: float) -> Shelter:
    """A shelter, lowered or moved into what the sheet allows."""
    sheet = Sheet.rectangle(width, length)
    settings = some_settings(slug, sheet, height)
    if settings is None:
        assume(False)
    return fold_sheet(PITCHES[slug], sheet, settings or {})


SHELTERS = st.builds(
    shelter_of,
    st.sampled_from(STANDING),
    st.floats(1.8, 4.5),
    st.floats(1.8, 4.5),
    st.floats(0.5, 2.0),
)


@given(shelter=SHELTERS)
def test_roof_height_against_trimesh(shelter: Shelter) -> None:
    """The lowest panel over random places, by trimesh's ray casting on the same triangles."""
    rng = np.random.default_rng(3)
    corners = triangles(shelter)
    low, high = (
        corners[..., :2].min(axis=(0, 1)) - 0.2,
        corners[..., :2].max(axis=(0, 1)) + 0.2,
    )
    ground = rng.uniform(low, high, (60, 2))
    mesh = trimesh.Trimesh(
        corners.reshape(-1, 3), np.arange(len(corners) * 3).reshape(-1, 3), process=False
    )
    origins = np.column_stack([ground, np.full(60, -1.0)])
    places, rays, _ = mesh.ray.intersects_location(
        origins, np.tile([0.0, 0.0, 1.0], (60, 1)), multiple_hits=True
    )
    lowest = np.full(60, np.inf)
    np.minimum.at(lowest, rays, places[:, 2])
    ours = np.nan_to_num(Roof.over(shelter.faces()).height_at(ground), nan=np.inf)
    both = np.isfinite(ours) & np.isfinite(lowest)
    assert (np.isfinite(ours) != np.isfinite(lowest)).sum() <= 1  # a place on the very edge
    assert np.abs(ours[both] - lowest[both]).max(initial=0) < 1e-6


@given(shelter=SHELTERS)
def test_areas_against_a_grid(shelter: Shelter) -> None:
    """Covered, sitting and standing ground against counting the cells of a 2 cm grid under ray-cast
    heights.
    """
    step = 0.02
    low, high = shelter.xyz[:, :2].min(axis=0), shelter.xyz[:, :2].max(axis=0)
    x, y = (np.arange(a + step / 2, b, step) for a, b in zip(low, high, strict=True))
    height = ray_heights(shelter, np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2))
    body = Body(1.75)
    figures = measure(shelter, body)
    perimeter = 4 * float((high - low).sum())
    for area, least in (
        (figures.covered_area_m2, 0.0),
        (figures.sit_area_m2, sitting_height(body)),
        (figures.stand_area_m2, 1.80),
    ):
        counted = float((np.isfinite(height) & (height >= least)).sum()) * step**2
        assert area == pytest.approx(
            counted, abs=0.005 * figures.covered_area_m2 + 0.1 * step * perimeter
        )
    assert figures.dry_area_m2 == pytest.approx(figures.covered_area_m2)


@given(
    shelter=SHELTERS,
    wind=st.floats(1, 15),
    bearing=st.floats(0, 360),
    rain=st.floats(0.5, 40),
)
def test_dry_ground_against_rays(
    shelter: Shelter, wind: float, bearing: float, rain: float
) -> None:
    """Ground is dry when a ray up against the fall of the rain hits cloth, for every wind tried and
    in calm air.
    """
    weather = Weather(rain, wind, bearing)
    roof = Roof.over(shelter.faces())
    dry = dry_ground(roof, weather)
    low, high = shelter.xyz[:, :2].min(axis=0), shelter.xyz[:, :2].max(axis=0)
    step = 0.03
    x, y = (np.arange(a + step / 2, b, step) for a, b in zip(low, high, strict=True))
    ground = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    hit = np.ones(len(ground), dtype=bool)
    for travel in fall_directions(weather):
        hit &= np.isfinite(ray_heights(shelter, ground, -travel))
    assert dry.area_m2 == pytest.approx(
        hit.sum() * step**2, abs=0.02 * roof.plan().area + 0.04
    )


def test_more_wind_never_dries_a_convex_roof() -> None:
    shelter = shelter_of("plow-point", 3, 3, 1.3)
    roof = Roof.over(shelter.faces())
    areas = [dry_ground(roof, Weather(4, w, 300)).area_m2 for w in (0, 2, 4, 8, 12)]
    assert areas == sorted(areas, reverse=True)


def test_shadow_by_hand() -> None:
    """A level 1 m square 2 m up, rain moving half its fall to +x, throws its shadow 1 m off."""
    face = Face("roof", Role.ROOF, np.array([[0, 0, 2.0], [1, 0, 2], [1, 1, 2], [0, 1, 2]]))
    assert shadow(Roof.over([face]), np.array([0.5, 0.0])).bounds == pytest.approx(
        (1, 0, 2, 1)
    )


@pytest.mark.parametrize(
    ("drop", "speed"), [(1.0, 4.03), (2.0, 6.49), (3.0, 8.06), (4.0, 8.83), (5.0, 9.09)]
)
def test_terminal_speeds_against_the_published_table(drop: float, speed: float) -> None:
    """Gunn and Kinzer 1949, table of terminal velocities at sea level; the fit used is known to be
    within 3 %.
    """
    assert terminal_speed(drop) == pytest.approx(speed, rel=0.03)


def test_median_drop_follows_laws_and_parsons() -> None:
    """Laws and Parsons 1943: about 1.24 mm at 1 mm/h, near 1.9 mm at 10 mm/h."""
    assert median_drop_mm(1.0) == pytest.approx(1.24)
    assert median_drop_mm(10.0) == pytest.approx(1.89, abs=0.01)
    assert rain_slope(Weather(4, 0)) == 0


@given(shelter=SHELTERS, turn=st.floats(0, 360))
def test_sections_agree_with_the_roof(shelter: Shelter, turn: float) -> None:
    """The height along a section is the roof height at the same places."""
    middle = shelter.xyz[:, :2].mean(axis=0)
    cuts = section(shelter.faces(), (float(middle[0]), float(middle[1])), turn)
    at = np.linspace(-1.5, 1.5, 31) + 1e-4
    line = middle + np.outer(
        at, [math.cos(math.radians(turn)), math.sin(math.radians(turn))]
    )
    roof = Roof.over(shelter.faces()).height_at(line)
    along = clear_height(cuts, at)
    both = np.isfinite(roof) & np.isfinite(along)
    assert (np.isfinite(roof) != np.isfinite(along)).sum() <= 2
    assert np.abs(roof[both] - along[both]).max(initial=0) < 1e-6


def test_slope_low_points_and_openings_of_a_lean_to() -> None:
    """Worked by hand: a lean-to 2 m deep and 1.5 m high slopes atan(1.5/2); water leaves at the
    rear corners; it is open to the front (2.5 x 3 sheet: 3 m by 1.5 m) and by a triangle at each
    side, closed behind.
    """
    shelter = fold_sheet(PITCHES["lean-to"], Sheet.rectangle(2.5, 3.0), {"height": 1.5})
    assert least_slope_deg(Roof.over(shelter.faces())) == pytest.approx(
        math.degrees(math.atan(1.5 / 2))
    )
    assert set(low_points(shelter)) == {"A", "B"}
    areas = sorted(round(o.area_m2, 6) for o in openings(shelter))
    assert areas == [1.5, 1.5, 4.5]
    front = next(o for o in openings(shelter) if o.area_m2 > 4)
    assert front.bearing_deg == pytest.approx(270)
    assert open_to_wind(shelter, 270) == pytest.approx(1.0)
    assert open_to_wind(shelter, 90) == pytest.approx(0.0)


@given(shelter=SHELTERS)
def test_general_regions_agree_with_the_lid(shelter: Shelter) -> None:
    """The path for roofs of any kind gives what the quick path for convex lids gives."""
    lid = Roof.over(shelter.faces())
    assume(lid.rim is not None)
    general = Roof(lid.faces, lid.corners, lid.plane, None)
    assert general.plan().area == pytest.approx(lid.plan().area)
    for height in (0.2, 0.5, 0.96):
        assert general.above(height).area == pytest.approx(lid.area_above(height), abs=1e-9)
        assert lid.above(height).area == pytest.approx(lid.area_above(height), abs=1e-9)


def test_taking_away_two_parts_takes_both() -> None:
    """The case in which the library's difference, without a grid, silently left one of two parts
    standing.
    """
    lid = Roof.over(shelter_of("diagonal-fly", 2.0, 2.0, 0.625).faces())
    general = Roof(lid.faces, lid.corners, lid.plane, None)
    assert general.above(0.5).area == pytest.approx(1.048466693513632)
