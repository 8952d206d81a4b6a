"""Snow loads the sheet: steep roofs shed it, flat panels carry it, and the verdict knows."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.errors import InputError
from tarvik.core.finding import Level
from tarvik.core.loads.gale import in_gale
from tarvik.core.loads.pressure import snow_case
from tarvik.core.loads.snow import snow_on_panels, snow_share
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import UNLIMITED, Supports
from tarvik.core.rig.verdict import Verdict, assess
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points
from tarvik.core.shelter import fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.tonight import Night, Tonight, judge
from tarvik.core.units import GRAVITY
from tarvik.core.weather.needs import NightNeeds

TIES = tie_out_points(
    3.05, 3.05, frozenset({TieOuts.CORNERS, TieOuts.MID_SIDES, TieOuts.THIRDS})
)
SHEET = Sheet.rectangle(3.05, 3.05, TIES)
SNOWY = NightNeeds(snow=True, lowest_c=-3.0, wind_m_s=2.0, surroundings="closed-wood")


def judged(slug: str, needs: NightNeeds, **settings: float) -> Tonight:
    night = Night(needs)
    question = Question(
        SHEET,
        PITCHES[slug],
        settings,
        Body(1.75),
        needs.wanted,
        Supports(),
        needs.weather(90.0),
        wanted=1,
        free_to_turn=True,
    )
    return judge(solve(question), night)


@pytest.mark.parametrize(
    ("degrees", "share"), [(0, 0.8), (30, 0.8), (45, 0.4), (60, 0.0), (80, 0.0)]
)
def test_shape_coefficients_of_the_standard(degrees: float, share: float) -> None:
    """EN 1991-1-3, table 5.2: 0.8 up to 30 degrees, 0.8 (60 - a) / 30 up to 60, then none."""
    assert snow_share(math.tan(math.radians(degrees))) == pytest.approx(share)


def test_snow_on_an_a_frame_by_hand() -> None:
    """3 m square, ridge 1.0 m high: each side 1.5 m along the slope, 1.118 m in plan, 41.8 degrees;
    20 kg/m2 on the ground leave 20 x 0.8 x 18.2 / 30 = 9.71 kg over each square metre of plan.
    """
    tent = fold_sheet(
        PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 1.0, "offset": 0.0}
    )
    whole = sum(-load.force_n[2] for load in snow_case(tent, 0.0, 20.0).loads)
    assert whole == pytest.approx(9.71 * GRAVITY * 2 * 1.118 * 3, rel=0.01)
    assert not snow_on_panels(tent, 0.0).any()


def test_what_carries_it_balances_and_grows_with_it() -> None:
    tent = fold_sheet(
        PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 1.0, "offset": 0.0}
    )
    rig = assess(tent, UNLIMITED).rig
    assert rig is not None
    used = []
    for kg_m2 in (5.0, 15.0, 30.0):
        found = in_gale(tent, rig, 90.0, 0.0, snow_kg_m2=kg_m2)
        assert found is not None
        loads = np.array([load.force_n for load in found.loads])
        given = np.array([r.force_n for r in found.reactions])
        sizes = np.linalg.norm(loads, axis=1).sum()
        assert np.linalg.norm(loads.sum(axis=0) + given.sum(axis=0)) <= 0.02 * sizes
        assert found.weakest is not None
        used.append(found.weakest.used)
    assert used == sorted(used)
    assert used[-1] > used[0]


def test_a_steep_a_frame_sheds_and_flat_panels_do_not() -> None:
    """Common practice for heavy snow: a steep A-frame; never flat panels or flown edges."""
    steep = judged("a-frame", SNOWY, height=1.3, offset=0.0, turn=0.0)
    assert steep.verdict is Verdict.FORMS
    assert not {"snow_lies", "snow_stays"} & {f.code for f in steep.findings}
    for slug in ("a-frame-flown", "four-corner-shade", "lean-to"):
        flat = judged(slug, SNOWY)
        assert "snow_lies" in flat.stops, slug
        assert flat.verdict is not Verdict.FORMS


def test_a_dusting_is_a_caution_and_no_snow_is_nothing() -> None:
    dusting = judged("lean-to", NightNeeds(snow=True, snow_depth_m=0.02, lowest_c=-3.0))
    assert {f.level for f in dusting.findings if f.code == "snow_lies"} == {Level.CAUTION}
    bare = judged("lean-to", NightNeeds(lowest_c=-3.0))
    assert not {"snow_lies", "snow_stays"} & {f.code for f in bare.findings}


def test_depth_and_density_make_the_load() -> None:
    assert NightNeeds().snow_kg_m2 == 0.0
    assert NightNeeds(snow_depth_m=0.2, snow_kg_m3=250.0).snow_kg_m2 == pytest.approx(50.0)
    assert NightNeeds(snow=True).snow_kg_m2 > 0
    assert NightNeeds(snow_depth_m=0.1).snowy
    with pytest.raises(InputError, match="snow_depth_m"):
        NightNeeds(snow_depth_m=-0.1)
