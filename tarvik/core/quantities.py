"""Quantities of weather and place as people write them: temperatures, winds, rain, bearings, times,
latitudes. SI inside.

A bare number is in the course's own unit: degrees C, m/s and mm/h, or degrees F, mph and inches an
hour.
"""

from __future__ import annotations

import math
import re
from datetime import time
from typing import Final

from tarvik.core.constant import ENGINEERING, EXACT, constant
from tarvik.core.errors import InputError
from tarvik.core.units import INCH_M, OUNCES, POUND_KG, Units, format_load

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
BEAUFORT_MEAN: Final = constant(
    "beaufort_mean",
    0.836,
    "m/s",
    "World Meteorological Organization, mean wind of Beaufort force B: 0.836 B^1.5; from memory",
    "mean wind at 10 m of force 1",
)
FORCE_MOST: Final = 12
_FORCE = re.compile(
    r"^(?:(?:force|beaufort|bft|bf|f)\s*(\d{1,2})|(\d{1,2})\s*(?:bft|bf|beaufort))\.?$"
)
_RANGE = re.compile(r"^(.*?\d)\s*(?:-|–|to)\s*(\d.*)$", re.I)
_QUADRANT = re.compile(r"^([NS])\s*(\d{1,2}(?:[.,]\d+)?)\s*°?\s*([EW])$")
_TIME = re.compile(r"^(\d{1,2})(?:[:.h](\d{2}))?\s*(a\.?m\.?|p\.?m\.?|h)?$")
_TIME_WORDS: Final = {"noon": time(12), "midday": time(12), "midnight": time(0)}
LONGEST: Final = 40
"""Longest text read."""
_NUMBER = re.compile(r"^([+−-]?\s*[0-9]+(?:[.,][0-9]+)?|[+−-]?[.,][0-9]+)\s*(.*)$")


def _split(text: str, field: str, example: str) -> tuple[float, str]:
    clean = text.strip()
    found = _NUMBER.match(clean) if len(clean) <= 40 else None
    if found is None:
        raise InputError(field, f"“{clean[:40]}” isn't a number; write it like {example}")
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
    unit = (
        unit.lstrip("°º").removesuffix(".").removeprefix("degrees").removeprefix("degree")
    )
    unit = unit.removeprefix("deg")
    if unit in ("f", "fahrenheit") or (not unit and units is Units.IMPERIAL):
        return celsius(value)
    if unit in ("c", "celsius", ""):
        return value
    raise InputError(field, f"“{text.strip()[:40]}”: the unit is °C or °F")


def parse_speed(text: str, units: Units = Units.METRIC, *, field: str = "wind") -> float:
    """A wind in m/s: a speed, a Beaufort force, or the higher end of a range. Raises InputError.

    >>> round(parse_speed("force 5"), 1), parse_speed("5 to 8 m/s"), parse_speed("36 km/h")
    (9.3, 8.0, 10.0)
    """
    clean = text.strip()
    if len(clean) <= LONGEST and (ends := _RANGE.match(clean)):
        clean = ends[2]  # the higher end: what is pitched for it stands in less
        if _force_word(text):
            clean = f"force {clean}"
    if force := _FORCE.match(clean.lower()):
        number = int(force[1] or force[2])
        if number > FORCE_MOST:
            raise InputError(
                field, f"“{text.strip()[:40]}”: forces go from 0 to {FORCE_MOST}"
            )
        return float(BEAUFORT_MEAN * number**1.5)
    value, unit = _split(clean, field, "8, 8 m/s, 30 km/h, 18 mph, 16 kn or force 5")
    unit = unit or ("mph" if units is Units.IMPERIAL else "m/s")
    if unit not in SPEEDS:
        raise InputError(
            field, f"“{text.strip()[:40]}”: the unit is m/s, km/h, mph, kn or a force"
        )
    return value * SPEEDS[unit]


_WEIGHT_UNITS: Final = {
    **dict.fromkeys(("kg", "kilo", "kilos", "kilogram", "kilograms"), 1.0),
    **dict.fromkeys(("g", "gram", "grams"), 0.001),
    **dict.fromkeys(("lb", "lbs", "pound", "pounds"), POUND_KG),
    **dict.fromkeys(("oz", "ounce", "ounces"), POUND_KG / OUNCES),
}
WEIGHT_MOST_KG: Final = constant(
    "weight_most", 50.0, "kg", ENGINEERING, "heaviest piece of kit taken"
)


