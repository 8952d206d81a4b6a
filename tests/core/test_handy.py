"""Settings that people can set: to 5 cm and 5 degrees, in reach, at the tie-outs that are there."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tarvik.core.body import Body
from tarvik.core.handy import ANGLE_STEP_DEG, HEIGHT_STEP_M, is_height
from tarvik.core.intent import INTENTS
from tarvik.core.measure.grades import fits
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points
from tarvik.core.site.pairs import REACH_M
from tarvik.core.solve import Question, Solution, solve
from tarvik.core.weather.needs import NightNeeds
from tests.core.test_remedies import KIT, TIES

RAIN = NightNeeds(wind_m_s=4.5, rain_mm_h=4.0, lowest_c=8.0, surroundings="closed-wood")


def asked(slug: str, ties: frozenset[TieOuts] = TIES, side: float = 3.05) -> Question:
    sheet = Sheet.rectangle(side, side, tie_out_points(side, side, ties))
    return Question(
        sheet,
        PITCHES[slug],
        {},
        Body(1.75),
        RAIN.wanted,
        KIT,
        RAIN.weather(90.0),
        wanted=1,
        free_to_turn=True,
        handy=True,
    )


def buttons(found: Solution) -> int:
    return sum(len(r.lengths) // 2 for r in found.assessment.reasons if r.code == "button")


@pytest.mark.parametrize("slug", [s for s in PITCHES if PITCHES[s].bed is None])
def test_heights_and_angles_are_such_as_people_set_and_no_bed_is_lost(slug: str) -> None:
    """Common practice: a tape is read to 5 cm, an angle guessed to 5 degrees; nobody ties higher
    than 2 m from the ground.
    """
    fine = solve(replace(asked(slug), handy=False))
    found = solve(asked(slug))
    if fine.figures is None or found.figures is None:
        assert (fine.figures is None) == (found.figures is None)
        return
    assert min(found.figures.sleepers, 1) >= min(fine.figures.sleepers, 1)
    for setting in PITCHES[slug].settings:
        value = found.settings[setting.name]
        if is_height(setting):
            assert value <= REACH_M + 1e-6
        step = HEIGHT_STEP_M if is_height(setting) else ANGLE_STEP_DEG
        if setting.is_choice or (setting.is_length and not is_height(setting)):
            continue
        if setting.searched and found.verdict is Verdict.FORMS:
            assert abs(value / step - round(value / step)) < 1e-6, (setting.name, value)


def test_a_closed_wedge_with_thirds_and_quarters_needs_no_button() -> None:
    """Common practice: tie-outs that are there are used first; one sleeps in it."""
    found = solve(asked("closed-wedge", TIES | {TieOuts.QUARTERS}))
    assert found.verdict is Verdict.FORMS
    assert buttons(found) == 0
    assert found.figures is not None
    assert found.figures.sleepers >= 1


@pytest.mark.parametrize(
    "slug", ["corner-wrap", "lean-to-walled", "closed-wedge", "pole-tent"]
)
def test_the_tie_outs_there_never_take_more_buttons_nor_beds(slug: str) -> None:
    fine, found = solve(replace(asked(slug), handy=False)), solve(asked(slug))
    assert fine.figures is not None
    assert found.figures is not None
    assert buttons(found) <= buttons(fine)
    assert fits(found.figures).usual >= min(fits(fine.figures).usual, 1)


def test_a_pitch_is_what_its_name_says() -> None:
    """Common practice: a wind wedge closes low in front with a third of its depth; a back that is
    lifted is lifted by a hand's breadth and more; a floor takes a mat.
    """
    wedge = solve(asked("wind-wedge")).settings
    assert 0.28 * 3.05 <= wedge["flap"] <= 0.4 * 3.05
    assert solve(asked("lean-to-lifted")).settings["lift"] >= 0.15
    assert solve(asked("lean-to-floored")).settings["floor"] >= 0.70


def test_what_is_set_by_hand_stays() -> None:
    question = replace(asked("a-frame"), settings={"height": 1.013})
    assert solve(question).settings["height"] == pytest.approx(1.013)
    view = replace(asked("plow-point", side=4.57), intent=INTENTS["fair-view"])
    assert solve(view).settings["height"] <= REACH_M + 1e-6
