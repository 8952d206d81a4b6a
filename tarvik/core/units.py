"""Lengths as people write them, in and out. Inside Tarvik every length is in metres.

`parse_length` reads `290cm`, `2.4`, `2,4 m`, `9'6"`, `9 ft 6 in`, `9 1/2 ft`, `114 in`;
`parse_size` reads two of them (`8x10 ft`, `2.4 x 3`). A bare number is in the course's own unit.
"""

from __future__ import annotations

import math
import re
from enum import StrEnum
from typing import Final

from tarvik.core.constant import EXACT, constant
from tarvik.core.errors import InputError

FOOT_M: Final = constant("foot", 0.3048, "m", EXACT, "one international foot")
INCH_M: Final = constant("inch", 0.0254, "m", EXACT, "one international inch")
GRAVITY: Final = constant(
    "gravity", 9.80665, "m/s2", "standard gravity, ISO 80000-3", "what a kilogram weighs"
)
POUND_KG: Final = constant("pound", 0.45359237, "kg", EXACT, "one international pound")
GALLON_L: Final = constant("gallon", 4.54609, "l", EXACT, "one imperial gallon")
MAX_TEXT: Final = 60
"""Longest text taken for a length; anything longer is not a length."""


class Units(StrEnum):
    """The unit system a course is kept in."""

    METRIC = "metric"
    IMPERIAL = "imperial"


_NUMBER = r"(?:\d+\s+\d+/\d+|\d+/\d+|\d+(?:[.,]\d+)?|[.,]\d+)"
_FEET = r"(?:'|′|’|ft\.?|feet|foot)"
_INCH = r"(?:\"|″|”|''|in\.?|inch(?:es)?)"
_FEET_INCHES = re.compile(rf"^({_NUMBER})\s*{_FEET}\s*(?:({_NUMBER})\s*{_INCH}?)?$", re.I)
_INCHES = re.compile(rf"^({_NUMBER})\s*{_INCH}$", re.I)
_METRIC = re.compile(rf"^({_NUMBER})\s*(m|metres?|meters?|cm|mm)$", re.I)
_BARE = re.compile(rf"^({_NUMBER})$")
_METRE_CM = re.compile(r"^(\d)\s*m\s*(\d{1,2})(?:\s*cm)?$", re.I)
_UNIT_AT_END = re.compile(rf"({_FEET}|{_INCH}|m|metres?|meters?|cm|mm)\s*$", re.I)
_SPLIT = re.compile(r"\s*(?:x|×|\*|by)\s*", re.I)
PACE_M: Final = constant(
    "pace", 0.75, "m", "from memory", "length of one pace, when nobody calibrated theirs"
)
LIGHT_KG: Final = 0.995
"""Loads under a kilogram are told in grams."""
OUNCES: Final = 16
"""Ounces to the pound."""
PINTS: Final = 8
"""Pints to the gallon."""
_PACES = re.compile(rf"^({_NUMBER})\s*(?:paces?|steps?)$", re.I)
_METRIC_SCALE: Final = {"m": 1.0, "cm": 0.01, "mm": 0.001}


def _number(text: str) -> float:
    parts = text.replace(",", ".").split()
    total = 0.0
    for part in parts:
        if "/" in part:
            top, bottom = part.split("/")
            total += float(top) / float(bottom) if float(bottom) else math.nan
        else:
            total += float(part)
    return total


def _metres(text: str, bare_unit_m: float) -> float | None:
    if found := _METRE_CM.match(text):
        return float(found[1]) + float(found[2]) * (0.1 if len(found[2]) == 1 else 0.01)
    if found := _FEET_INCHES.match(text):
        return _number(found[1]) * FOOT_M + (
            _number(found[2]) * INCH_M if found[2] else 0.0
        )
    if found := _INCHES.match(text):
        return _number(found[1]) * INCH_M
    if found := _METRIC.match(text):
        unit = found[2].lower()
        return _number(found[1]) * _METRIC_SCALE["m" if unit.startswith("met") else unit]
    if found := _PACES.match(text):
        return _number(found[1]) * PACE_M
    if found := _BARE.match(text):
        return _number(found[1]) * bare_unit_m
    return None


def parse_length(
    text: str,
    units: Units = Units.METRIC,
    *,
    field: str = "length",
    least_m: float = 0.0,
    most_m: float = 100.0,
    bare_cm_above: float | None = None,
) -> float:
    """Read one length; returns metres.

    `units` is the unit of a bare number; in a metric course a bare number above `bare_cm_above` is
    centimetres (a stature typed `178`). Raises InputError naming `field` when the text is no length
    or outside [least_m, most_m].
    """
    clean = text.strip()
    if not clean or len(clean) > MAX_TEXT:
        raise InputError(field, "give a length such as 2.4 m, 290 cm or 9'6\"")
    bare = FOOT_M if units is Units.IMPERIAL else 1.0
    if bare_cm_above is not None and _BARE.match(clean) and _number(clean) > bare_cm_above:
        bare = 0.01
    value = _metres(clean, bare)
    if value is None or not math.isfinite(value):
        raise InputError(
            field, f"“{clean}” is not a length; write it like 2.4 m, 290 cm or 9'6\""
        )
    if not least_m <= value <= most_m:
        span = f"{format_length(least_m, units)} to {format_length(most_m, units)}"
        raise InputError(
            field, f"“{clean}” is {format_length(value, units)}; it must be {span}"
        )
    return value


