"""Shade through the day: the sheet's shadow on level ground as the sun goes round."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.dry import shadow
from tarvik.core.measure.roof import common
from tarvik.core.weather.sun import sun_at

if TYPE_CHECKING:
    from datetime import date

    from tarvik.core.measure.roof import Region, Roof
    from tarvik.core.weather.sun import Place

SUN_LEAST_DEG: Final = constant(
    "shade_least_sun",
    5.0,
    "degrees",
    ENGINEERING,
    "a lower sun throws no shade worth counting",
)


@dataclass(frozen=True, slots=True)
class Shade:
    """The shade at one time: its whole area, and the part that lies under the sheet itself."""

    at: datetime
    sun_from_deg: float
    sun_height_deg: float
    area_m2: float
    under_m2: float
    region: Region


def sun_travel(own_from_deg: float, height_deg: float) -> tuple[float, float]:
    """Level travel (x, y) of light per metre of fall, the sun standing at a bearing of the
    shelter's frame.

    Sun in the north (0) at 45 degrees: light travels towards -y, (0, -1).
    """
    reach = 1 / math.tan(math.radians(height_deg))
    bearing = math.radians(own_from_deg)
    return -reach * math.sin(bearing), -reach * math.cos(bearing)


def shade_through(
    roof: Roof, place: Place, on: date, front_deg: float, step_h: float = 1.0
) -> list[Shade]:
    """Shade for every `step_h` of a local day while the sun is up, the front facing the bearing
    `front_deg`.
    """
    start = datetime(on.year, on.month, on.day, tzinfo=place.zone)
    plan = roof.plan()
    found = []
    for k in range(int(24 / step_h)):
        at = start + timedelta(hours=k * step_h)
        bearing, height = sun_at(place, at)
        if height < SUN_LEAST_DEG:
            continue
        own = (
            bearing - front_deg + 270
        ) % 360  # the front faces 270 in the shelter's own frame
        region = shadow(roof, np.array(sun_travel(own, height)))
        found.append(
            Shade(
                at,
                bearing,
                height,
                float(region.area),
                float(common(region, plan).area),
                region,
            )
        )
    return found
