"""Who lies where: the count against exhaustive search in slanted rain, mixed statures, head rules,
drips, packs.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from shapely import LineString, MultiPoint, Polygon

from tarvik.core.body import Body
from tarvik.core.errors import InputError
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.drips import DRIP_REACH_M, SOAKS_M, drip_zones, drips, under_drips
from tarvik.core.measure.figures import (
    Figures,
    kneeling_height,
    measure,
    sitting_height,
    standing_height,
    tallest_sleeper_m,
)
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.lying import PACK_M2, HeadRule, Lying
from tarvik.core.measure.mats import Mat, lay_mats
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.weather.rain import SPLASH_M, Weather
from tests.brute_force import fitting_mats, most_apart, rain_ways, two_apart
from tests.core.test_invariants import moved
from tests.core.test_measures import SHELTERS, shelter_of
from tests.reference import (
    OBLONGS,
    STANDING,
    mat_fits,
    pairs_overlap,
    ray_heights,
    some_settings,
)

ROOM = Clearance()
ADULT = Body(1.75)
WEATHERS = st.builds(
    Weather, st.floats(1, 20), st.sampled_from([0.0, 1.0, 3.0, 6.0]), st.floats(0, 360)
)


def dry_and_clear(shelter: Shelter, mat: Mat, weather: Weather) -> bool:
    """Whether a mat has its clearances and no ray against the rain comes through to it (a
    millimetre inside its edge).
    """
    inner = replace(mat, length_m=mat.length_m - 0.002, width_m=mat.width_m - 0.002)
    a, b, c, _ = inner.corners()
    s, t = np.meshgrid(np.linspace(0, 1, 13), np.linspace(0, 1, 7))
    ground = a + s.ravel()[:, None] * (b - a) + t.ravel()[:, None] * (c - b)
    dry = all(
        np.isfinite(ray_heights(shelter, ground, way)).all()
        for way in rain_ways(weather, 7)
    )
    return dry and mat_fits(shelter, mat, ROOM)


@settings(max_examples=100)
@given(shelter=SHELTERS, weather=WEATHERS, stature=st.floats(1.4, 2.0))
def test_the_count_is_no_less_than_exhaustive_search(
    shelter: Shelter, weather: Weather, stature: float
) -> None:
    """Every mat of a 10 cm and 10 degree grid against every set of three of them; and what is
    claimed beyond it fits.
    """
    figures = measure(shelter, Body(stature), weather)
    exhaustive = fitting_mats(shelter.faces(), stature, ROOM, weather)
    assert min(figures.sleepers, 3) >= most_apart(
        exhaustive, ROOM.mat_length(stature), ROOM.mat_width_m
    )
    assert pairs_overlap(list(figures.mats)) < 1e-6
    assert all(dry_and_clear(shelter, mat, weather) for mat in figures.mats)


@settings(max_examples=40)
@given(
    shelter=SHELTERS,
    weather=WEATHERS,
    statures=st.lists(st.floats(1.3, 2.0), min_size=2, max_size=4),
)
def test_mixed_statures_each_lie_on_their_own_mat(
    shelter: Shelter, weather: Weather, statures: list[float]
) -> None:
    """Nobody lies twice, every mat is its person's length, dry, clear and apart from the others."""
    people = [Body(s) for s in statures]
    figures = measure(shelter, people[0], weather, people=people)
    assert len(set(figures.who)) == len(figures.who) == figures.sleepers
    for who, mat in zip(figures.who, figures.mats, strict=True):
        assert mat.length_m == pytest.approx(ROOM.mat_length(statures[who]), abs=0.006)
        assert dry_and_clear(shelter, mat, weather)
    assert pairs_overlap(list(figures.mats)) < 1e-6
    alike = measure(shelter, Body(max(statures)), weather).sleepers
    assert figures.sleepers >= min(alike, len(people))


@settings(max_examples=40)
@given(shelter=SHELTERS, weather=WEATHERS, one=st.floats(1.3, 2.0), two=st.floats(1.3, 2.0))
def test_two_of_different_stature_against_exhaustive_search(
    shelter: Shelter, weather: Weather, one: float, two: float
) -> None:
    figures = measure(shelter, Body(one), weather, people=[Body(one), Body(two)])
    mats = [fitting_mats(shelter.faces(), s, ROOM, weather) for s in (one, two)]
    if two_apart(*mats, (ROOM.mat_length(one), ROOM.mat_length(two)), ROOM.mat_width_m):
        assert figures.sleepers == 2
    if len(mats[0]) or len(mats[1]):
        assert figures.sleepers >= 1


def _lifted(shelter: Shelter, by: float) -> Shelter:
    return replace(shelter, xyz=shelter.xyz + np.array([0.0, 0.0, by]))


def _grown(shelter: Shelter, by: float) -> Shelter:
    return replace(shelter, xyz=shelter.xyz * by)


