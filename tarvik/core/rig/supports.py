"""What is at hand: trees, poles and sticks, stakes, cord. None means there is no end of it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

TRUNK_M: Final = constant("trunk", 0.20, "m", ENGINEERING, "diameter of a trunk when it was not measured")
TRUNK_LEAST_M: Final = constant("trunk_least", 0.065, "m", "common practice", "thinnest trunk that carries a ridge line")
MOST_THINGS: Final = 2000
"""Most trees, poles or lines taken in one request."""


@dataclass(frozen=True, slots=True)
class Tree:
    """A tree or post. `at` is its place in metres when it was surveyed."""

    at: tuple[float, float] | None = None
    diameter_m: float = TRUNK_M

    def __post_init__(self) -> None:
        if not 0 < self.diameter_m <= 5:
            raise InputError("supports.trees", f"a trunk of {self.diameter_m:g} m is outside 0 to 5 m")
        if self.at is not None and not all(math.isfinite(c) and abs(c) <= 10_000 for c in self.at):
            raise InputError("supports.trees", f"{self.at} is no place within 10 km")


@dataclass(frozen=True, slots=True)
class Pole:
    """A pole set to any length between `least_m` and `most_m`; a cut stick has both alike."""

    least_m: float
    most_m: float
    kind: str = "pole"

    def __post_init__(self) -> None:
        if not (math.isfinite(self.least_m) and math.isfinite(self.most_m) and 0 < self.least_m <= self.most_m <= 10):
            raise InputError(
                "supports.poles_m", f"[{self.least_m:g}, {self.most_m:g}] is no pole; give least and most length, 0 to 10 m"
            )

    def reaches(self, height: float) -> bool:
        """Whether the pole can be set to that height."""
        return self.least_m - 1e-9 <= height <= self.most_m + 1e-9


@dataclass(frozen=True, slots=True)
class Supports:
    """Everything at hand for one shelter."""

    trees: tuple[Tree, ...] | None = None
    poles: tuple[Pole, ...] | None = None
    stakes: int | None = None
    lines_m: tuple[float, ...] | None = None

    def __post_init__(self) -> None:
        for name, things in (("trees", self.trees), ("poles_m", self.poles), ("lines_m", self.lines_m)):
            if things is not None and len(things) > MOST_THINGS:
                raise InputError(f"supports.{name}", f"{len(things)} are too many; give at most {MOST_THINGS}")
        if self.stakes is not None and not 0 <= self.stakes <= MOST_THINGS:
            raise InputError("supports.stakes", f"{self.stakes} is outside 0 to {MOST_THINGS}")
        for i, line in enumerate(self.lines_m or ()):
            if not math.isfinite(line) or not 0 < line <= 500:
                raise InputError(f"supports.lines_m[{i}]", f"{line:g} m is outside 0 to 500 m")

    def usable_trees(self) -> tuple[Tree, ...] | None:
        """Trees thick enough to carry a line."""
        return None if self.trees is None else tuple(t for t in self.trees if t.diameter_m >= TRUNK_LEAST_M)

    def height_spans(self) -> list[tuple[float, float]] | None:
        """Heights at which some support can carry a point; None when any will do."""
        trees = self.usable_trees()
        if trees is None or trees or self.poles is None:
            return None
        return [(pole.least_m, pole.most_m) for pole in self.poles]


UNLIMITED: Final = Supports()
