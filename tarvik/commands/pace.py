"""How fast this machine is at this moment: a fixed piece of work, half plain Python and half NumPy.

Machines of this kind drift by a factor of two within an hour. Times are judged by what they would
be on the machine, and at the moment, for which their targets are written.
"""

from __future__ import annotations

import statistics
import time
from dataclasses import replace
from typing import TYPE_CHECKING, Final

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from typing import Any

TIMES: Final = 5
ROUNDS: Final = 60_000
"""Steps of the plain part."""
SIDE: Final = 160
"""Rows of the arrays of the other part, small enough to stay in the processor's own memory."""
PRODUCTS: Final = 40
USUAL_S: Final = 0.0069
"""The fixed piece of work where a fold costs 8.7 microseconds a case: for that pace targets of
speed are written. Measured.
"""
TIME_UNITS: Final = ("s", "ms", "us")


def work_s() -> float:
    """Seconds that the fixed piece of work takes now, the median of some."""
    flat = np.linspace(0.0, 1.0, SIDE * SIDE)
    taken = []
    for _ in range(TIMES):
        start = time.perf_counter()
        total = 0.0
        for k in range(ROUNDS):
            total += k * 0.5
        square = flat.reshape(SIDE, SIDE).copy()
        for _ in range(PRODUCTS):
            square = np.sqrt(square * square.T + 1.0)
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def slower() -> float:
    """How many times slower than usual this machine is now."""
    return work_s() / USUAL_S


def paced(section: Callable[[], Iterable[Any]]) -> list[Any]:
    """The figures of a section; its times know how slow the machine was just before and after."""
    before = slower()
    figures = list(section())
    pace = (before + slower()) / 2
    return [replace(f, slower=pace) if f.unit in TIME_UNITS else f for f in figures]
