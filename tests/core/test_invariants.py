"""What must not matter does not: turning, mirroring, sliding, scaling, the order of things."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.body import Body
from tarvik.core.intent import INTENTS
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.dry import dry_ground
from tarvik.core.measure.figures import measure
from tarvik.core.measure.openings import open_to_wind
from tarvik.core.measure.roof import Roof
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.kit_use import left_after, totals
from tarvik.core.rig.supports import Pole, Supports, Tree
from tarvik.core.rig.verdict import assess
from tarvik.core.sheet import TIE_OUT_REACH_M, Sheet, TieOuts, tie_out_points
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import Weather
from tests.core.test_measures import SHELTERS
from tests.reference import OBLONGS

BODY = Body(1.75)


def moved(
    shelter: Shelter,
    degrees: float,
    mirror: bool = False,
    by: tuple[float, float] = (0.0, 0.0),
) -> Shelter:
    """The same shelter turned anticlockwise, mirrored in the x axis before, and slid."""
    a = math.radians(degrees)
    turn = np.array(
        [[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]]
    )
    flip = np.diag([1.0, -1.0 if mirror else 1.0, 1.0])
    xyz = shelter.xyz @ flip.T @ turn.T + np.array([*by, 0.0])
    return Shelter(
        shelter.pitch, shelter.sheet, shelter.settings, shelter.uv, xyz, shelter.whole
    )


@given(
    shelter=SHELTERS,
    degrees=st.floats(0, 360),
    mirror=st.booleans(),
    by=st.tuples(st.floats(-50, 50), st.floats(-50, 50)),
)
def test_areas_and_heights_do_not_move(
    shelter: Shelter, degrees: float, mirror: bool, by: tuple[float, float]
) -> None:
    one, two = (
        Roof.over(s.faces()) for s in (shelter, moved(shelter, degrees, mirror, by))
    )
    assert two.peak_m == pytest.approx(one.peak_m)
    assert two.plan().area == pytest.approx(one.plan().area, abs=1e-6)
    for height in (0.14, 0.5, 0.96):
        assert two.area_above(height) == pytest.approx(one.area_above(height), abs=1e-6)


@given(
    shelter=SHELTERS,
    degrees=st.floats(0, 360),
    wind=st.floats(0.5, 12),
    bearing=st.floats(0, 360),
)
def test_turning_shelter_and_wind_together_changes_nothing(
    shelter: Shelter, degrees: float, wind: float, bearing: float
) -> None:
    """Bearings run clockwise and turns anticlockwise, so the wind's bearing falls by as much as the
    shelter turns.
    """
    turned = moved(shelter, degrees)
    before, after = Weather(6, wind, bearing), Weather(6, wind, (bearing - degrees) % 360)
    assert dry_ground(Roof.over(turned.faces()), after).area_m2 == pytest.approx(
        dry_ground(Roof.over(shelter.faces()), before).area_m2, abs=1e-6
    )
    assert open_to_wind(turned, after.wind_from_deg) == pytest.approx(
        open_to_wind(shelter, bearing), abs=1e-6
    )


@given(shelter=SHELTERS)
def test_a_mirrored_shelter_sleeps_as_many(shelter: Shelter) -> None:
    one, two = measure(shelter, BODY), measure(moved(shelter, 0, mirror=True), BODY)
    assert two.sleepers == one.sleepers
    assert two.least_slope_deg == pytest.approx(one.least_slope_deg)


@given(shelter=SHELTERS, by=st.tuples(st.floats(-30, 30), st.floats(-30, 30)))
def test_a_slid_shelter_sleeps_as_many(shelter: Shelter, by: tuple[float, float]) -> None:
    assert (
        measure(moved(shelter, 0, by=by), BODY).sleepers == measure(shelter, BODY).sleepers
    )


@given(shelter=SHELTERS, more=st.floats(0.01, 0.3))
def test_more_room_over_the_mat_never_takes_more_mats(
    shelter: Shelter, more: float
) -> None:
    tight, roomy = (
        Clearance(),
        replace(Clearance(), head_m=0.5 + more, middle_m=0.35 + more, foot_m=0.21 + more),
    )
    assert (
        measure(shelter, BODY, clearance=roomy).sleepers
        <= measure(shelter, BODY, clearance=tight).sleepers
    )


@given(shelter=SHELTERS, wind=st.floats(0.5, 14), bearing=st.floats(0, 360))
def test_slanted_rain_never_leaves_more_dry_or_more_mats(
    shelter: Shelter, wind: float, bearing: float
) -> None:
    calm, windy = measure(shelter, BODY), measure(shelter, BODY, Weather(5, wind, bearing))
    assert windy.dry_area_m2 <= calm.dry_area_m2 + 1e-9
    assert windy.covered_area_m2 == pytest.approx(calm.covered_area_m2)
    assert min(windy.sleepers, 3) <= max(calm.sleepers, 0)


@pytest.mark.parametrize("slug", PITCHES)
def test_a_larger_square_never_sleeps_fewer(slug: str) -> None:
    """With the height free, up to three mats."""
    counts = []
    for side in (2.1, 2.5, 2.9, 3.3):
        figures = solve(
            Question(Sheet.rectangle(side, side), PITCHES[slug], {}, BODY)
        ).figures
        counts.append(min(figures.sleepers if figures else 0, 3))
    assert counts == sorted(counts)


@pytest.mark.parametrize("slug", PITCHES)
def test_a_storm_shelter_is_no_higher_than_a_fair_one(slug: str) -> None:
    """With the doors alike: some shut only at one height."""
    sheet = Sheet.rectangle(3.05, 3.6 if slug in OBLONGS else 3.05)
    storm = solve(Question(sheet, PITCHES[slug], {}, BODY, INTENTS["storm"], wanted=1))
    doors = {s.name: storm.settings[s.name] for s in PITCHES[slug].settings if s.is_door}
    fair = solve(
        Question(sheet, PITCHES[slug], doors, BODY, INTENTS["fair-view"], wanted=1)
    )
    assert storm.figures is not None
    assert fair.figures is not None
    assert storm.figures.peak_m <= fair.figures.peak_m + 1e-9


def test_the_floor_s_fold_seeks_tie_outs() -> None:
    """On a sheet with quarter tie-outs the fold of the floor comes to lie on a pair of them, and no
    button is made.
    """
    ties = tie_out_points(3, 3, frozenset({TieOuts.CORNERS, TieOuts.QUARTERS}))
    found = solve(
        Question(
            Sheet.rectangle(3, 3, ties), PITCHES["lean-to-floored"], {}, BODY, wanted=1
        )
    )
    assert (
        min(abs(found.settings["floor"] - tie) for tie in (0.75, 1.5))
        <= TIE_OUT_REACH_M + 1e-9
    )
    assert not any(r.code == "button" for r in found.assessment.reasons)


def test_an_offset_crease_leans_the_roof() -> None:
    """The crease 0.3 m off the middle: one side 1.8 m, the other 1.2 m, both from the ridge to the
    ground.
    """
    shelter = fold_sheet(
        PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 1.0, "offset": 0.3}
    )
    assert math.dist(shelter.at("P"), shelter.at("A")) == pytest.approx(1.8)
    assert math.dist(shelter.at("P"), shelter.at("C")) == pytest.approx(1.2)


def test_turning_the_sheet_swaps_its_sides() -> None:
    one = fold_sheet(
        PITCHES["lean-to"], Sheet.rectangle(2.4, 3.0), {"height": 1.2, "turn": 1}
    )
    two = fold_sheet(PITCHES["lean-to"], Sheet.rectangle(3.0, 2.4), {"height": 1.2})
    assert one.xyz == pytest.approx(two.xyz)


@given(
    stakes=st.integers(0, 30),
    count=st.integers(0, 4),
    poles=st.integers(0, 4),
    trees=st.integers(0, 5),
)
def test_totals_add_up(stakes: int, count: int, poles: int, trees: int) -> None:
    """Needed less there is what is short; what is left after a rig and what it took make the
    whole.
    """
    kit = Supports((Tree(),) * trees, (Pole(1.0, 1.5),) * poles, stakes, (3.0,) * 4)
    rig = assess(
        fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3, 3), {"height": 1.2}),
        Supports(),
    ).rig
    assert rig is not None
    table = {t.what: t for t in totals([rig] * count, kit)}
    assert table["Stakes"].needed == count * rig.stakes_needed()
    assert table["Stakes"].short == max(0, count * rig.stakes_needed() - stakes)
    assert table["Trees or posts"].short == max(0, count - trees)
    assert table["Lines"].short == max(0, count - 4)
    left = left_after(kit, rig)
    assert len(left.trees or ()) == max(0, trees - 1)
    assert left.stakes == max(0, stakes - rig.stakes_needed())
