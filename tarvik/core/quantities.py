"""Weather quantities as people write them: temperatures, speeds, rain rates, bearings. SI inside.

A bare number is in the course's own unit: degrees C, m/s and mm/h, or degrees F, mph and inches an
hour.
"""

from __future__ import annotations

import re
from typing import Final

from tarvik.core.constant import EXACT, constant
from tarvik.core.errors import InputError
from tarvik.core.units import INCH_M, Units

MILE_M: Final = constant("mile", 1609.344, "m", EXACT, "one international mile")
SEA_MILE_M: Final = constant("sea_mile", 1852.0, "m", EXACT, "one nautical mile")
SPEEDS: Final = {
    "m/s": 1.0,
    "km/h": 1 / 3.6,
    "kmh": 1 / 3.6,
    "kph": 1 / 3.6,
    "mph": MILE_M / 3600,
    "kn": SEA_MILE_M / 3600,
    "kt": SEA_MILE_M / 3600,
    "kts": SEA_MILE_M / 3600,
    "knots": SEA_MILE_M / 3600,
    "ms": 1.0,
}
"""Metres a second in one of each unit."""
RAINS: Final = {"mm/h": 1.0, "mm": 1.0, "in/h": INCH_M * 1000, "in": INCH_M * 1000}
"""Millimetres an hour in one of each unit."""
POINTS: Final = (
    "N",
    "NNE",
    "NE",
    "ENE",
    "E",
    "ESE",
    "SE",
    "SSE",
    "S",
    "SSW",
    "SW",
    "WSW",
    "W",
    "WNW",
    "NW",
    "NNW",
)
_NUMBER = re.compile(r"^([+−-]?\s*[0-9]+(?:[.,][0-9]+)?|[+−-]?[.,][0-9]+)\s*(.*)$")


def _split(text: str, field: str, example: str) -> tuple[float, str]:
    clean = text.strip()
    found = _NUMBER.match(clean) if len(clean) <= 40 else None
    if found is None:
        raise InputError(field, f"«{clean[:40]}» is no number; write it like {example}")
    value = float(found[1].replace(",", ".").replace("−", "-").replace(" ", ""))
    return value, found[2].strip().lower().replace(" ", "")


def fahrenheit(celsius: float) -> float:
    """Degrees F.

    >>> fahrenheit(-40.0), fahrenheit(20.0)
    (-40.0, 68.0)
    """
    return celsius * 9 / 5 + 32


def celsius(fahrenheit_deg: float) -> float:
    """Degrees C."""
    return (fahrenheit_deg - 32) * 5 / 9


def parse_temperature(
    text: str, units: Units = Units.METRIC, *, field: str = "temperature"
) -> float:
    """A temperature in degrees C. Raises InputError."""
    value, unit = _split(text, field, "7, -3 °C or 45 °F")
    unit = unit.lstrip("°º").removesuffix(".")
    if unit in ("f", "fahrenheit") or (not unit and units is Units.IMPERIAL):
        return celsius(value)
    if unit in ("c", "celsius", ""):
        return value
    raise InputError(field, f"«{text.strip()[:40]}»: the unit is °C or °F")


def parse_speed(text: str, units: Units = Units.METRIC, *, field: str = "wind") -> float:
    """A speed in m/s. Raises InputError."""
    value, unit = _split(text, field, "8, 8 m/s, 30 km/h, 18 mph or 16 kn")
    unit = unit or ("mph" if units is Units.IMPERIAL else "m/s")
    if unit not in SPEEDS:
        raise InputError(field, f"«{text.strip()[:40]}»: the unit is m/s, km/h, mph or kn")
    return value * SPEEDS[unit]


def parse_rain(text: str, units: Units = Units.METRIC, *, field: str = "rain") -> float:
    """A rain rate in mm/h. Raises InputError."""
    value, unit = _split(text, field, "4, 4 mm/h or 0.2 in/h")
    unit = unit or ("in/h" if units is Units.IMPERIAL else "mm/h")
    if unit not in RAINS:
        raise InputError(field, f"«{text.strip()[:40]}»: the unit is mm/h or in/h")
    return value * RAINS[unit]


def parse_bearing(text: str, *, field: str = "wind_from") -> float:
    """A bearing in degrees, from degrees or a compass point. Raises InputError.

    >>> parse_bearing("WSW"), parse_bearing("240°"), parse_bearing("360")
    (247.5, 240.0, 0.0)
    """
    point = text.strip().upper()
    if point in POINTS:
        return POINTS.index(point) * 22.5
    value, unit = _split(text, field, "240 or WSW")
    if unit.strip("°º") not in ("", "deg", "degrees") or not 0 <= value <= 360:
        raise InputError(
            field,
            f"«{text.strip()[:40]}» is no bearing; give 0 to 360 degrees, or a point such as WSW",
        )
    return value % 360


def compass(bearing_deg: float) -> str:
    """The nearest of sixteen compass points.

    >>> compass(0), compass(247), compass(354)
    ('N', 'WSW', 'N')
    """
    return POINTS[round(bearing_deg % 360 / 22.5) % 16]


def format_temperature(celsius_deg: float, units: Units = Units.METRIC) -> str:
    """A temperature to a whole degree."""
    if units is Units.IMPERIAL:
        return f"{round(fahrenheit(celsius_deg))} °F"
    return f"{round(celsius_deg)} °C".replace("-0 ", "0 ")


def format_speed(m_s: float, units: Units = Units.METRIC) -> str:
    """A wind speed to a whole unit."""
    return f"{m_s / SPEEDS['mph']:.0f} mph" if units is Units.IMPERIAL else f"{m_s:.0f} m/s"


def format_rain(mm_h: float, units: Units = Units.METRIC) -> str:
    """A rain rate."""
    if units is Units.IMPERIAL:
        return f"{mm_h / RAINS['in/h']:.2f} in/h"
    return f"{mm_h:.1f} mm/h"
