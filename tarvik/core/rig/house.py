"""House rules of rigging: where practitioners differ, the course says which school it follows."""

from __future__ import annotations

import math
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

TIP_DEG: Final = constant(
    "pole_tip",
    10.0,
    "degrees",
    ENGINEERING,
    "how far a tipped pole leans along its line of pull",
)

CHOICES: Final[Mapping[str, tuple[tuple[str, str], ...]]] = MappingProxyType(
    {
        "pole": (("upright", "upright"), ("tipped", "tipped a little along the pull")),
        "ridge": (
            ("either", "as fits"),
            ("through", "one line through"),
            ("ends", "two end lines"),
        ),
        "ridge_side": (("under", "line under the sheet"), ("over", "line over the sheet")),
        "hitch": (
            ("taut-line", "taut-line hitch: adjustable"),
            ("marlinspike", "marlinspike hitch: fast to strike"),
        ),
        "lift": (("outside", "drawn up from outside"), ("inside", "propped from inside")),
    }
)
"""What each rule may be, and how it is said; the first is the default."""
TITLES: Final[Mapping[str, str]] = MappingProxyType(
    {
        "pole": "Poles stand",
        "ridge": "Ridge line",
        "ridge_side": "The ridge line runs",
        "hitch": "Guys are tied with",
        "lift": "A middle is lifted",
    }
)


@dataclass(frozen=True, slots=True)
class House:
    """One choice for each of CHOICES. Raises InputError for a choice that is none of them."""

    pole: str = "upright"
    ridge: str = "either"
    ridge_side: str = "under"
    hitch: str = "taut-line"
    lift: str = "outside"

    def __post_init__(self) -> None:
        for name, choices in CHOICES.items():
            known = [value for value, _ in choices]
            if getattr(self, name) not in known:
                raise InputError(
                    f"house.{name}",
                    f"“{str(getattr(self, name))[:30]}” is none of {', '.join(known)}",
                )

    @property
    def pole_share(self) -> float:
        """Height of a pole's tip over the pole's length."""
        return math.cos(math.radians(TIP_DEG)) if self.pole == "tipped" else 1.0


PLAIN_HOUSE: Final = House()