@settings(max_examples=60)
@given(
    shelter=SHELTERS,
    stature=st.floats(1.4, 2.0),
    lift=st.floats(0.01, 0.3),
    grow=st.floats(1.0, 1.3),
)
def test_more_height_or_ground_never_sleeps_fewer(
    shelter: Shelter, stature: float, lift: float, grow: float
) -> None:
    """Lifted as a whole in calm air, or larger in all directions: no mat less, up to the three that
    are exact.
    """
    before = measure(shelter, Body(stature)).sleepers
    assert min(measure(_lifted(shelter, lift), Body(stature)).sleepers, 3) >= min(before, 3)
    assert min(measure(_grown(shelter, grow), Body(stature)).sleepers, 3) >= min(before, 3)


@given(shelter=SHELTERS, weather=WEATHERS, steps=st.integers(1, 179), mirror=st.booleans())
def test_turned_or_mirrored_it_sleeps_as_many(
    shelter: Shelter, weather: Weather, steps: int, mirror: bool
) -> None:
    """Turned by whole steps of the headings tried (2 degrees), wind and all; mirrored, wind and
    all.
    """
    bearing = 180 - weather.wind_from_deg if mirror else weather.wind_from_deg
    turned = replace(weather, wind_from_deg=(bearing - 2 * steps) % 360)
    before, after = (
        measure(shelter, ADULT, weather),
        measure(moved(shelter, 2 * steps, mirror), ADULT, turned),
    )
    assert after.dry_area_m2 == pytest.approx(before.dry_area_m2, abs=1e-6)
    assert min(after.sleepers, 3) == min(before.sleepers, 3)
    assert after.open_to_wind == pytest.approx(before.open_to_wind, abs=1e-6)
    assert len(after.drips) == len(before.drips)


@pytest.mark.parametrize("slug", STANDING)
@pytest.mark.parametrize("uphill", [0.0, 65.0, 190.0])
def test_heads_point_uphill_when_the_course_wants_it(slug: str, uphill: float) -> None:
    """The head end is at least as far uphill as the feet."""
    sheet = Sheet.rectangle(3.4, 3.8 if slug in OBLONGS else 3.4)
    shelter = fold_sheet(PITCHES[slug], sheet, some_settings(slug, sheet, 1.0) or {})
    way = np.array([math.sin(math.radians(uphill)), math.cos(math.radians(uphill))])
    figures = measure(shelter, ADULT, lying=Lying(HeadRule.UPHILL, uphill))
    free = measure(shelter, ADULT)
    assert figures.sleepers <= free.sleepers
    for mat in figures.mats:
        assert (np.array(mat.head()) - (mat.x, mat.y)) @ way >= -1e-6
    assert (
        measure(shelter, ADULT, lying=Lying(HeadRule.UPHILL)).sleepers == free.sleepers
    )  # no slope known


def test_heads_away_from_the_opening() -> None:
    """A lean-to opens to -x: heads at the back. An A-frame opens both ways: the rule leaves it
    open.
    """
    lean_to = fold_sheet(PITCHES["lean-to"], Sheet.rectangle(3.2, 3.2), {"height": 1.2})
    rule = Lying(HeadRule.AWAY)
    towards = rule.towards(lean_to)
    assert towards is not None
    assert towards @ np.array([1.0, 0.0]) > 0.99
    assert all(
        mat.head()[0] >= mat.x - 1e-6 for mat in measure(lean_to, ADULT, lying=rule).mats
    )
    a_frame = fold_sheet(PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 1.0})
    assert rule.towards(a_frame) is None
    with pytest.raises(InputError, match="uphill_deg"):
        Lying(HeadRule.UPHILL, math.nan)


def test_drips_of_an_a_frame_are_its_eaves_and_of_a_lean_to_its_rear_edge() -> None:
    """Common practice: water leaves a roof at its low edge; nothing drips from gables and
    ridges.
    """
    a_frame = fold_sheet(PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 1.0})
    assert {frozenset(d.points) for d in drips(a_frame) if len(d.points) == 2} == {
        frozenset("AB"),
        frozenset("CD"),
    }
    lean_to = fold_sheet(PITCHES["lean-to"], Sheet.rectangle(3, 3), {"height": 1.0})
    assert {frozenset(d.points) for d in drips(lean_to) if len(d.points) == 2} == {
        frozenset("AB")
    }
    assert {d.points for d in drips(lean_to) if len(d.points) == 1} == {("A",), ("B",)}


