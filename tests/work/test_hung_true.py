"""Heights corrected until the beds hold as the sheet hangs."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tarvik.core.body import Body
from tarvik.core.handy import HEIGHT_STEP_M, is_height
from tarvik.core.loads.holding import GROUNDS, Holding
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet, tie_out_points
from tarvik.core.solve import Question, solve
from tarvik.core.tonight import Night
from tarvik.core.weather.needs import NightNeeds
from tarvik.work.hung_true import beds_as_hung, hung_true
from tests.core.test_remedies import KIT, TIES

NEEDS = NightNeeds(wind_m_s=5.0, rain_mm_h=4.0, lowest_c=6.0, surroundings="closed-wood")
RAINY = Night(NEEDS, holding=Holding(GROUNDS["litter"]))


def chosen(slug: str, side: float, people: int, stature: float = 1.8) -> Question:
    """A shelter with the settings that the fold asks for."""
    asked = Question(
        Sheet.rectangle(side, side, tie_out_points(side, side, TIES)),
        PITCHES[slug],
        {},
        Body(stature),
        NEEDS.wanted,
        KIT,
        NEEDS.weather(90.0),
        wanted=people,
        people=(Body(stature),) * people,
        free_to_turn=True,
        handy=True,
    )
    return replace(asked, settings=solve(asked).settings, handy=False)


def test_a_corner_pitch_too_low_as_it_hangs_is_raised() -> None:
    """One of 1.80 m lies under the fold of a 2.44 m sheet and not under the sheet that sags."""
    asked = chosen("plow-point", 2.44, 1)
    folded = solve(asked)
    assert folded.figures is not None
    assert folded.figures.sleepers == 1
    assert beds_as_hung(folded) == 0
    settings, beds = hung_true(asked, RAINY, 1, solve)
    assert beds_as_hung(solve(replace(asked, settings=settings))) == beds == 1
    assert settings["height"] != asked.settings["height"]


@pytest.mark.parametrize("slug", ["a-frame", "lean-to-floored", "corner-wrap", "bag"])
@pytest.mark.parametrize("side", [2.44, 2.9])
def test_no_bed_is_lost_and_nothing_but_heights_moves(slug: str, side: float) -> None:
    asked = chosen(slug, side, 2)
    settings, beds = hung_true(asked, RAINY, 2, solve)
    now, then = (
        beds_as_hung(solve(replace(asked, settings=s))) for s in (settings, asked.settings)
    )
    assert beds == now >= then
    for name, value in settings.items():
        moved = abs(value - asked.settings[name])
        assert moved < 1e-6 or is_height(asked.pitch.setting(name))
        assert moved <= 3 * HEIGHT_STEP_M + 1e-6
