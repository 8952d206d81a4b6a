"""Wind: Beaufort force, and the 10 m forecast brought down to the height of a shelter.

Profile: the forecast is taken as the wind at 10 m over open ground; it is carried up to the
blending height, where the ground below no longer matters, and down again over the ground where the
shelter stands (logarithmic law, Wieringa).
"""

from __future__ import annotations

import math
from bisect import bisect_right
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

WMO: Final = (
    "World Meteorological Organization, Manual on Codes (WMO-No. 306), Beaufort scale; "
    "values "
    "from memory"
)
WIERINGA: Final = (
    "Wieringa 1992, roughness classes (Davenport classification revised); values from memory"
)
EXPOSURE: Final = "Wieringa 1986, exposure correction over a blending height of 60 m; from memory"
EN_GUST: Final = (
    "EN 1991-1-4:2005, 4.4 and 4.5: turbulence 1 / ln(z / z0), peak pressure (1 + 7 "
    "I) q; from "
    "memory"
)

BEAUFORT_LEAST: Final = tuple(
    constant(f"beaufort_{force}", least, "m/s", WMO, f"least mean wind at 10 m of force {force}")
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
FORECAST_M: Final = constant(
    "forecast_height", 10.0, "m", WMO, "height above open ground for which winds are forecast"
)
BLENDING_M: Final = constant(
    "blending_height", 60.0, "m", EXPOSURE, "height at which the ground below no longer matters"
)
OPEN_Z0_M: Final = constant(
    "roughness_open", 0.03, "m", WIERINGA, "roughness length of open grassland"
)
PEAK_FACTOR: Final = constant(
    "gust_peak", 7.0, "1", EN_GUST, "growth of the peak pressure with the turbulence"
)
LEAST_SHARE: Final = constant(
    "wind_least_share",
    0.15,
    "1",
    ENGINEERING,
    "share of the forecast that reaches even into a wood",
)
LEAST_OVER_Z0: Final = constant(
    "profile_least", 2.0, "1", ENGINEERING, "least height over roughness for which the law is used"
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


@dataclass(frozen=True, slots=True)
class Terrain:
    """The ground round the shelter, by its roughness length."""

    slug: str
    name: str
    z0_m: float


TERRAINS: Final[Mapping[str, Terrain]] = MappingProxyType(
    {
        t.slug: t
        for t in (
            Terrain("open", "Open: grass, moor, shore", OPEN_Z0_M),
            Terrain(
                "scattered",
                "Scattered bushes and trees",
                constant(
                    "roughness_scattered",
                    0.25,
                    "m",
                    WIERINGA,
                    "roughness length among scattered obstacles",
                ),
            ),
            Terrain(
                "edge",
                "Many trees, or the edge of a wood",
                constant(
                    "roughness_edge", 0.5, "m", WIERINGA, "roughness length of very rough ground"
                ),
            ),
            Terrain(
                "wood",
                "Inside a wood",
                constant(
                    "roughness_wood", 1.0, "m", WIERINGA, "roughness length of closed woodland"
                ),
            ),
        )
    }
)
DEFAULT_TERRAIN: Final = TERRAINS["open"]


def terrain_named(slug: str) -> Terrain:
    """The terrain of that slug. Raises InputError."""
    if slug not in TERRAINS:
        raise InputError("terrain", f"no terrain «{slug[:40]}»; there are {', '.join(TERRAINS)}")
    return TERRAINS[slug]


def beaufort(wind_m_s: float) -> int:
    """Beaufort force of a mean wind at 10 m.

    >>> beaufort(0.2), beaufort(8.0), beaufort(40)
    (0, 5, 12)
    """
    return bisect_right(BEAUFORT_LEAST, wind_m_s) - 1


def _above(height_m: float, z0_m: float) -> float:
    """ln(z / z0), not nearer to the ground than the law holds."""
    return math.log(max(height_m / z0_m, LEAST_OVER_Z0))


def wind_share(height_m: float, terrain: Terrain = DEFAULT_TERRAIN) -> float:
    """Mean wind at a height over the forecast for 10 m over open ground. Source: EXPOSURE.

    >>> round(wind_share(10.0), 3), round(wind_share(2.0), 3)
    (1.0, 0.723)
    """
    up = math.log(BLENDING_M / OPEN_Z0_M) / math.log(FORECAST_M / OPEN_Z0_M)
    return max(
        up * _above(height_m, terrain.z0_m) / math.log(BLENDING_M / terrain.z0_m), LEAST_SHARE
    )


def gust_factor(height_m: float, terrain: Terrain = DEFAULT_TERRAIN) -> float:
    """Peak gust over mean wind at a height. Source: EN_GUST."""
    return math.sqrt(1 + PEAK_FACTOR / _above(height_m, terrain.z0_m))


def gust_share(height_m: float, terrain: Terrain = DEFAULT_TERRAIN) -> float:
    """Peak gust at a height over the gust forecast for 10 m over open ground."""
    return wind_share(height_m, terrain) * gust_factor(height_m, terrain) / gust_factor(FORECAST_M)


def gust_of(wind_m_s: float, gust_m_s: float | None) -> float:
    """The gust at 10 m: the forecast's own, or by the gust rule where it names none (or one below
    its mean wind).
    """
    return max(gust_m_s, wind_m_s) if gust_m_s is not None else wind_m_s * gust_factor(FORECAST_M)


def forecast_from_hand(measured_m_s: float, height_m: float, terrain: Terrain) -> float:
    """The wind at 10 m over open ground that goes with a mean wind measured by hand where one
    stands.
    """
    return measured_m_s / wind_share(height_m, terrain)


def air_density(temp_c: float) -> float:
    """Air density in kg/m3 at sea-level pressure."""
    return AIR_KG_K / (temp_c + 273.15)


def dynamic_pressure(wind_m_s: float, temp_c: float = 10.0) -> float:
    """Dynamic pressure in Pa: half the density times the speed squared (Bernoulli).

    >>> round(dynamic_pressure(10.0, 15.0), 1)
    61.2
    """
    return air_density(temp_c) * wind_m_s**2 / 2
