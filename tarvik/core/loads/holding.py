"""What holds: stakes by ground and depth, cord by diameter less its knots, with a factor of
safety.
"""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

EN_564: Final = (
    "EN 564 (accessory cord): least strength in newtons 200 times the diameter in mm "
    "squared; "
    "from memory"
)
CORD_N_MM2: Final = constant(
    "cord_strength",
    200.0,
    "N/mm2",
    EN_564,
    "least breaking strength of accessory cord over its diameter squared",
)
KNOT_SHARE: Final = constant(
    "knot_share", 0.5, "1", ENGINEERING, "strength left in a knotted cord (knots leave 0.5 to 0.7)"
)
SAFETY: Final = constant(
    "load_safety", 2.0, "1", ENGINEERING, "force that holds over force that is reckoned with"
)
CORD_MM: Final = constant(
    "cord_diameter", 3.0, "mm", ENGINEERING, "diameter of guys when the course names none"
)
RIDGE_CORD_MM: Final = constant(
    "ridge_cord_diameter",
    6.0,
    "mm",
    "common practice",
    "diameter of ridge lines when the course names none",
)
STAKE_DEPTH_M: Final = constant(
    "stake_depth", 0.20, "m", ENGINEERING, "depth to which a stake is driven"
)
DEPTH_REFERENCE_M: Final = constant(
    "stake_depth_reference", 0.20, "m", ENGINEERING, "depth for which the holding is given"
)
DEPTH_POWER: Final = constant(
    "stake_depth_power",
    2.0,
    "1",
    ENGINEERING,
    "holding grows with the square of the depth (passive earth pressure)",
)
HOLDS: Final = "engineering assumption: hand-driven pegs, leaning away, pulled at about 45 degrees"


@dataclass(frozen=True, slots=True)
class GroundType:
    """A kind of ground, and what a stake DEPTH_REFERENCE_M deep holds in it, newtons. `cure` says
    what else to do.
    """

    slug: str
    name: str
    holding_n: float
    cure: str


GROUNDS: Final[Mapping[str, GroundType]] = MappingProxyType(
    {
        g.slug: g
        for g in (
            GroundType(
                "sand",
                "Loose sand or snow",
                constant("holding_sand", 60.0, "N", HOLDS, "stake in loose sand"),
                "bury a stone or a log crosswise as a deadman",
            ),
            GroundType(
                "litter",
                "Leaf litter, peat, soft soil",
                constant("holding_litter", 120.0, "N", HOLDS, "stake in soft soil"),
                "drive longer stakes, or two for each line",
            ),
            GroundType(
                "turf",
                "Turf, firm soil",
                constant("holding_turf", 300.0, "N", HOLDS, "stake in firm turf"),
                "drive it deeper, leaning away",
            ),
            GroundType(
                "clay",
                "Stiff clay, packed ground",
                constant("holding_clay", 450.0, "N", HOLDS, "stake in stiff clay"),
                "drive it deeper, leaning away",
            ),
            GroundType(
                "stony",
                "Stony ground, stakes go in halfway",
                constant("holding_stony", 90.0, "N", HOLDS, "stake in stony ground"),
                "weight the line with a stone of 15 kg or a log",
            ),
        )
    }
)
DEFAULT_GROUND: Final = GROUNDS["turf"]


def ground_named(slug: str) -> GroundType:
    """The ground of that slug. Raises InputError."""
    if slug not in GROUNDS:
        raise InputError("ground", f"no ground «{slug[:40]}»; there are {', '.join(GROUNDS)}")
    return GROUNDS[slug]


def stake_holds_n(ground: GroundType = DEFAULT_GROUND, depth_m: float = STAKE_DEPTH_M) -> float:
    """Pull at which a stake comes out. Engineering estimate: soils differ by a factor of three."""
    return float(ground.holding_n * (depth_m / DEPTH_REFERENCE_M) ** DEPTH_POWER)


def cord_breaks_n(diameter_mm: float) -> float:
    """Least breaking strength of accessory cord, unknotted. Source: EN_564.

    >>> cord_breaks_n(6.0)
    7200.0
    """
    return CORD_N_MM2 * diameter_mm**2


def knotted_cord_n(diameter_mm: float) -> float:
    """Strength of a cord with a knot in it."""
    return cord_breaks_n(diameter_mm) * KNOT_SHARE


@dataclass(frozen=True, slots=True)
class Holding:
    """What this course's stakes and cords hold."""

    ground: GroundType = DEFAULT_GROUND
    stake_depth_m: float = STAKE_DEPTH_M
    guy_mm: float = CORD_MM
    ridge_mm: float = RIDGE_CORD_MM

    def __post_init__(self) -> None:
        for name, least, most in (
            ("stake_depth_m", 0.05, 1.0),
            ("guy_mm", 1.0, 12.0),
            ("ridge_mm", 1.0, 16.0),
        ):
            value = getattr(self, name)
            if not least <= value <= most:
                raise InputError(
                    name,
                    (
                        f"{value:g} is outside {least:g} to {most:g} "
                        f"{'m' if name.endswith('_m') else 'mm'}"
                    ),
                )

    @property
    def stake_n(self) -> float:
        """Pull at which a stake comes out."""
        return stake_holds_n(self.ground, self.stake_depth_m)
