"""What stands round a shelter, and the wind that it leaves there.

In the open and among scattered trees the mean wind follows the logarithmic law over ground of that
roughness: the forecast for 10 m over open ground is carried up to the blending height, where the
ground below no longer matters, and down again (Wieringa). Inside a wood it follows the canopy
profile: from the wind at the top of the trees it falls off exponentially with depth (Cionco 1965),
and so does its turbulence, half as fast, for gusts reach deeper than the mean wind does. A gust is
the mean wind plus so many times the turbulence. At the edge of a wood the wind is half way between
that among scattered trees and that in a thin wood: trees stand on one side.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.weather.rain import SPREAD_DEG

if TYPE_CHECKING:
    from collections.abc import Mapping

WIERINGA: Final = (
    "Wieringa 1992, roughness classes (Davenport classification revised); "
    "values from memory"
)
EXPOSURE: Final = (
    "Wieringa 1986, exposure correction over a blending height of 60 m; from memory"
)
EN_GUST: Final = (
    "EN 1991-1-4:2005, 4.4 and 4.5: turbulence 1 / ln(z / z0), peak pressure (1 + 7 I) q; from "
    "memory"
)
CIONCO: Final = (
    "Cionco 1965, wind in a canopy u = u_top exp(-a (1 - z / h)); usual a of 1 (open, leafless) to "
    "3 (dense) from memory"
)
RAUPACH: Final = (
    "Raupach, Finnigan and Brunet 1996, canopy turbulence: at the top of the trees about 1.8 times "
    "the friction velocity, the wind there 3.3 times it; from memory"
)
FORECAST_M: Final = constant(
    "forecast_height",
    10.0,
    "m",
    "World Meteorological Organization, Guide to Instruments (WMO-No. 8); from memory",
    "height above open ground for which winds are forecast",
)
BLENDING_M: Final = constant(
    "blending_height",
    60.0,
    "m",
    EXPOSURE,
    "height at which the ground below no longer matters",
)
PEAK_FACTOR: Final = constant(
    "gust_peak", 7.0, "1", EN_GUST, "growth of the peak pressure with the turbulence"
)
LEAST_OVER_ROUGHNESS: Final = constant(
    "profile_least",
    3.0,
    "1",
    ENGINEERING,
    "least height over roughness for which the law is used",
)
TREES_M: Final = constant(
    "wood_height", 15.0, "m", ENGINEERING, "height of the trees of a usual wood"
)
DISPLACED: Final = constant(
    "wood_displacement",
    0.7,
    "of the trees' height",
    EXPOSURE,
    "height from which the wind over a wood counts",
)
WOOD_ROUGHNESS: Final = constant(
    "wood_roughness",
    0.1,
    "of the trees' height",
    EXPOSURE,
    "roughness length of a wood seen from above",
)
TOP_TURBULENCE: Final = constant(
    "wood_top_turbulence",
    1.8 / 3.3,
    "of the wind there",
    RAUPACH,
    "turbulence at the top of the trees",
)
TURBULENCE_FADES: Final = constant(
    "wood_turbulence_fades",
    0.5,
    "of the wind's exponent",
    ENGINEERING,
    "how much slower turbulence fades with depth than the mean wind",
)
GUST_TURBULENCES: Final = constant(
    "wood_gust_peak",
    3.0,
    "1",
    ENGINEERING,
    "turbulences that a gust in a wood adds to the mean",
)


@dataclass(frozen=True, slots=True)
class Rough:
    """Ground of a roughness length, m, over which the logarithmic law holds."""

    roughness_m: float

    def mean_share(self, height_m: float) -> float:
        """Mean wind at a height over the forecast for 10 m over open ground."""
        return _at_blending() * self._law(height_m) / self._law(BLENDING_M)

    def gust_at(self, height_m: float) -> float:
        """Peak gust at a height over the mean forecast for 10 m over open ground."""
        return self.mean_share(height_m) * math.sqrt(1 + PEAK_FACTOR / self._law(height_m))

    def _law(self, height_m: float) -> float:
        """ln(z / z0), not nearer to the ground than the law holds."""
        return math.log(max(height_m / self.roughness_m, LEAST_OVER_ROUGHNESS))


@dataclass(frozen=True, slots=True)
class Canopy:
    """The inside of a wood; `fades` is the exponent of the canopy profile."""

    fades: float

    def mean_share(self, height_m: float) -> float:
        """Mean wind at a height over the forecast for 10 m over open ground."""
        return _top_of_trees() * math.exp(-self.fades * _depth(height_m))

    def gust_at(self, height_m: float) -> float:
        """Peak gust at a height over the mean forecast for 10 m over open ground."""
        fades = self.fades * TURBULENCE_FADES
        turbulence = TOP_TURBULENCE * _top_of_trees() * math.exp(-fades * _depth(height_m))
        return self.mean_share(height_m) + GUST_TURBULENCES * turbulence


@dataclass(frozen=True, slots=True)
class Between:
    """Half way between two profiles."""

    one: Rough
    other: Canopy

    def mean_share(self, height_m: float) -> float:
        """Mean wind at a height over the forecast for 10 m over open ground."""
        return (self.one.mean_share(height_m) + self.other.mean_share(height_m)) / 2

    def gust_at(self, height_m: float) -> float:
        """Peak gust at a height over the mean forecast for 10 m over open ground."""
        return (self.one.gust_at(height_m) + self.other.gust_at(height_m)) / 2


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What stands round the shelter, and the profile of the wind there. `spread_deg`: how far the
    wind swings to either hand at the least; `load_spread_deg`: within what angle of its direction
    gusts are reckoned with. `trees`: whether wood can fall. `sky`: share of the sky that is seen.
    """

    slug: str
    name: str
    profile: Rough | Canopy | Between
    spread_deg: float
    load_spread_deg: float
    trees: bool = False
    sky: float = 1.0

    def mean_share(self, height_m: float) -> float:
        """Mean wind at a height over the forecast for 10 m over open ground."""
        return self.profile.mean_share(height_m)

    def gust_at(self, height_m: float) -> float:
        """Peak gust at a height over the mean forecast for 10 m over open ground."""
        return self.profile.gust_at(height_m)

    @property
    def source(self) -> str:
        """Where the profile's law comes from."""
        return EXPOSURE if isinstance(self.profile, Rough) else CIONCO


