"""Places told as grid references: the military grid (MGRS) and UTM, whose zones name themselves."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Final, NamedTuple

import mgrs
import utm

from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

EXAMPLE: Final = "30U WF 55 40"
PLACES: Final = 6
"""Decimals of a degree, a tenth of a metre."""
MOST_DIGITS: Final = 5
"""Digits of a military reference each way: to the metre."""
ZONE: Final = r"(\d{1,2})\s*([C-HJ-NP-X])"
MILITARY: Final = re.compile(rf"{ZONE}\s*([A-HJ-NP-Z]{{2}})\s*(\d[\d\s]*)")
METRES: Final = re.compile(rf"{ZONE}\s+(\d{{6}})\s*(?:M?E)?[\s,]+(\d{{1,7}})\s*(?:M?N)?")


class Position(NamedTuple):
    """A place on the earth, degrees."""

    latitude: float
    longitude: float


def read_grid(text: str, *, field: str) -> Position | None:
    """The middle of the square that a grid reference names, or the place that metres east and north
    in a zone name; None where the text is no such thing. Raises InputError where it looks like one
    and names no place.

    >>> read_grid("54.62", field="latitude") is None
    True
    """
    clean = " ".join(text.upper().split())
    if found := MILITARY.fullmatch(clean):
        return _of_square(clean, "".join(found.group(1, 2, 3)), found[4], field)
    if found := METRES.fullmatch(clean):
        zone, band, east, north = found.groups()
        try:
            latitude, longitude = utm.to_latlon(int(east), int(north), int(zone), band)
        except utm.OutOfRangeError as err:
            raise _no_place(clean, field) from err
        if utm.latitude_to_zone_letter(latitude) != band:
            raise _no_place(clean, field)
        return Position(round(float(latitude), PLACES), round(float(longitude), PLACES))
    return None


def with_positions(typed: Mapping[str, str]) -> dict[str, str]:
    """What was typed into fields: a grid reference in the latitude's or the longitude's stands for
    both. Raises InputError.
    """
    for field in ("latitude", "longitude"):
        position = read_grid(typed.get(field, ""), field=field)
        if position is not None:
            both = {
                name: f"{value:.{PLACES}f}" for name, value in position._asdict().items()
            }
            return {**typed, **both}
    return dict(typed)


def _of_square(clean: str, square: str, told: str, field: str) -> Position:
    digits = "".join(told.split())
    half = len(digits) // 2
    if len(digits) % 2 or half > MOST_DIGITS:
        raise InputError(
            field,
            f"“{clean[:40]}” has {len(digits)} digits; a grid reference has as many for east "
            f"as for north, up to {MOST_DIGITS} each, like {EXAMPLE}",
        )
    east, north = (
        f"{part}5".ljust(MOST_DIGITS, "0")[:MOST_DIGITS]
        for part in (digits[:half], digits[half:])
    )
    try:
        latitude, longitude = mgrs.MGRS().toLatLon(f"{square}{east}{north}")
    except mgrs.core.MGRSError as err:
        raise _no_place(clean, field) from err
    return Position(round(latitude, PLACES), round(longitude, PLACES))


def _no_place(clean: str, field: str) -> InputError:
    return InputError(
        field,
        f"“{clean[:40]}” looks like a grid reference, but no place has it: look at its zone and "
        f"letters; {EXAMPLE} is one",
    )
