"""Roofs of any kind in the compiled kernel: areas against Shapely, mats against the exact figures,
rain in the search.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon

from tarvik.core.body import Body
from tarvik.core.fold.pattern import Role
from tarvik.core.intent import INTENTS
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.figures import measure, sitting_height, standing_height
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.kernel.general import general_entries
from tarvik.core.measure.kernel.level_lines import area_under, union_area
from tarvik.core.measure.kernel.quick import best_case, quick_areas
from tarvik.core.measure.kernel.roof import ROOM
from tarvik.core.measure.kernel.share import highest_share
from tarvik.core.measure.mats import INNER_M, lay_mats
from tarvik.core.measure.roof import Roof, pack
from tarvik.core.pitches import PITCHES
from tarvik.core.search.objective import worth
from tarvik.core.search.problem import rain_to_tell
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Face, Shelter, fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import CALM, Weather, fall_directions
from tests.core.test_measures import SHELTERS
from tests.reference import STANDING, some_settings

BODY, CLEAR = Body(1.75), Clearance()
CALM_FALL = np.zeros((1, 2))


def packed(shelter: Shelter) -> tuple[np.ndarray, np.ndarray]:
    """The roof's faces as the kernel wants them: (1, F, V, 3) padded with the last corner, and the
    corners used.
    """
    faces = [f.xyz for f in shelter.faces() if f.role is not Role.FLOOR]
    room, corners = pack(faces)
    for i, n in enumerate(corners):
        room[i, n:] = room[i, n - 1]
    return np.ascontiguousarray(room[None]), corners


def areas_of(
    shelter: Shelter, falls: np.ndarray, finest: float = 0.01
) -> tuple[np.ndarray, int]:
    """Peak, sheltered, sitting and standing ground by the quick way, and whether the roof is a
    convex lid.
    """
    faces, corners = packed(shelter)
    out, lid = np.empty((1, 4)), np.zeros(1, dtype=np.int64)
    quick_areas(
        faces, corners, sitting_height(BODY), standing_height(BODY), falls, finest, out, lid
    )
    return out[0], int(lid[0])


@given(data=st.data(), count=st.integers(1, 9))
def test_area_of_a_union_against_shapely(data: st.DataObject, count: int) -> None:
    """Random convex polygons, overlapping or apart: the exact strips give what Shapely's union
    gives.
    """
    rng = np.random.default_rng(data.draw(st.integers(0, 10_000)))
    polygons, sizes = np.zeros((count, ROOM, 2)), np.zeros(count, dtype=np.int64)
    shapes = []
    for i in range(count):
        hull = shapely.convex_hull(
            shapely.MultiPoint(rng.uniform(-1, 1, (6, 2)) + rng.uniform(-1, 1, 2))
        )
        ring = np.asarray(hull.exterior.coords)[:-1]
        polygons[i, : len(ring)], sizes[i] = ring, len(ring)
        shapes.append(hull)
    assert union_area(polygons, sizes) == pytest.approx(
        shapely.union_all(shapes).area, abs=1e-9
    )


@given(shelter=SHELTERS, height=st.floats(0.1, 1.9))
def test_ground_under_a_height_against_shapely(shelter: Shelter, height: float) -> None:
    """Any roof: what is covered, less what any face lower than the height is over."""
    roof = Roof.over(shelter.faces())
    exact = roof.above(height).area
    assert area_under(roof.faces, roof.corners, roof.plane, height) == pytest.approx(
        exact, abs=1e-6
    )
    assert area_under(roof.faces, roof.corners, roof.plane, 0.0) == pytest.approx(
        roof.plan().area, abs=1e-6
    )


@given(shelter=SHELTERS)
def test_the_search_sees_the_same_areas(shelter: Shelter) -> None:
    """What the search weighs is what the figures say: within a thousandth in calm air."""
    quick, _ = areas_of(shelter, CALM_FALL)
    figures = measure(shelter, BODY)
    exact = [
        figures.peak_m,
        figures.dry_area_m2,
        figures.sit_area_m2,
        figures.stand_area_m2,
    ]
    assert quick == pytest.approx(exact, rel=1e-3, abs=2e-3)


@given(shelter=SHELTERS, wind=st.floats(1, 12), bearing=st.floats(0, 360))
def test_the_search_sees_slanted_rain(
    shelter: Shelter, wind: float, bearing: float
) -> None:
    """With the winds of the whole spread the quick dry ground is the exact one; with the few it
    tries, never less.
    """
    weather = Weather(5, wind, bearing)
    exact = measure(shelter, BODY, weather).dry_area_m2
    every, _ = areas_of(shelter, fall_directions(weather))
    few, _ = areas_of(shelter, rain_to_tell(fall_directions(weather))[0])
    covered = measure(shelter, BODY).covered_area_m2
    assert every[1] == pytest.approx(exact, abs=0.01 * covered + 1e-6)
    assert few[1] >= exact - 0.01 * covered


def counted(shelter: Shelter, weather: Weather, wanted: int) -> tuple[int, int]:
    """The search's best of the one case, and the mats it counts there."""
    faces, corners = packed(shelter)
    falls = fall_directions(weather)
    areas, lid = areas_of(shelter, rain_to_tell(falls)[0])
    size = np.array([CLEAR.mat_length(1.75), CLEAR.mat_width_m])
    return best_case(
        faces,
        corners,
        np.array(CLEAR.heights()),
        CLEAR.boxes(1.75),
        size,
        3,
        INNER_M,
        wanted,
        rain_to_tell(falls)[0],
        falls,
        np.array([lid]),
        areas[1:2].copy(),
        np.zeros(1),
        np.zeros(1, dtype=np.int64),
        100.0,
        -1e18,
    )