@given(shelter=SHELTERS, x=st.floats(-2, 2), y=st.floats(-2, 2), heading=st.floats(0, 360))
def test_a_mat_near_a_drip_is_found(
    shelter: Shelter, x: float, y: float, heading: float
) -> None:
    """Against distances between outlines; the zone kept free holds everything that near."""
    mat = Mat(x, y, heading, 1.85, 0.6)
    outline = Polygon(mat.corners())
    nearest = min(
        outline.distance(LineString(d.xyz[:, :2]))
        for d in drips(shelter)
        if len(d.points) == 2
    )
    assert bool(under_drips([mat], shelter)) == (nearest < DRIP_REACH_M - 1e-6)
    if all(outline.disjoint(Polygon(zone)) for zone in drip_zones(shelter)):
        assert not under_drips([mat], shelter)
    for drip, zone in zip(drips(shelter), drip_zones(shelter), strict=True):
        near = MultiPoint(drip.xyz[:, :2]).convex_hull.buffer(DRIP_REACH_M)
        assert Polygon(zone).buffer(1e-9).covers(near)
        assert Polygon(zone).difference(near.buffer(0.0025)).area < 1e-6


@settings(max_examples=80)
@example(
    shelter=shelter_of("plow-point-lifted", 2.5, 2.875, 2.0), weather=Weather(1.0, 0.0, 0.0)
)
@given(shelter=SHELTERS, weather=WEATHERS)
def test_of_as_many_mats_those_clear_of_drips_are_laid(
    shelter: Shelter, weather: Weather
) -> None:
    """When mats are said to lie under a drip, as many would not fit clear of it: laid clear, there
    are fewer.
    """
    figures = measure(shelter, ADULT, weather)
    clear = lay_mats(
        Ground.under(figures.roof, figures.dry_ground.less(drip_zones(shelter)), ROOM),
        ADULT.stature_m,
        ROOM,
    )
    assert figures.wetted == under_drips(figures.mats, shelter)
    if figures.wetted:
        assert len(clear) < figures.sleepers
    assert figures.dry_area_m2 == pytest.approx(
        figures.dry.area
    )  # the figure stays what it is


@settings(max_examples=40)
@given(shelter=SHELTERS, weather=WEATHERS)
def test_in_rain_no_bed_lies_near_a_drip(shelter: Shelter, weather: Weather) -> None:
    """Common practice: a bed under a drip edge, or within a quarter of a metre of it, gets wet. An
    edge that lies on the ground drips on nobody. Never more beds than without that rule.
    """
    free = measure(shelter, ADULT, weather)
    figures = measure(shelter, ADULT, replace(weather, splash_m=SPLASH_M))
    assert figures.sleepers <= free.sleepers
    assert not figures.wetted
    high = [d.xyz[:, :2] for d in drips(shelter) if d.xyz[:, 2].max() > SOAKS_M]
    for mat in figures.mats:
        outline = Polygon(mat.corners())
        assert all(
            MultiPoint(xy).convex_hull.distance(outline) >= SPLASH_M - 0.003 for xy in high
        )
    if not high:
        assert figures.mats == free.mats or free.wetted


def lean_to_figures(**how: object) -> Figures:
    shelter = fold_sheet(PITCHES["lean-to"], Sheet.rectangle(3, 3), {"height": 1.2})
    return measure(shelter, ADULT, **how)  # type: ignore[arg-type]


def test_packs_need_ground_beside_the_mats() -> None:
    """Never more than the dry ground left over holds; with more people named, not more packs."""
    one = lean_to_figures(people=[ADULT])
    three = lean_to_figures(people=[ADULT] * 3)
    assert one.sleepers == 1
    assert three.sleepers == 3
    mat = ROOM.mat_length(1.75) * ROOM.mat_width_m
    assert 0 < three.packs <= one.packs <= (one.dry_area_m2 - mat) / PACK_M2


def test_zones_by_hand() -> None:
    """A lean-to 3 m deep in its sheet, front at 2.4 m: the ground under a height h is (1 - h / 2.4)
    of its depth of 1.8 m.
    """
    shelter = fold_sheet(PITCHES["lean-to"], Sheet.rectangle(3, 3), {"height": 2.4})
    figures = measure(shelter, ADULT)
    for area, height in (
        (figures.sit_area_m2, sitting_height(ADULT)),
        (figures.kneel_area_m2, kneeling_height(ADULT)),
        (figures.stand_area_m2, standing_height(ADULT)),
    ):
        assert area == pytest.approx(3 * 1.8 * (1 - height / 2.4))
    assert sitting_height(ADULT) < kneeling_height(ADULT) < standing_height(ADULT)


def test_the_tallest_sleeper_knows_the_rain() -> None:
    """Driven rain leaves less dry ground, so the tallest who lies dry is no taller than in calm
    air.
    """
    shelter = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2.4, 2.4), {"height": 1.1})
    calm, driven = (
        tallest_sleeper_m(measure(shelter, ADULT, Weather(4, w, 0))) for w in (0.0, 4.0)
    )
    assert calm is not None
    assert driven is None or driven <= calm
