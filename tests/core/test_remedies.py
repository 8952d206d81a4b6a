"""What makes a shelter hold that its stakes alone do not: in the order of its trouble, with
amounts, and only what is at hand.
"""

from __future__ import annotations

from dataclasses import replace

import pytest

from tarvik.core.body import Body
from tarvik.core.loads.holding import GROUNDS, Holding, StakeKind
from tarvik.core.loads.remedies import deeper_m
from tarvik.core.loads.stake_kinds import sorted_stakes
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import Pole, Supports
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points
from tarvik.core.solve import Question, Solution, solve
from tarvik.core.tonight import Night, Tonight, judge
from tarvik.core.weather.needs import NightNeeds

TIES = frozenset({TieOuts.CORNERS, TieOuts.MID_SIDES, TieOuts.THIRDS})
KIT = Supports(None, (Pole(1.05, 1.45), Pole(1.05, 1.45)), 10, None, ())
"""Common practice: trees as far apart as needed, two poles, ten stakes, enough cord."""
SOFT = Holding(GROUNDS["litter"])
STORM = NightNeeds(
    wind_m_s=14.0, gust_m_s=21.0, rain_mm_h=4.0, lowest_c=6.0, surroundings="closed-wood"
)
RAIN = replace(STORM, wind_m_s=4.5, gust_m_s=None)


def solved(
    slug: str,
    needs: NightNeeds,
    kit: Supports = KIT,
    size: tuple[float, float] = (3.05, 3.05),
) -> Solution:
    sheet = Sheet.rectangle(*size, tie_out_points(*size, TIES))
    return solve(
        Question(
            sheet,
            PITCHES[slug],
            {},
            Body(1.75),
            needs.wanted,
            kit,
            needs.weather(90.0),
            wanted=1,
            free_to_turn=True,
        )
    )


def judged(
    slug: str, needs: NightNeeds, kit: Supports = KIT, **how: tuple[float, float]
) -> Tonight:
    return judge(solved(slug, needs, kit, **how), Night(needs, holding=SOFT))


@pytest.mark.parametrize(
    "slug", ["a-frame", "a-frame-closed", "closed-wedge", "plow-point"]
)
def test_what_practice_picks_in_a_storm_in_a_wood_stands(slug: str) -> None:
    """Common practice: a low A-frame, one with closed ends, a closed wedge with its doors shut and
    a lowered corner pitch stand force 7 in a closed wood on soft ground, stakes helped.
    """
    assert judged(slug, STORM).verdict is Verdict.FORMS


@pytest.mark.parametrize(
    "slug", ["a-frame", "plow-point-lifted", "closed-wedge", "half-cone"]
)
def test_what_practice_picks_in_steady_rain_stands(slug: str) -> None:
    assert judged(slug, RAIN).verdict is Verdict.FORMS


@pytest.mark.parametrize("slug", ["a-frame", "plow-point", "lean-to-awning"])
def test_an_oblong_in_steady_rain_stands(slug: str) -> None:
    assert judged(slug, RAIN, size=(2.4, 3.0)).verdict is Verdict.FORMS


def test_on_open_ground_nothing_stands_and_shelter_is_to_be_found() -> None:
    """Force 7 over open ground, soft or firm: what is named is shelter first."""
    open_ground = replace(STORM, surroundings="open")
    for slug in (
        "a-frame",
        "a-frame-flown",
        "plow-point",
        "closed-wedge",
        "pole-tent",
        "lean-to",
    ):
        found = judged(slug, open_ground)
        assert found.verdict is not Verdict.FORMS
        assert "find_shelter" in {f.code for f in found.findings}


def test_a_flown_frame_in_a_storm_says_that_it_is_open() -> None:
    assert "open_to_wind" in {f.code for f in judged("a-frame-flown", STORM).findings}


def test_a_wind_that_swings_to_the_front_is_told() -> None:
    """A lean-to whose end the wind just misses: swung by the spread it blows in."""
    sheet = Sheet.rectangle(3.05, 3.05, tie_out_points(3.05, 3.05, TIES))
    breezy = replace(STORM, wind_m_s=7.0, gust_m_s=None, surroundings="open")
    asked = Question(
        sheet,
        PITCHES["lean-to"],
        {},
        Body(1.75),
        breezy.wanted,
        KIT,
        breezy.weather(35.0),
        wanted=1,
    )
    found = judge(solve(asked), Night(breezy, holding=SOFT))
    codes = {f.code for f in found.findings}
    assert "swings_open" in codes
    assert "open_to_wind" not in codes
    back = judge(solved("lean-to", breezy), Night(breezy, holding=SOFT))
    assert not {f.code for f in back.findings} & {"swings_open", "open_to_wind"}


