"""Flown, awned, wrapped and floored pitches: check values, folds by hand, and what holds their
corners.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tarvik.core.measure.roof import roof_of
from tarvik.core.measure.runoff import least_slope_deg
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.rigging import poled
from tarvik.core.rig.supports import UNLIMITED, Pole, Supports
from tarvik.core.rig.verdict import Verdict, assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet, refusals
from tarvik.core.solve import Question, solve
from tarvik.core.units import FOOT_M, Units


def fold(slug: str, width: float, length: float, **settings: float) -> Shelter:
    return fold_sheet(PITCHES[slug], Sheet.rectangle(width, length), settings)


def test_corner_wrap_check_values() -> None:
    """Computed values for a 10 ft sheet, ties 2.5 ft in, ridge at 1.45 m: ridge 1.08 m, depth 2.89
    m, side corners 1.08 m back from the front and 1.94 m from the centre line.
    """
    side = 10 * FOOT_M
    shelter = fold("corner-wrap", side, side, height=1.45, inset=2.5 * FOOT_M)
    assert math.dist(shelter.at("A"), shelter.at("B")) == pytest.approx(1.08, abs=0.005)
    assert shelter.at("E")[0] == pytest.approx(2.89, abs=0.005)
    assert shelter.at("G")[0] == pytest.approx(1.08, abs=0.005)
    assert abs(shelter.at("G")[1]) == pytest.approx(1.94, abs=0.005)
    assert shelter.at("K")[0] < shelter.at("E")[0]  # the rear corner folds in


def test_a_square_pitch_takes_an_oblong_sheet_doubled() -> None:
    """A 2.4 x 3 m sheet stands as a 2.4 m square does, the strip of 0.6 m lying on the panels it
    covers; one more than twice as long as wide does not.
    """
    settings = {"height": 1.2, "inset": 0.6}
    doubled, square = (
        fold("corner-wrap", 2.4, 3.0, **settings),
        fold("corner-wrap", 2.4, 2.4, **settings),
    )
    for point in "ABEFGHOK":
        assert doubled.at(point) == pytest.approx(square.at(point))
    assert roof_of(doubled).covered_m2 == pytest.approx(
        roof_of(square).covered_m2, abs=1e-6
    )
    answer = solve(Question(Sheet.rectangle(2.4, 3.0), PITCHES["corner-wrap"], {}))
    assert [r.lengths for r in answer.assessment.reasons if r.code == "fold_to_square"] == [
        (2.4, pytest.approx(0.6))
    ]
    narrow = solve(Question(Sheet.rectangle(1.4, 3.0), PITCHES["corner-wrap"], {}))
    assert narrow.verdict is Verdict.CANNOT
    assert "square" in narrow.assessment.reasons[0].message


def test_a_flown_a_frame_by_hand() -> None:
    """3 m wide, ridge at 2 m, falling by 30 degrees: edges 1.299 m out and 1.25 m up."""
    shelter = fold("a-frame-flown", 3.0, 3.0, height=2.0, angle=30.0)
    assert shelter.at("A") == pytest.approx([0.0, 1.5 * math.cos(math.pi / 6), 1.25])
    assert least_slope_deg(roof_of(shelter)) == pytest.approx(30.0)
    rig = assess(shelter, UNLIMITED).rig
    assert rig is not None
    guys = [x for x in rig.lines if x.purpose == "edge guy"]
    assert len(guys) == 4
    assert guys[0].span_m == pytest.approx(
        1.25 / math.sin(math.pi / 6)
    )  # in the line of the cloth, or it would pull it down


def test_a_porch_is_never_level_and_rises_on_poles() -> None:
    """Common practice: at least five degrees off level. Below the ridge guys hold it, above it
    poles.
    """
    pitch = PITCHES["a-frame-porch"]
    for angle in (-4.0, 0.0, 4.0):
        (reason,) = [
            r
            for r in refusals(pitch, (3.0, 3.0), {"height": 1.2, "angle": angle})
            if r.setting == "angle"
        ]
        assert "water" in reason.why
    falling, rising = (
        fold("a-frame-porch", 3.0, 3.0, height=1.2, angle=a) for a in (15.0, -15.0)
    )
    assert poled(falling) == ()
    assert set(poled(rising)) == {"C", "D"}
    assert rising.at("C")[2] == pytest.approx(1.2 + 1.5 * math.sin(math.radians(15)))
    few = assess(rising, Supports((), (Pole(1.0, 1.4), Pole(1.0, 1.4)), 10, None))
    assert few.verdict is Verdict.NEEDS
    assert "pole" in few.reasons[0].message
    rig = assess(rising, UNLIMITED).rig
    assert rig is not None
    assert sum(s.point in "CD" and s.kind != "tree" for s in rig.supports) == 2


def test_a_lean_to_with_awning_by_hand() -> None:
    """2.5 m deep, 0.5 m of it in front falling by 30 degrees from 1.2 m; behind, 2 m of roof reach
    1.6 m back.
    """
    shelter = fold("lean-to-awning", 2.5, 3.0, height=1.2, awning=0.5, angle=30.0)
    assert shelter.at("A")[0] == pytest.approx(1.6)
    assert shelter.at("C")[0] == pytest.approx(-0.5 * math.cos(math.pi / 6))
    assert shelter.at("C")[2] == pytest.approx(0.95)
    wedge = fold("wind-wedge", 2.5, 3.0, height=0.8, flap=0.5, angle=65.0)
    assert 0 < wedge.at("C")[2] < 0.4  # a gap for air stays under the flap


@given(
    side=st.floats(1.8, 4.5),
    other=st.floats(1.8, 4.5),
    height=st.floats(0.8, 2.5),
    low=st.floats(0.2, 2.2),
)
def test_a_four_corner_shade_always_sheds(
    side: float, other: float, height: float, low: float
) -> None:
    """Common practice: as steep as ten degrees at least, so that no water stays."""
    settings = {"height": height, "low": low}
    assume(not refusals(PITCHES["four-corner-shade"], (side, other), settings))
    assert (
        least_slope_deg(roof_of(fold("four-corner-shade", side, other, **settings)))
        >= 10 - 1e-6
    )


@given(
    side=st.floats(2.0, 4.5),
    other=st.floats(2.0, 4.5),
    height=st.floats(0.5, 1.6),
    tip=st.floats(0.3, 1.2),
)
def test_the_floored_plow_point_stands_on_its_fold(
    side: float, other: float, height: float, tip: float
) -> None:
    """Every corner but the peak on the ground, the tip turned forward under the roof by as much as
    it reached behind.
    """
    settings = {"height": height, "tip": tip}
    assume(not refusals(PITCHES["plow-point-floored"], (side, other), settings))
    shelter = fold("plow-point-floored", side, other, **settings)
    assert shelter.at("P")[2] == pytest.approx(height)
    assert np.abs(shelter.at_all("ABXYR")[:, 2]).max() < 1e-9
    assert math.dist(shelter.at("X"), shelter.at("R")) == pytest.approx(tip)
    fold_line = shelter.at("Y") - shelter.at("X")
    across = np.array([-fold_line[1], fold_line[0], 0.0])
    assert (shelter.at("R") - shelter.at("X")) @ across * (
        (shelter.at("P") - shelter.at("X")) @ across
    ) > 0


@given(
    side=st.floats(2.0, 4.0),
    height=st.floats(0.6, 1.8),
    angle=st.floats(-30, 90),
    inset=st.floats(0.3, 1.2),
)
def test_mirrored_and_scaled_folds(
    side: float, height: float, angle: float, inset: float
) -> None:
    """A corner wrap is its own mirror image, and twice the sheet at twice the measures is twice the
    shelter.
    """
    settings = {"height": height, "awning": angle, "inset": inset}
    assume(not refusals(PITCHES["corner-wrap"], (side, side), settings))
    shelter = fold("corner-wrap", side, side, **settings)
    assert shelter.at("H") * np.array([1, -1, 1]) == pytest.approx(shelter.at("G"))
    box, values = (
        (2 * side, 2 * side),
        {"height": 2 * height, "awning": angle, "inset": 2 * inset},
    )
    arrays = {name: np.array([value]) for name, value in values.items()}
    assert PITCHES["corner-wrap"].layout(box, arrays).start[0] == pytest.approx(
        2 * shelter.xyz
    )


def test_angles_are_said_in_degrees() -> None:
    """A refused angle names degrees, not metres, in either unit system; so does the card."""
    answer = solve(
        Question(
            Sheet.rectangle(3, 3),
            PITCHES["a-frame-flown"],
            {"height": 0.6, "angle": 60.0, "turn": 0.0},
        )
    )
    (reason,) = answer.assessment.reasons
    assert "60°" in reason.text(Units.IMPERIAL)
    assert "24°" in reason.text()  # asin(0.6 / 1.5)
    assert PITCHES["a-frame-flown"].setting("angle").shown(29.6, Units.METRIC) == "30°"


@pytest.mark.parametrize("slug", [slug for slug in PITCHES if slug != "net-only"])
def test_the_search_finds_a_bed_under_a_large_sheet(slug: str) -> None:
    """Every pitch sleeps somebody under 3.6 m square, whether or not its roof is one convex lid."""
    answer = solve(
        Question(
            Sheet.rectangle(3.7, 4.4 if slug == "plow-point-awning" else 3.7),
            PITCHES[slug],
            {},
            wanted=1,
        )
    )
    assert answer.figures is not None
    assert answer.figures.sleepers >= 1
    assert answer.verdict is Verdict.FORMS


def test_a_floored_a_frame_by_hand() -> None:
    """4 m of sheet round a ridge at 0.8 m: sides W/4 + h^2/W = 1.16 m and a floor of 1.68 m, which
    is twice the half span.
    """
    shelter = fold("a-frame-floored", 4.0, 3.0, height=0.8)
    assert math.dist(shelter.at("P"), shelter.at("A")) == pytest.approx(1.16)
    assert math.dist(shelter.at("C"), shelter.at("E")) == pytest.approx(1.68)
    assert shelter.at("E") == pytest.approx(shelter.at("A"))
    assert refusals(PITCHES["a-frame-floored"], (3.0, 3.0), {"height": 1.5})


def test_an_awning_off_the_front_of_a_plow_point() -> None:
    """A 3 x 4 m sheet: the square part stands as a plow point does, the last metre turns about its
    front edge.
    """
    shelter = fold("plow-point-awning", 3.0, 4.0, height=1.2, angle=0.0)
    square = fold("plow-point", 3.0, 3.0, height=1.2)
    for point in "PRAB":
        assert shelter.at(point) == pytest.approx(square.at(point))
    assert shelter.at("N")[2] == pytest.approx(1.2)
    assert shelter.at("M")[2] == pytest.approx(0.0)
    assert (
        solve(Question(Sheet.rectangle(3, 3), PITCHES["plow-point-awning"], {})).verdict
        is Verdict.CANNOT
    )
