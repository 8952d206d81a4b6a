"""How fast somebody sets pitches up, and how they get faster: times of practice, fitted by the
power law of practice (Newell and Rosenbloom 1981, Mechanisms of skill acquisition and the law of
practice; from memory).

The n-th time takes T n^-b minutes. On logarithms that is a line, whose two numbers start from the
pitch's own minutes for somebody of that skill and are moved by each timing (Bayesian linear
regression), so that a few timings move them little and every forecast has a fair spread.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from statistics import NormalDist
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

RATE: Final = constant(
    "practice_rate",
    0.3,
    "1",
    "Newell and Rosenbloom 1981; from memory",
    "exponent of practice",
)
RATE_SPREAD: Final = constant(
    "practice_rate_spread", 0.15, "1", ENGINEERING, "spread of people's exponents about it"
)
FIRST_SPREAD: Final = constant(
    "practice_first_spread", 0.5, "1", ENGINEERING, "spread (log) of people's first times"
)
TIMING_SPREAD: Final = constant(
    "practice_timing_spread",
    0.2,
    "1",
    ENGINEERING,
    "spread (log) of one time about the law",
)
FEW: Final = 3
"""Timings from which somebody's own pace counts in an evening's plan."""
LEAST_PACE, MOST_PACE = 0.3, 5.0
"""Paces beyond these are a mistaken clock."""
INTERVAL: Final = 0.90


@dataclass(frozen=True, slots=True)
class Curve:
    """How somebody gets faster at a pitch: the law's first minutes and exponent, and what the next
    time is likely to take with a 90 % interval, from so many timings.
    """

    first_min: float
    rate: float
    low_min: float
    next_min: float
    high_min: float
    timings: int

    def minutes_at(self, number: int) -> float:
        """Minutes that the law gives the n-th time, from 1."""
        return float(self.first_min * number**-self.rate)


def curve(minutes: Sequence[float], usual_min: float, skill: float = 1.0) -> Curve:
    """The curve from timings in their order (each above 0). `usual_min`: minutes of the pitch by
    one able person; `skill`: times as long as theirs that somebody takes at first.
    """
    # What is known beforehand: logarithm of the first time, and the exponent.
    mean = np.array([math.log(usual_min * skill), RATE])
    precision = np.diag([FIRST_SPREAD**-2, RATE_SPREAD**-2])
    logs = np.log(np.asarray(minutes, dtype=float))
    numbers = np.log(np.arange(1, len(logs) + 1))
    rows = np.column_stack([np.ones(len(logs)), -numbers])
    after = precision + rows.T @ rows / TIMING_SPREAD**2
    found = np.linalg.solve(after, precision @ mean + rows.T @ logs / TIMING_SPREAD**2)
    ahead = np.array([1.0, -math.log(len(logs) + 1)])
    middle = float(ahead @ found)
    spread = math.sqrt(float(ahead @ np.linalg.solve(after, ahead)) + TIMING_SPREAD**2)
    off = float(NormalDist().inv_cdf(0.5 + INTERVAL / 2)) * spread
    return Curve(
        math.exp(found[0]),
        float(found[1]),
        math.exp(middle - off),
        math.exp(middle),
        math.exp(middle + off),
        len(logs),
    )


def pace_of(
    timings: Mapping[str, Sequence[float]], usual: Mapping[str, float]
) -> float | None:
    """How many times an able person's minutes somebody takes, from timings by pitch: what each
    pitch's next time is likely to take, over its `usual` minutes, each pitch as often as it was
    timed. None while there are too few.
    """
    told = [
        (slug, list(some)) for slug, some in timings.items() if some and usual.get(slug)
    ]
    count = sum(len(some) for _, some in told)
    if count < FEW:
        return None
    logs = sum(
        len(some) * math.log(curve(some, usual[slug]).next_min / usual[slug])
        for slug, some in told
    )
    return min(max(math.exp(logs / count), LEAST_PACE), MOST_PACE)
