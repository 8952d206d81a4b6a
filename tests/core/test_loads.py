"""Wind loads: hand-worked statics, balance, published strengths, lines against the catenary; nets,
shade, caught water.
"""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, date

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.optimize import brentq
from shapely import MultiPoint

from tarvik.core.body import Body
from tarvik.core.errors import InputError
from tarvik.core.finding import Level
from tarvik.core.loads.gale import in_gale
from tarvik.core.loads.holding import (
    GROUNDS,
    Holding,
    cord_breaks_n,
    ground_named,
    knotted_cord_n,
    stake_holds_n,
)
from tarvik.core.loads.pressure import PUSH, SIDE, coefficient, panel_loads
from tarvik.core.loads.ridge_line import from_pull, from_sag
from tarvik.core.loads.statics import balance, point_loads
from tarvik.core.measure.catch import CAUGHT, catches
from tarvik.core.measure.net import Fit, Net, NetKind, hang_net
from tarvik.core.measure.roof import roof_of
from tarvik.core.measure.shade import shade_through, sun_travel
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Hold
from tarvik.core.rig.supports import UNLIMITED, Pole, Supports
from tarvik.core.rig.verdict import Verdict, assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.tonight import Night, judge
from tarvik.core.weather.needs import Insects, NightNeeds
from tarvik.core.weather.sun import Place
from tarvik.core.weather.wind import dynamic_pressure, gust_of, gust_share
from tests.core.test_invariants import moved
from tests.core.test_measures import SHELTERS

POLES = Supports(trees=(), poles=(Pole(0.4, 3.0), Pole(0.4, 3.0)))
LEAN_TO = fold_sheet(
    PITCHES["lean-to"], Sheet.rectangle(2.5, 3.0), {"height": 1.5}
)  # 2 m deep, 36.87 degrees steep


def test_a_lean_to_with_its_back_to_the_wind_by_hand() -> None:
    """2.5 x 3 m of cloth at 36.87 degrees, push 1.2 (30 to 90 degrees): 100 Pa press with 900 N
    square to it: 540 N along the wind, 720 N down; that is pressure times the 4.5 m2 it shows the
    wind times the coefficient.
    """
    (load,) = panel_loads(LEAN_TO, 90.0, 100.0)
    assert load.area_m2 == pytest.approx(7.5)
    assert load.slope_deg == pytest.approx(36.87, abs=0.01)
    assert load.coefficient == pytest.approx(1.2)
    assert load.force_n == pytest.approx([-540.0, 0.0, -720.0])
    assert abs(load.force_n[0]) == pytest.approx(100.0 * 4.5 * load.coefficient)
    assert load.centre == pytest.approx([1.0, 0.0, 0.75])


def test_lift_on_the_open_side_by_hand() -> None:
    """Wind into the open front: pull 1.4 at 30 degrees falling to 0.5 at 90; half the force hangs
    on each edge's two " "corners.
    """
    (load,) = panel_loads(LEAN_TO, 270.0, 100.0)
    pull = 1.4 + (0.5 - 1.4) * (36.8699 - 30) / 60
    assert load.coefficient == pytest.approx(-pull, abs=1e-4)
    assert load.force_n[2] > 0
    shares = point_loads(LEAN_TO, [load])
    assert sum(shares.values()) == pytest.approx(load.force_n)
    for point in "PQAB":
        assert shares[point] == pytest.approx(load.force_n / 4, abs=0.05)


def test_a_pole_and_its_guy_by_hand() -> None:
    """Lean-to on poles in a wind into its front: the rear stakes take a quarter of the force each
    and what the cloth pulls there; pole, guy and cloth balance at the front corners; every newton
    arrives in the ground.
    """
    rig = assess(LEAN_TO, POLES).rig
    assert rig is not None
    loads = panel_loads(LEAN_TO, 270.0, 100.0)
    found = balance(LEAN_TO, rig, loads)
    assert found.total == pytest.approx(loads[0].force_n)
    assert found.reaction == pytest.approx(
        -found.total, abs=0.01 * float(np.linalg.norm(found.total))
    )
    assert found.loose == ()
    guys = [x for x in found.lines if rig.lines[x.line].purpose == "pole guy"]
    assert len(guys) == 2
    assert guys[0].newtons == pytest.approx(guys[1].newtons, rel=1e-3)
    lift = (
        float(loads[0].force_n[2]) / 4
    )  # at each front corner, held down by guy and cloth, the pole cannot pull
    down = guys[0].newtons * math.sin(math.radians(45))
    assert down <= lift + max(s.push_n for s in found.supports) + 1.0


