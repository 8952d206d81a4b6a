"""Cold, wet and wind together: the weather in which people grow dangerously cold, long before it
freezes.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.finding import Finding, Level
from tarvik.core.quantities import format_speed, format_temperature
from tarvik.core.units import Units
from tarvik.core.weather.wind import RAIN_HEIGHT_M, gust_share

if TYPE_CHECKING:
    from tarvik.core.weather.needs import NightNeeds

CODE: Final = "exposure"
COLD_C: Final = constant(
    "exposure_cold",
    10.0,
    "C",
    COMMON_PRACTICE,
    "air from which down wet people grow cold in wind",
)
WINDY_M_S: Final = constant(
    "exposure_wind",
    5.0,
    "m/s",
    COMMON_PRACTICE,
    "gusts where people stand from which wet clothes cool fast",
)


def exposure(needs: NightNeeds, units: Units = Units.METRIC) -> Finding | None:
    """What cold, rain and wind together mean for the people; None where one of them is missing or
    not known.
    """
    if needs.lowest_c is None or needs.lowest_c > COLD_C or not needs.rain_mm_h:
        return None
    gust = needs.gust * gust_share(RAIN_HEIGHT_M, needs.around)
    if gust < WINDY_M_S:
        return None
    return Finding(
        CODE,
        "people",
        f"rain, {format_temperature(needs.lowest_c, units)} and gusts of "
        f"{format_speed(gust, units)} where people stand: wet people grow dangerously cold, "
        "novices first",
        "put shelters up before people are wet, dry layers on at once, something hot, and nobody "
        "who is new to it sleeps far from a leader",
        Level.CAUTION,
    )
