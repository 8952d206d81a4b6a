"""A bed that no roof stands over with room: the sheet worn as a bag, or the open air under a
net.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.mats import Mat
from tarvik.core.pitches.base import Bed

if TYPE_CHECKING:
    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.shelter import Shelter
    from tarvik.core.weather.rain import Weather

BAG_GIRTH_M: Final = constant(
    "bag_girth",
    1.40,
    "m",
    ENGINEERING,
    "sheet that goes round one person in a sleeping bag",
)
BAG_EXTRA_M: Final = constant(
    "bag_extra",
    0.25,
    "m",
    ENGINEERING,
    "length of a bag beyond the stature, to fold the foot under",
)


def bed_of(
    shelter: Shelter, body: Body, weather: Weather, room: Clearance
) -> list[tuple[int, Mat]]:
    """The one mat of a shelter that needs no clearances, or none: a bag too small, or rain on a
    net.
    """
    floor = next(face.xyz for face in shelter.faces() if face.role is Role.FLOOR)
    low, high = floor[:, :2].min(axis=0), floor[:, :2].max(axis=0)
    size = high - low
    along = 0 if size[0] >= size[1] else 1
    mat = (room.mat_length(body.stature_m), room.mat_width_m)
    if shelter.pitch.bed is Bed.WORN:
        girth = sum(
            _length(shelter, panel.points[0], panel.points[-1]) for panel in shelter.panels
        )
        fits = girth >= BAG_GIRTH_M and size[0] >= body.stature_m + BAG_EXTRA_M
        along = 0
    else:
        fits = (
            weather.rain_mm_h == 0 and size[along] >= mat[0] and size[1 - along] >= mat[1]
        )
    middle = (low + high) / 2
    return (
        [(0, Mat(float(middle[0]), float(middle[1]), 0.0 if along == 0 else 90.0, *mat))]
        if fits
        else []
    )


def _length(shelter: Shelter, a: str, b: str) -> float:
    (u, v), (s, t) = shelter.sheet_at(a), shelter.sheet_at(b)
    return float(((u - s) ** 2 + (v - t) ** 2) ** 0.5)
