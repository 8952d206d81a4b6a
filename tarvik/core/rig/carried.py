"""What carries one high point: a pole with its guys, a bipod, a branch, a boat: its stakes, its
lines, what it lacks.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.rig.lines import guy_m, tree_line_m
from tarvik.core.rig.supports import EDGE_KINDS, TRUNK_M, Carrier, Pole, Supports

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Shelter

GUY_SLOPE: Final = constant(
    "guy_slope", 1.0, "1", "common practice", "height over distance of a guy: 45 degrees"
)
LONE_GUYS_DEG: Final = constant(
    "lone_guys",
    45.0,
    "degrees",
    "common practice",
    "a lone pole's two guys off its centre line",
)
BIPOD_LEG_SHARE: Final = constant(
    "bipod_leg_share",
    0.25,
    "1",
    "common practice: sticks of 7 ft for a 10 ft sheet, of 6.5 ft for 8 ft",
    "leg over side",
)
BIPOD_LEG_M: Final = constant(
    "bipod_leg",
    1.372,
    "m",
    "common practice: sticks of 7 ft for a 10 ft sheet, of 6.5 ft for 8 ft",
    "leg beyond that share",
)
LIFT_GAP_M: Final = constant(
    "lift_gap",
    2.0,
    "m",
    ENGINEERING,
    "from the rear of the sheet to the tree a middle is drawn to",
)
LIFT_RISE: Final = constant(
    "lift_rise", 0.5, "1", ENGINEERING, "slope of the cord that draws a middle up and back"
)
LASH_M: Final = constant(
    "lash",
    0.6,
    "m",
    ENGINEERING,
    "cord that ties a tie-out to a hull, a rail, a fork or a tripod",
)
LASH_SPAN_M: Final = constant(
    "lash_span", 0.1, "m", ENGINEERING, "straight length of a lashing"
)


@dataclass(frozen=True, slots=True)
class Line:
    """A line from a point of the sheet. `span_m` is its straight length, `cord_m` the cord it
    takes, knots included.
    """

    start: str
    to: tuple[float, float, float]
    span_m: float
    cord_m: float
    purpose: str


@dataclass(frozen=True, slots=True)
class Stake:
    """A stake: at a point of the sheet, or the end of a guy from it. Optional ones make the edge
    tighter.
    """

    at: tuple[float, float]
    point: str
    purpose: str
    optional: bool = False


@dataclass(frozen=True, slots=True)
class Support:
    """What carries a high point. `pole` is None for a tree, whose thickness `trunk_m` is."""

    kind: str
    at: tuple[float, float]
    height_m: float
    point: str
    pole: Pole | None = None
    trunk_m: float = TRUNK_M


@dataclass(frozen=True, slots=True)
class Miss:
    """What a support lacks. `template` has {0}, {1} ... for the `lengths` in metres."""

    code: str
    template: str
    short_by_m: float = 0.0
    lengths: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class Rig:
    """One way of rigging a shelter, and the shortfalls of its supports."""

    supports: tuple[Support, ...]
    lines: tuple[Line, ...]
    stakes: tuple[Stake, ...]
    through_line: bool = False
    short: tuple[Miss, ...] = ()

    def stakes_needed(self) -> int:
        """Stakes without the optional ones."""
        return sum(not stake.optional for stake in self.stakes)


def _turned(vector: Floats, degrees: float) -> Floats:
    """Turn anticlockwise: (1, 0) by 90 gives (0, 1)."""
    a = math.radians(degrees)
    return np.array(
        [
            vector[0] * math.cos(a) - vector[1] * math.sin(a),
            vector[0] * math.sin(a) + vector[1] * math.cos(a),
        ]
    )


def guy_to_ground(
    point: str, top: Floats, way: Floats, purpose: str, slope: float = GUY_SLOPE
) -> tuple[Line, Stake]:
    """A guy from a point down to a stake `way` off (a unit vector), and the stake."""
    foot = top[:2] + way * top[2] / slope
    slant = math.hypot(top[2], top[2] / slope)
    place = (float(foot[0]), float(foot[1]))
    return Line(point, (*place, 0.0), slant, guy_m(slant), purpose), Stake(
        place, point, purpose
    )


@dataclass
class Carried:
    """A rig in the making. Poles and carriers once taken are gone."""

    at_hand: Supports
    supports: list[Support]
    lines: list[Line]
    stakes: list[Stake]
    short: list[Miss]
    poles: list[Pole] | None = field(init=False)
    others: list[Carrier] | None = field(init=False)

    def __post_init__(self) -> None:
        self.poles = None if self.at_hand.poles is None else list(self.at_hand.poles)
        self.others = None if self.at_hand.others is None else list(self.at_hand.others)

    def rig(self, *, through: bool) -> Rig:
        """The rig as it stands."""
        return Rig(
            tuple(self.supports),
            tuple(self.lines),
            tuple(self.stakes),
            through,
            tuple(self.short),
        )

    def _guyed(
        self, point: str, top: Floats, way: Floats, purpose: str, *, lone: bool
    ) -> None:
        for turn in (-LONE_GUYS_DEG, LONE_GUYS_DEG) if lone else (0.0,):
            line, stake = guy_to_ground(point, top, _turned(way, turn), purpose)
            self.lines.append(line)
            self.stakes.append(stake)

    def on_pole(
        self, point: str, top: Floats, way: Floats, *, lone: bool, inside: bool
    ) -> None:
        """A pole or stick under a point, tipped as the house wills; `inside` a closed shelter it
        wants no guys.
        """
        share = self.at_hand.house.pole_share
        pole, miss = take_pole(
            self.poles, float(top[2]) / share, may_cut=self.at_hand.may_cut
        )
        if miss:
            self.short.append(miss)
        lean = float(top[2]) * math.sqrt(1 / share**2 - 1)
        foot = top[:2] - way * lean
        kind = pole.kind if pole else "pole"
        self.supports.append(
            Support(kind, (float(foot[0]), float(foot[1])), float(top[2]), point, pole)
        )
        if not inside:
            self._guyed(point, top, way, "pole guy", lone=lone)

    def on_carrier(
        self,
        kind: str,
        point: str,
        top: Floats,
        way: Floats,
        ridge_m: float,
        shelter: Shelter,
    ) -> None:
        """Anything but a tree or pole; `ridge_m`: length that one hull or rail must have to carry
        both points.
        """
        height = float(top[2])
        shared = next(
            (s for s in self.supports if s.kind == kind and kind in EDGE_KINDS), None
        )
        carrier = None
        if shared is None:
            carrier, miss = self._take(kind, height, ridge_m)
            if miss:
                self.short.append(miss)
        self.supports.append(Support(kind, (float(top[0]), float(top[1])), height, point))
        if kind == "branch":
            rise = max((carrier.size_m if carrier else height + 1.0) - height, 0.1)
            self.lines.append(
                Line(
                    point,
                    (float(top[0]), float(top[1]), height + rise),
                    rise,
                    tree_line_m(rise, TRUNK_M / 2),
                    "to the branch",
                )
            )
            return
        self.lines.append(
            Line(
                point,
                (float(top[0]), float(top[1]), height),
                LASH_SPAN_M,
                LASH_M,
                "lashing",
            )
        )
        if kind == "bipod":
            self._guyed(point, top, way, "bipod guy", lone=True)
        elif kind == "forked stick":
            self._guyed(point, top, way, "fork guy", lone=True)
        elif kind == "tripod":
            self._tripod_fits(carrier, shelter)
        elif kind == "boat" and shared is None:
            for side in (-1.0, 1.0):
                foot = top[:2] + _turned(way, 90.0 * side) * 0.5
                place = (float(foot[0]), float(foot[1]))
                self.stakes.append(Stake(place, point, "boat prop", optional=True))

    def _tripod_fits(self, carrier: Carrier | None, shelter: Shelter) -> None:
        """Front legs as long as the sheet's side, the ridge pole twice that (common practice)."""
        side = _side(shelter)
        if carrier is None:
            return
        ridge = carrier.length_m or 2 * carrier.size_m
        if carrier.size_m < side - 1e-9:
            gap = side - carrier.size_m
            self.short.append(
                Miss(
                    "tripod_short",
                    "a tripod's front legs must be {0}, the sheet's side: short by {1}",
                    gap,
                    (side, gap),
                )
            )
        if ridge < 2 * side - 1e-9:
            gap = 2 * side - ridge
            self.short.append(
                Miss(
                    "tripod_short",
                    "a tripod's ridge pole must be {0}, twice the sheet's side: short by {1}",
                    gap,
                    (2 * side, gap),
                )
            )

    def _take(
        self, kind: str, height: float, ridge_m: float
    ) -> tuple[Carrier | None, Miss | None]:
        if self.others is None:
            return None, None
        some = [c for c in self.others if c.kind == kind]
        if not some:
            return None, Miss("no_support", f"a {kind} of {{0}}", lengths=(height,))
        carrier = min(
            some,
            key=lambda c: (
                _off(c, height) + max(ridge_m - c.length_m, 0.0) * (c.length_m > 0),
                c.size_m,
            ),
        )
        self.others.remove(carrier)
        low, high = carrier.span()
        if height > high + 1e-9:
            return carrier, Miss(
                "carrier_low",
                f"the {kind} carries at most {{0}} and {{1}} is wanted: short by {{2}}",
                height - high,
                (high, height, height - high),
            )
        if height < low - 1e-9:
            return carrier, Miss(
                "carrier_high",
                f"the {kind} carries at least {{0}} and {{1}} is wanted: {{2}} too high",
                low - height,
                (low, height, low - height),
            )
        if 0 < carrier.length_m < ridge_m:
            return carrier, Miss(
                "carrier_short",
                f"the {kind} is {{0}} long and {{1}} is wanted: short by {{2}}",
                ridge_m - carrier.length_m,
                (carrier.length_m, ridge_m, ridge_m - carrier.length_m),
            )
        return carrier, None

    def lifted(self, point: str, shelter: Shelter, purpose: str, *, tree: bool) -> None:
        """Draw a point up from outside, to a tree behind or a bipod over the sheet, or prop it from
        inside, as the house wills and what is there allows.
        """
        top = shelter.at(point)
        plain = shelter.settings.get("lift", 0.0) <= 1e-9
        if plain:
            return
        ways = (
            ("tree", "bipod", "inside")
            if self.at_hand.house.lift == "outside"
            else ("inside", "tree", "bipod")
        )
        for way in ways:
            if way == "tree" and tree:
                self._lift_to_tree(point, top, shelter, purpose)
                return
            if way == "bipod" and self._lift_by_bipod(point, top, shelter, purpose):
                return
            if way == "inside":
                pole, miss = take_pole(
                    self.poles, float(top[2]), may_cut=self.at_hand.may_cut
                )
                if miss is None:
                    kind = pole.kind if pole else "pole"
                    self.supports.append(
                        Support(
                            kind, (float(top[0]), float(top[1])), float(top[2]), point, pole
                        )
                    )
                    return
        self.short.append(
            Miss(
                "no_lift",
                "a tree behind, two sticks for a bipod or a padded stick of {0} to lift the middle",
                lengths=(float(top[2]),),
            )
        )

    def _lift_to_tree(
        self, point: str, top: Floats, shelter: Shelter, purpose: str
    ) -> None:
        back = float(shelter.xyz[:, 0].max()) + LIFT_GAP_M
        run = back - float(top[0])
        height = float(top[2]) + LIFT_RISE * run
        span = math.hypot(run, height - float(top[2]))
        self.supports.append(Support("tree", (back, float(top[1])), height, point))
        self.lines.append(
            Line(
                point,
                (back, float(top[1]), height),
                span,
                tree_line_m(span, TRUNK_M),
                purpose,
            )
        )

    def _lift_by_bipod(
        self, point: str, top: Floats, shelter: Shelter, purpose: str
    ) -> bool:
        """Two crossed sticks over the sheet, if a bipod long enough is at hand."""
        side = _side(shelter)
        leg = BIPOD_LEG_M + BIPOD_LEG_SHARE * side
        bipod = next(
            (c for c in self.others or () if c.kind == "bipod" and c.size_m >= leg - 1e-9),
            None,
        )
        if bipod is None or self.others is None:
            return False
        self.others.remove(bipod)
        over = bipod.size_m * 0.9
        self.supports.append(Support("bipod", (float(top[0]), float(top[1])), over, point))
        rise = max(over - float(top[2]), 0.1)
        self.lines.append(
            Line(
                point,
                (float(top[0]), float(top[1]), over),
                rise,
                tree_line_m(rise, 0.1),
                purpose,
            )
        )
        return True