def share_of(
    side: float, falls: np.ndarray, least: float, halvings: int
) -> tuple[int, float]:
    """Under a level square roof 1.5 m up: the share of a mat at which one lies."""
    corners = [(0.0, 0.0, 1.5), (side, 0.0, 1.5), (side, side, 1.5), (0.0, side, 1.5)]
    faces = np.array([[np.full((4, 3), np.nan)], [corners]])  # the first one does not fold
    size = np.array([CLEAR.mat_length(1.75), CLEAR.mat_width_m])
    return highest_share(
        faces,
        np.array([4]),
        np.array(CLEAR.heights()),
        CLEAR.boxes(1.75),
        size,
        1,
        np.arange(2),
        1,
        INNER_M,
        CALM_FALL,
        falls,
        falls,
        least,
        0.002,
        halvings,
    )


@pytest.mark.parametrize("side", [1.0, 1.2, 1.35])
@pytest.mark.parametrize("slope", [0.0, 0.1])
def test_the_share_of_a_mat_in_a_square(side: float, slope: float) -> None:
    """The largest rectangle of a mat's shape in a square lies along its diagonal; the heading tried
    there is a degree off, and there the rectangle's extent across the square is its side (plane
    geometry). Rain from four sides wets each edge.
    """
    falls = np.array([(0.0, 0.0), (slope, 0.0), (-slope, 0.0), (0.0, slope), (0.0, -slope)])
    length, width = CLEAR.mat_length(1.75), CLEAR.mat_width_m
    near = np.radians(44)
    exact = float((side - 2 * 1.5 * slope) / (length * np.cos(near) + width * np.sin(near)))
    case, share = share_of(side, falls if slope else CALM_FALL, exact - 0.1, 12)
    assert case == 1
    assert share == pytest.approx(exact, abs=0.0005)
    assert share_of(side, falls if slope else CALM_FALL, exact + 0.001, 12) == (
        -1,
        exact + 0.001,
    )


def test_whole_mats_end_the_search_for_a_share() -> None:
    """As soon as they lie whole, whatever share was asked for."""
    assert share_of(2.5, CALM_FALL, 0.4, 3) == (1, 1.0)


