"""What an experienced leader picks, night by night (common practice): the first suggestions are
those pitches, and what nobody takes for such a night is not among them.

The kit, unless a case says otherwise: trees as wanted, two adjustable poles of 105 to 145 cm, ten
stakes, cord enough, one person of 1.75 m, a sheet with tie-outs at corners, mid-sides and thirds.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cache
from typing import TYPE_CHECKING

import pytest

from tarvik.core.body import Body
from tarvik.core.finding import Level
from tarvik.core.held import held
from tarvik.core.loads.holding import GROUNDS, Holding
from tarvik.core.measure.net import Net, NetKind
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.suits import Suit
from tarvik.core.rig.supports import Pole, Supports, Tree
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points
from tarvik.core.solve import Question, solve
from tarvik.core.suggest import suggestions, weighed
from tarvik.core.suited import practised, suit_tonight
from tarvik.core.tonight import Night, judge
from tarvik.core.weather.needs import Insects, NightNeeds, Stay

if TYPE_CHECKING:
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Tonight

POLES = (Pole(1.05, 1.45),) * 2
KIT = Supports(None, POLES, 10, None, ())
SOFT = Holding(GROUNDS["litter"])
CLOSED = frozenset(
    {"closed-wedge", "a-frame-closed", "a-frame-doored", "pole-tent", "a-frame-floored"}
)


def tied(width_m: float, length_m: float) -> Sheet:
    kinds = frozenset({TieOuts.CORNERS, TieOuts.MID_SIDES, TieOuts.THIRDS})
    return Sheet.rectangle(width_m, length_m, tie_out_points(width_m, length_m, kinds))


SQUARE = tied(3.05, 3.05)
STORM = NightNeeds(
    wind_m_s=14.0, gust_m_s=21.0, rain_mm_h=4.0, lowest_c=6.0, surroundings="closed-wood"
)
RAIN = NightNeeds(wind_m_s=4.5, rain_mm_h=4.0, lowest_c=8.0, surroundings="closed-wood")
INSECTS = NightNeeds(
    wind_m_s=1.5,
    rain_mm_h=0.0,
    lowest_c=15.0,
    highest_c=22.0,
    insects=Insects.MANY,
    surroundings="closed-wood",
)


@dataclass(frozen=True)
class Line:
    """One line of what practice says. `first`: the first three suggested are among these; `some`:
    one of the first three is; `never`: none of these is suggested.
    """

    name: str
    needs: NightNeeds
    sheet: Sheet = SQUARE
    supports: Supports = KIT
    first: tuple[str, ...] = ()
    some: tuple[str, ...] = ()
    never: frozenset[str] = frozenset()
    stature_m: float = 1.75
    people: int = 1
    more: tuple[str, ...] = field(default=())  # more that is suggested, in any place


LINES = (
    Line(
        "1 storm in a wood",
        STORM,
        first=("a-frame", "a-frame-closed", "closed-wedge", "plow-point"),
        more=("a-frame", "a-frame-closed", "closed-wedge", "plow-point"),
        never=frozenset(
            {
                "a-frame-flown",
                "a-frame-porch",
                "four-corner-shade",
                "diagonal-fly",
                "lean-to",
            }
        ),
    ),
    Line(
        "3 rain in a wood",
        RAIN,
        first=("a-frame", "plow-point-lifted", "closed-wedge", "half-cone"),
    ),
    Line(
        "4 rain, oblong sheet",
        RAIN,
        tied(2.4, 3.0),
        first=("a-frame", "plow-point", "plow-point-lifted", "lean-to-awning"),
        more=("a-frame", "plow-point", "lean-to-awning"),
    ),
    Line(
        "5 cold with a fire, canvas",
        NightNeeds(
            wind_m_s=1.0, rain_mm_h=0.0, lowest_c=1.0, fire=True, surroundings="closed-wood"
        ),
        replace(SQUARE, fabric="canvas"),
        first=("lean-to", "lean-to-lifted", "corner-wrap", "awning-wedge", "half-cone"),
        never=CLOSED,
    ),
    Line(
        "6 warm, insects, showers",
        replace(INSECTS, rain_mm_h=2.0, intent="warm-insects"),
        some=("a-frame-flown",),
        never=frozenset({"corner-wrap", "plow-point"}),
    ),
    Line("7 warm, insects, no rain", INSECTS, some=("net-only",)),
    Line(
        "8 fair with a view",
        NightNeeds(
            wind_m_s=2.0,
            rain_mm_h=0.0,
            lowest_c=11.0,
            highest_c=20.0,
            surroundings="scattered",
            intent="fair-view",
        ),
        first=("a-frame-porch", "lean-to", "plow-point"),
        never=CLOSED,
    ),
    Line(
        "9 hot sun",
        NightNeeds(
            wind_m_s=2.0,
            rain_mm_h=0.0,
            lowest_c=16.0,
            highest_c=30.0,
            sun=True,
            stay=Stay.LUNCH,
            surroundings="scattered",
            intent="shade",
        ),
        tied(2.4, 3.0),
        first=("four-corner-shade", "a-frame-flown", "diagonal-fly"),
        never=CLOSED,
    ),
    Line(
        "10 lunch in wind and showers",
        NightNeeds(
            wind_m_s=7.0,
            rain_mm_h=2.0,
            lowest_c=12.0,
            stay=Stay.LUNCH,
            surroundings="scattered",
            intent="lunch",
        ),
        tied(3.0, 3.5),
        some=("boat-porch", "lean-to"),
        never=frozenset(slug for slug, pitch in PITCHES.items() if pitch.minutes > 5),
    ),
    Line(
        "11 heavy snow",
        NightNeeds(
            wind_m_s=3.0,
            snow=True,
            snow_depth_m=0.25,
            rain_mm_h=0.0,
            lowest_c=-4.0,
            surroundings="closed-wood",
        ),
        some=("a-frame",),
        more=("a-frame", "closed-wedge"),
        never=frozenset(
            {"a-frame-flown", "a-frame-porch", "four-corner-shade", "diagonal-fly"}
        ),
    ),
    Line(
        "12 one tree, no poles, four stakes",
        RAIN,
        tied(2.13, 2.13),
        Supports((Tree(),), (), 4, None, ()),
        some=("plow-point",),
        never=frozenset(
            slug
            for slug, pitch in PITCHES.items()
            if len(pitch.high_points()) > 1 and not pitch.carried_by
        ),
        stature_m=1.65,
    ),
    Line(
        "13 no tree, two poles",
        replace(RAIN, surroundings="open"),
        tied(2.9, 2.9),
        Supports((), POLES, 10, None, ()),
        some=("a-frame", "lean-to-floored", "lean-to-walled", "awning-wedge", "pole-tent"),
        more=("a-frame", "lean-to-floored", "pole-tent"),
    ),
    Line(
        "14 poncho",
        RAIN,
        replace(tied(1.45, 2.2), hood=(0.725, 1.1)),
        some=("a-frame", "lean-to", "plow-point-lifted"),
        more=("a-frame",),
    ),
    Line(
        "15 plastic, no tie-outs",
        RAIN,
        replace(Sheet.rectangle(2.74, 3.66, ()), fabric="polythene"),
        some=("a-frame-closed",),
        people=2,
    ),
)


@cache
def judged(line: Line) -> tuple[tuple[Solution, Tonight], ...]:
    """Every pitch of the line's sheet, searched for and judged."""
    night = night_of(line)
    out = []
    for pitch in PITCHES.values():
        asked = Question(
            line.sheet,
            pitch,
            {},
            Body(line.stature_m),
            line.needs.wanted,
            line.supports,
            line.needs.weather(90.0),
            wanted=line.people,
            free_to_turn=True,
            handy=True,
        )
        found = held(solve(asked), night, line.people, solve)
        out.append((found, judge(found, night, line.people)))
    return tuple(out)


