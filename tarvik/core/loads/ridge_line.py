"""A line between two supports that carries a sheet: its pull from its sag, its sag from its pull.

The load is even along the line (parabola, the shallow catenary). The pull is greatest at the ends.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.errors import InputError

TIGHT_SAG: Final = constant(
    "sag_tight",
    0.03,
    "of the span",
    COMMON_PRACTICE,
    "sag of a drum-tight ridge line under its load",
)


@dataclass(frozen=True, slots=True)
class RidgeLine:
    """A loaded line: span (m), even load (N in all), sag in the middle (m), level pull and pull at
    the ends (N).
    """

    span_m: float
    load_n: float
    sag_m: float
    level_n: float
    end_n: float


def _checked(span_m: float, load_n: float) -> None:
    if not (math.isfinite(span_m) and 0 < span_m <= 100):
        raise InputError("span_m", f"{span_m:g} m is outside 0 to 100 m")
    if not (math.isfinite(load_n) and load_n >= 0):
        raise InputError("load_n", f"{load_n:g} N is no load")


def from_sag(span_m: float, load_n: float, sag_m: float) -> RidgeLine:
    """Pull of a line that sags so far: H = W L / (8 d), at the ends sqrt(H^2 + (W/2)^2). Raises
    InputError.

    >>> line = from_sag(4.0, 80.0, 0.1)
    >>> line.level_n, round(line.end_n, 1)
    (400.0, 402.0)
    """
    _checked(span_m, load_n)
    if not 0 < sag_m <= span_m / 2:
        raise InputError("sag_m", f"a sag of {sag_m:g} m is outside 0 to half the span")
    level = load_n * span_m / (8 * sag_m)
    return RidgeLine(span_m, load_n, sag_m, level, math.hypot(level, load_n / 2))


def from_pull(span_m: float, load_n: float, end_n: float) -> RidgeLine:
    """Sag of a line pulled so tight at its ends. Raises InputError when that pull cannot carry the
    load at all.
    """
    _checked(span_m, load_n)
    if end_n <= load_n / 2:
        raise InputError(
            "pull_n",
            (
                f"{end_n:.0f} N cannot carry a load of {load_n:.0f} N; more than "
                f"{load_n / 2:.0f} N is needed"
            ),
        )
    level = math.sqrt(end_n**2 - (load_n / 2) ** 2)
    return RidgeLine(span_m, load_n, load_n * span_m / (8 * level), level, end_n)
