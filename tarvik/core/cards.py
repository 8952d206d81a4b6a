"""Set-up cards: the steps of a pitch with this shelter's own measures, stake-out distances, and
what to check.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from itertools import combinations, pairwise
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fitting import Misfit, fit
from tarvik.core.own_values import BUILT_IN, OwnValues
from tarvik.core.pitches.base import Hold
from tarvik.core.rig.house import PLAIN_HOUSE, House
from tarvik.core.rig.supports import EDGE_KINDS
from tarvik.core.units import Units, format_length

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.body import Body
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter

CAUTIONS: Final = (
    "Falling wood: look up before you lie down; never under dead trees or branches.",
    (
        "Lightning and strong wind: a sheet is no storm shelter in the open. Go lower, go "
        "elsewhere, in time."
    ),
    "Water: keep off hollows, drainage lines and low banks; rain far away can flood them.",
    (
        "Fire and fumes: no stove or fire under a closed sheet (carbon monoxide); keep any "
        "fire three long steps from synthetic cloth, film and oilcloth, one from canvas."
    ),
    "Cold: a sheet slows heat loss and does not replace insulation and dry clothes.",
    "Lines: mark guys at eye level and where people walk; cord under tension springs back.",
    "Figures are estimates. Nothing here is made to hold people: no swings, hammocks or climbing.",
    "Young people: the provider's safeguarding rules decide who shares.",
    "Land manager's rules on fires, cutting wood and camping, the provider's procedures and "
    "qualified leaders' "
    "judgement come first.",
)

SHORT_CAUTIONS: Final = (
    "Falling wood: look up, never under dead trees or branches. No sheet is a storm shelter.",
    "Water: off hollows, drainage lines, low banks. Fire: three long steps from cloth that melts.",
    "No stove or fire under a closed sheet. Lines marked where people walk.",
    "Insulation and dry clothes keep people warm; a sheet does not.",
    "Figures are estimates: the land manager's and the provider's rules and qualified leaders come "
    "first.",
)
"""The cautions in five lines, for the page that a leader carries."""

WALK_ROUND: Final = (
    "Is the ridge or the high edge drum-tight?",
    "Any slack panel, or a place where a pool could gather?",
    "Edges down on the weather side, and a gap for air high up?",
    "Lines marked where people walk, stakes leaning away?",
    "Pole feet firm when you rock them by hand?",
)


@dataclass(frozen=True, slots=True)
class Distance:
    """A distance to measure on the ground between two marks."""

    a: str
    b: str
    metres: float


@dataclass(frozen=True, slots=True)
class CardStep:
    """A step in words, with its distances in the course's units, steps and arm spans."""

    text: str


def marks(shelter: Shelter) -> dict[str, str]:
    """What each point is called on every drawing and card: stakes by number in driving order, high
    points by letter.
    """
    names = {p: "PQRSTUV"[i] for i, p in enumerate(shelter.pitch.high_points())}
    order = [p for step in shelter.pitch.steps for p in step.stakes]
    order += [
        a.point
        for a in shelter.pitch.anchors
        if a.point not in order and a.point not in names
    ]
    return names | {p: str(i) for i, p in enumerate(order, start=1)}


def stake_marks(shelter: Shelter, rig: Rig) -> list[str]:
    """Mark of every stake of the rig: the sheet's own numbers, then guys and optional stakes
    counted on.
    """
    names = marks(shelter)
    out, number = [], sum(mark.isdigit() for mark in names.values())
    for stake in rig.stakes:
        if (
            stake.point in names
            and names[stake.point].isdigit()
            and stake.purpose not in ("pole guy", "mid-edge")
        ):
            out.append(names[stake.point])
        else:
            number += 1
            out.append(str(number))
    return out


def measured(metres: float, units: Units, body: Body | None) -> str:
    """A distance for the card: tape, then steps and arm spans of the person.

    >>> from tarvik.core.body import Body
    >>> measured(2.9, Units.METRIC, Body(1.75))
    '2.90 m (4 steps, 1.6 spans)'
    """
    text = format_length(metres, units)
    if body is None or metres < 0.3:
        return text
    return f"{text} ({_in_steps(metres, body)}, {metres / body.height('span'):.1f} spans)"


def _in_steps(metres: float, body: Body) -> str:
    """A distance in steps of the person, tenths where they are few."""
    steps = metres / body.height("step")
    shown = f"{steps:.0f}" if steps >= 3 else f"{steps:.1f}".removesuffix(".0")
    return f"{shown} {'step' if shown == '1' else 'steps'}"


