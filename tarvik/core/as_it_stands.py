"""One thing measured on a shelter that stands: which settings it has then, which stakes are out of
place for that, by how much and which way.

The one setting that moves the measured length most is taken to differ from what was planned; the
others stay. Its value is found by halving an interval, with the sheet folded at each.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING, Final

import numpy as np
from scipy.optimize import brentq

from tarvik.core.cards import marks
from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import FoldError, InputError
from tarvik.core.pitches.base import Hold
from tarvik.core.shelter import fold_sheet
from tarvik.core.units import Units, format_length

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Setting
    from tarvik.core.shelter import Shelter

SAME_M: Final = constant(
    "measured_same", 0.03, "m", COMMON_PRACTICE, "a tape on cloth tells no less than this"
)
TRIED_M: Final = constant(
    "measured_tried", 0.05, "m", ENGINEERING, "change of a setting that shows what it moves"
)
MOVES_LEAST: Final = 0.1
"""A setting that moves the length by a smaller share of its own change does not explain it."""
EXACT_M: Final = 1e-3
WALK_M: Final = 0.05
"""Steps of a setting in which the measured length is looked for."""


@dataclass(frozen=True, slots=True)
class Shift:
    """How far a stake is from where it belongs, m: `out` away from the foot of the high point next
    to it (inwards where negative), and `along` to the left as seen from there.
    """

    mark: str
    out_m: float
    along_m: float

    @property
    def metres(self) -> float:
        """How far in all."""
        return math.hypot(self.out_m, self.along_m)


@dataclass(frozen=True, slots=True)
class AsItStands:
    """A shelter as one measurement tells it: with which settings it stands, of which one (`what`)
    differs from the plan, and where its stakes belong then. `shifts`: those that move by more than
    a tape tells, the furthest first.
    """

    shelter: Shelter
    what: Setting
    settings: Mapping[str, float]
    shifts: tuple[Shift, ...]


def measurable(shelter: Shelter) -> dict[str, tuple[str, ...]]:
    """What may be measured, by the marks on the card: the height of each high point (`P`), and the
    distance between any two stakes (`1-2`); each with its points.
    """
    called, ground = marks(shelter), _staked(shelter)
    things: dict[str, tuple[str, ...]] = {
        called[point]: (point,) for point in shelter.pitch.high_points()
    }
    for (a, one), (b, other) in combinations(ground.items(), 2):
        things[f"{a}-{b}"] = (one, other)
    return things


def planned_m(shelter: Shelter, what: str) -> float:
    """What a measurement would come to on the shelter as planned. Raises InputError."""
    return _length(shelter, what)(shelter)


def as_measured(
    shelter: Shelter, what: str, metres: float, units: Units = Units.METRIC
) -> AsItStands:
    """The shelter of which something measures so many metres. Raises InputError where no setting
    makes it so, with the lengths there may be in the course's `units`.
    """
    length = _length(shelter, what)
    off = metres - length(shelter)
    setting = _moves_most(shelter, length)
    if abs(off) < SAME_M:
        return AsItStands(shelter, setting, dict(shelter.settings), ())
    value = _value_at(shelter, setting, length, metres, units)
    settings = {**shelter.settings, setting.name: value}
    stands = fold_sheet(shelter.pitch, shelter.sheet, settings)
    return AsItStands(stands, setting, settings, _shifts(shelter, stands))


def _staked(shelter: Shelter) -> dict[str, str]:
    """Points that are staked to the ground, by their marks in the order they are driven."""
    high = shelter.pitch.high_points()
    staked = {a.point for a in shelter.pitch.anchors if a.hold is Hold.STAKED}
    named = {mark: point for point, mark in marks(shelter).items() if point not in high}
    return {m: p for m, p in named.items() if p in staked and p in shelter.pattern.points}


def _length(shelter: Shelter, what: str) -> Callable[[Shelter], float]:
    between = measurable(shelter).get(what)
    if between is None:
        raise InputError(
            "what", f"“{what[:20]}” is nothing that can be measured on this shelter"
        )
    if len(between) == 1:
        return lambda one: float(one.at(between[0])[2])
    a, b = between
    return lambda one: float(math.dist(one.at(a)[:2], one.at(b)[:2]))


def _moves_most(shelter: Shelter, length: Callable[[Shelter], float]) -> Setting:
    """The length among its settings that moves the measured one most."""
    now = length(shelter)
    found: list[tuple[float, Setting]] = []
    for setting in shelter.pitch.settings:
        if not setting.is_length:
            continue
        for change in (-TRIED_M, TRIED_M):
            other = _folded(shelter, setting.name, shelter.settings[setting.name] + change)
            if other is not None:
                found.append((abs(length(other) - now) / TRIED_M, setting))
                break
    moving = [pair for pair in found if pair[0] >= MOVES_LEAST]
    if not moving:
        raise InputError(
            "value", "this length follows from the sheet alone: measure the sheet again"
        )
    return max(moving, key=lambda pair: pair[0])[1]


def _folded(shelter: Shelter, name: str, value: float) -> Shelter | None:
    """The shelter with one setting changed, None where it does not fold so."""
    setting = shelter.pitch.setting(name)
    if not setting.least <= value <= setting.most:
        return None
    try:
        return fold_sheet(shelter.pitch, shelter.sheet, {**shelter.settings, name: value})
    except FoldError:
        return None


def _value_at(
    shelter: Shelter,
    setting: Setting,
    length: Callable[[Shelter], float],
    metres: float,
    units: Units,
) -> float:
    """The value of a setting nearest to the planned one at which the length is so. Raises
    InputError where there is none.
    """
    planned = shelter.settings[setting.name]

    def off(value: float) -> float:
        other = _folded(shelter, setting.name, value)
        return float("nan") if other is None else length(other) - metres

    here, reached = off(planned), [metres + off(planned)]
    for way in (-1.0, 1.0):
        at, before = planned, here
        while True:
            at += way * WALK_M
            now = off(min(max(at, setting.least), setting.most))
            if math.isnan(now) or not setting.least <= at <= setting.most:
                break
            reached.append(metres + now)
            if now == 0.0 or now * before < 0:
                return float(brentq(off, at - way * WALK_M, at, xtol=EXACT_M))
            before = now
    least, most = (format_length(limit, units) for limit in (min(reached), max(reached)))
    raise InputError(
        "value",
        f"with this sheet and pitch it is between {least} and {most}: measure again",
    )


def _shifts(planned: Shelter, stands: Shelter) -> tuple[Shift, ...]:
    """From where the plan puts each stake to where it belongs under what stands."""
    feet = [planned.at(point)[:2] for point in planned.pitch.high_points()]
    shifts = []
    for mark, point in _staked(planned).items():
        place = planned.at(point)[:2]
        move = stands.at(point)[:2] - place
        foot = min(feet, key=lambda at: float(np.hypot(*(place - at))), default=place * 0.0)
        shifts.append(Shift(mark, *_out_and_along(place - foot, move)))
    told = [shift for shift in shifts if shift.metres >= SAME_M]
    return tuple(sorted(told, key=lambda shift: -shift.metres))


def _out_and_along(from_foot: Floats, move: Floats) -> tuple[float, float]:
    """A move split into its part away from a foot and the part square to that."""
    size = float(np.hypot(*from_foot))
    out = from_foot / size if size > 1e-9 else np.array([1.0, 0.0])
    left = np.array([-out[1], out[0]])
    return float(move @ out), float(move @ left)