@settings(max_examples=40)
@given(shelter=SHELTERS, wanted=st.sampled_from([1, 2, 3]))
def test_the_quick_count_never_claims_a_mat_too_many(shelter: Shelter, wanted: int) -> None:
    """Fewer headings, the same rules: a mat counted by the search is there by the exact count."""
    top, mats = counted(shelter, CALM, wanted)
    assert top == 0
    assert mats <= measure(shelter, BODY).sleepers


@settings(max_examples=30)
@given(shelter=SHELTERS, wind=st.floats(2, 12), bearing=st.floats(0, 360))
def test_in_slanted_rain_too_it_claims_none_too_many(
    shelter: Shelter, wind: float, bearing: float
) -> None:
    """Some falls tell where to look; what is found is counted in all of them, as the exact count
    does.
    """
    weather = Weather(4.0, wind, bearing)
    assert counted(shelter, weather, 40)[1] <= measure(shelter, BODY, weather).sleepers


def test_as_many_as_fit_are_found_in_slanted_rain() -> None:
    """Room for a fifth is there only for peaks of 2.15 to 2.35 m, and only for some headings."""
    asked = Question(
        Sheet.rectangle(3.54, 3.88),
        PITCHES["plow-point"],
        {},
        body=Body(1.85),
        intent=INTENTS["storm"],
        weather=Weather(5.0, 4.0915, 130.03),
    )
    found = solve(asked).figures
    at = [
        solve(replace(asked, settings={"height": h})).figures
        for h in np.linspace(0.6, 2.5, 20).tolist()
    ]
    assert (
        found is not None
        and found.sleepers == max(f.sleepers for f in at if f is not None) == 5
    )


@settings(max_examples=30)
@given(shelter=SHELTERS)
def test_a_lid_taken_as_any_roof_sleeps_as_many(shelter: Shelter) -> None:
    """The way for hollow roofs, on roofs that are lids too: the same count, up to the three that
    are exact.
    """
    roof = Roof.over(shelter.faces())
    if roof.rim is None:
        return
    hollow = Roof(roof.faces, roof.corners, roof.plane, None)
    one = len(lay_mats(Ground.under(roof, None, CLEAR), 1.7, CLEAR, stride=3))
    two = len(lay_mats(Ground.under(hollow, None, CLEAR), 1.7, CLEAR, stride=3))
    assert min(one, 3) == min(two, 3)


def test_a_mat_never_lies_across_a_hole() -> None:
    """Two roofs with a gap between them: a mat lies under one of them, not under both."""
    strip = np.array([[0.0, 0, 1], [1.2, 0, 1], [1.2, 2.2, 1], [0, 2.2, 1]])
    faces = [
        Face("a", Role.ROOF, strip),
        Face("b", Role.ROOF, strip + np.array([1.5, 0, 0])),
    ]
    mats = lay_mats(Ground.under(Roof.over(faces), None, CLEAR), 1.9, CLEAR)
    assert len(mats) == 4
    gap = Polygon([(1.2, 0), (1.5, 0), (1.5, 2.2), (1.2, 2.2)])
    assert all(Polygon(m.corners()).intersection(gap).area < 1e-9 for m in mats)


def test_a_door_inside_takes_ground_from_the_bed() -> None:
    """A low panel under the roof stands in the way, however high the roof above it."""
    roof = np.array([[0.0, 0, 1.5], [2.2, 0, 1.5], [2.2, 1.3, 1.5], [0, 1.3, 1.5]])
    door = np.array([[1.0, 0.0, 0.2], [1.2, 0.0, 0.2], [1.2, 1.3, 0.2], [1.0, 1.3, 0.2]])
    free = lay_mats(
        Ground.under(Roof.over([Face("r", Role.ROOF, roof)]), None, CLEAR), 1.9, CLEAR
    )
    blocked = lay_mats(
        Ground.under(
            Roof.over([Face("r", Role.ROOF, roof), Face("d", Role.DOOR, door)]), None, CLEAR
        ),
        1.9,
        CLEAR,
    )
    assert (len(free), len(blocked)) == (2, 0)