def night_of(line: Line) -> Night:
    """The line's night, in soft ground; nets are there on nights with insects."""
    net = (
        Net(NetKind.BOX, 2.0, 0.8, 1.0) if line.needs.insects is not Insects.NONE else None
    )
    return Night(line.needs, holding=SOFT, net=net)


def suggested(line: Line) -> list[str]:
    """Slugs of what is suggested, the best first."""
    every = judged(line)
    found = suggestions(every, night_of(line), line.people)
    return [every[s.number][0].question.pitch.slug for s in found]


@pytest.mark.parametrize("line", LINES, ids=lambda line: line.name)
def test_the_first_suggestions_are_what_practice_picks(line: Line) -> None:
    top = suggested(line)[:3]
    assert top
    if line.first:
        assert set(top) <= set(line.first)
    if line.some:
        assert set(top) & set(line.some)
    assert set(line.more) <= set(suggested(line))


@pytest.mark.parametrize("line", LINES, ids=lambda line: line.name)
def test_what_nobody_takes_is_not_suggested(line: Line) -> None:
    """Nor is anything that stops tonight; what nobody takes comes with a plain warning wherever it
    is judged.
    """
    assert not set(suggested(line)) & line.never
    for found, told in judged(line):
        slug = found.question.pitch.slug
        if found.figures is None:
            continue
        if told.stops or suit_tonight(found.question.pitch, line.needs) is Suit.NEVER:
            assert slug not in suggested(line)
        warned = any(
            f.code == "unsuited" and f.level is Level.CAUTION for f in told.findings
        )
        assert warned == (suit_tonight(found.question.pitch, line.needs) is Suit.NEVER)


