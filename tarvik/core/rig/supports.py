"""What is at hand: trees, poles and sticks, stakes, cord. None means there is no end of it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.rig.house import PLAIN_HOUSE, House

TRUNK_M: Final = constant(
    "trunk", 0.20, "m", ENGINEERING, "diameter of a trunk when it was not measured"
)
TRUNK_LEAST_M: Final = constant(
    "trunk_least", 0.065, "m", "common practice", "thinnest trunk that carries a ridge line"
)
CARRIER_MOST_M: Final = constant(
    "carrier_most", 30.0, "m", ENGINEERING, "highest branch, vehicle or fence taken"
)
BRANCH_LINE_M: Final = constant(
    "branch_line",
    0.10,
    "m",
    ENGINEERING,
    "least line from a branch down to what hangs from it",
)
POLE_KINDS: Final = ("pole", "stick", "cut stick")
"""Kinds that are poles set, or cut, to length."""
EDGE_KINDS: Final = ("boat", "vehicle", "fence")
CARRIER_SHARES: Final[dict[str, tuple[float, float]]] = {
    "forked stick": (0.70, 1.0),  # may be dug in
    "bipod": (0.50, 0.95),  # feet apart
    "tripod": (0.40, 0.85),
    "branch": (0.0, 1.0),
    "boat": (0.80, 1.02),  # on its side, tipped a little more or less
    "vehicle": (0.2, 1.0),
    "fence": (0.2, 1.0),
}
"""Heights carried, as shares of `size_m` (engineering assumptions)."""
CARRIER_KINDS: Final = tuple(CARRIER_SHARES)
MOST_THINGS: Final = 2000
"""Most trees, poles or lines taken in one request."""


@dataclass(frozen=True, slots=True)
class Tree:
    """A tree or post. `at` is its place in metres when it was surveyed."""

    at: tuple[float, float] | None = None
    diameter_m: float = TRUNK_M

    def __post_init__(self) -> None:
        if not 0 < self.diameter_m <= 5:
            raise InputError(
                "supports.trees", f"a trunk of {self.diameter_m:g} m is outside 0 to 5 m"
            )
        if self.at is not None and not all(
            math.isfinite(c) and abs(c) <= 10_000 for c in self.at
        ):
            raise InputError("supports.trees", f"{self.at} is no place within 10 km")

    @property
    def carries_a_line(self) -> bool:
        """Whether it is thick enough."""
        return self.diameter_m >= TRUNK_LEAST_M


@dataclass(frozen=True, slots=True)
class Pole:
    """A pole set to any length between `least_m` and `most_m`; a cut stick has both alike."""

    least_m: float
    most_m: float
    kind: str = "pole"

    def __post_init__(self) -> None:
        if not (
            math.isfinite(self.least_m)
            and math.isfinite(self.most_m)
            and 0 < self.least_m <= self.most_m <= 10
        ):
            raise InputError(
                "supports.poles_m",
                (
                    f"[{self.least_m:g}, {self.most_m:g}] is no pole; give least and most "
                    "length, 0 to 10 m"
                ),
            )

    def reaches(self, height: float) -> bool:
        """Whether the pole can be set to that height."""
        return self.least_m - 1e-9 <= height <= self.most_m + 1e-9


@dataclass(frozen=True, slots=True)
class Carrier:
    """Something else that carries a point. `size_m`: the height of a branch, boat, vehicle or
    fence, or the length of a forked stick or of a bipod's or tripod's legs. `length_m`: of the
    boat, vehicle or fence along its edge, or of the tripod's ridge pole; 0 when not measured.
    """

    kind: str
    size_m: float
    length_m: float = 0.0

    def __post_init__(self) -> None:
        if self.kind not in CARRIER_KINDS:
            raise InputError(
                "supports", f"“{self.kind[:30]}” is none of {', '.join(CARRIER_KINDS)}"
            )
        if not (math.isfinite(self.size_m) and 0 < self.size_m <= CARRIER_MOST_M):
            raise InputError(
                "supports",
                f"a {self.kind} of {self.size_m:g} m is outside 0 to {CARRIER_MOST_M:g} m",
            )
        if not (math.isfinite(self.length_m) and 0 <= self.length_m <= 100):
            raise InputError(
                "supports", f"a {self.kind} {self.length_m:g} m long is outside 0 to 100 m"
            )

    def span(self) -> tuple[float, float]:
        """Least and most height at which it carries a point."""
        low, high = CARRIER_SHARES[self.kind]
        return low * self.size_m, high * self.size_m - (
            BRANCH_LINE_M if self.kind == "branch" else 0.0
        )

    @property
    def is_edge(self) -> bool:
        """Whether one of it carries several points side by side."""
        return self.kind in EDGE_KINDS


@dataclass(frozen=True, slots=True)
class Supports:
    """Everything at hand for one shelter. `others`: branches, bipods, boats and so on, none unless
    named; None: any.

    `may_cut`: whether the land's rules allow cutting a stick to length. `house`: how the course
    rigs.
    `in_the_way`: trunks and rocks (x, y, diameter) in the shelter's own frame, where no stake goes.
    """

    trees: tuple[Tree, ...] | None = None
    poles: tuple[Pole, ...] | None = None
    stakes: int | None = None
    lines_m: tuple[float, ...] | None = None
    others: tuple[Carrier, ...] | None = ()
    may_cut: bool = False
    house: House = PLAIN_HOUSE
    in_the_way: tuple[tuple[float, float, float], ...] = ()

    def __post_init__(self) -> None:
        for place in self.in_the_way:
            if not all(math.isfinite(c) for c in place) or not 0 < place[2] <= 20:
                raise InputError(
                    "supports.in_the_way_m", f"{place} is no [x, y, diameter] in metres"
                )
        for name, things in (
            ("trees", self.trees),
            ("poles_m", self.poles),
            ("lines_m", self.lines_m),
            ("others", self.others),
            ("in_the_way_m", self.in_the_way),
        ):
            if things is not None and len(things) > MOST_THINGS:
                raise InputError(
                    f"supports.{name}",
                    f"{len(things)} are too many; give at most {MOST_THINGS}",
                )
        if self.stakes is not None and not 0 <= self.stakes <= MOST_THINGS:
            raise InputError(
                "supports.stakes", f"{self.stakes} is outside 0 to {MOST_THINGS}"
            )
        for i, line in enumerate(self.lines_m or ()):
            if not math.isfinite(line) or not 0 < line <= 500:
                raise InputError(
                    f"supports.lines_m[{i}]", f"{line:g} m is outside 0 to 500 m"
                )

    def __hash__(self) -> int:
        # The trees of a wood are many and seldom all that differs.
        return hash(
            (
                None if self.trees is None else len(self.trees),
                self.poles,
                self.stakes,
                self.lines_m,
                self.may_cut,
            )
        )

    def on_trees(self, count: int, high_points: int) -> Supports:
        """The same for a shelter that is to be carried by so many trees, and by poles for the rest
        of its high points.
        """
        poles = () if 0 < high_points <= count else self.poles
        return replace(self, trees=(Tree(),) * count, poles=poles)

    def usable_trees(self) -> tuple[Tree, ...] | None:
        """Trees thick enough to carry a line."""
        return (
            None if self.trees is None else tuple(t for t in self.trees if t.carries_a_line)
        )

    def _any_tree(self) -> bool:
        """Whether a tree can carry a line."""
        return self.trees is None or any(tree.carries_a_line for tree in self.trees)

    def height_spans(self) -> list[tuple[float, float]] | None:
        """Heights at which some support can carry a point; None when any will do."""
        if self.poles is None or self.may_cut or self.others is None or self._any_tree():
            return None
        lean = self.house.pole_share
        spans = [(pole.least_m * lean, pole.most_m * lean) for pole in self.poles]
        return spans + [other.span() for other in self.others if other.kind != "boat"]

    def hull_spans(self) -> list[tuple[float, float]] | None:
        """Heights of the boats, vehicles and fences at hand; None when any will do."""
        if self.others is None:
            return None
        return [other.span() for other in self.others if other.is_edge] or None


UNLIMITED: Final = Supports(others=None)