def _side(shelter: Shelter) -> float:
    """The shorter side of a sheet; of a shaped one that of a square as large."""
    return min(shelter.sheet.box) if shelter.sheet.box else math.sqrt(shelter.sheet.area_m2)


def _off(carrier: Carrier, height: float) -> float:
    low, high = carrier.span()
    return max(low - height, height - high, 0.0)


def take_pole(
    free: list[Pole] | None, height: float, *, may_cut: bool = False
) -> tuple[Pole | None, Miss | None]:
    """Take the pole with the least spare length that reaches; else, where allowed, one cut to
    length; else the nearest, and by how much it misses.
    """
    if free is None:
        return None, None
    fit = [p for p in free if p.reaches(height)]
    if fit:
        pole = min(fit, key=lambda p: p.most_m - p.least_m + p.most_m)
        free.remove(pole)
        return pole, None
    if may_cut and height <= CUT_MOST_M:
        return Pole(height, height, "cut stick"), None
    if not free:
        return None, Miss("no_support", "one more pole or stick of {0}", lengths=(height,))
    pole = min(free, key=lambda p: max(height - p.most_m, p.least_m - height))
    free.remove(pole)
    if height > pole.most_m:
        short = height - pole.most_m
        return pole, Miss(
            "pole_short",
            "a pole must be {0} and reaches {1}: short by {2}",
            short,
            (height, pole.most_m, short),
        )
    over = pole.least_m - height
    return pole, Miss(
        "pole_long",
        "a pole must be {0} and is at least {1}: {2} too long",
        over,
        (height, pole.least_m, over),
    )


CUT_MOST_M: Final = constant(
    "cut_stick_most",
    2.2,
    "m",
    "common practice: a little taller than the person",
    "longest stick cut",
)