def test_no_room_is_told_as_none() -> None:
    low = np.array([[0.0, 0, 0.1], [3, 0, 0.1], [3, 3, 0.1]])
    plane_room = np.ascontiguousarray(low[None])
    polygons, sizes = np.empty((8, 40, 2)), np.empty(8, dtype=np.int64)
    made, _ = general_entries(
        plane_room,
        np.array([3]),
        np.array(CLEAR.heights()),
        CLEAR.boxes(1.7),
        CALM_FALL,
        np.arange(0, 180, 30),
        180,
        INNER_M,
        np.inf,
        polygons,
        sizes,
        sizes.copy(),
        np.empty((40, 2)),
        0.0,
    )
    assert made == 0


@pytest.mark.parametrize("slug", ["lean-to", "plow-point", "lean-to-awning", "half-cone"])
def test_the_search_lies_dry_in_slanted_rain_when_that_can_be(slug: str) -> None:
    """Rain from the front: no setting of a grid sleeps somebody where the searched one sleeps
    nobody.
    """
    sheet, weather = Sheet.rectangle(3.2, 3.2), Weather(5, 5, 300)
    found = solve(Question(sheet, PITCHES[slug], {}, wanted=1, weather=weather))
    asked = Question(sheet, PITCHES[slug], {}, wanted=1, weather=weather)
    assert found.figures is not None
    best = 0
    for height in np.linspace(0.5, 2.2, 18):
        figures = solve(
            Question(
                sheet, PITCHES[slug], {"height": float(height)}, wanted=1, weather=weather
            )
        ).figures
        best = max(best, figures.sleepers if figures else 0)
    assert min(found.figures.sleepers, 1) >= min(best, 1)
    assert worth(found.figures, asked.objective()) > (100 if best else 0)


@pytest.mark.parametrize("slug", STANDING)
def test_twice_the_sheet_at_twice_the_measures_is_twice_the_shelter(slug: str) -> None:
    """Scale invariance of every fold; angles and states stay."""
    pitch = PITCHES[slug]
    side, length = 2.6, 3.4 if slug == "plow-point-awning" else 2.6
    small = some_settings(slug, Sheet.rectangle(side, length))
    assert small is not None
    full = {s.name: small.get(s.name, s.default) for s in pitch.settings}
    large = {n: v * (2 if pitch.setting(n).is_length else 1) for n, v in full.items()}
    one = pitch.layout((side, length), {n: np.array([v]) for n, v in full.items()}).start
    two = pitch.layout(
        (2 * side, 2 * length), {n: np.array([v]) for n, v in large.items()}
    ).start
    assert two == pytest.approx(2 * one, abs=1e-4)


@pytest.mark.parametrize("slug", STANDING)
def test_shut_or_open_a_strip_doubled_under_changes_no_opening(slug: str) -> None:
    """Where a square is made of an oblong sheet, the doubled strip adds no opening and no covered
    ground.
    """
    pitch = PITCHES[slug]
    if pitch.shape != "square":
        assert (
            solve(Question(Sheet.rectangle(3.0, 3.8), pitch, {}, wanted=1)).shelter
            is not None
        )
        return
    given = some_settings(slug, Sheet.rectangle(3.2, 3.2)) or {}
    square, doubled = (
        fold_sheet(pitch, Sheet.rectangle(3.2, side), given) for side in (3.2, 3.9)
    )
    calm = [measure(s, BODY) for s in (square, doubled)]
    assert calm[1].covered_area_m2 == pytest.approx(calm[0].covered_area_m2, abs=1e-6)
    assert calm[1].open_area_m2 == pytest.approx(calm[0].open_area_m2, abs=1e-6)
    assert len(doubled.panels) > len(square.panels)
