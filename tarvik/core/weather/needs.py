"""The night's needs: what is coming, who sleeps, how long, and what follows for the kind of
shelter.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING, Final
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.intent import DEFAULT_INTENT, INTENTS, Intent
from tarvik.core.quantities import format_rain, format_speed, format_temperature
from tarvik.core.units import Units
from tarvik.core.weather.cold import dew_point_c
from tarvik.core.weather.rain import (
    BED_SHARE,
    RAIN_MOST,
    SPLASH_M,
    SPREAD_DEG,
    WIND_MOST,
    Weather,
)
from tarvik.core.weather.sun import Evening, Place, evening
from tarvik.core.weather.surroundings import Surroundings, surroundings_named
from tarvik.core.weather.wind import (
    RAIN_HEIGHT_M,
    beaufort,
    gust_of,
    wind_share,
)

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.plain import JsonObject
    from tarvik.core.weather.forecast import Outlook

STORM_WIND_M_S: Final = constant(
    "storm_wind",
    10.8,
    "m/s",
    ENGINEERING,
    "mean wind at 10 m (force 6) that asks for a storm pitch",
)
STORM_GUST_M_S: Final = constant(
    "storm_gust",
    17.2,
    "m/s",
    ENGINEERING,
    "gust at 10 m (gale) that asks for a storm pitch",
)
DRIVEN_WIND_M_S: Final = constant(
    "driven_rain_wind",
    8.0,
    "m/s",
    ENGINEERING,
    "wind (force 5) that makes heavy rain a storm",
)
DRIVEN_RAIN_MM_H: Final = constant(
    "driven_rain_rate",
    4.0,
    "mm/h",
    ENGINEERING,
    "rain that, with such a wind, makes a storm",
)
RAIN_MATTERS_MM_H: Final = constant(
    "rain_matters", 0.1, "mm/h", ENGINEERING, "rain from which a sheet is wanted"
)
COLD_C: Final = constant(
    "cold_night",
    5.0,
    "C",
    ENGINEERING,
    "colder nights ask for a fire in front where one is allowed",
)
WARM_C: Final = constant(
    "warm_night", 10.0, "C", ENGINEERING, "warmer nights need no sheet against the cold"
)
HOT_C: Final = constant("hot_day", 24.0, "C", ENGINEERING, "warmer days ask for shade")
DEW_GAP_K: Final = constant(
    "dew_gap",
    2.0,
    "K",
    ENGINEERING,
    "air this near to its dew point leaves dew on what lies open",
)
NEW_SNOW_KG_M3: Final = constant(
    "new_snow",
    100.0,
    "kg/m3",
    "EN 1991-1-3:2003, annex E (fresh snow, 1.0 kN/m3); from memory",
    "density of new snow where none is named",
)
SNOW_DEPTH_M: Final = constant(
    "snow_depth",
    0.15,
    "m",
    ENGINEERING,
    "new snow of a snowy night of which no depth is known",
)
ARRIVE: Final = time(17, 0)
LEAVE: Final = time(8, 0)
UTC_NAME: Final = "UTC"
LUNCH_HOURS: Final = constant(
    "lunch_hours", 2.0, "h", COMMON_PRACTICE, "length of a lunch stop, from noon"
)


class Stay(StrEnum):
    """How long the shelter is used."""

    LUNCH = "lunch"
    NIGHT = "night"
    FIXED = "fixed"


class Insects(StrEnum):
    """How many biting insects there are."""

    NONE = "none"
    SOME = "some"
    MANY = "many"


def zone_named(name: str) -> ZoneInfo:
    """A time zone by its IANA name. Raises InputError."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise InputError(
            "zone",
            f"“{name[:40]}” is no time zone; "
            "give an area and city as your telephone does, or UTC",
        ) from None


