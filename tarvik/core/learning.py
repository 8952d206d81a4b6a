"""What entries of a log teach about built-in values: minutes to set a pitch, what a stake holds,
how high a peak stands, how hard stakes are drawn. Bayesian updates on a grid: the built-in value is
the middle of the prior.

Each value is learned as a factor on the built-in one, on a logarithmic scale. An entry that lies
far off counts no more than one at the edge of what is usual (Huber 1964, robust estimation): its
pull is bounded, and it is named.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
from scipy.special import ndtr

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

PRIOR_MINUTES: Final = constant(
    "prior_minutes",
    0.5,
    "1",
    ENGINEERING,
    "spread (log) of groups' minutes about ours",
)
SPREAD_MINUTES: Final = constant(
    "spread_minutes",
    0.35,
    "1",
    ENGINEERING,
    "spread (log) of one group's minutes",
)
PRIOR_HOLD: Final = constant(
    "prior_holding",
    0.4,
    "1",
    ENGINEERING,
    "spread (log) of grounds' holding about ours",
)
SPREAD_HOLD: Final = constant(
    "spread_holding",
    0.3,
    "1",
    ENGINEERING,
    "spread (log) of what stakes of one ground hold",
)
PRIOR_PEAK: Final = constant(
    "prior_peak",
    0.08,
    "1",
    ENGINEERING,
    "spread (log) of groups' peaks about those planned",
)
SPREAD_PEAK: Final = constant(
    "spread_peak",
    0.04,
    "1",
    ENGINEERING,
    "spread (log) of one group's peaks about its own habit",
)
PRIOR_DRAWN: Final = constant(
    "prior_drawn",
    0.3,
    "1",
    ENGINEERING,
    "spread (log) of the pull with which groups draw stakes about ours",
)
SPREAD_DRAWN: Final = constant(
    "spread_drawn",
    0.3,
    "1",
    ENGINEERING,
    "spread (log) of one group's pull from shelter to shelter",
)
SLACK_BELOW: Final = constant(
    "slack_below",
    0.6,
    "1",
    COMMON_PRACTICE,
    "share of the usual hand-set pull (30 of 50 N) below which a sheet is called slack",
)
TIGHT_ABOVE: Final = constant(
    "tight_above",
    1.6,
    "1",
    COMMON_PRACTICE,
    "times the usual hand-set pull (80 of 50 N) above which a sheet is called tight",
)
BANDS: Final = MappingProxyType(
    {
        "slack": (-math.inf, math.log(SLACK_BELOW)),
        "firm": (math.log(SLACK_BELOW), math.log(TIGHT_ABOVE)),
        "tight": (math.log(TIGHT_ABOVE), math.inf),
    }
)
"""What people say of a sheet, and between which pulls (log of the times of the usual one)."""
USUAL: Final = 2.0
"""Entries further off than so many spreads count as those at that distance."""
FAR: Final = 3.0
"""Entries further off than so many spreads are named."""
INTERVAL: Final = 0.90
STEPS: Final = 801
REACH: Final = 5.0
"""Prior spreads to either side that the grid covers."""


@dataclass(frozen=True, slots=True)
class Learned:
    """A factor on a built-in value: the prior's and the posterior's middle with 90 % intervals, by
    how many entries, and the places of those that lie far off.
    """

    prior: tuple[float, float, float]
    now: tuple[float, float, float]
    entries: int
    far_off: tuple[int, ...]

    def value(self, built_in: float) -> float:
        """The built-in value as the entries have moved it."""
        return built_in * self.now[1]


def learned_from_ratios(
    ratios: Sequence[float], prior_spread: float, entry_spread: float
) -> Learned:
    """From measured over built-in (each above 0), each off by `entry_spread` (log) about the
    factor.
    """
    grid = _grid(prior_spread)
    logs = np.log(np.asarray(ratios, dtype=float))
    score = _prior(grid, prior_spread)
    if len(logs):
        off = np.abs(logs[:, None] - grid[None, :]) / entry_spread
        # Quadratic as usual, straight beyond: the slope, so the pull of an entry, is bounded.
        cost = np.where(off <= USUAL, off**2 / 2, USUAL * off - USUAL**2 / 2)
        score = score - cost.sum(axis=0)
    now = _told(grid, score)
    middle = math.log(now[1])
    far = tuple(int(n) for n in np.flatnonzero(np.abs(logs - middle) > FAR * entry_spread))
    return Learned(_told(grid, _prior(grid, prior_spread)), now, len(logs), far)


def learned_from_holds(
    pulls: Sequence[float],
    held: Sequence[bool],
    prior_spread: float = PRIOR_HOLD,
    entry_spread: float = SPREAD_HOLD,
) -> Learned:
    """From stakes pulled with so many times what the built-in value says they hold, and whether
    they held. The chance that one holds follows the normal curve on the logarithmic scale; one
    entry in a hundred is taken for a mishap of another kind, so that none counts without bound.
    """
    grid = _grid(prior_spread)
    logs = np.log(np.asarray(pulls, dtype=float))
    score = _prior(grid, prior_spread)
    stood = np.asarray(held, dtype=bool)
    if len(logs):
        chance = ndtr((grid[None, :] - logs[:, None]) / entry_spread)
        chance = MISHAP / 2 + (1 - MISHAP) * chance
        score = score + np.log(np.where(stood[:, None], chance, 1 - chance)).sum(axis=0)
    now = _told(grid, score)
    middle = math.log(now[1])
    odd = np.where(stood, logs - middle, middle - logs) > FAR * entry_spread
    far = tuple(int(n) for n in np.flatnonzero(odd))
    return Learned(_told(grid, _prior(grid, prior_spread)), now, len(logs), far)


def learned_from_words(
    words: Sequence[str],
    prior_spread: float = PRIOR_DRAWN,
    entry_spread: float = SPREAD_DRAWN,
) -> Learned:
    """From what was said of sheets, each one of BANDS: how many times as hard as usual stakes are
    drawn. The chance of a word is that of a pull between its bounds (ordered probit, McCullagh
    1980); one entry in a hundred is taken for a slip, so that none counts without bound.
    """
    grid = _grid(prior_spread)
    score = _prior(grid, prior_spread)
    bounds = np.array([BANDS[word] for word in words], dtype=float).reshape(-1, 2)
    if len(bounds):
        above, below = (
            ndtr((bounds[:, [k]] - grid[None, :]) / entry_spread) for k in (0, 1)
        )
        chance = MISHAP / len(BANDS) + (1 - MISHAP) * (below - above)
        score = score + np.log(chance).sum(axis=0)
    now = _told(grid, score)
    middle = math.log(now.middle)
    odd = np.maximum(bounds[:, 0] - middle, middle - bounds[:, 1]) > FAR * entry_spread
    far = tuple(int(n) for n in np.flatnonzero(odd))
    return Learned(_told(grid, _prior(grid, prior_spread)), now, len(bounds), far)


MISHAP: Final = 0.01
"""Share of stakes that come out or hold, and of words, for reasons that no model knows."""


def _prior(grid: Floats, spread: float) -> Floats:
    """Logarithm of the normal density about 0, but for what is the same everywhere."""
    return np.asarray(-((grid / spread) ** 2) / 2)


def _grid(spread: float) -> Floats:
    return np.linspace(-REACH * spread, REACH * spread, STEPS)


class Interval(NamedTuple):
    """A factor with the ends of its 90 % interval."""

    low: float
    middle: float
    high: float


def _told(grid: Floats, score: Floats) -> Interval:
    """Lower end, middle and upper end of the factor, from a density's logarithm on the grid."""
    weight = np.exp(score - score.max())
    share = (np.cumsum(weight) - weight / 2) / weight.sum()
    tail = (1 - INTERVAL) / 2
    low, middle, high = np.interp((tail, 0.5, 1 - tail), share, grid)
    return Interval(float(np.exp(low)), float(np.exp(middle)), float(np.exp(high)))
