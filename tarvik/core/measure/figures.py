"""All figures of one shelter together."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.core.measure.clearance import SITTING_ROOM_M, Clearance
from tarvik.core.measure.dry import dry_ground
from tarvik.core.measure.mats import Ground, Mat, fits_one, lay_mats
from tarvik.core.measure.openings import open_to_wind
from tarvik.core.measure.roof import Region, Roof
from tarvik.core.measure.runoff import least_slope_deg
from tarvik.core.weather.rain import CALM, Weather, rain_slope

if TYPE_CHECKING:
    from tarvik.core.body import Body
    from tarvik.core.shelter import Shelter


@dataclass(frozen=True, slots=True)
class Figures:
    """What a shelter gives one kind of person on one kind of night. Metres, square metres, degrees."""

    peak_m: float
    covered_area_m2: float
    dry_area_m2: float
    sit_area_m2: float
    stand_area_m2: float
    mats: tuple[Mat, ...]
    clearance: Clearance
    roof: Roof
    dry: Region
    shelter: Shelter
    weather: Weather

    @property
    def least_slope_deg(self) -> float:
        """Slope of the flattest roof panel."""
        return least_slope_deg(self.roof)

    @property
    def open_to_wind(self) -> float:
        """Share of the frontal area towards the wind that is open."""
        return open_to_wind(self.shelter, self.weather.wind_from_deg)

    @property
    def rain_slope(self) -> float:
        """Horizontal travel of the rain per vertical travel."""
        return rain_slope(self.weather)

    @property
    def sleepers(self) -> int:
        """Largest number of mats that lie dry with their clearances."""
        return len(self.mats)


def sitting_height(body: Body) -> float:
    """Roof height under which the person sits up."""
    return body.height("sitting") + SITTING_ROOM_M


def standing_height(body: Body) -> float:
    """Roof height under which the person stands."""
    return body.stature_m + SITTING_ROOM_M


def measure(shelter: Shelter, body: Body, weather: Weather = CALM, clearance: Clearance | None = None) -> Figures:
    """Measure a shelter for sleepers of one stature."""
    room = clearance or Clearance()
    roof = Roof.over(shelter.faces())
    calm = rain_slope(weather) == 0
    dry = dry_ground(roof, weather)
    return Figures(
        peak_m=roof.peak_m,
        covered_area_m2=float(roof.plan().area),
        dry_area_m2=float(dry.area),
        sit_area_m2=roof.area_above(sitting_height(body)),
        stand_area_m2=roof.area_above(standing_height(body)),
        mats=tuple(lay_mats(Ground.under(roof, None if calm else dry, room), body.stature_m, room)),
        clearance=room,
        roof=roof,
        dry=dry,
        shelter=shelter,
        weather=weather,
    )


def tallest_sleeper_m(
    shelter: Shelter, weather: Weather = CALM, clearance: Clearance | None = None, least_m: float = 0.9
) -> float | None:
    """Tallest stature of which one mat fits, to a centimetre; None when not even the smallest does."""
    room = clearance or Clearance()
    roof = Roof.over(shelter.faces())
    ground = Ground.under(roof, None if rain_slope(weather) == 0 else dry_ground(roof, weather), room)
    low, high = least_m, 2.3
    if not fits_one(ground, low, room, stride=3):
        return None
    while high - low > 0.005:
        middle = (low + high) / 2
        if fits_one(ground, middle, room, stride=3):
            low = middle
        else:
            high = middle
    return low