@given(shelter=SHELTERS, bearing=st.floats(0, 360), poles=st.booleans())
def test_everything_the_wind_does_arrives_in_the_ground(
    shelter: Shelter, bearing: float, poles: bool
) -> None:
    """Reactions of stakes, trees and poles balance the wind, wherever no point is said to be
    unheld.
    """
    rig = assess(shelter, POLES if poles else UNLIMITED).rig
    assert rig is not None
    found = balance(shelter, rig, panel_loads(shelter, bearing, 50.0))
    size = sum(float(np.linalg.norm(p.force_n)) for p in panel_loads(shelter, bearing, 50.0))
    assert (
        min([0.0, *(x.newtons for x in found.lines), *(s.push_n for s in found.supports)]) >= -1e-9
    )
    assume(
        not found.loose and all(a.hold is not Hold.FLOWN for a in shelter.pitch.anchors)
    )  # flown corners give
    assert np.linalg.norm(found.reaction + found.total) <= 0.05 * size


@given(shelter=SHELTERS, bearing=st.floats(0, 360), degrees=st.floats(0, 360))
def test_loads_turn_with_shelter_and_wind(shelter: Shelter, bearing: float, degrees: float) -> None:
    a = math.radians(degrees)
    turn = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
    before = panel_loads(shelter, bearing, 80.0)
    after = panel_loads(moved(shelter, degrees), (bearing - degrees) % 360, 80.0)
    for one, two in zip(before, after, strict=True):
        assert two.coefficient == pytest.approx(one.coefficient, abs=1e-6)
        assert two.force_n == pytest.approx(turn @ one.force_n, abs=1e-6)


def test_coefficients_at_the_ends_of_their_tables() -> None:
    """EN 1991-1-4 tables 7.6, 7.9 and 7.1 (from memory): what is tabulated comes out where it is
    tabulated.
    """
    assert coefficient(30.0, 1.0) == pytest.approx(1.2)
    assert coefficient(10.0, 1.0) == pytest.approx(PUSH[2])
    assert coefficient(90.0, -1.0) == pytest.approx(-0.5)
    assert coefficient(20.0, -1.0) == pytest.approx(-1.4)
    assert coefficient(60.0, 0.0) == pytest.approx(-SIDE)
    turns = [coefficient(45.0, math.cos(math.radians(d))) for d in range(0, 91, 5)]
    assert turns == sorted(turns, reverse=True)


@pytest.mark.parametrize(("mm", "kn"), [(4, 3.2), (5, 5.0), (6, 7.2), (7, 9.8), (8, 12.8)])
def test_accessory_cord_by_diameter(mm: float, kn: float) -> None:
    """EN 564, least strength by diameter; values from memory."""
    assert cord_breaks_n(mm) == pytest.approx(kn * 1000)


def test_a_6_mm_ridge_cord_holds_about_300_kgf() -> None:
    """Common practice: about 300 kgf (2.9 kN) for a knotted 6 mm ridge cord."""
    assert knotted_cord_n(6.0) == pytest.approx(300 * 9.81, rel=0.25)


def test_stakes_by_ground_and_depth() -> None:
    """Order of grounds as practice knows it; half the depth holds a quarter; unknown ground and mad
    depths are refused.
    """
    holds = {slug: stake_holds_n(g) for slug, g in GROUNDS.items()}
    assert holds["sand"] < holds["litter"] < holds["turf"] < holds["clay"]
    assert stake_holds_n(depth_m=0.10) == pytest.approx(stake_holds_n() / 4)
    assert all(g.cure for g in GROUNDS.values())
    with pytest.raises(InputError, match="ground"):
        ground_named("custard")
    with pytest.raises(InputError, match="stake_depth_m"):
        Holding(stake_depth_m=3.0)


@given(span=st.floats(1, 12), load=st.floats(5, 2000), sag=st.floats(0.01, 0.06))
def test_the_line_against_the_catenary(span: float, load: float, sag: float) -> None:
    """The exact catenary of the same sag (its parameter found numerically) pulls within a few parts
    in a thousand.
    """
    line = from_sag(span, load, sag * span)
    a = brentq(lambda p: p * (math.cosh(span / (2 * p)) - 1) - sag * span, span, 1000 * span)
    length = 2 * a * math.sinh(span / (2 * a))
    weight = load / length
    assert line.end_n == pytest.approx(weight * a * math.cosh(span / (2 * a)), rel=0.02)
    assert from_pull(span, load, line.end_n).sag_m == pytest.approx(line.sag_m)


def test_impossible_lines_are_refused() -> None:
    with pytest.raises(InputError, match="cannot carry"):
        from_pull(4, 100, 50)
    for bad in ((0, 10, 0.1), (4, -1, 0.1), (4, 10, 0), (4, 10, 3)):
        with pytest.raises(InputError):
            from_sag(*bad)


