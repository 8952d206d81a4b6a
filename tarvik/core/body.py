"""A person's measures from stature, by published body-segment ratios; each can be overridden by a
measured value.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

DRILLIS: Final = (
    "Drillis and Contini 1966, as reproduced in Winter, Biomechanics and Motor "
    "Control of Human "
    "Movement"
)
ANSUR: Final = (
    "from memory: mean of men in the 1988 anthropometric survey of army personnel "
    "(Gordon et al. "
    "1989)"
)

RATIOS: Final[Mapping[str, float]] = MappingProxyType(
    {
        "eye": constant("body_eye", 0.936, "of stature", DRILLIS, "eye height standing"),
        "shoulder": constant(
            "body_shoulder",
            0.818,
            "of stature",
            DRILLIS,
            "shoulder (acromion) height standing",
        ),
        "lowest_rib": constant(
            "body_lowest_rib",
            0.635,
            "of stature",
            ANSUR,
            "height of the lowest rib standing",
        ),
        "waist": constant(
            "body_waist", 0.603, "of stature", ANSUR, "height of the waist (navel) standing"
        ),
        "sitting": constant(
            "body_sitting",
            0.520,
            "of stature",
            DRILLIS,
            "height of the crown above the seat",
        ),
        "kneeling": constant(
            "body_kneeling",
            0.754,
            "of stature",
            DRILLIS,
            "crown above the ground kneeling upright: 1 - knee 0.285 + ankle 0.039",
        ),
        "reach": constant(
            "body_reach",
            1.240,
            "of stature",
            ANSUR,
            "fingertips above the ground, arm straight up",
        ),
        "span": constant(
            "body_span", 1.035, "of stature", ANSUR, "fingertip to fingertip, arms out"
        ),
        "step": constant(
            "body_step",
            0.414,
            "of stature",
            "common practice (walking step by stature)",
            "one step",
        ),
    }
)

STATURE_LEAST_M: Final = constant(
    "stature_least", 0.9, "m", "engineering assumption", "smallest stature taken"
)
STATURE_MOST_M: Final = constant(
    "stature_most", 2.3, "m", "engineering assumption", "largest stature taken"
)
DEFAULT_STATURE_M: Final = constant(
    "stature_default", 1.75, "m", "engineering assumption", "person when none is named"
)


@dataclass(frozen=True, slots=True)
class Body:
    """Heights in metres of a person of the given stature. `measured` overrides single ratios with
    measured metres.

    >>> round(Body(1.80).height("sitting"), 3), Body(1.80, {"sitting": 0.95}).height("sitting")
    (0.936, 0.95)
    """

    stature_m: float
    measured: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))

    def __post_init__(self) -> None:
        if (
            not math.isfinite(self.stature_m)
            or not STATURE_LEAST_M <= self.stature_m <= STATURE_MOST_M
        ):
            raise InputError(
                "stature_m",
                f"{self.stature_m:g} m is outside {STATURE_LEAST_M:g} to {STATURE_MOST_M:g} m",
            )
        for name, value in self.measured.items():
            if name not in RATIOS:
                raise InputError(
                    f"measured.{name}", f"no such measure; use one of {', '.join(RATIOS)}"
                )
            if not math.isfinite(value) or not 0.1 <= value <= 3.5:
                raise InputError(
                    f"measured.{name}",
                    f"{value:g} m is not a measure of a person; 0.1 to 3.5 m",
                )

    def height(self, name: str) -> float:
        """Metres of one measure (a key of RATIOS). Raises KeyError for an unknown name."""
        return self.measured.get(name, RATIOS[name] * self.stature_m)