def _at_blending() -> float:
    """Wind at the blending height over the forecast."""
    return math.log(BLENDING_M / OPEN_ROUGHNESS_M) / math.log(FORECAST_M / OPEN_ROUGHNESS_M)


def _top_of_trees() -> float:
    """Wind at the top of a wood over the forecast."""
    zero, roughness = DISPLACED * TREES_M, WOOD_ROUGHNESS * TREES_M
    down = math.log((TREES_M - zero) / roughness) / math.log(
        (BLENDING_M - zero) / roughness
    )
    return _at_blending() * down


def _depth(height_m: float) -> float:
    """How deep below the top of the trees, as a share of their height."""
    return 1 - min(max(height_m, 0.0), TREES_M) / TREES_M


OPEN_ROUGHNESS_M: Final = constant(
    "roughness_open", 0.03, "m", WIERINGA, "roughness length of open grassland"
)
_SCATTERED: Final = Rough(
    constant(
        "roughness_scattered", 0.10, "m", WIERINGA, "roughness length among scattered trees"
    )
)
_THIN: Final = Canopy(
    constant(
        "canopy_fades_thin",
        1.0,
        "1",
        CIONCO,
        "exponent of the wind's fall in a thin or leafless wood",
    )
)
_CLOSED: Final = Canopy(
    constant(
        "canopy_fades_closed",
        1.7,
        "1",
        CIONCO,
        "exponent of the wind's fall in a closed wood",
    )
)


def _spread(slug: str, degrees: float, why: str) -> float:
    return constant(f"wind_spread_{slug}", degrees, "degrees", ENGINEERING, why)


def _sky(slug: str, share: float) -> float:
    return constant(
        f"sky_{slug}", share, "1", ENGINEERING, "share of the sky seen from there"
    )


_EDDIES: Final = "how far the wind swings: eddies behind trunks and crowns turn it the more"
_GUSTS: Final = "angle of the wind's direction within which gusts are reckoned with"
SURROUNDINGS: Final[Mapping[str, Surroundings]] = MappingProxyType(
    {
        s.slug: s
        for s in (
            Surroundings(
                "open",
                "Open: grass, moor, shore",
                Rough(OPEN_ROUGHNESS_M),
                SPREAD_DEG,
                _spread("open_gusts", 30.0, _GUSTS),
            ),
            Surroundings(
                "scattered",
                "Scattered trees and bushes",
                _SCATTERED,
                _spread("scattered", 20.0, _EDDIES),
                _spread("scattered_gusts", 30.0, _GUSTS),
            ),
            Surroundings(
                "edge",
                "The edge of a wood",
                Between(_SCATTERED, _THIN),
                _spread("edge", 30.0, _EDDIES),
                _spread("edge_gusts", 30.0, _GUSTS),
                trees=True,
                sky=_sky("edge", 0.6),
            ),
            Surroundings(
                "thin-wood",
                "A thin or leafless wood",
                _THIN,
                _spread("thin_wood", 40.0, _EDDIES),
                _spread("thin_wood_gusts", 45.0, _GUSTS),
                trees=True,
                sky=_sky("thin_wood", 0.5),
            ),
            Surroundings(
                "closed-wood",
                "Inside a closed wood",
                _CLOSED,
                _spread("closed_wood", 45.0, _EDDIES),
                _spread("closed_wood_gusts", 45.0, _GUSTS),
                trees=True,
                sky=_sky("closed_wood", 0.15),
            ),
        )
    }
)
"""From the windiest to the most sheltered."""
FORMER_NAMES: Final[Mapping[str, str]] = MappingProxyType({"wood": "closed-wood"})
DEFAULT_SURROUNDINGS: Final = SURROUNDINGS["open"]


def surroundings_named(slug: str) -> Surroundings:
    """The surroundings of that slug, former ones too. Raises InputError."""
    slug = FORMER_NAMES.get(slug, slug)
    if slug not in SURROUNDINGS:
        known = ", ".join(SURROUNDINGS)
        raise InputError(
            "surroundings", f"no surroundings “{slug[:40]}”; there are {known}"
        )
    return SURROUNDINGS[slug]