SPANS: Final[Mapping[str, tuple[float, float, str]]] = {
    "latitude": (-90.0, 90.0, "degrees north"),
    "longitude": (-180.0, 180.0, "degrees east"),
    "lowest_c": (-60.0, 50.0, "°C"),
    "highest_c": (-60.0, 55.0, "°C"),
    "rain_mm_h": (0.0, RAIN_MOST, "mm/h"),
    "wind_m_s": (0.0, WIND_MOST, "m/s"),
    "gust_m_s": (0.0, 90.0, "m/s"),
    "wind_from_deg": (0.0, 360.0, "degrees"),
    "spread_deg": (0.0, 90.0, "degrees"),
    "humidity_pct": (1.0, 100.0, "%"),
    "cloud_pct": (0.0, 100.0, "%"),
    "snow_depth_m": (0.0, 3.0, "m"),
    "snow_kg_m3": (20.0, 600.0, "kg/m3"),
}


@dataclass(frozen=True, slots=True)
class NightNeeds:
    """What is known of one night. None: not known. Wind and gust are for 10 m over open ground.

    `snow_depth_m` and `snow_kg_m3`: new snow that falls in the night, as deep and as dense as it
    lies on level ground. `lightning`: thunderstorms are forecast.
    `overhead_checked`: the trees overhead were looked at for this night.
    `rain_from` and `rain_to` are local clock times between which rain is likely; None with rain
    means all night.
    """

    on: date | None = None
    latitude: float | None = None
    longitude: float | None = None
    zone: str = UTC_NAME
    surroundings: str = "open"
    lowest_c: float | None = None
    highest_c: float | None = None
    rain_mm_h: float | None = None
    rain_from: time | None = None
    rain_to: time | None = None
    wind_m_s: float | None = None
    gust_m_s: float | None = None
    wind_from_deg: float | None = None
    spread_deg: float = SPREAD_DEG
    humidity_pct: float | None = None
    cloud_pct: float | None = None
    insects: Insects = Insects.NONE
    snow: bool = False
    snow_depth_m: float | None = None
    snow_kg_m3: float | None = None
    lightning: bool = False
    sun: bool = False
    people: int | None = None
    stay: Stay = Stay.NIGHT
    fire: bool = False
    intent: str | None = None
    overhead_checked: bool = False

    def __post_init__(self) -> None:
        for name, (least, most, unit) in SPANS.items():
            value = getattr(self, name)
            if value is not None and not (math.isfinite(value) and least <= value <= most):
                raise InputError(name, f"{value:g} is outside {least:g} to {most:g} {unit}")
        if self.people is not None and not 1 <= self.people <= 500:
            raise InputError("people", f"{self.people} people are outside 1 to 500")
        if (
            self.gust_m_s is not None
            and self.wind_m_s is not None
            and self.gust_m_s < self.wind_m_s
        ):
            raise InputError(
                "gust_m_s",
                "gusts can't be below the wind, whose strongest moments they are: put both right",
            )
        if (
            self.highest_c is not None
            and self.lowest_c is not None
            and self.highest_c < self.lowest_c
        ):
            raise InputError(
                "highest_c", "the highest can't be below the lowest: put both right"
            )
        if self.intent is not None and self.intent not in INTENTS:
            raise InputError(
                "intent", f"no intent “{self.intent[:40]}”; there are {', '.join(INTENTS)}"
            )
        surroundings_named(self.surroundings)
        zone_named(self.zone)

    @property
    def place(self) -> Place | None:
        """Where it is; None when that is not known, nor while only one of latitude and longitude
        is.
        """
        if self.latitude is None or self.longitude is None:
            return None
        return Place(self.latitude, self.longitude, zone_named(self.zone))

    @property
    def around(self) -> Surroundings:
        """What stands round the shelters."""
        return surroundings_named(self.surroundings)

    @property
    def window(self) -> tuple[datetime, datetime] | None:
        """The instants between which the shelter is used: 17 to 8 o'clock, or from noon for a lunch
        stop.
        """
        if self.on is None:
            return None
        zone = zone_named(self.zone)
        if self.stay is Stay.LUNCH:
            noon = datetime.combine(self.on, time(12), zone)
            return noon, noon + timedelta(hours=LUNCH_HOURS)
        return datetime.combine(self.on, ARRIVE, zone), datetime.combine(
            self.on + timedelta(days=1), LEAVE, zone
        )

    @property
    def evening(self) -> Evening | None:
        """Sun and moon of this night; None without a date and a place."""
        return (
            evening(self.place, self.on)
            if self.place is not None and self.on is not None
            else None
        )

    @property
    def gust(self) -> float:
        """The gust at 10 m, by the gust rule where none is known."""
        return gust_of(self.wind_m_s or 0.0, self.gust_m_s)

    @property
    def snow_kg_m2(self) -> float:
        """New snow on level ground; the usual depth and density where snow comes and they are not
        known.
        """
        depth = self.snow_depth_m
        if depth is None:
            depth = SNOW_DEPTH_M if self.snow else 0.0
        return depth * (NEW_SNOW_KG_M3 if self.snow_kg_m3 is None else self.snow_kg_m3)

    @property
    def snowy(self) -> bool:
        """Whether snow is to be reckoned with."""
        return self.snow or bool(self.snow_depth_m)

    @property
    def dew_point_c(self) -> float | None:
        """Dew point of the coldest hour; None without temperature and humidity."""
        if self.lowest_c is None or self.humidity_pct is None:
            return None
        return dew_point_c(self.lowest_c, self.humidity_pct)

    def weather(self, from_deg: float) -> Weather:
        """Rain and wind at a shelter that takes the wind from `from_deg` in its own frame; calm and
        4 mm/h where unknown. The wind swings at least as far as the surroundings make it.
        """
        known = Weather()
        wind = (self.wind_m_s or 0.0) * wind_share(RAIN_HEIGHT_M, self.around)
        rain = known.rain_mm_h if self.rain_mm_h is None else self.rain_mm_h
        spread = max(self.spread_deg, self.around.spread_deg)
        splash = SPLASH_M if rain > 0 else 0.0
        return Weather(rain, wind, from_deg % 360, spread, BED_SHARE, splash)

    @property
    def wanted(self) -> Intent:
        """The intent set by the leader, else the one proposed."""
        return INTENTS[self.intent] if self.intent else propose(self).intent