def gale(wind: float, slug: str = "a-frame", bearing: float = 0.0, **how: object) -> object:
    shelter = fold_sheet(PITCHES[slug], Sheet.rectangle(3, 3), {"height": 1.0})
    rig = assess(shelter, UNLIMITED).rig
    assert rig is not None
    return in_gale(shelter, rig, bearing, wind, **how)  # type: ignore[arg-type]


def test_the_force_to_move_at_is_where_the_weakest_part_is_used_up() -> None:
    """Forces grow with the square of the wind; at the wind named the weakest part is used to the
    full, and deeper stakes put it off by the square root of what they hold more.
    """
    calm = gale(6.0)
    limit = calm.move_at_m_s  # type: ignore[attr-defined]
    at_limit = gale(limit)
    assert at_limit.weakest.used == pytest.approx(1.0, rel=1e-6)  # type: ignore[attr-defined]
    assert gale(2 * limit).weakest.used == pytest.approx(4.0, rel=1e-6)  # type: ignore[attr-defined]
    weak = {p.kind for p in calm.parts}  # type: ignore[attr-defined]
    assert weak == {"stake", "ridge line"}
    clay = gale(6.0, holding=Holding(GROUNDS["clay"], ridge_mm=12))
    assert clay.move_at_m_s / limit == pytest.approx(math.sqrt(450 / 300), rel=1e-6)  # type: ignore[attr-defined]


def test_pressure_at_the_shelter_by_hand() -> None:
    """10 m/s forecast over open ground, no gust named, 1 m high, 10 degrees C."""
    found = gale(10.0)
    local = gust_of(10.0, None) * gust_share(1.0)
    assert found.local_gust_m_s == pytest.approx(local)  # type: ignore[attr-defined]
    assert found.pressure_pa == pytest.approx(dynamic_pressure(local))  # type: ignore[attr-defined]


@given(shelter=SHELTERS, wind=st.floats(1, 20), more=st.floats(1.05, 2))
def test_more_wind_never_holds_better(shelter: Shelter, wind: float, more: float) -> None:
    rig = assess(shelter, UNLIMITED).rig
    assert rig is not None
    one, two = in_gale(shelter, rig, 90, wind), in_gale(shelter, rig, 90, wind * more)
    assert one.weakest is not None
    assert two.weakest is not None
    assert two.weakest.used >= one.weakest.used
    assert one.move_at_m_s == pytest.approx(two.move_at_m_s, rel=1e-6)


def night(**known: object) -> Night:
    return Night(NightNeeds(**known))  # type: ignore[arg-type]


def solved(slug: str, known: Night, size: float = 3.0, **settings: float) -> object:
    return solve(
        Question(
            Sheet.rectangle(size, size),
            PITCHES[slug],
            settings,
            Body(1.75),
            known.needs.wanted,
            weather=known.needs.weather(90),
            wanted=1,
            free_to_turn=True,
        )
    )


def test_tonight_says_what_is_worst() -> None:
    """A gale pulls stakes; a still damp night is dewy; snow lies on a flat roof; and calm weather
    says nothing of wind.
    """
    storm = night(wind_m_s=16.0, gust_m_s=26.0, rain_mm_h=8.0, lowest_c=6.0)
    judged = judge(solved("a-frame", storm, height=1.2, offset=0, turn=0), storm)  # type: ignore[arg-type]
    assert judged.verdict in (Verdict.NEEDS, Verdict.CANNOT)
    assert judged.worst is not None
    assert judged.worst.level is Level.STOPS
    damp = night(wind_m_s=0.0, humidity_pct=99.0, lowest_c=8.0, cloud_pct=0.0, rain_mm_h=0.0)
    codes = {f.code for f in judge(solved("lean-to", damp), damp).findings}  # type: ignore[arg-type]
    assert "dew" in codes
    assert not codes & {"stake_pulls", "open_to_wind", "nobody_dry"}
    snow = night(snow=True, lowest_c=-3.0)
    assert "snow_lies" in {
        f.code for f in judge(solved("lean-to", snow, height=0.8, turn=0), snow).findings
    }  # type: ignore[arg-type]


def test_beds_decide_at_night_and_not_at_lunch() -> None:
    """A poncho too short for anybody cannot serve tonight, and can at lunch."""
    sheet, known = Sheet.rectangle(1.45, 1.6), night(rain_mm_h=2.0, lowest_c=8.0)
    asked = Question(sheet, PITCHES["lean-to"], {"height": 0.8, "turn": 0}, Body(1.95))
    assert judge(solve(asked), known).verdict is Verdict.CANNOT
    assert (
        judge(solve(asked), replace(known, needs=NightNeeds(intent="lunch"))).verdict
        is Verdict.FORMS
    )


