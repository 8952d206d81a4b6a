"""Lines as they come along: ready lengths, hanks to cut from, and what a plan may count on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.units import FOOT_M

HANK_M: Final = constant(
    "hank_least",
    25 * FOOT_M,
    "m",
    COMMON_PRACTICE,
    "a line as long is a hank to cut from; ridge lines of 15 to 20 ft are ready lengths",
)
READY_M: Final = tuple(feet * FOOT_M for feet in (1, 6, 8, 10, 15, 20))
"""Ready lengths: loops of 12 in, guys of 6 to 10 ft, ridge lines of 15 to 20 ft (common
practice).
"""
BEYOND_M: Final = 0.5
"""Longer pieces are cut to the next half metre."""
SLACK: Final = 1e-6


@dataclass(frozen=True, slots=True)
class Line:
    """A line in the bag."""

    length_m: float
    may_cut: bool = True

    @property
    def is_long(self) -> bool:
        """Whether it is no ready line: its rest is coiled where it serves a shorter need."""
        return self.length_m >= HANK_M

    @property
    def is_hank(self) -> bool:
        """Whether pieces may be cut from it."""
        return self.may_cut and self.is_long


def counted_as(line: Line) -> tuple[float, ...]:
    """The lines (m) that a plan may count on instead of this one: a hank that may be cut gives
    ridge lines of 20 ft, the rest stays with the last one; any other line is itself.

    >>> [round(m, 1) for m in counted_as(Line(100 * FOOT_M))]
    [6.1, 6.1, 6.1, 6.1, 6.1]
    >>> counted_as(Line(30.0, may_cut=False)), counted_as(Line(9.0))
    ((30.0,), (9.0,))
    """
    pieces = int((line.length_m + SLACK) // READY_M[-1]) if line.is_hank else 1
    if pieces < 2:
        return (line.length_m,)
    cut = READY_M[-1]
    return (cut,) * (pieces - 1) + (line.length_m - cut * (pieces - 1),)


def ready_m(need_m: float) -> float:
    """The ready length to which a piece for a need is cut, m.

    >>> round(ready_m(2.5), 2), round(ready_m(6.2), 2), round(ready_m(0.2), 2)
    (3.05, 6.5, 0.3)
    """
    for ready in READY_M:
        if need_m <= ready + SLACK:
            return ready
    halves = -(-(need_m - SLACK) // BEYOND_M)
    return float(halves * BEYOND_M)
