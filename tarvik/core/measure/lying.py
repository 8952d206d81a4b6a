"""How a course wants its people to lie: the head-end rule, gear under the roof or outside."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

import numpy as np
from shapely import Polygon, get_parts

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.measure.mats import ALL_HEADINGS, STEPS
from tarvik.core.measure.openings import main_opening, openings
from tarvik.core.measure.roof import Region, common, without

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.mats import Mat
    from tarvik.core.measure.roof import Roof
    from tarvik.core.shelter import Shelter

PACK_M2: Final = constant(
    "pack_area", 0.15, "m2", "common practice", "ground a packed rucksack takes"
)
PACK_HEIGHT_M: Final = constant(
    "pack_height", 0.25, "m", ENGINEERING, "roof height over a pack that lies"
)
PACK_WIDTH_M: Final = constant(
    "pack_width", 0.25, "m", ENGINEERING, "ground narrower than this holds no pack"
)


class HeadRule(StrEnum):
    """Where head ends may point."""

    ANY = "any"
    UPHILL = "uphill"
    AWAY = "away"


@dataclass(frozen=True, slots=True)
class Lying:
    """The course's rules. `uphill_deg` is the bearing, clockwise from +y in the shelter's frame,
    that leads uphill.

    `gear_in`: packs lie under the roof; else only people do.
    """

    head: HeadRule = HeadRule.ANY
    uphill_deg: float | None = None
    gear_in: bool = False

    def __post_init__(self) -> None:
        if self.uphill_deg is not None and not (
            math.isfinite(self.uphill_deg) and -360 <= self.uphill_deg <= 720
        ):
            raise InputError(
                "lying.uphill_deg",
                f"{self.uphill_deg:g} is no bearing; give 0 to 360 degrees",
            )

    @property
    def minds_uphill(self) -> bool:
        """Whether it matters where uphill is."""
        return self.head is HeadRule.UPHILL

    def towards(self, shelter: Shelter) -> Floats | None:
        """Level unit vector (2,) to which head ends point; None where the rule leaves it open.

        Uphill without a known slope, or away from an opening where the shelter opens both ways,
        leaves it open.
        """
        if self.minds_uphill and self.uphill_deg is not None:
            bearing = math.radians(self.uphill_deg)
            return np.array([math.sin(bearing), math.cos(bearing)])
        if self.head is HeadRule.AWAY:
            way = main_opening(openings(shelter))
            return None if way is None else -way
        return None

    def headings(self, shelter: Shelter) -> NDArray[np.int64]:
        """Steps of the headings that keep the rule: the head end at least as far that way as the
        feet.
        """
        way = self.towards(shelter)
        if way is None:
            return ALL_HEADINGS
        angles = 2 * np.pi * ALL_HEADINGS / STEPS
        return np.asarray(
            ALL_HEADINGS[np.cos(angles) * way[0] + np.sin(angles) * way[1] >= -1e-9]
        )


def pack_room(roof: Roof, dry: Region, mats: Sequence[Mat]) -> tuple[int, float]:
    """How many packs lie dry beside the mats, and the square metres there are for them."""
    room = common(roof.above(PACK_HEIGHT_M), dry)
    left = without(room, [Polygon(m.corners()) for m in mats])
    half = PACK_WIDTH_M / 2
    wide = left.buffer(-half, join_style="mitre").buffer(half, join_style="mitre")
    parts = [float(p.area) for p in get_parts(wide)]
    return sum(int(a / PACK_M2 + 1e-9) for a in parts), sum(parts)