def test_the_middle_of_the_edges_comes_before_a_second_stake() -> None:
    """With ten stakes the middles of the two long edges are staked; with four in the bag there is
    nothing to stake them with, and stones are laid on the lines.
    """
    plenty = judged("a-frame", STORM)
    assert [r.code for r in plenty.remedies] == ["mid_edge_stakes"]
    assert plenty.remedies[0].stakes == 2
    assert plenty.gale is not None and plenty.gale.weakest is not None
    assert plenty.gale.weakest.used <= 1
    four = judged("a-frame", STORM, replace(KIT, stakes=4))
    assert [r.code for r in four.remedies] == ["stone"]
    assert 0 < four.remedies[0].stones_kg <= 4 * 15
    assert four.verdict is Verdict.FORMS


def test_loose_sand_wants_deadmen() -> None:
    """A stake holds next to nothing there, and with four there are none for the edges."""
    shelter = solved("a-frame", STORM, replace(KIT, stakes=4))
    sand = judge(shelter, Night(STORM, holding=Holding(GROUNDS["sand"])))
    assert "deadman" in {r.code for r in sand.remedies}


def test_how_deep_a_stake_must_go() -> None:
    """As deep as is found holds it, a centimetre less does not; loose sand never does."""
    deep = deeper_m(SOFT, 150.0)
    assert deep is not None
    assert replace(SOFT, stake_depth_m=deep).trusted_stake_n >= 150.0
    assert replace(SOFT, stake_depth_m=deep - 0.011).trusted_stake_n < 150.0
    assert deeper_m(Holding(GROUNDS["sand"]), 900.0) is None


def test_a_button_is_made_where_the_rules_allow_it() -> None:
    """A pitch that only wants a tie-out forms with a button, unless buttons are not to be made."""
    shelter = solved("plow-point-lifted", RAIN)
    assert shelter.verdict is Verdict.NEEDS
    allowed = judge(shelter, Night(RAIN, holding=SOFT))
    assert allowed.verdict is Verdict.FORMS
    assert "button" in {r.code for r in allowed.remedies}
    assert judge(shelter, Night(RAIN, holding=SOFT, buttons=False)).verdict is Verdict.NEEDS


def test_longer_stakes_of_the_bag_are_driven_where_the_usual_ones_slip() -> None:
    """As many as there are, and before any stone is fetched."""
    found = solved("a-frame", STORM, replace(KIT, stakes=4))
    few = Holding(GROUNDS["litter"], longer=(StakeKind(0.35, 0.02, 1),))
    many = replace(few, longer=(StakeKind(0.35, 0.02, 4),))
    told = {
        n: {r.code: r for r in judge(found, Night(STORM, holding=h)).remedies}
        for n, h in ((0, SOFT), (1, few), (4, many))
    }
    assert "longer_stake" not in told[0]
    assert told[1]["longer_stake"].longer == 1
    assert "one of the longer stakes" in told[1]["longer_stake"].message
    assert 1 < told[4]["longer_stake"].longer <= 4
    assert "35 cm" in told[4]["longer_stake"].message
    assert not {"stone", "flatter_guy", "deadman"} & told[4].keys()
    assert judge(found, Night(STORM, holding=many)).verdict is Verdict.FORMS


USUAL, LONG, SHORT = (StakeKind(d, 0.012, 20) for d in (0.20, 0.30, 0.15))


@pytest.mark.parametrize(
    ("kinds", "usual", "count", "longer"),
    [
        ([USUAL, LONG], USUAL, 40, [LONG]),
        ([LONG], LONG, 20, []),
        (
            [replace(SHORT, count=5), USUAL, LONG],
            USUAL,
            40,
            [LONG],
        ),  # a few short ones stay away
        ([SHORT, USUAL], SHORT, 40, [USUAL]),  # many short ones are what a leader counts on
        ([USUAL, USUAL, LONG], USUAL, 60, [LONG]),
        ([], SHORT, 0, []),
    ],
)
def test_a_bag_of_stakes_is_sorted_by_what_they_hold(
    kinds: list[StakeKind], usual: StakeKind, count: int, longer: list[StakeKind]
) -> None:
    found = sorted_stakes(kinds, replace(SHORT, count=0))
    assert (found.usual.depth_m, found.count) == (usual.depth_m, count)
    assert list(found.longer) == longer
    assert found.held_by(SOFT).trusted_stake_n == pytest.approx(SOFT.trusted_n(usual))