def parse_weight(text: str, units: Units = Units.METRIC, *, field: str = "weight") -> float:
    """Read a weight; returns kg. A bare number is in kilograms, or pounds in a feet course; pounds
    may be followed by ounces. Raises InputError naming `field`.

    >>> parse_weight("650 g"), round(parse_weight("1 lb 8 oz"), 2), parse_weight("1,2")
    (0.65, 0.68, 1.2)
    """
    example = "650 g, 0.65 kg or 1 lb 8 oz"
    kilograms, rest, larger = 0.0, text, math.inf
    while rest:
        value, after = _split(rest, field, example)
        unit = re.sub(r"\d.*", "", after)
        bare = POUND_KG if units is Units.IMPERIAL else 1.0
        size = _WEIGHT_UNITS.get(unit) if unit else bare
        if (
            size is None
            or size >= larger
            or (rest is not text and size == bare and not unit)
        ):
            words = f"“{text.strip()[:LONGEST]}” isn't a weight; write it like {example}"
            raise InputError(field, words)
        kilograms, rest, larger = kilograms + value * size, after[len(unit) :], size
    if not text or not 0 <= kilograms <= WEIGHT_MOST_KG:
        most = format_load(WEIGHT_MOST_KG, units)
        raise InputError(field, f"“{text.strip()[:LONGEST]}” is outside 0 to {most}")
    return kilograms


def _force_word(text: str) -> bool:
    """Whether a wind begins as a Beaufort force does."""
    return text.strip().lower().startswith(("force", "beaufort", "bft", "bf", "f"))


def parse_rain(text: str, units: Units = Units.METRIC, *, field: str = "rain") -> float:
    """A rain rate in mm/h. Raises InputError."""
    value, unit = _split(text, field, "4, 4 mm/h or 0.2 in/h")
    unit = unit or ("in/h" if units is Units.IMPERIAL else "mm/h")
    if unit not in RAINS:
        raise InputError(field, f"“{text.strip()[:40]}”: the unit is mm/h or in/h")
    return value * RAINS[unit]


def parse_bearing(text: str, *, field: str = "wind_from") -> float:
    """A bearing in degrees, from degrees or a compass point. Raises InputError.

    >>> parse_bearing("WSW"), parse_bearing("240°"), parse_bearing("360")
    (247.5, 240.0, 0.0)
    >>> parse_bearing("south west"), parse_bearing("N45E"), parse_bearing("S 30 W")
    (225.0, 45.0, 210.0)
    """
    point = text.strip().upper()[:LONGEST]
    letters = point
    for word in ("FROM", "THE"):
        letters = re.sub(rf"\b{word}\b", " ", letters)
    for word in ("NORTH", "SOUTH", "EAST", "WEST"):
        letters = re.sub(rf"{word}(?:ERLY)?", word[0], letters)
    letters = re.sub(r"[\s-]+", "", letters)
    if letters in POINTS:
        return POINTS.index(letters) * 22.5
    if (quadrant := _QUADRANT.match(point)) and float(quadrant[2].replace(",", ".")) <= 90:
        off = float(quadrant[2].replace(",", "."))
        from_north = off if quadrant[1] == "N" else 180 - off
        return (from_north if quadrant[3] == "E" else -from_north) % 360
    value, unit = _split(text, field, "240 or WSW")
    if unit.strip("°º") not in ("", "deg", "degrees") or not 0 <= value <= 360:
        raise InputError(
            field,
            f"“{text.strip()[:40]}” isn't a bearing; "
            "give 0 to 360 degrees, or a point such as WSW",
        )
    return value % 360


def parse_time(text: str, *, field: str = "time") -> time:
    """A time of day: by 24 hours, with am or pm, or a word for it. Raises InputError.

    >>> [f"{parse_time(t):%H:%M}" for t in ("21:00", "9pm", "9.30 pm", "0300", "3 am", "midnight")]
    ['21:00', '21:00', '21:30', '03:00', '03:00', '00:00']
    """
    clean = text.strip().lower()
    if clean in _TIME_WORDS:
        return _TIME_WORDS[clean]
    if re.fullmatch(r"\d{4}h?", clean):
        clean = f"{clean[:2]}:{clean[2:4]}"
    if found := _TIME.match(clean):
        hour, minute, half = int(found[1]), int(found[2] or 0), (found[3] or "")[:1]
        if half in ("a", "p") and 1 <= hour <= 12:
            hour = hour % 12 + (12 if half == "p" else 0)
        elif half in ("a", "p"):
            hour = 24  # no such hour by the clock's face
        if hour < 24 and minute < 60:
            return time(hour, minute)
    raise InputError(
        field, f"“{text.strip()[:20]}” isn't a time of day; write it like 21:00 or 9 pm"
    )


