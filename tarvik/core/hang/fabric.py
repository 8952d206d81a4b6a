"""Fabrics of sheets: weight, stiffness along the threads, shear stiffness, and what rain does to
them.

Stiffness is membrane stiffness: force per metre of width for a strain of 1 (N/m). That of woven
cloth follows from how much yarn runs each way in it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

_MEMORY: Final = (
    "from memory: usual figures of makers' data sheets for cloth of this weight"
)
_PRACTICE: Final = "common practice"

STEP_M: Final = constant(
    "fire_near",
    0.9,
    "m",
    _PRACTICE,
    "least distance of a fire from spark-proof cloth: a long step",
)
STEP_FAR_M: Final = constant(
    "fire_far",
    1.2,
    "m",
    _PRACTICE,
    "most distance at which a fire in front still warms well",
)
MELTS_M: Final = constant(
    "fire_melts",
    3.0,
    "m",
    _PRACTICE,
    "least distance of a fire from cloth that sparks melt or burn: synthetics, film, oilcloth",
)


@dataclass(frozen=True, slots=True)
class Fabric:
    """One kind of cloth. `warp` and `weft` run along the sheet's length and width; `shear` between
    them.

    `wet_share`: what rain adds to its weight; `wet_stretch`: how much longer its threads are when
    wet; `wet_stiff`: what is left of its stiffness then. `spark_proof`: sparks do not burn it.
    `yields_n_m`: pull at which it stretches for good, infinite for woven cloth.
    """

    slug: str
    name: str
    weight_kg_m2: float
    warp_n_m: float
    weft_n_m: float
    shear_n_m: float
    wet_share: float
    wet_stretch: float
    wet_stiff: float = 1.0
    spark_proof: bool = False
    yields_n_m: float = math.inf

    @property
    def fire_m(self) -> float:
        """How far from it a fire is kept, m."""
        return STEP_M if self.spark_proof else MELTS_M

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

    def in_rain(self) -> Fabric:
        """The same with the stiffness it has when wet."""
        return self.stretched(stiffness=self.wet_stiff)


@dataclass(frozen=True, slots=True)
class Yarn:
    """What threads are made of: density (kg/m3), stiffness of the fibre along itself (Pa)."""

    density_kg_m3: float
    modulus_pa: float


def _yarn(slug: str, name: str, density: float, gpa: float, source: str) -> Yarn:
    return Yarn(
        constant(f"density_{slug}", density, "kg/m3", source, f"density of {name}"),
        1e9
        * constant(
            f"modulus_{slug}", gpa, "GPa", source, f"stiffness of {name} along itself"
        ),
    )


_FIBRES: Final = (
    "Morton and Hearle, Physical Properties of Textile Fibres (initial moduli); from memory"
)
NYLON: Final = _yarn("nylon", "nylon 6.6 yarn", 1140.0, 2.6, _FIBRES)
POLYESTER: Final = _yarn("polyester", "polyester yarn", 1380.0, 8.0, _FIBRES)
COTTON: Final = _yarn("cotton", "cotton yarn", 1520.0, 5.0, _FIBRES)
TAPE: Final = _yarn(
    "tape", "drawn polythene tape", 950.0, 1.6, "from memory: makers' data sheets"
)
WARP_SHARE: Final = constant(
    "warp_share",
    0.53,
    "1",
    _MEMORY,
    "share of a plain cloth's yarn that runs along the warp",
)
FILM_PA: Final = constant(
    "film_modulus",
    2.2e8,
    "Pa",
    "ASTM D882 data sheets, from memory",
    "stiffness of polythene film",
)
FILM_YIELD_PA: Final = constant(
    "film_yield",
    1.0e7,
    "Pa",
    "ASTM D882 data sheets, from memory",
    "pull at which film yields",
)
FILM_M: Final = constant(
    "film", 5.0e-5, "m", _PRACTICE, "thickness of a drop cloth of film"
)
FILM_KG_M3: Final = constant(
    "film_density", 920.0, "kg/m3", _MEMORY, "density of polythene film"
)
FILM_POISSON: Final = 0.5
"""How much film narrows as it stretches, over what it stretches: it hardly changes its volume."""


@dataclass(frozen=True, slots=True)
class _Weave:
    """How a yarn is made into cloth: the share of the cloth's weight that is yarn, and the share of
    the yarn's stiffness that is left in a cloth, for threads run over and under each other and
    heavy yarns are spun.
    """

    yarn: Yarn
    yarn_share: float
    straight: float

    def stiffness_n_m(self, weight_kg_m2: float, share: float) -> float:
        """Stiffness of the threads of one direction, N/m: volume of their yarn on a square metre
        times its stiffness, less what crimp takes.
        """
        volume = weight_kg_m2 * self.yarn_share * share / self.yarn.density_kg_m3
        return volume * self.yarn.modulus_pa * self.straight


def _woven(
    slug: str,
    name: str,
    weave: _Weave,
    *,
    weight: float,
    shear: float,
    wet_share: float,
    wet_stretch: float,
    wet_stiff: float = 1.0,
    spark_proof: bool = False,
) -> Fabric:
    record = _recorder(slug, name)
    weight = record(
        "weight", weight, "kg/m2", _MEMORY, "weight of the dry cloth, coating included"
    )
    weave = replace(
        weave,
        yarn_share=record(
            "yarn", weave.yarn_share, "1", _MEMORY, "share of its weight in yarn"
        ),
        straight=record(
            "straight",
            weave.straight,
            "1",
            ENGINEERING,
            "share of the yarn's stiffness left",
        ),
    )
    return Fabric(
        slug,
        name,
        weight,
        weave.stiffness_n_m(weight, WARP_SHARE),
        weave.stiffness_n_m(weight, 1 - WARP_SHARE),
        record("shear", shear, "N/m", ENGINEERING, "shear stiffness, coating included"),
        record("wet_share", wet_share, "1", ENGINEERING, "water that stays on and in it"),
        record(
            "wet_stretch", wet_stretch, "1", _PRACTICE, "how much longer wet threads get"
        ),
        record(
            "wet_stiff", wet_stiff, "1", _FIBRES, "share of its stiffness left when wet"
        ),
        spark_proof,
    )


def _film() -> Fabric:
    record = _recorder("polythene", "polythene film")
    stiff = FILM_PA * FILM_M
    return Fabric(
        "polythene",
        "polythene film",
        FILM_KG_M3 * FILM_M,
        stiff,
        stiff,
        stiff / (2 * (1 + FILM_POISSON)),
        record("wet_share", 0.10, "1", ENGINEERING, "water that stays on it"),
        0.0,
        yields_n_m=FILM_YIELD_PA * FILM_M,
    )


def _recorder(slug: str, name: str) -> Callable[[str, float, str, str, str], float]:
    def record(what: str, value: float, unit: str, source: str, meaning: str) -> float:
        return constant(
            f"fabric_{slug.replace('-', '_')}_{what}",
            value,
            unit,
            source,
            f"{name}: {meaning}",
        )

    return record


FABRICS: Final[Mapping[str, Fabric]] = MappingProxyType(
    {
        f.slug: f
        for f in (
            _woven(
                "coated-nylon",
                "coated nylon",
                _Weave(NYLON, 0.82, 0.50),
                weight=0.055,
                shear=2_000,
                wet_share=0.35,
                wet_stretch=0.015,
                wet_stiff=0.7,
            ),
            _woven(
                "coated-polyester",
                "coated polyester",
                _Weave(POLYESTER, 0.85, 0.40),
                weight=0.070,
                shear=2_800,
                wet_share=0.20,
                wet_stretch=0.002,
            ),
            _film(),
            _woven(
                "woven-polythene",
                "woven polythene",
                _Weave(TAPE, 0.75, 0.80),
                weight=0.110,
                shear=8_000,
                wet_share=0.10,
                wet_stretch=0.0,
            ),
            _woven(
                "oilcloth",
                "oilcloth",
                _Weave(COTTON, 0.60, 0.28),
                weight=0.280,
                shear=6_000,
                wet_share=0.10,
                wet_stretch=0.002,
            ),
            _woven(
                "canvas",
                "canvas",
                _Weave(COTTON, 0.95, 0.17),
                weight=0.340,
                shear=5_000,
                wet_share=0.60,
                wet_stretch=-0.010,
                wet_stiff=1.0,
                spark_proof=True,
            ),
        )
    }
)
"""Every kind of cloth by its slug."""

DEFAULT_FABRIC: Final = FABRICS["coated-nylon"]


def fabric_named(slug: str | None) -> Fabric:
    """The fabric of that name; the usual one for None. Raises InputError naming those there are."""
    if slug is None:
        return DEFAULT_FABRIC
    try:
        return FABRICS[slug]
    except KeyError:
        raise InputError(
            "fabric", f"no fabric “{slug[:60]}”; there are {', '.join(FABRICS)}"
        ) from None


_WORDS: Final = (
    ("woven poly", "woven-polythene"),
    ("tape cloth", "woven-polythene"),
    ("film", "polythene"),
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
