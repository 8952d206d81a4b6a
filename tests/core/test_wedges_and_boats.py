"""Check values of the closed, lifted, wedge, tent, boat and bare pitches; shaped sheets, hoods,
joined sheets.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tarvik.core.body import Body
from tarvik.core.errors import InputError
from tarvik.core.fold.check import tiling_fault_m2
from tarvik.core.measure.figures import measure
from tarvik.core.measure.openings import openings
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import Sheet, joined_sheet
from tarvik.core.shelter import Shelter, fold_sheet, refusals
from tarvik.core.solve import Question, solve
from tarvik.core.units import FOOT_M
from tarvik.core.weather.rain import Weather

TEN_FT, FIFTEEN_FT = 10 * FOOT_M, 15 * FOOT_M


def fold(slug: str, width: float, length: float, **settings: float) -> Shelter:
    return fold_sheet(PITCHES[slug], Sheet.rectangle(width, length), settings)


def test_awning_wedge_check_values() -> None:
    """Computed values for a 10 ft sheet, tie-outs at thirds, poles 1.45 and 1.15 m, in the fold's
    own frame (p along the floor's front edge, q to the back): T (-0.909, 0.301), gap 0.957 m, Q1
    (0.234, -0.548), Q2 (1.606, -0.852).
    """
    shelter = fold("awning-wedge", TEN_FT, TEN_FT, pole=1.45, pole_far=1.15, tie=TEN_FT / 3)
    for point, p, q in (("T", -0.909, 0.301), ("Q1", 0.234, -0.548), ("Q2", 1.606, -0.852)):
        x, y, _ = shelter.at(point)
        assert (-y, x) == (pytest.approx(p, abs=1e-3), pytest.approx(q, abs=1e-3))
    assert math.dist(shelter.at("O"), shelter.at("T")) == pytest.approx(0.957, abs=1e-3)
    assert np.abs(shelter.at_all("OBM")[:, 2]).max() == 0


def test_a_closed_wedge_of_15_ft_sleeps_three_or_more_shut() -> None:
    """Common practice: it peaks at about 7 ft (2.1 m) with its doors shut and sleeps four."""
    found = solve(
        Question(
            Sheet.rectangle(FIFTEEN_FT, FIFTEEN_FT),
            PITCHES["closed-wedge"],
            {"height": 2.1},
            wanted=None,
        )
    )
    assert found.settings["doors"] == 0
    assert found.figures is not None
    assert found.figures.sleepers >= 3
    assert found.shelter is not None
    assert sum(o.area_m2 for o in openings(found.shelter)) < 0.05


@pytest.mark.parametrize(("stature", "least"), [(1.60, 1), (1.78, 1)])
def test_a_closed_wedge_of_10_ft_sleeps_one(stature: float, least: int) -> None:
    """Common practice: a 10 ft sheet sleeps one."""
    found = solve(
        Question(
            Sheet.rectangle(TEN_FT, TEN_FT),
            PITCHES["closed-wedge"],
            {},
            Body(stature),
            wanted=1,
        )
    )
    assert found.figures is not None
    assert found.figures.sleepers >= least


def test_a_closed_wedge_has_six_stakes_and_a_straight_back() -> None:
    """Common practice: six stakes (rear corners, rear middle, two sides, the doors)."""
    shelter = fold("closed-wedge", TEN_FT, TEN_FT, height=1.4, side=1.2)
    assert shelter.at("E")[0] == pytest.approx(shelter.at("F")[0])
    assert shelter.at("R") == pytest.approx((shelter.at("E") + shelter.at("F")) / 2)
    assert shelter.at("J") == pytest.approx(shelter.at("K"))  # the hems meet
    assert math.hypot(*shelter.at("J")[:2]) <= 1e-9 + shelter.at("J")[0]


@given(
    height=st.floats(1.0, 1.5),
    side=st.floats(0.6, 1.8),
    doors=st.sampled_from([0.0, 1.0, 2.0, 3.0]),
)
def test_doors_in_every_state(height: float, side: float, doors: float) -> None:
    """Shut: no way in; open, pinned out and flown: less of the front is closed."""
    settings = {"height": height, "side": side, "doors": doors}
    assume(not refusals(PITCHES["closed-wedge"], (TEN_FT, TEN_FT), settings))
    assume(
        not refusals(PITCHES["closed-wedge"], (TEN_FT, TEN_FT), settings | {"doors": 0.0})
    )
    shut, other = (
        fold("closed-wedge", TEN_FT, TEN_FT, height=height, side=side),
        fold("closed-wedge", TEN_FT, TEN_FT, **settings),
    )
    gaps = [sum(o.area_m2 for o in openings(s)) for s in (shut, other)]
    assert gaps[1] >= gaps[0] - 1e-9
    assert (gaps[1] > 0.05) == (doors != 0.0)


def test_a_nine_by_twelve_plastic_sheet_makes_a_closed_a_frame() -> None:
    """Common practice: a 9 x 12 ft drop cloth does it, with buttons at the ridge ties; its ends are
    more than half shut.
    """
    sheet = Sheet.rectangle(9 * FOOT_M, 12 * FOOT_M, ())
    found = solve(Question(sheet, PITCHES["a-frame-closed"], {}, wanted=2))
    assert found.figures is not None
    assert found.figures.sleepers >= 2
    assert any(r.code == "button" for r in found.assessment.reasons)
    settings = {"height": 0.95, "inset": 0.5}
    shut, wide = (
        fold("a-frame-closed", 9 * FOOT_M, 12 * FOOT_M, **settings, doors=d)
        for d in (0.0, 1.0)
    )
    assert sum(o.area_m2 for o in openings(shut)) < 0.85 * sum(
        o.area_m2 for o in openings(wide)
    )


def test_a_doored_a_frame_sleeps_a_tall_person() -> None:
    """Common practice: ridge 3.35 m, poles of 1.25 m: a person of 1.83 m lies clear at both ends;
    flaps overlap 10 to 15 cm. A sheet of 9 x 11 ft has that ridge, and sides on the ground of about
    2 m come out.
    """
    sheet = Sheet.rectangle(9 * FOOT_M, 11 * FOOT_M)
    found = solve(
        Question(sheet, PITCHES["a-frame-doored"], {"height": 1.25}, Body(1.83), wanted=1)
    )
    assert found.figures is not None
    assert found.figures.sleepers >= 1
    shelter = found.shelter
    assert shelter is not None
    assert math.dist(shelter.at("P"), shelter.at("Q")) == pytest.approx(3.353, abs=0.01)
    assert 1.6 < math.dist(shelter.at("A"), shelter.at("B")) < 2.1
    assert math.dist(shelter.sheet_at("M1"), shelter.sheet_at("T1")) == pytest.approx(0.12)


def test_a_hexagonal_sheet_makes_a_doored_a_frame() -> None:
    """A shaped sheet, its ridge longer than its sides: every panel on its cloth."""
    outline = ((0.0, 0.3), (1.37, 0.0), (2.74, 0.3), (2.74, 3.3), (1.37, 3.6), (0.0, 3.3))
    found = solve(
        Question(Sheet(outline), PITCHES["a-frame-doored"], {"height": 1.2}, wanted=1)
    )
    assert found.shelter is not None
    places = {p: found.shelter.sheet_at(p) for p in found.shelter.pattern.points}
    assert tiling_fault_m2(Sheet(outline), places, found.shelter.panels) < 1e-7


def test_a_half_cone_gives_more_room_than_a_small_square() -> None:
    """Common practice: more room than a 7 ft square for a quarter more cloth; a person lies
    straight across it.
    """
    radius = math.sqrt(1.25 * (7 * FOOT_M) ** 2 * 2 / math.pi)
    arc = [
        (radius * math.sin(a), radius * math.cos(a))
        for a in np.linspace(-math.pi / 2, math.pi / 2, 9)
    ]
    half_round = Sheet(tuple((u + radius, v) for u, v in arc))
    cone = solve(
        Question(half_round, PITCHES["half-cone"], {}, Body(1.73), wanted=1)
    ).figures
    square = solve(
        Question(
            Sheet.rectangle(7 * FOOT_M, 7 * FOOT_M),
            PITCHES["plow-point"],
            {},
            Body(1.73),
            wanted=1,
        )
    ).figures
    assert cone is not None
    assert square is not None
    assert cone.sleepers >= 1
    assert cone.covered_area_m2 > square.covered_area_m2


@given(side=st.floats(2.4, 4.0), height=st.floats(0.7, 1.6), lift=st.floats(0.02, 0.4))
def test_lifting_the_middle_gives_room_and_keeps_threads(
    side: float, height: float, lift: float
) -> None:
    """Common practice: lifting the middle makes much more room. Threads keep their length; shear
    stays within 5 degrees.
    """
    settings = {"height": height, "lift": lift}
    assume(not refusals(PITCHES["plow-point-lifted"], (side, side), settings))
    shelter, plain = (
        fold("plow-point-lifted", side, side, **settings),
        fold("plow-point", side, side, height=height),
    )
    assert 0 < shelter.shear_deg <= 5
    assert shelter.at("K")[2] == pytest.approx(height / 2 + lift)
    for a, b in (("P", "E"), ("E", "A"), ("A", "F"), ("F", "R"), ("E", "K"), ("F", "K")):
        assert math.dist(shelter.at(a), shelter.at(b)) == pytest.approx(side / 2, abs=1e-5)
    assert measure(shelter, Body(1.75)).roof.area_above(0.5) > measure(
        plain, Body(1.75)
    ).roof.area_above(0.5)


def test_a_hood_is_the_lifting_point() -> None:
    """A poncho's hood, tied off, lies where it is lifted, not in the centre."""
    poncho = Sheet.rectangle(2.6, 2.4, None, (1.3, 0.9))
    found = solve(
        Question(poncho, PITCHES["plow-point-lifted"], {"height": 1.0, "lift": 0.1})
    )
    assert found.shelter is not None
    assert found.shelter.sheet_at("K") == (1.3, 0.9)
    assert any(r.code == "hood" for r in found.assessment.reasons)


@given(hull=st.floats(0.6, 1.2), behind=st.floats(0.9, 1.6))
def test_a_boat_shelter_for_the_night_closes_all_round(hull: float, behind: float) -> None:
    """Common practice: a straight row of five stakes behind, front corners staked, one raised line
    in front.
    """
    settings = {"hull": hull, "behind": behind}
    assume(not refusals(PITCHES["boat-night"], (3.0, 3.6), settings))
    shelter = fold("boat-night", 3.0, 3.6, **settings)
    row = shelter.at_all(["R1", "R2", "R3", "R4", "R5"])
    assert np.ptp(row[:, 0]) < 1e-9
    assert np.diff(row[:, 1]) == pytest.approx(-0.9)
    assert np.abs(shelter.at_all("AB")[:, 2]).max() == 0
    assert shelter.at("H")[2] == pytest.approx(hull)


def test_a_boat_porch_is_high_in_the_middle_and_low_at_the_ends() -> None:
    shelter = fold("boat-porch", 3.0, 3.6, height=1.6, ends=1.1, hull=0.8, behind=1.0)
    assert shelter.at("F")[2] == pytest.approx(1.6)
    assert shelter.at_all("AB")[:, 2] == pytest.approx([1.1, 1.1])


def test_bag_and_net() -> None:
    """A large poncho takes one person and needs nothing; a net alone keeps nobody dry, and sleeps
    one on a dry night.
    """
    bag = solve(Question(Sheet.rectangle(1.5, 2.4), PITCHES["bag"], {}))
    assert bag.verdict is Verdict.FORMS
    assert bag.figures is not None
    assert bag.figures.sleepers == 1
    assert not bag.assessment.rig or not bag.assessment.rig.supports
    tight = solve(Question(Sheet.rectangle(1.3, 2.4), PITCHES["bag"], {})).figures
    assert tight is not None
    assert tight.sleepers == 0
    for rain, sleepers in ((4.0, 0), (0.0, 1)):
        net = solve(
            Question(
                Sheet.rectangle(1.5, 2.4), PITCHES["net-only"], {}, weather=Weather(rain)
            )
        ).figures
        assert net is not None
        assert (net.sleepers, net.covered_area_m2) == (sleepers, 0)


def test_curved_edges_are_cut_and_said() -> None:
    """A sheet whose edges curve in keeps its corners, loses roof, and says that its edges are
    approximated.
    """
    bow = [
        (0.0, 0.0),
        (1.5, 0.1),
        (3.0, 0.0),
        (2.9, 1.5),
        (3.0, 3.0),
        (1.5, 2.9),
        (0.0, 3.0),
        (0.1, 1.5),
    ]
    sheet = Sheet(tuple(bow))
    found = solve(Question(sheet, PITCHES["a-frame"], {"height": 1.0}))
    plain = solve(Question(Sheet.rectangle(3, 3), PITCHES["a-frame"], {"height": 1.0}))
    assert found.shelter is not None
    assert found.figures is not None
    assert plain.figures is not None
    places = {p: found.shelter.sheet_at(p) for p in found.shelter.pattern.points}
    assert tiling_fault_m2(sheet, places, found.shelter.panels) < 1e-6
    assert found.figures.covered_area_m2 < plain.figures.covered_area_m2
    assert any(r.code == "shaped_edges" for r in found.assessment.reasons)


def test_two_sheets_joined_along_an_edge() -> None:
    """Common practice: a lap of 0.3 m at least. 2.4 x 3 and 2.0 x 3 joined along the 3 m: 3 x 4.1
    m.
    """
    one, two = Sheet.rectangle(2.4, 3.0), Sheet.rectangle(3.0, 2.0)
    assert joined_sheet(one, two).box == pytest.approx((3.0, 4.1))
    with pytest.raises(InputError, match="overlap"):
        joined_sheet(one, two, 0.1)
