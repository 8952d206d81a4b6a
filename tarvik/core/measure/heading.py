"""The heading rose: what each wind direction leaves dry, for a shelter that is free to turn.

Bearings here are in the shelter's own frame (the front faces -x, which is 270; 90 is the back). To
turn them into a heading on the ground see `front_bearing`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.dry import dry_round
from tarvik.core.measure.openings import back_to_wind_deg, open_round, openings
from tarvik.core.measure.roof import roof_of

if TYPE_CHECKING:
    from tarvik.core.shelter import Shelter
    from tarvik.core.weather.rain import Weather

ROSE_STEP_DEG: Final = constant(
    "rose_step", 15.0, "degrees", ENGINEERING, "step between the headings of a rose"
)
FRONT_DEG: Final = 270.0
"""Bearing to which a pitch's front faces in its own frame."""
SAME_DRY: Final = constant(
    "rose_same_dry",
    0.005,
    "1",
    ENGINEERING,
    "headings whose dry ground differs by less are equally dry",
)


@dataclass(frozen=True, slots=True)
class Petal:
    """One direction of the rose: wind from `from_deg` in the shelter's frame."""

    from_deg: float
    dry_m2: float
    open_share: float


@dataclass(frozen=True, slots=True)
class Rose:
    """All directions; `best` has the most dry ground (of equals the least open to the wind),
    `worst` the least.
    """

    petals: tuple[Petal, ...]
    best: Petal
    worst: Petal


def rose(shelter: Shelter, weather: Weather) -> Rose:
    """Dry ground and open share for every ROSE_STEP_DEG, the wind's strength and spread as
    given.
    """
    found = openings(shelter)
    back = back_to_wind_deg(found)
    bearings = np.arange(0.0, 360.0, ROSE_STEP_DEG)
    dry = dry_round(roof_of(shelter), weather, bearings)
    shares = open_round(shelter, found, list(bearings))
    petals = [
        Petal(float(b), float(d), share)
        for b, d, share in zip(bearings, dry, shares, strict=True)
    ]
    most = max(p.dry_m2 for p in petals)
    driest = [p for p in petals if p.dry_m2 >= most * (1 - SAME_DRY)]
    best = min(driest, key=lambda p: (round(p.open_share, 3), _apart(p.from_deg, back)))
    return Rose(
        tuple(petals), best, min(petals, key=lambda p: (round(p.dry_m2, 6), -p.open_share))
    )


def _apart(a: float, b: float) -> float:
    """Smaller angle between two bearings.

    >>> _apart(350, 10)
    20
    """
    return abs((a - b + 180) % 360 - 180)


def front_bearing(wind_from_deg: float, own_from_deg: float) -> float:
    """Bearing on the ground to which the front must face so that a wind from `wind_from_deg` meets
    the shelter from `own_from_deg` in its own frame.

    Wind from the west (270) onto the back (90): the front faces east.

    >>> front_bearing(270, 90)
    90.0
    """
    return (FRONT_DEG + wind_from_deg - own_from_deg) % 360
