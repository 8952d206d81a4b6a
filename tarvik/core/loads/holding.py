"""What holds: stakes by ground and depth, cord by diameter less its knots, with a factor of
safety.
"""

from __future__ import annotations

import math
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
    "knot_share",
    0.5,
    "1",
    ENGINEERING,
    "strength left in a knotted cord (knots leave 0.5 to 0.7)",
)
TRUST: Final = constant(
    "load_trust",
    1.3,
    "1",
    ENGINEERING,
    "what holds over what is trusted: a stake that slips means a wet night, not a fall",
)
DOUBLED: Final = constant(
    "stake_doubled",
    1.7,
    "1",
    "common practice",
    "what two stakes in line hold over what one holds",
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
STAKE_WIDTH_M: Final = constant(
    "stake_width", 0.012, "m", ENGINEERING, "width of a stake across the pull"
)
BROMS_CLAY: Final = (
    "Broms 1964, lateral resistance of piles in cohesive soils (short pile, free head, pulled "
    "at the ground); from memory"
)
BROMS_SAND: Final = (
    "Broms 1964, lateral resistance of piles in cohesionless soils (short pile, free head, pulled "
    "at the ground); from memory"
)
WOOD_PA: Final = constant(
    "green_wood_strength",
    3e7,
    "Pa",
    "from memory: modulus of rupture of green softwoods, 30 to 50 MPa",
    "bending strength of a living trunk",
)
LEAST_LEVER_M: Final = 0.1
"""A pull nearer to the ground is taken at this height."""
STRENGTH: Final = (
    "from memory: usual strengths of such soils; they differ by a factor of two"
)


@dataclass(frozen=True, slots=True)
class Clayey:
    """Soil that holds together, by its undrained shear strength, Pa."""

    strength_pa: float

    def holds_n(self, width_m: float, depth_m: float) -> float:
        """Level pull at the ground that turns a stake out. Source: BROMS_CLAY.

        Nothing bears on the top 1.5 widths; below, 9 times the strength bears on the stake down to
        where it turns (f), and as much against it under that: with g the rest of the depth,
        H (1.5 b + f / 2) = 2.25 b c g^2 and H = 9 c b f.
        """
        top = 1.5 * width_m
        below = depth_m - top
        if below <= 0:
            return 0.0
        half = 3 * width_m + below
        turns = math.sqrt(half**2 + below**2) - half
        return 9 * self.strength_pa * width_m * turns


@dataclass(frozen=True, slots=True)
class Loose:
    """Soil of loose grains, by its angle of friction, degrees, and weight, N/m3."""

    friction_deg: float
    weight_n_m3: float

    def holds_n(self, width_m: float, depth_m: float) -> float:
        """Level pull at the ground that turns a stake out: b d^2 Kp w / 2. Source: BROMS_SAND."""
        passive = math.tan(math.radians(45 + self.friction_deg / 2)) ** 2
        return 0.5 * self.weight_n_m3 * width_m * depth_m**2 * passive


@dataclass(frozen=True, slots=True)
class GroundType:
    """A kind of ground: what it looks like, its soil, the share of a stake that goes in, and what
    else to do in it.
    """

    slug: str
    name: str
    looks: str
    soil: Clayey | Loose
    driven: float
    cure: str


def _clayey(slug: str, kpa: float) -> Clayey:
    return Clayey(
        1000
        * constant(f"strength_{slug}", kpa, "kPa", STRENGTH, f"shear strength of {slug}")
    )


GROUNDS: Final[Mapping[str, GroundType]] = MappingProxyType(
    {
        g.slug: g
        for g in (
            GroundType(
                "sand",
                "Loose sand or snow",
                "runs through the fingers; a heel sinks in",
                Loose(
                    constant(
                        "friction_sand", 30.0, "degrees", STRENGTH, "friction of loose sand"
                    ),
                    constant(
                        "weight_sand", 16_000.0, "N/m3", STRENGTH, "weight of loose sand"
                    ),
                ),
                1.0,
                "bury a stone or a log crosswise as a deadman",
            ),
            GroundType(
                "litter",
                "Leaf litter, peat, soft soil",
                "a stake goes in by hand, a thumb presses in with ease",
                _clayey("litter", 17.0),
                1.0,
                "drive longer stakes, or two for each line",
            ),
            GroundType(
                "turf",
                "Turf, firm soil",
                "a stake wants a foot or a stone, a thumb presses in with effort",
                _clayey("turf", 40.0),
                1.0,
                "drive it deeper, leaning away",
            ),
            GroundType(
                "clay",
                "Stiff clay, packed ground",
                "a stake wants a mallet, a thumb leaves a mark only",
                _clayey("clay", 65.0),
                1.0,
                "drive it deeper, leaning away",
            ),
            GroundType(
                "stony",
                "Stony ground, stakes go in halfway",
                "a stake meets stones and stops half way",
                _clayey("stony", 35.0),
                constant(
                    "driven_stony",
                    0.5,
                    "1",
                    ENGINEERING,
                    "share of a stake in stony ground",
                ),
                "weight the line with a stone of 15 kg or a log",
            ),
        )
    }
)
DEFAULT_GROUND: Final = GROUNDS["turf"]


def ground_named(slug: str) -> GroundType:
    """The ground of that slug. Raises InputError."""
    if slug not in GROUNDS:
        raise InputError(
            "ground", f"no ground “{slug[:40]}”; there are {', '.join(GROUNDS)}"
        )
    return GROUNDS[slug]


def stake_holds_n(
    ground: GroundType = DEFAULT_GROUND,
    depth_m: float = STAKE_DEPTH_M,
    width_m: float = STAKE_WIDTH_M,
) -> float:
    """Pull at which a stake comes out. Soils of a kind differ by a factor of two."""
    return float(ground.soil.holds_n(width_m, depth_m * ground.driven))


def cord_breaks_n(diameter_mm: float) -> float:
    """Least breaking strength of accessory cord, unknotted. Source: EN_564.

    >>> cord_breaks_n(6.0)
    7200.0
    """
    return CORD_N_MM2 * diameter_mm**2


def knotted_cord_n(diameter_mm: float) -> float:
    """Strength of a cord with a knot in it."""
    return cord_breaks_n(diameter_mm) * KNOT_SHARE


def trunk_holds_n(diameter_m: float, height_m: float) -> float:
    """Level pull at a height at which a trunk, fixed at its foot, breaks in bending:
    pi s d^3 / (32 h). Source: elementary beam theory.
    """
    return math.pi * WOOD_PA * diameter_m**3 / (32 * max(height_m, LEAST_LEVER_M))


@dataclass(frozen=True, slots=True)
class StakeKind:
    """Stakes alike: how deep they are driven and how wide they are, m, and how many."""

    depth_m: float
    width_m: float
    count: int


@dataclass(frozen=True, slots=True)
class Holding:
    """What this course's stakes and cords hold. `longer`: stakes at hand that hold more than the
    usual ones. `more`: of some stakes (by their place among the rig's) how many times one stake's
    holding they have, where remedies were taken. `own`: how many times the built-in value this
    ground holds by the provider's own log, and `drawn` how many times as hard as usual stakes are
    drawn by hand: 1 where nobody goes by it.
    """

    ground: GroundType = DEFAULT_GROUND
    stake_depth_m: float = STAKE_DEPTH_M
    guy_mm: float = CORD_MM
    ridge_mm: float = RIDGE_CORD_MM
    stake_width_m: float = STAKE_WIDTH_M
    more: tuple[tuple[int, float], ...] = ()
    longer: tuple[StakeKind, ...] = ()
    own: float = 1.0
    drawn: float = 1.0

    def __post_init__(self) -> None:
        for name, least, most in (
            ("stake_depth_m", 0.05, 1.0),
            ("guy_mm", 1.0, 12.0),
            ("ridge_mm", 1.0, 16.0),
            ("stake_width_m", 0.003, 0.2),
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
        return self.own * stake_holds_n(self.ground, self.stake_depth_m, self.stake_width_m)

    @property
    def trusted_stake_n(self) -> float:
        """Pull that a stake is trusted with."""
        return self.stake_n / TRUST

    def trusted_n(self, kind: StakeKind) -> float:
        """Pull that a stake of another kind is trusted with here."""
        return self.own * stake_holds_n(self.ground, kind.depth_m, kind.width_m) / TRUST

    def stake_at_n(self, number: int) -> float:
        """Pull that one of the rig's stakes is trusted with, remedies counted."""
        return self.trusted_stake_n * dict(self.more).get(number, 1.0)

    def trusted_cord_n(self, diameter_mm: float) -> float:
        """Pull that a knotted cord is trusted with."""
        return knotted_cord_n(diameter_mm) / TRUST


DEFAULT_HOLDING: Final = Holding()