def parse_size(
    text: str,
    units: Units = Units.METRIC,
    *,
    field: str = "size",
    least_m: float = 0.1,
    most_m: float = 30.0,
) -> tuple[float, float]:
    """Read a sheet's size `A x B`; a unit after the second number holds for both. Returns (A, B) in
    metres.

    One length alone means a square. Raises InputError naming `field`.
    """
    clean = text.strip()
    if len(clean) > MAX_TEXT:
        raise InputError(field, "give a size such as 2.4 x 3 m or 8x10 ft")
    parts = _SPLIT.split(re.sub(r"\bsq(uare)?\b", " ", clean, flags=re.I).strip())
    if len(parts) == 1:
        parts = [parts[0], parts[0]]
    if len(parts) != 2 or not all(parts):
        raise InputError(
            field, f"“{clean}” is not a size; write it like 2.4 x 3 m or 8x10 ft"
        )
    first, second = (part.strip() for part in parts)
    unit = _UNIT_AT_END.search(second)
    if unit and _BARE.match(first):
        first = f"{first} {unit[1]}"
    try:
        sides = [
            parse_length(side, units, field=field, least_m=least_m, most_m=most_m)
            for side in (first, second)
        ]
    except InputError as err:
        raise InputError(field, err.message) from err
    return sides[0], sides[1]


def format_length(metres: float, units: Units = Units.METRIC, *, unit: bool = True) -> str:
    """Show a length to what a tape can read: whole centimetres, or whole inches.

    >>> format_length(2.413), format_length(2.413, Units.IMPERIAL)
    ('2.41 m', '7 ft 11 in')
    >>> format_length(-0.1, Units.IMPERIAL)
    '-4 in'
    """
    if units is Units.METRIC:
        return f"{metres + 0.0:.2f}" + (" m" if unit else "")
    inches = round(metres / INCH_M)
    sign = "-" if inches < 0 else ""
    feet, rest = divmod(abs(inches), 12)
    if feet and rest:
        return f"{sign}{feet} ft {rest} in"
    return f"{sign}{feet} ft" if feet else f"{sign}{rest} in"


def format_size(width_m: float, length_m: float, units: Units = Units.METRIC) -> str:
    """Show a sheet's two sides."""
    if units is Units.METRIC:
        return f"{width_m:.2f} × {length_m:.2f} m"
    return f"{format_length(width_m, units)} × {format_length(length_m, units)}"


def format_area(square_metres: float, units: Units = Units.METRIC) -> str:
    """Show an area to a tenth of a square metre or a whole square foot."""
    if units is Units.METRIC:
        return f"{square_metres:.1f} m²"
    return f"{square_metres / FOOT_M**2:.0f} sq ft"


def format_force(newtons: float, units: Units = Units.METRIC) -> str:
    """Show a pull as the weight that pulls so, whole kilograms or pounds, as leaders reckon.

    >>> format_force(106.0), format_force(-60.0), format_force(106.0, Units.IMPERIAL)
    ('11 kg', '-6 kg', '24 lb')
    >>> format_force(3.0), format_force(0.0)
    ('under 1 kg', '0 kg')
    """
    return format_weight(newtons / GRAVITY, units)


def format_weight(kilograms: float, units: Units = Units.METRIC) -> str:
    """Show a weight in whole kilograms or pounds.

    >>> format_weight(14.6), format_weight(14.6, Units.IMPERIAL)
    ('15 kg', '32 lb')
    """
    metric = units is Units.METRIC
    weight, unit = (kilograms, "kg") if metric else (kilograms / POUND_KG, "lb")
    if 0.05 < abs(weight) < 0.5:
        return f"under 1 {unit}"
    return f"{round(weight) + 0} {unit}"


def format_load(kilograms: float, units: Units = Units.METRIC) -> str:
    """A weight to carry: to 10 grams or an ounce while it is small, then to a tenth.

    >>> format_load(0.648), format_load(1.26), format_load(0.2, Units.IMPERIAL)
    ('650 g', '1.3 kg', '7 oz')
    """
    if units is Units.METRIC:
        return (
            f"{kilograms * 100:.0f}0 g" if kilograms < LIGHT_KG else f"{kilograms:.1f} kg"
        )
    ounces = kilograms / POUND_KG * OUNCES
    return f"{ounces:.0f} oz" if ounces < OUNCES - 0.5 else f"{ounces / OUNCES:.1f} lb"


