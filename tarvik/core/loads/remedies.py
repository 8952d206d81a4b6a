"""What makes a shelter hold that its stakes alone do not: remedies with amounts, cheapest first,
taken until it holds or none at hand is left.

In their order: stakes in the middle of long edges, a second stake in line, a longer stake, a
flatter guy, a stone or log on the line, a deadman in loose ground.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.loads.holding import DOUBLED, TRUST, Loose, stake_holds_n
from tarvik.core.rig.lines import allot_lines, guy_m
from tarvik.core.units import GRAVITY, Units, format_depth, format_length, format_weight

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from tarvik.core.loads.gale import Gale, Weakest
    from tarvik.core.loads.holding import Holding
    from tarvik.core.rig.carried import Rig
    from tarvik.core.rig.supports import Supports
    from tarvik.core.shelter import Shelter

STONE_FRICTION: Final = constant(
    "stone_friction", 0.5, "1", ENGINEERING, "friction of a stone or log on the ground"
)
STONE_MOST_KG: Final = constant(
    "stone_most",
    15.0,
    "kg",
    COMMON_PRACTICE,
    "heaviest stone or log that one carries to a corner",
)
FLATTER: Final = constant(
    "guy_flatter",
    2.0,
    "times",
    COMMON_PRACTICE,
    "how much further out a flatter guy is staked",
)
DEADMAN_M: Final = constant(
    "deadman_length", 0.5, "m", COMMON_PRACTICE, "length of a log buried crosswise"
)
DEADMAN_DEPTH_M: Final = constant(
    "deadman_depth", 0.3, "m", COMMON_PRACTICE, "depth at which a log is buried crosswise"
)
DEEPEST_M: Final = 0.6
"""Longest stake that is named as a way out."""


@dataclass(frozen=True, slots=True)
class Remedy:
    """Something done so that a shelter holds: in words, at which points, and what it takes:
    stakes, of them longer than the usual ones, m of cord, and kg of stones in all.
    """

    code: str
    message: str
    points: tuple[str, ...]
    stakes: int = 0
    longer: int = 0
    cord_m: float = 0.0
    stones_kg: float = 0.0


@dataclass(frozen=True, slots=True)
class Held:
    """A shelter with the remedies taken: its rig, what its stakes hold, and the gale on it."""

    rig: Rig
    holding: Holding
    gale: Gale
    remedies: tuple[Remedy, ...]


def stone_kg(pull_n: float, up_deg: float = 0.0) -> float:
    """Stone that a line drawn up at that angle drags with a pull: T = mu m g / (cos a + mu sin a).

    >>> round(stone_kg(49.03), 2)
    10.0
    """
    angle = math.radians(up_deg)
    grip = math.cos(angle) + STONE_FRICTION * math.sin(angle)
    return pull_n * grip / (STONE_FRICTION * GRAVITY)


def stone_holds_n(kg: float, up_deg: float = 0.0) -> float:
    """Pull that drags a stone of that weight."""
    return kg / stone_kg(1.0, up_deg)


def deeper_m(holding: Holding, pull_n: float) -> float | None:
    """How deep a stake must go to be trusted with a pull, m; None where none of DEEPEST_M is."""
    for depth in np.arange(0.05, DEEPEST_M + 0.005, 0.01):
        width = holding.stake_width_m
        if stake_holds_n(holding.ground, float(depth), width) / TRUST >= pull_n:
            return float(depth)
    return None


@dataclass(frozen=True, slots=True)
class AtHand:
    """A shelter, what is at hand for it, what tells the gale on it rigged in some way, the `names`
    of its points on the card, and the units in which remedies are said.
    """

    shelter: Shelter
    supports: Supports
    in_wind: Callable[[Rig, Holding], Gale | None]
    names: Mapping[str, str]
    units: Units = Units.METRIC

    def named(self, points: Sequence[str]) -> str:
        """Points in words: A, B and C."""
        some = list(dict.fromkeys(self.names.get(p, p) for p in points))
        return some[0] if len(some) == 1 else f"{', '.join(some[:-1])} and {some[-1]}"

    def each(self, parts: Sequence[Weakest]) -> str:
        """Where parts are, in words."""
        return self.named([p.where for p in parts])


def remedied(at_hand: AtHand, rig: Rig, holding: Holding) -> Held | None:
    """The shelter with what it takes to hold, so far as it is at hand. None where no tie holds it
    at all.
    """
    gale = at_hand.in_wind(rig, holding)
    if gale is None:
        return None
    held = Held(rig, holding, gale, ())
    for step in (
        _mid_edges,
        _second_stakes,
        _longer_stakes,
        _flatter_guys,
        _stones,
        _deadmen,
    ):
        if held.gale.loose or not _slipping(held.gale):
            break
        better = step(held, at_hand)
        if better is not None and _helps(better.gale, held.gale):
            held = better
    return held


def _helps(then: Gale, now: Gale) -> bool:
    """Whether less is asked of the weakest part, or of no more and fewer stakes slip."""
    if _worst(then) > _worst(now) + 1e-9:
        return False
    return _worst(then) < _worst(now) - 1e-9 or len(_slipping(then)) < len(_slipping(now))


def _worst(gale: Gale) -> float:
    return max((p.used for p in gale.parts), default=0.0)


def _slipping(gale: Gale) -> list[Weakest]:
    """Stakes that give way."""
    return [p for p in gale.parts if p.kind == "stake" and p.used > 1]


def _spare(held: Held, supports: Supports) -> float:
    """Stakes at hand beyond those that are used."""
    if supports.stakes is None:
        return math.inf
    taken = sum(r.stakes for r in held.remedies if r.code != "mid_edge_stakes")
    return supports.stakes - held.rig.stakes_needed() - taken


def _mid_edges(held: Held, at_hand: AtHand) -> Held | None:
    ready = [s for s in held.rig.stakes if s.optional and s.purpose == "mid-edge"]
    if not ready or len(ready) > _spare(held, at_hand.supports):
        return None
    stakes = tuple(replace(s, optional=False) if s in ready else s for s in held.rig.stakes)
    rig = replace(held.rig, stakes=stakes)
    gale = at_hand.in_wind(rig, held.holding)
    if gale is None:
        return None
    one = len(ready) == 1
    words = (
        f"stake the middle of the long {'edge' if one else 'edges'} too "
        f"({len(ready)} {'stake' if one else 'stakes'})"
    )
    remedy = Remedy(
        "mid_edge_stakes", words, tuple(s.point for s in ready), stakes=len(ready)
    )
    return Held(rig, held.holding, gale, (*held.remedies, remedy))


def _holding_more(held: Held, more: Mapping[int, float]) -> tuple[Holding, Gale]:
    """The same gale where some stakes hold so many times more."""
    holding = replace(held.holding, more=tuple({**dict(held.holding.more), **more}.items()))
    return holding, held.gale.held_by(holding)


def _second_stakes(held: Held, at_hand: AtHand) -> Held | None:
    weak = [p for p in _slipping(held.gale) if p.used <= DOUBLED]
    if not weak or len(weak) > _spare(held, at_hand.supports):
        return None
    holding, gale = _holding_more(held, {p.number: DOUBLED for p in weak})
    words = f"drive a second stake in line behind {at_hand.each(weak)}"
    remedy = Remedy("second_stake", words, tuple(p.where for p in weak), stakes=len(weak))
    return Held(held.rig, holding, gale, (*held.remedies, remedy))


def _longer_stakes(held: Held, at_hand: AtHand) -> Held | None:
    left = {kind: kind.count for kind in held.holding.longer}
    one = held.holding.trusted_stake_n
    more: dict[int, float] = {}
    weak, longest = [], 0.0
    for part in sorted(_slipping(held.gale), key=lambda p: -p.pull_n):
        if part.number in dict(held.holding.more):
            continue
        for kind, count in left.items():
            trusted = held.holding.trusted_n(kind)
            if count and trusted >= part.pull_n:
                left[kind] = count - 1
                more[part.number] = trusted / one
                longest = max(longest, kind.depth_m)
                weak.append(part)
                break
    if not weak:
        return None
    holding, gale = _holding_more(held, more)
    stakes = "one of the longer stakes" if len(weak) == 1 else "longer stakes"
    words = (
        f"drive {stakes} at {at_hand.each(weak)} ({format_depth(longest, at_hand.units)})"
    )
    remedy = Remedy("longer_stake", words, tuple(p.where for p in weak), longer=len(weak))
    return Held(held.rig, holding, gale, (*held.remedies, remedy))


def _flatter_guys(held: Held, at_hand: AtHand) -> Held | None:
    weak = {p.number: p for p in _slipping(held.gale)}
    rig = held.rig
    lines, stakes = list(rig.lines), list(rig.stakes)
    more_cord, longest = 0.0, 0.0
    points = []
    for number, part in weak.items():
        stake = rig.stakes[number]
        for k, line in enumerate(rig.lines):
            if line.to[2] > 0 or math.dist(line.to[:2], stake.at) > 1e-6:
                continue
            top = at_hand.shelter.at(line.start)
            x, y = (float(c) for c in top[:2] + FLATTER * (np.array(stake.at) - top[:2]))
            span = math.dist((x, y, 0.0), tuple(float(c) for c in top))
            lines[k] = replace(line, to=(x, y, 0.0), span_m=span, cord_m=guy_m(span))
            stakes[number] = replace(stake, at=(x, y))
            more_cord += lines[k].cord_m - line.cord_m
            longest = max(longest, span)
            points.append(part.where)
    if not points:
        return None
    flatter = replace(rig, lines=tuple(lines), stakes=tuple(stakes))
    short = at_hand.supports.lines_m is not None and bool(
        allot_lines([line.cord_m for line in lines], at_hand.supports.lines_m).short
    )
    gale = None if short else at_hand.in_wind(flatter, held.holding)
    if gale is None:
        return None
    long = format_length(longest, at_hand.units)
    words = f"run the guy at {at_hand.named(points)} flatter: {long} long"
    remedy = Remedy("flatter_guy", words, tuple(points), cord_m=more_cord)
    return Held(flatter, held.holding, gale, (*held.remedies, remedy))


def _stones(held: Held, at_hand: AtHand) -> Held | None:
    ups = {r.number: r for r in held.gale.reactions if r.number >= 0}
    more: dict[int, float] = {}
    kilos: dict[str, int] = {}
    weak = []
    one = held.holding.trusted_stake_n
    for p in _slipping(held.gale):
        if p.number in dict(held.holding.more):
            continue
        reaction = ups.get(p.number)
        force = reaction.force_n if reaction else (1.0, 0.0, 0.0)
        up = math.degrees(math.atan2(max(-force[2], 0.0), math.hypot(*force[:2])))
        kg = stone_kg(p.pull_n - p.holds_n, up)
        if kg > STONE_MOST_KG:
            continue
        kilos[p.where] = math.ceil(kg)
        more[p.number] = (p.holds_n + stone_holds_n(math.ceil(kg), up)) / one
        weak.append(p)
    if not weak:
        return None
    holding, gale = _holding_more(held, more)
    most = max(kilos.values())
    weight = format_weight(most, at_hand.units)
    words = f"lay a stone or log of {weight} on the line at {at_hand.each(weak)}"
    total = float(most * len(weak))
    remedy = Remedy("stone", words, tuple(p.where for p in weak), stones_kg=total)
    return Held(held.rig, holding, gale, (*held.remedies, remedy))


def _deadmen(held: Held, at_hand: AtHand) -> Held | None:
    soil = held.holding.ground.soil
    if not isinstance(soil, Loose):
        return None
    holds = soil.holds_n(DEADMAN_M, DEADMAN_DEPTH_M) / TRUST
    weak = [p for p in _slipping(held.gale) if p.pull_n <= holds]
    if not weak:
        return None
    one = held.holding.trusted_stake_n
    holding, gale = _holding_more(held, {p.number: holds / one for p in weak})
    words = (
        f"bury a log {format_length(DEADMAN_M, at_hand.units)} long crosswise, "
        f"{format_depth(DEADMAN_DEPTH_M, at_hand.units)} deep, in place of the "
        f"stake at {at_hand.each(weak)}"
    )
    remedy = Remedy("deadman", words, tuple(p.where for p in weak))
    return Held(held.rig, holding, gale, (*held.remedies, remedy))