def taped(metres: float, units: Units, body: Body) -> str:
    """A distance on a drawing: tape, then steps of the person.

    >>> from tarvik.core.body import Body
    >>> taped(2.9, Units.METRIC, Body(1.75))
    '2.90 m, 4 steps'
    """
    text = format_length(metres, units)
    return text if metres < body.height("step") else f"{text}, {_in_steps(metres, body)}"


STEPS_MOST: Final = 7
"""A card has no more steps: more are not kept in mind."""


def in_few(found: list[CardStep], most: int = STEPS_MOST) -> list[CardStep]:
    """The same steps, the shortest neighbours told together where there are more than `most`."""
    texts = [step.text for step in found]
    while len(texts) > most:
        at = min(range(len(texts) - 1), key=lambda n: len(texts[n]) + len(texts[n + 1]))
        texts[at : at + 2] = [f"{texts[at]} {texts[at + 1]}"]
    return [CardStep(text) for text in texts]


def _ground(shelter: Shelter, a: str, b: str) -> float:
    return float(math.dist(shelter.at(a)[:2], shelter.at(b)[:2]))


def _off_ridge(shelter: Shelter, point: str) -> float:
    high = shelter.pitch.high_points()
    a, b, p = (shelter.at(q)[:2] for q in (high[0], high[-1], point))
    along = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    return float(abs(along[0] * (p - a)[1] - along[1] * (p - a)[0]))


def steps(
    shelter: Shelter,
    rig: Rig | None,
    units: Units = Units.METRIC,
    body: Body | None = None,
    house: House = PLAIN_HOUSE,
    whose: str = "your",
) -> list[CardStep]:
    """The pitch's steps with every {placeholder} filled: {height} a setting, {A} a mark, {A-B} a
    ground distance, {A-ridge} the distance square off the ridge. `whose` body measures are meant.
    """
    names = marks(shelter)

    def fill(found: re.Match[str]) -> str:
        key = found[1]
        if key in shelter.settings:
            setting = shelter.pitch.setting(key)
            against = ""
            if setting.is_length:
                against = _against_body(shelter.settings[key], body, whose)
            return setting.shown(shelter.settings[key], units) + against
        if key in names:
            return names[key]
        a, b = key.split("-")
        return measured(
            _off_ridge(shelter, a) if b == "ridge" else _ground(shelter, a, b), units, body
        )

    texts = [re.sub(r"\{([^}]+)\}", fill, step.text) for step in shelter.pitch.steps]
    first = _prepared(shelter, units)
    if rig is not None:
        texts.insert(1, _support_words(shelter, rig, names, units, house))
    return [CardStep(text) for text in (*first, *texts) if text]


def _prepared(shelter: Shelter, units: Units) -> list[str]:
    """What is done to the sheet before it is pitched: two joined, doubled to a square, its hood
    tied off.
    """
    fitting = fit(shelter.pitch, shelter.sheet)
    out = []
    if shelter.sheet.lap is not None:
        out.append(
            f"Join the two sheets: lap them by {format_length(shelter.sheet.lap.deep_m, units)} "
            "along the edges that are nearest in length, the one that lies higher up the slope of "
            "the roof on top, and tie them tie-out to tie-out, with buttons where there is none."
        )
    if not isinstance(fitting, Misfit) and fitting.folded_to_square:
        out.append(
            f"Fold the sheet to a square of {format_length(fitting.box[0], units)}: double a "
            "strip of "
            f"{format_length(fitting.doubled_m, units)} under along the short side."
        )
    if shelter.sheet.hood:
        out.append("Tie the hood off, its opening folded down, so that no rain comes in.")
    return out


def _against_body(metres: float, body: Body | None, whose: str) -> str:
    """The nearest place on the body at that height, as leaders say it."""
    place = "" if body is None else body_place(metres, body)
    return f" ({whose} {place})" if place else ""


def body_place(metres: float, body: Body) -> str:
    """The place on a standing body at that height, within a hand's breadth; nothing where there is
    none.

    >>> from tarvik.core.body import Body
    >>> body_place(1.05, Body(1.75)), body_place(0.5, Body(1.75))
    ('waist', '')
    """
    places = {
        "waist": "waist",
        "lowest_rib": "lowest rib",
        "shoulder": "shoulder",
        "eye": "eye",
    }
    heights = {word: body.height(name) for name, word in places.items()} | {
        "crown": body.stature_m
    }
    word, height = min(heights.items(), key=lambda item: abs(item[1] - metres))
    return word if abs(height - metres) < 0.06 else ""