def test_a_net_under_a_tall_and_a_low_ridge() -> None:
    """Common practice: a raised A-frame takes a net; a low one leaves it on the cloth."""
    box = Net(NetKind.BOX, 2.0, 0.8, 1.0)
    tall = hang_net(
        roof_of(fold_sheet(PITCHES["a-frame"], Sheet.rectangle(4, 4), {"height": 1.6})), box
    )
    low = hang_net(
        roof_of(fold_sheet(PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 0.9})), box
    )
    assert tall.fit is Fit.FREE
    assert tall.air_m >= 0.05
    assert low.fit is Fit.NO
    point = hang_net(
        roof_of(fold_sheet(PITCHES["a-frame"], Sheet.rectangle(3, 3), {"height": 1.1})),
        Net(NetKind.POINT, 2.0, 0.8, 1.0),
    )
    assert point.fit in (Fit.FREE, Fit.TOUCHES)
    with pytest.raises(InputError, match="height_m"):
        Net(NetKind.BOX, 2, 1, 9)


@given(shelter=SHELTERS, height=st.floats(0.3, 1.2))
def test_a_net_that_hangs_free_clears_the_cloth(shelter: Shelter, height: float) -> None:
    """Its own points, turned and set where it is said to hang, lie under the roof by the air it is
    said to have.
    """
    roof, net = roof_of(shelter), Net(NetKind.BOX, 1.8, 0.7, height)
    found = hang_net(roof, net)
    assume(found.fit is not Fit.NO)
    a = math.radians(found.heading_deg)
    top = net.surface()
    x = found.x + top[:, 0] * math.cos(a) - top[:, 1] * math.sin(a)
    y = found.y + top[:, 0] * math.sin(a) + top[:, 1] * math.cos(a)
    assert np.nanmin(roof.height_at(np.column_stack([x, y])) - top[:, 2]) == pytest.approx(
        found.air_m, abs=1e-6
    )


def test_shade_by_hand_and_through_a_day() -> None:
    """Light from the north at 45 degrees goes south; from the east at 30 it goes 1.73 m west for
    every metre down.
    """
    assert sun_travel(0.0, 45.0) == pytest.approx((0.0, -1.0), abs=1e-12)
    assert sun_travel(90.0, 30.0) == pytest.approx((-math.sqrt(3), 0.0), abs=1e-12)
    place = Place(54.62, -2.48, UTC)
    day = shade_through(roof_of(LEAN_TO), place, date(2027, 6, 21), 0.0)
    assert 14 <= len(day) <= 17  # the sun is up for 17 hours that day
    highest = max(day, key=lambda s: s.sun_height_deg)
    assert highest.sun_height_deg == pytest.approx(
        90 - 54.62 + 23.44, abs=0.5
    )  # astronomical fact: 23.44 degrees at the solstice
    assert abs(highest.sun_from_deg - 180) < 10
    assert all(s.under_m2 <= roof_of(LEAN_TO).plan().area + 1e-6 for s in day)
    corners = LEAN_TO.xyz[:, :2] + LEAN_TO.xyz[:, 2:] * np.array(
        sun_travel((highest.sun_from_deg + 270) % 360, highest.sun_height_deg)
    )
    assert highest.area_m2 == pytest.approx(MultiPoint(corners).convex_hull.area)


def test_rain_water_at_a_low_corner() -> None:
    """A fly whose two low corners stand off nothing else: each side's water goes to its own corner;
    a level eave keeps " "none.
    """
    fly = fold_sheet(
        PITCHES["diagonal-fly"], Sheet.rectangle(3, 3), {"height": 1.6, "height_far": 1.6}
    )
    found = catches(fly, 5.0)
    total = sum(c.drains_m2 for c in found)
    assert total == pytest.approx(roof_of(fly).plan().area, rel=0.02)
    assert found[0].litres_h == pytest.approx(found[0].drains_m2 * 5.0 * CAUGHT)
    assert found[0].minutes_a_litre == pytest.approx(60 / found[0].litres_h)
    assert catches(fly, 0.0)[0].minutes_a_litre is None
    assert all(c.drains_m2 == 0 for c in catches(LEAN_TO, 5.0))


def test_a_net_alone_is_said_where_it_will_do() -> None:
    """The board's cell speaks of a net too tall only when there are insects."""
    known = Night(
        NightNeeds(insects=Insects.MANY, lowest_c=15.0, rain_mm_h=1.0),
        net=Net(NetKind.BOX, 2, 0.8, 2.4),
    )
    low = solved("a-frame", known, height=1.0, offset=0, turn=0)
    assert "net_touches" in {f.code for f in judge(low, known).findings}  # type: ignore[arg-type]