@dataclass(frozen=True, slots=True)
class Proposal:
    """An intent that the weather proposes, and why. `shelter` says what kind of thing is wanted:
    sheet, net or nothing.
    """

    intent: Intent
    why: str
    shelter: str = "sheet"
    advice: str = ""


def _storm(needs: NightNeeds, units: Units) -> str:
    wind, rain = needs.wind_m_s or 0.0, needs.rain_mm_h or 0.0
    if wind >= STORM_WIND_M_S:
        return f"mean wind of force {beaufort(wind)}"
    if needs.gust_m_s is not None and needs.gust_m_s >= STORM_GUST_M_S:
        return f"gusts of {format_speed(needs.gust_m_s, units)}"
    if wind >= DRIVEN_WIND_M_S and rain >= DRIVEN_RAIN_MM_H:
        return f"{format_rain(rain, units)} of rain driven by force {beaufort(wind)}"
    return "snow with wind" if needs.snowy and wind >= DRIVEN_WIND_M_S else ""


def _storm_advice(needs: NightNeeds) -> str:
    """Where to go in a storm. Never under trees that sway."""
    if not needs.around.trees:
        return (
            "A sheet is no storm shelter in the open: find shelter first, on lower ground or "
            "behind a bank, a wall or a rock, clear of trees that sway."
        )
    return (
        "Pitch low with the back to the wind; sleep clear of dead wood and of trees that sway, and "
        "look for another place where you cannot."
    )


