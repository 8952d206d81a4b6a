"""Fabrics of sheets: weight, stiffness along the threads, shear stiffness, and what rain does to
them.

Stiffness is membrane stiffness: force per metre of width for a strain of 1 (N/m).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

GRAVITY: Final = constant(
    "gravity", 9.80665, "m/s2", "standard gravity, ISO 80000-3", "what a kilogram weighs"
)
_MEMORY: Final = "from memory: usual figures of makers' data sheets for cloth of this weight"
_PRACTICE: Final = "common practice"


@dataclass(frozen=True, slots=True)
class Fabric:
    """One kind of cloth. `warp` and `weft` run along the sheet's length and width; `shear` between
    them.

    `wet_share`: what rain adds to its weight; `wet_stretch`: how much longer its threads are when
    wet.
    """

    slug: str
    name: str
    weight_kg_m2: float
    warp_n_m: float
    weft_n_m: float
    shear_n_m: float
    wet_share: float
    wet_stretch: float

    def stretched(
        self, *, stiffness: float = 1.0, shear: float = 1.0, weight: float = 1.0
    ) -> Fabric:
        """The same with figures off by the given factors."""
        return replace(
            self,
            warp_n_m=self.warp_n_m * stiffness,
            weft_n_m=self.weft_n_m * stiffness,
            shear_n_m=self.shear_n_m * shear,
            weight_kg_m2=self.weight_kg_m2 * weight,
        )


def _fabric(
    slug: str,
    name: str,
    weight: float,
    warp: float,
    weft: float,
    shear: float,
    wet_share: float,
    wet_stretch: float,
) -> Fabric:
    def record(what: str, value: float, unit: str, source: str, meaning: str) -> float:
        return constant(
            f"fabric_{slug.replace('-', '_')}_{what}", value, unit, source, f"{name}: {meaning}"
        )

    return Fabric(
        slug,
        name,
        record("weight", weight, "kg/m2", _MEMORY, "weight of the dry cloth, coating included"),
        record("warp", warp, "N/m", ENGINEERING, "stiffness along the warp at small strain"),
        record("weft", weft, "N/m", ENGINEERING, "stiffness along the weft at small strain"),
        record(
            "shear",
            shear,
            "N/m",
            ENGINEERING,
            "shear stiffness between the threads, coating included",
        ),
        record(
            "wet_share",
            wet_share,
            "1",
            ENGINEERING,
            "water that stays on and in the cloth, over its dry weight",
        ),
        record(
            "wet_stretch",
            wet_stretch,
            "1",
            _PRACTICE if wet_stretch else ENGINEERING,
            "how much longer its threads get when wet",
        ),
    )


FABRICS: Final[Mapping[str, Fabric]] = MappingProxyType(
    {
        f.slug: f
        for f in (
            _fabric("coated-nylon", "coated nylon", 0.055, 45_000, 38_000, 2_000, 0.35, 0.015),
            _fabric(
                "coated-polyester", "coated polyester", 0.070, 75_000, 65_000, 2_800, 0.20, 0.002
            ),
            _fabric("polythene", "polythene sheet", 0.110, 30_000, 30_000, 10_000, 0.10, 0.0),
            _fabric("oilcloth", "oilcloth", 0.280, 90_000, 70_000, 6_000, 0.10, 0.002),
            _fabric("canvas", "canvas", 0.340, 110_000, 80_000, 5_000, 0.60, -0.010),
        )
    }
)
"""Every kind of cloth by its slug. Polythene is a film: its shear stiffness is that of an even
sheet, a third of the rest.
"""

DEFAULT_FABRIC: Final = FABRICS["coated-nylon"]


def fabric_named(slug: str | None) -> Fabric:
    """The fabric of that name; the usual one for None. Raises InputError naming those there are."""
    if slug is None:
        return DEFAULT_FABRIC
    try:
        return FABRICS[slug]
    except KeyError:
        raise InputError(
            "fabric", f"no fabric «{slug[:60]}»; there are {', '.join(FABRICS)}"
        ) from None


_WORDS: Final = (
    ("polythene", "polythene"),
    ("polyethylene", "polythene"),
    ("plastic", "polythene"),
    ("oilcloth", "oilcloth"),
    ("oilskin", "oilcloth"),
    ("wax", "oilcloth"),
    ("canvas", "canvas"),
    ("cotton", "canvas"),
    ("polyester", "coated-polyester"),
)


def fabric_of(material: str) -> Fabric:
    """The fabric that a sheet's material, in the leader's own words, comes nearest to; the usual
    one when none is named.
    """
    words = material.lower()
    return next((FABRICS[slug] for word, slug in _WORDS if word in words), DEFAULT_FABRIC)