def format_depth(metres: float, units: Units = Units.METRIC) -> str:
    """Show a short length as people say it: whole centimetres or inches.

    >>> format_depth(0.3), format_depth(0.3, Units.IMPERIAL)
    ('30 cm', '12 in')
    """
    if units is Units.METRIC:
        return f"{metres * 100:.0f} cm"
    return f"{metres / INCH_M:.0f} in"


def format_slip(metres: float, units: Units = Units.METRIC) -> str:
    """Show by how much a measured length is off: signed whole centimetres or inches.

    >>> format_slip(0.052), format_slip(-0.052, Units.IMPERIAL), format_slip(0.0)
    ('+5 cm', '-2 in', '+0 cm')
    """
    if units is Units.METRIC:
        return f"{round(metres * 100):+d} cm"
    return f"{round(metres / INCH_M):+d} in"


def format_ruler(metres: float, units: Units) -> str:
    """A length on paper, as a ruler shows it: millimetres, or inches with their parts.

    >>> format_ruler(0.05, Units.METRIC), format_ruler(0.047625, Units.IMPERIAL)
    ('50 mm', '1.875 in')
    """
    if units is Units.METRIC:
        return f"{1000 * metres:.0f} mm"
    return f"{round(metres / INCH_M, 3):g} in"


def format_way(metres: float, units: Units = Units.METRIC) -> str:
    """Show a distance on the ground in round figures: tenths of a metre, or whole feet.

    >>> format_way(30.0), format_way(30.0, Units.IMPERIAL), format_way(2.54)
    ('30 m', '98 ft', '2.5 m')
    """
    if units is Units.METRIC:
        return f"{round(metres, 1):g} m"
    return f"{metres / FOOT_M:.0f} ft" if metres >= FOOT_M else format_length(metres, units)


def format_gain(metres: float, units: Units = Units.METRIC) -> str:
    """Show how far something moves, a little at a time: signed millimetres, or tenths of an inch.

    >>> format_gain(0.017), format_gain(-0.0001), format_gain(0.017, Units.IMPERIAL)
    ('+17 mm', '0 mm', '+0.7 in')
    """
    metric = units is Units.METRIC
    value, unit = (
        (round(metres * 1000), "mm") if metric else (round(metres / INCH_M, 1), "in")
    )
    return f"{value:+g} {unit}" if value else f"0 {unit}"


def format_pressure(pascals: float, units: Units = Units.METRIC) -> str:
    """Show a wind's pressure: whole pascals, or hundredths of a pound a square foot.

    >>> format_pressure(20.0), format_pressure(20.0, Units.IMPERIAL)
    ('20 Pa', '0.42 lb/sq ft')
    """
    if units is Units.METRIC:
        return f"{pascals:.0f} Pa"
    return f"{pascals * FOOT_M**2 / (GRAVITY * POUND_KG):.2f} lb/sq ft"


def format_litres(litres: float, units: Units = Units.METRIC) -> str:
    """Show an amount of water: whole litres, or gallons (imperial); little in tenths, or pints.

    >>> format_litres(9.0), format_litres(9.0, Units.IMPERIAL)
    ('9 litres', '2 gallons')
    >>> format_litres(0.42), format_litres(0.42, Units.IMPERIAL)
    ('0.4 litres', '0.7 pints')
    """
    if litres < 1.0:
        if units is Units.METRIC:
            return f"{litres:.1f} litres"
        return f"{litres / GALLON_L * PINTS:.1f} pints"
    if units is Units.METRIC:
        return f"{litres:.0f} {'litre' if round(litres) == 1 else 'litres'}"
    gallons = litres / GALLON_L
    return f"{gallons:.0f} {'gallon' if round(gallons) == 1 else 'gallons'}"


_TOLD_M = re.compile(r"(?<![\w.])((?:\d+(?:\.\d+)?) to )?(\d+(?:\.\d+)?) m(?![\w/])")


def told_in(message: str, units: Units) -> str:
    """A message of the core, which tells lengths in metres, with them in a course's own unit.

    >>> told_in("12.2 m is outside 0.5 to 20 m", Units.IMPERIAL)
    '40 ft is outside 1 ft 8 in to 65 ft 7 in'
    >>> told_in("a wind of 3 m/s", Units.IMPERIAL), told_in("2 m", Units.METRIC)
    ('a wind of 3 m/s', '2 m')
    """
    if units is Units.METRIC:
        return message

    def feet(found: re.Match[str]) -> str:
        most = format_length(float(found[2]), units)
        if not found[1]:
            return most
        return f"{format_length(float(found[1].removesuffix(' to ')), units)} to {most}"

    return _TOLD_M.sub(feet, message)