def propose(needs: NightNeeds, units: Units = Units.METRIC) -> Proposal:
    """Propose an intent from the weather, the stay and the fire, and say why in these units; the
    leader may choose another.
    """
    storm = _storm(needs, units)
    if storm:
        return Proposal(
            INTENTS["storm"],
            storm,
            advice=_storm_advice(needs),
        )
    wet = needs.snowy or (needs.rain_mm_h or 0.0) >= RAIN_MATTERS_MM_H
    cold = needs.lowest_c is not None and needs.lowest_c <= COLD_C
    hot = needs.highest_c is not None and needs.highest_c >= HOT_C
    if needs.stay is Stay.LUNCH:
        if needs.sun and hot and not wet:
            return Proposal(INTENTS["shade"], "sun and heat at a lunch stop")
        return Proposal(INTENTS["lunch"], "a lunch stop")
    if wet and not (needs.stay is Stay.FIXED and (needs.wind_m_s or 0.0) < DRIVEN_WIND_M_S):
        rain = f"{format_rain(needs.rain_mm_h or 0.0, units)} of rain"
        return Proposal(INTENTS["steady-rain"], "snow" if needs.snowy else rain)
    if needs.stay is Stay.FIXED:
        return Proposal(INTENTS["fixed-camp"], "a camp that stays")
    lowest = "" if needs.lowest_c is None else format_temperature(needs.lowest_c, units)
    if cold and needs.fire:
        return Proposal(INTENTS["cold-fire"], f"{lowest} and a fire wanted")
    return _dry_night(needs, lowest, cold=cold)


def _dry_night(needs: NightNeeds, lowest: str, *, cold: bool) -> Proposal:
    """A dry night: often no sheet at all is the right answer, but only where the rain is known to
    stay away.
    """
    known_dry = needs.rain_mm_h is not None and needs.lowest_c is not None
    dew = needs.dew_point_c
    dewy = (
        dew is not None and needs.lowest_c is not None and needs.lowest_c - dew < DEW_GAP_K
    )
    warm = needs.lowest_c is not None and needs.lowest_c >= WARM_C
    if needs.insects is not Insects.NONE:
        only = known_dry and warm and not dewy
        return Proposal(
            INTENTS["warm-insects"],
            "insects and no rain",
            "net" if only else "sheet",
            (
                "No sheet is needed tonight: a net alone, hung from a line, will do. Keep a sheet "
                "ready."
            )
            if only
            else "",
        )
    if not known_dry:
        return Proposal(
            DEFAULT_INTENT, "rain and temperature are not known, so rain is planned for"
        )
    if cold:
        return Proposal(
            INTENTS["cold-fire"], f"{lowest} and dry: low, with the back to the wind"
        )
    if warm and not dewy and (needs.wind_m_s or 0.0) < DRIVEN_WIND_M_S:
        return Proposal(
            INTENTS["fair-view"],
            "warm, dry and still",
            "nothing",
            "No sheet is needed tonight, nor a net: sleep under the sky with a sheet ready.",
        )
    return Proposal(
        INTENTS["fair-view"],
        "dry" + (", but dew will fall: a roof keeps it off" if dewy else ""),
    )


def needs_from(outlook: Outlook, needs: NightNeeds) -> NightNeeds:
    """The needs with everything taken over that a forecast says; what it does not say stays as it
    was.
    """
    zone = zone_named(needs.zone)
    found: JsonObject = {
        name: round(getattr(outlook, name), 1)
        for name in (
            "lowest_c",
            "highest_c",
            "rain_mm_h",
            "wind_m_s",
            "gust_m_s",
            "humidity_pct",
            "cloud_pct",
        )
        if getattr(outlook, name) is not None
    }
    if outlook.wind_from_deg is not None:
        found |= {
            "wind_from_deg": round(outlook.wind_from_deg) % 360,
            "spread_deg": float(round(outlook.spread_deg)),
        }
    if outlook.wind_m_s is not None and outlook.gust_m_s is None:
        found["gust_m_s"] = None
    if outlook.rain_mm_h is not None:
        found["rain_from"] = (
            outlook.rain_from.astimezone(zone).time() if outlook.rain_from else None
        )
        found["rain_to"] = (
            outlook.rain_to.astimezone(zone).time() if outlook.rain_to else None
        )
    if outlook.hours:
        found["snow"] = outlook.snow
        found["lightning"] = outlook.lightning
    if outlook.snow_kg_m2:
        found["snow_depth_m"] = round(
            outlook.snow_kg_m2 / (needs.snow_kg_m3 or NEW_SNOW_KG_M3), 3
        )
    for name in ("humidity_pct", "cloud_pct"):
        if name in found:
            found[name] = float(round(found[name]))
    return replace(needs, **found)