def _support_words(
    shelter: Shelter,
    rig: Rig,
    names: Mapping[str, str],
    units: Units,
    house: House = PLAIN_HOUSE,
) -> str:
    said = []
    for support in rig.supports:
        mark = names.get(support.point, support.point)
        line = next(
            (x for x in rig.lines if x.start == support.point and x.purpose in _TIED), None
        )
        cord = f" with {format_length(line.cord_m, units)} of cord" if line else ""
        if support.kind == "tree":
            said.append(f"{mark} to a tree{cord}")
        elif support.kind == "branch":
            said.append(f"{mark} hung from a branch above{cord}")
        elif support.kind in EDGE_KINDS:
            said.append(
                f"{mark} over the {support.kind}, {format_length(support.height_m, units)} "
                f"up, lashed{cord}"
            )
        else:
            guys = [
                x
                for x in rig.lines
                if x.start == support.point and x.purpose.endswith("guy")
            ]
            two = "two guys" if len(guys) == 2 else "a guy"
            guyed = (
                f", {two} of {format_length(guys[0].cord_m, units)} at 45 degrees"
                if guys
                else ""
            )
            tipped = (
                ", tipped a little along the pull"
                if house.pole == "tipped" and "pole" in support.kind
                else ""
            )
            said.append(
                f"{mark} on a {support.kind} of "
                f"{format_length(support.height_m, units)}{tipped}{guyed}"
            )
    high = [p for p in shelter.pitch.high_points() if p in names]
    for one, two in pairwise(high):
        apart = format_length(_ground(shelter, one, two), units)
        said.append(f"{names[one]} and {names[two]} stand {apart} apart")
    ridge = next((x for x in rig.lines if x.purpose == "ridge line"), None)
    if ridge:
        said.append(
            f"one line of {format_length(ridge.cord_m, units)} runs {house.ridge_side} the "
            "whole ridge, tree to tree"
        )
    return f"Supports: {'; '.join(said)}." if said else ""


_TIED: Final = ("to the tree", "to the branch", "lashing", "lifting cord")
SKILLS: Final[Mapping[str, float]] = MappingProxyType(
    {"practised": 1.0, "learning": 1.7, "first time": 2.5}
)
"""Times over a practised pair of hands' (engineering assumption; common practice gives the
practised times).
"""
HANDS: Final[Mapping[int, float]] = MappingProxyType({1: 1.0, 2: 0.65, 3: 0.55})
"""Share of one person's time for more hands (engineering assumption)."""
SUPPORT_MINUTES: Final[Mapping[str, float]] = MappingProxyType(
    {
        "pole": 1.0,
        "stick": 1.0,
        "cut stick": 6.0,
        "forked stick": 2.0,
        "bipod": 3.0,
        "tripod": 6.0,
        "branch": 2.0,
        "boat": 3.0,
    }
)
"""Minutes that a support adds to a pitch between trees (engineering assumption)."""


def minutes(
    pitch: Pitch,
    rig: Rig | None,
    skill: str = "practised",
    hands: int = 1,
    own: OwnValues = BUILT_IN,
) -> float:
    """Minutes to set a pitch up on this rig: the pitch's own time, what the supports and buttons
    add, by skill and hands; `own`: values of the provider's log that are gone by.
    """
    added = sum(SUPPORT_MINUTES.get(s.kind, 0.0) for s in rig.supports) if rig else 0.0
    return (
        (own.minutes_of(pitch) + added)
        * SKILLS[skill]
        * HANDS[min(max(hands, 1), max(HANDS))]
    )


FEW_POINTS: Final = 6
"""Up to so many points every distance between two is told."""


def stake_out(shelter: Shelter) -> list[Distance]:
    """Ground distances that mark out the plan: between all stakes and feet of high points where
    they are few, else of each from the first two and from the one before it.
    """
    names = marks(shelter)
    points = [
        a.point for a in shelter.pitch.anchors if a.hold is not Hold.FREE and a.on_sheet
    ]
    pairs = list(combinations(points, 2))
    if len(points) > FEW_POINTS:
        order = {p: i for i, p in enumerate(points)}
        pairs = [(a, b) for a, b in pairs if order[a] < 2 or order[b] - order[a] == 1]
    found = [Distance(names[a], names[b], _ground(shelter, a, b)) for a, b in pairs]
    return [d for d in found if d.metres > 0.05]
