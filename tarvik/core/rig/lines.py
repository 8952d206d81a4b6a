"""Cord: what a line needs beyond its geometry, and which of the lines at hand serve which need."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant

if TYPE_CHECKING:
    from collections.abc import Sequence

FIXED_KNOT_M: Final = constant(
    "knot_fixed",
    0.25,
    "m",
    ENGINEERING,
    "cord taken up by a fixed knot (bowline, timber hitch)",
)
TENSION_KNOT_M: Final = constant(
    "knot_tension",
    0.45,
    "m",
    ENGINEERING,
    "cord taken up by a tensioning hitch with its tail",
)
GUY_KNOT_M: Final = constant(
    "knot_guy", 0.40, "m", ENGINEERING, "cord taken up by an adjustable hitch with its tail"
)
JOIN_M: Final = constant(
    "knot_join", 0.40, "m", ENGINEERING, "cord taken up by joining two lines"
)


def tree_line_m(gap_m: float, trunk_m: float) -> float:
    """Cord from a tie-out round a trunk at distance `gap_m` and back to a tensioning hitch."""
    return gap_m + math.pi * trunk_m + FIXED_KNOT_M + TENSION_KNOT_M


def through_line_m(ridge_m: float, gaps_m: float, trunks_m: float) -> float:
    """Cord from trunk to trunk under the whole ridge; `trunks_m` is the sum of both diameters."""
    return ridge_m + gaps_m + math.pi * trunks_m + FIXED_KNOT_M + TENSION_KNOT_M


def guy_m(slant_m: float) -> float:
    """Cord of a guy whose straight length is `slant_m`."""
    return slant_m + FIXED_KNOT_M + GUY_KNOT_M


@dataclass(frozen=True, slots=True)
class Allotment:
    """Which lines serve which need (`served`: need index -> line indexes, two when joined), and
    what is short.
    """

    served: dict[int, tuple[int, ...]]
    short: dict[int, float]

    @property
    def joined(self) -> int:
        """Needs met by joining two lines."""
        return sum(len(lines) == 2 for lines in self.served.values())


def allot_lines(needs: Sequence[float], lines: Sequence[float]) -> Allotment:
    """Give each need the shortest line that does, longest need first; join two lines where none
    does.

    `short` maps a need's index to the metres by which the best line or pair left falls short.
    """
    free = sorted(range(len(lines)), key=lambda i: lines[i])
    served: dict[int, tuple[int, ...]] = {}
    open_needs: list[int] = []
    for need in sorted(range(len(needs)), key=lambda i: -needs[i]):
        one = next((i for i in free if lines[i] >= needs[need] - 1e-9), None)
        if one is None:
            open_needs.append(need)
        else:
            free.remove(one)
            served[need] = (one,)
    short: dict[int, float] = {}
    for need in open_needs:
        best: tuple[float, tuple[int, int]] | None = None
        for a in range(len(free)):
            for b in range(a + 1, len(free)):
                total = lines[free[a]] + lines[free[b]] - JOIN_M
                if total >= needs[need] - 1e-9 and (best is None or total < best[0]):
                    best = (total, (free[a], free[b]))
                    break
        if best:
            served[need] = best[1]
            free = [i for i in free if i not in best[1]]
        else:
            short[need] = needs[need] - (lines[free.pop()] if free else 0.0)
    return Allotment(served, short)