def test_on_open_ground_in_a_storm_nothing_is_suggested() -> None:
    """Line 2: find shelter first."""
    line = Line("2 open moor", replace(STORM, surroundings="open"))
    assert suggested(line) == []
    messages = [f.message for _, told in judged(line) for f in told.findings]
    assert any("find shelter first" in message for message in messages)


def test_low_storm_shelters_stay_low() -> None:
    """Line 1: the ridge of an A-frame between waist and lowest rib."""
    found = {s.question.pitch.slug: s for s, _ in judged(LINES[0])}
    body = Body(1.75)
    height = found["a-frame"].settings["height"]
    assert body.height("waist") - 0.15 <= height <= body.height("lowest_rib")


def test_rain_finds_no_panel_that_pools() -> None:
    """Line 3: none flatter than 10 degrees is suggested."""
    line = LINES[1]
    every = {s.question.pitch.slug: s for s, _ in judged(line)}
    for slug in suggested(line):
        figures = every[slug].figures
        assert figures is not None
        assert figures.least_slope_deg >= 9.95


def test_a_raised_shelter_with_a_net_stands_as_high_as_a_shoulder() -> None:
    """Line 6; and line 8: with a view no higher than a head."""
    raised = {s.question.pitch.slug: s for s, _ in judged(LINES[4])}["a-frame-flown"]
    assert raised.settings["height"] == pytest.approx(
        Body(1.75).height("shoulder"), abs=0.06
    )
    view = {s.question.pitch.slug: s for s, _ in judged(LINES[6])}
    assert 1.3 <= view["plow-point"].settings["height"] <= 1.9


@pytest.mark.parametrize("line", LINES[:4], ids=lambda line: line.name)
def test_the_parts_add_up_and_are_in_words(line: Line) -> None:
    night = night_of(line)
    for number, (found, told) in enumerate(judged(line)):
        if found.figures is None:
            continue
        one = weighed(number, found, told, night, line.people)
        assert one.worth == pytest.approx(sum(part.grades for part in one.parts))
        assert all(part.words for part in one.parts)


def test_every_kind_of_night_has_its_pitches() -> None:
    for kind in ("storm", "steady-rain", "cold-fire", "warm-insects", "fair-view", "shade"):
        assert practised(kind)
    assert "a-frame" in practised("storm")
    assert practised("fixed-camp")


def test_a_net_alone_wants_a_net() -> None:
    line = LINES[5]
    every = judged(line)
    bare = Night(line.needs, holding=SOFT)
    slugs = {every[s.number][0].question.pitch.slug for s in suggestions(every, bare, 1)}
    assert slugs
    assert "net-only" not in slugs