def parse_degrees(text: str, letters: str, most: float, *, field: str) -> float:
    """A latitude or longitude in degrees, from decimals or from degrees, minutes and seconds;
    `letters`: those of the positive and of the negative side. Raises InputError.

    >>> parse_degrees("54° 24' N", "NS", 90, field="latitude")
    54.4
    >>> parse_degrees("2 30 36 W", "EW", 180, field="longitude")
    -2.51
    """
    clean = text.strip().upper().replace("−", "-")
    shown = f"“{text.strip()[:30]}”"
    side = next((c for c in letters if clean.startswith(c) or clean.endswith(c)), "")
    bare = clean.strip(letters + " ").strip("°º'′’\"″” ")
    parts = re.split(r"[\s°º'′’\"″”:]+", bare)
    how = (
        f"write it like {54.62 if most == 90 else 2.48} or {54 if most == 90 else 2}° 30' "
    )
    try:
        numbers = [float(part.replace(",", ".")) for part in parts]
    except ValueError:
        numbers = []
    if not 1 <= len(numbers) <= 3 or len(clean) > LONGEST:
        raise InputError(
            field,
            f"{shown} isn't a number of degrees; {how}{letters[0]}, or give a grid reference",
        )
    whole, *rest = numbers
    if any(not 0 <= part < 60 for part in rest) or (side and whole < 0):
        raise InputError(
            field, f"{shown}: minutes and seconds go from 0 to 60; {how}{letters[0]}"
        )
    size = abs(whole) + sum(part / 60.0 ** (n + 1) for n, part in enumerate(rest))
    value: float = -size if side == letters[1] or parts[0].startswith("-") else size
    if not -most <= value <= most:
        raise InputError(field, f"{shown} is outside {-most:g} to {most:g}")
    return round(value, 6)


def format_position(latitude: float, longitude: float) -> str:
    """A place on the earth as it is read out to those who come to help: degrees and minutes to a
    thousandth, about two metres.

    >>> format_position(54.40512, -3.2)
    "54° 24.307' N, 3° 12.000' W"
    """
    parts = []
    for degrees, letters in ((latitude, "NS"), (longitude, "EW")):
        thousandths = round(abs(degrees) * 60_000)
        whole, rest = divmod(thousandths, 60_000)
        parts.append(f"{whole}° {rest / 1000:06.3f}' {letters[degrees < 0]}")
    return ", ".join(parts)


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


def format_drop(millimetres: float, units: Units = Units.METRIC) -> str:
    """The size of a raindrop."""
    if units is Units.IMPERIAL:
        return f"{millimetres / 1000 / INCH_M:.2f} in"
    return f"{millimetres:.1f} mm"


def format_rain(mm_h: float, units: Units = Units.METRIC) -> str:
    """A rain rate."""
    if units is Units.IMPERIAL:
        return f"{mm_h / RAINS['in/h']:.2f} in/h"
    return f"{mm_h:.1f} mm/h"


MM_IN: Final = INCH_M * 1000
PARTS_IN: Final = 32
"""Thin things are told in 32nds of an inch, as rulers and cord sellers do (common practice)."""


def format_thickness(mm: float, units: Units = Units.METRIC) -> str:
    """Show how thick a cord or wide a stake is: whole or half millimetres, or parts of an inch.

    >>> format_thickness(3), format_thickness(3, Units.IMPERIAL), format_thickness(12.5)
    ('3 mm', '1/8 in', '12.5 mm')
    """
    if units is Units.METRIC:
        return f"{mm:g} mm"
    parts = max(round(mm / MM_IN * PARTS_IN), 1)
    whole, rest = divmod(parts, PARTS_IN)
    shared = math.gcd(rest, PARTS_IN)
    said = [str(whole)] if whole else []
    said += [f"{rest // shared}/{PARTS_IN // shared}"] if rest else []
    return f"{' '.join(said)} in"


def parse_thickness(
    text: str, units: Units = Units.METRIC, *, field: str, least_mm: float, most_mm: float
) -> float:
    """Read how thick something is, in millimetres: `3`, `3 mm`, `1/8 in`, `0.12"`, `1 1/4 in`. A
    bare number is in millimetres, in a feet course in inches. Raises InputError.
    """
    clean = text.strip().lower().replace(",", ".")
    found = _THICK.fullmatch(clean)
    if not found or not clean:
        raise InputError(
            field, f"“{text.strip()[:30]}” isn't a thickness; write 3 mm or 1/8 in"
        )
    whole, over, under, unit = found.groups()
    if under is not None and not float(under):
        raise InputError(
            field, f"“{text.strip()[:30]}” isn't a thickness; write 3 mm or 1/8 in"
        )
    value = float(whole or 0) + (float(over) / float(under) if over is not None else 0.0)
    inches = unit in ("in", "inch", "inches", '"') or (not unit and units is Units.IMPERIAL)
    mm = value * MM_IN if inches else value
    if not least_mm <= mm <= most_mm:
        least, most = (format_thickness(v, units) for v in (least_mm, most_mm))
        raise InputError(
            field,
            f"“{text.strip()[:30]}” is {format_thickness(mm, units)}; give {least} to {most}",
        )
    return mm


_THICK: Final = re.compile(
    r"""(?:(\d{1,4}(?:\.\d{1,4})?)(?![\d/]))?(?:\s*\b(\d{1,3})/(\d{1,3}))?"""
    r"""\s*(mm|in|inch|inches|")?"""
)
