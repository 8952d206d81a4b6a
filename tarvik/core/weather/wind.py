"""Wind: Beaufort force, gusts, the forecast brought to where a shelter stands, and pressure."""

from __future__ import annotations

import math
from bisect import bisect_right
from typing import Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.weather.surroundings import (
    DEFAULT_SURROUNDINGS,
    FORECAST_M,
    Surroundings,
)

WMO: Final = (
    "World Meteorological Organization, Manual on Codes (WMO-No. 306), Beaufort scale; values from "
    "memory"
)

BEAUFORT_LEAST: Final = tuple(
    constant(
        f"beaufort_{force}", least, "m/s", WMO, f"least mean wind at 10 m of force {force}"
    )
    for force, least in enumerate(
        (0.0, 0.3, 1.6, 3.4, 5.5, 8.0, 10.8, 13.9, 17.2, 20.8, 24.5, 28.5, 32.7)
    )
)
BEAUFORT_WORDS: Final = (
    "calm",
    "light air",
    "light breeze",
    "gentle breeze",
    "moderate breeze",
    "fresh breeze",
    "strong breeze",
    "near gale",
    "gale",
    "strong gale",
    "storm",
    "violent storm",
    "hurricane force",
)
RAIN_HEIGHT_M: Final = constant(
    "rain_wind_height",
    2.0,
    "m",
    ENGINEERING,
    "height whose wind slants the rain that reaches a shelter",
)
AIR_KG_K: Final = constant(
    "air_density_law",
    352.98,
    "kg K/m3",
    "ideal gas at 101.325 kPa",
    "air density times temperature",
)


def beaufort(wind_m_s: float) -> int:
    """Beaufort force of a mean wind at 10 m.

    >>> beaufort(0.2), beaufort(8.0), beaufort(40)
    (0, 5, 12)
    """
    return bisect_right(BEAUFORT_LEAST, wind_m_s) - 1


MOST_FORCE: Final = 12
"""The highest of the Beaufort scale."""


def when_to_change(force: int, forecast_m_s: float | None) -> str:
    """When a shelter that holds below a force is to be changed, in words: it may hold tonight's
    wind and yet no more of the same force. Empty where it holds whatever is forecast.

    >>> when_to_change(8, 12.0), when_to_change(6, 12.0), when_to_change(12, 12.0)
    ('before force 8', 'if it blows harder than forecast', '')
    """
    if force >= MOST_FORCE:
        return ""
    if forecast_m_s is not None and force <= beaufort(forecast_m_s):
        return "if it blows harder than forecast"
    return f"before force {force}"


def wind_share(height_m: float, around: Surroundings = DEFAULT_SURROUNDINGS) -> float:
    """Mean wind at a height over the forecast for 10 m over open ground.

    >>> round(wind_share(10.0), 3), round(wind_share(2.0), 3)
    (1.0, 0.723)
    """
    return around.mean_share(height_m)


def gust_factor() -> float:
    """Peak gust over mean wind at 10 m over open ground."""
    return DEFAULT_SURROUNDINGS.gust_at(FORECAST_M)


def gust_share(height_m: float, around: Surroundings = DEFAULT_SURROUNDINGS) -> float:
    """Peak gust at a height over the gust forecast for 10 m over open ground."""
    return around.gust_at(height_m) / gust_factor()


def gust_of(wind_m_s: float, gust_m_s: float | None) -> float:
    """The gust at 10 m: the forecast's own, or by the gust rule where it names none (or one below
    its mean wind).
    """
    return max(gust_m_s, wind_m_s) if gust_m_s is not None else wind_m_s * gust_factor()


def forecast_from_hand(measured_m_s: float, height_m: float, around: Surroundings) -> float:
    """The wind at 10 m over open ground that goes with a mean wind measured by hand where one
    stands.
    """
    return measured_m_s / wind_share(height_m, around)


def air_density(temp_c: float) -> float:
    """Air density in kg/m3 at sea-level pressure."""
    return AIR_KG_K / (temp_c + 273.15)


def wind_of_pressure(pressure_pa: float, temp_c: float = 10.0) -> float:
    """The wind in m/s whose dynamic pressure that is."""
    return math.sqrt(2 * pressure_pa / air_density(temp_c))


def dynamic_pressure(wind_m_s: float, temp_c: float = 10.0) -> float:
    """Dynamic pressure in Pa: half the density times the speed squared (Bernoulli).

    >>> round(dynamic_pressure(10.0, 15.0), 1)
    61.2
    """
    return air_density(temp_c) * wind_m_s**2 / 2
