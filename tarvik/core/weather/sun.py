"""Sun and moon for a place and a date: sunset, last light, dark hours, where the sun stands, the
moon's phase.

Computed by the `astral` library (Meeus, Astronomical Algorithms). Level horizon: hills and trees
bring dusk earlier.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import TYPE_CHECKING, Final

from astral import LocationInfo, moon
from astral.sun import azimuth, dawn, dusk, elevation, sunrise, sunset

from tarvik.core.constant import constant

if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import tzinfo

LAST_LIGHT_DEG: Final = constant(
    "last_light",
    6.0,
    "degrees",
    "civil twilight, by convention",
    "sun below the horizon when one can no longer work without a lamp",
)
MOON_CYCLE: Final = 28.0
"""The moon's phase runs from 0 (new) over 14 (full) to 28."""
_PHASES: Final = (
    (1.75, "new moon"),
    (5.25, "waxing crescent"),
    (8.75, "first quarter"),
    (12.25, "waxing gibbous"),
    (15.75, "full moon"),
    (19.25, "waning gibbous"),
    (22.75, "last quarter"),
    (26.25, "waning crescent"),
    (28.01, "new moon"),
)


@dataclass(frozen=True, slots=True)
class Place:
    """Where the night is spent, degrees north and east."""

    latitude: float
    longitude: float
    zone: tzinfo

    def observer(self) -> LocationInfo:
        """The place as the library wants it."""
        return LocationInfo("", "", "UTC", self.latitude, self.longitude)


@dataclass(frozen=True, slots=True)
class Evening:
    """Times of one night in the place's zone; None where the sun does not rise or set that day.

    `dark_hours` from last light to first light.
    """

    sunset: datetime | None
    last_light: datetime | None
    first_light: datetime | None
    sunrise: datetime | None
    dark_hours: float
    moon_share: float
    moon_phase: str
    moonrise: datetime | None
    moonset: datetime | None


class _Events:
    """First events after an instant. The library answers by calendar day; in summer dusk may come
    after midnight.
    """

    def __init__(self, place: Place, on: date) -> None:
        self.observer, self.zone = place.observer().observer, place.zone
        self.days = [on + timedelta(days=d) for d in (-1, 0, 1, 2)]

    def after(
        self, event: Callable[..., datetime | None], start: datetime | None, **more: float
    ) -> datetime | None:
        """The first event after `start`, within a day; None where there is none."""
        found = []
        for day in self.days if start is not None else ():
            try:
                found.append(event(self.observer, date=day, tzinfo=self.zone, **more))
            except ValueError:
                continue
        later = [
            at
            for at in found
            if at is not None
            and start is not None
            and start < at <= start + timedelta(days=1)
        ]
        return min(later, default=None)


def evening(place: Place, on: date) -> Evening:
    """Sun and moon for the night that begins on the evening of `on`."""
    events = _Events(place, on)
    noon = datetime(on.year, on.month, on.day, 12, tzinfo=place.zone)
    down = events.after(sunset, noon)
    last = events.after(dusk, down, depression=LAST_LIGHT_DEG)
    first = events.after(dawn, last, depression=LAST_LIGHT_DEG)
    if last is not None and first is not None:
        dark = (first - last).total_seconds() / 3600
    else:  # no dusk: either it is light all night or dark all day
        hours = (noon.astimezone(UTC) + timedelta(hours=h) for h in range(24))
        dark = (
            24.0
            if max(elevation(events.observer, at) for at in hours) < -LAST_LIGHT_DEG
            else 0.0
        )
    phase = moon.phase(on + timedelta(days=1))
    midnight = noon - timedelta(hours=12)
    return Evening(
        down,
        last,
        first,
        events.after(sunrise, down),
        dark,
        (1 - math.cos(2 * math.pi * phase / MOON_CYCLE)) / 2,
        next(name for limit, name in _PHASES if phase < limit),
        events.after(moon.moonrise, midnight),
        events.after(moon.moonset, midnight),
    )


def sun_at(place: Place, when: datetime) -> tuple[float, float]:
    """Bearing of the sun and its height above the horizon, degrees, at an instant with a time
    zone.
    """
    here = place.observer().observer
    at = when.astimezone(UTC)
    return float(azimuth(here, at)), float(elevation(here, at))
