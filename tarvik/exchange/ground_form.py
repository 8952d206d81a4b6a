"""The ground's items as plain values: points, areas, spot heights, readings, left-or-right
answers.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, Final

from tarvik.core.errors import InputError
from tarvik.core.rig.supports import TRUNK_M
from tarvik.core.site.hazards import TICKS
from tarvik.core.site.reading import (
    Bearing,
    Reading,
    Side,
    finder,
    offset,
    pace_length,
    paced,
    tape,
)
from tarvik.core.site.things import LINES, Area, Health, Kind, Sort, SpotHeight, Thing
from tarvik.core.units import PACE_M, Units, format_length, parse_length

if TYPE_CHECKING:
    from tarvik.core.plain import JsonMapping, JsonObject

NAME_MOST: Final = 40
NOTE_MOST: Final = 400
ITEM_KINDS: Final = ("thing", "area", "height", "reading", "check")
READING_WAYS: Final = ("tape", "finder", "paces", "bearing", "offset", "side")
TYPED_MOST_M: Final = 100_000.0
"""Longest length read; what is too long for its field is said by who takes it."""
LINE_WIDTH_M: Final = 1.0
"""Width of a path, stream or fence drawn as a line when nobody gives one."""


def _name(values: JsonMapping, field: str = "name") -> str:
    text = str(values.get(field) or "").strip()
    if not text or len(text) > NAME_MOST or any(ord(c) < 32 for c in text):
        raise InputError(field, f"give a name of at most {NAME_MOST} letters")
    return text


def _number(values: JsonMapping, field: str, usual: float | None = None) -> float:
    value = values.get(field)
    if value is None or value == "":
        if usual is None:
            raise InputError(field, "this number is missing")
        return usual
    try:
        number = float(str(value).replace(",", "."))
    except ValueError:
        raise InputError(field, f"“{str(value)[:30]}” isn't a number") from None
    if not math.isfinite(number):
        raise InputError(field, "give a finite number")
    return number


def _one_of(
    values: JsonMapping, field: str, kinds: type[Kind | Sort | Health], usual: str
) -> Any:
    text = str(values.get(field) or usual).strip().lower()
    try:
        return kinds(text)
    except ValueError:
        raise InputError(field, f"“{text[:30]}” is none of {', '.join(kinds)}") from None


def thing_of(values: JsonMapping) -> Thing:
    """A point. Raises InputError."""
    kind = _one_of(values, "kind", Kind, Kind.TREE)
    usual = (
        TRUNK_M
        if kind is Kind.TREE
        else 0.1
        if kind in (Kind.POST, Kind.MARK, Kind.FIRE)
        else 0.6
    )
    return Thing(
        _name(values),
        kind,
        (_number(values, "x", 0.0), _number(values, "y", 0.0)),
        _number(values, "across_m", usual),
        _number(values, "height_m", 0.0),
        _one_of(values, "health", Health, Health.SOUND),
        _number(values, "error_m", 0.0),
    )


def area_of(values: JsonMapping) -> Area:
    """An area, or a line with a width. Raises InputError."""
    sort = _one_of(values, "sort", Sort, Sort.PAD)
    corners = values.get("corners")
    if not isinstance(corners, list | tuple) or not all(
        isinstance(c, list | tuple) and len(c) == 2 for c in corners
    ):
        raise InputError("corners", "give the corners as [x, y] pairs in metres")
    places = tuple((_number({"c": c[0]}, "c"), _number({"c": c[1]}, "c")) for c in corners)
    width = _number(
        values, "width_m", LINE_WIDTH_M if sort in LINES and len(places) < 3 else 0.0
    )
    return Area(_name(values), sort, places, width)


def height_of(values: JsonMapping) -> SpotHeight:
    """A spot height. Raises InputError."""
    return SpotHeight(
        (_number(values, "x"), _number(values, "y")), _number(values, "height_m")
    )


def readings_of(values: JsonMapping) -> tuple[Reading, ...] | Side:
    """What one row of the field book says: one reading, a finder's two, or a left-or-right answer.
    Raises InputError.
    """
    way = str(values.get("way") or "tape")
    start, end = _name(values, "start"), _name(values, "end")
    if way == "tape":
        return (tape(start, end, _number(values, "length_m")),)
    if way == "finder":
        bearing = values.get("bearing_deg")
        return finder(
            start,
            end,
            _number(values, "length_m"),
            None if bearing in (None, "") else _number(values, "bearing_deg"),
        )
    if way == "paces":
        return (paced(start, end, _number(values, "paces"), _pace(values)),)
    if way == "bearing":
        return (Bearing(start, end, _number(values, "bearing_deg")),)
    if way == "offset":
        return (
            offset(
                start,
                end,
                _name(values, "point"),
                _number(values, "along_m"),
                _number(values, "right_m"),
            ),
        )
    if way == "side":
        if values.get("hand") not in ("left", "right"):
            raise InputError("hand", "say left or right")
        return Side(start, end, _name(values, "point"), values["hand"] == "left")
    raise InputError("way", f"“{way[:20]}” is none of {', '.join(READING_WAYS)}")


def _pace(values: JsonMapping) -> float:
    """Metres a pace: as given, or from paces counted along a taped length. Raises InputError."""
    if values.get("paced") not in (None, "") or values.get("paced_m") not in (None, ""):
        return pace_length(_number(values, "paced"), _number(values, "paced_m"))
    return _number(values, "pace_m", PACE_M)


def checked(kind: str, values: JsonMapping) -> JsonObject:
    """An item's values, whole and sane, as they are kept. Raises InputError."""
    if kind == "thing":
        return thing_values(thing_of(values)) | _placed(values)
    if kind == "area":
        return area_values(area_of(values))
    if kind == "height":
        spot = height_of(values)
        return {"x": spot.at[0], "y": spot.at[1], "height_m": spot.height_m}
    if kind == "reading":
        readings_of(values)
        kept = (
            "way",
            "start",
            "end",
            "point",
            "length_m",
            "bearing_deg",
            "paces",
            "pace_m",
            "along_m",
            "right_m",
            "hand",
        )
        if values.get("way") == "paces":
            values = {**values, "pace_m": round(_pace(values), 4)}
        numbers = {k for k in kept if k.endswith(("_m", "_deg")) or k == "paces"}
        return {
            k: (_number(values, k) if k in numbers else str(values[k]).strip())
            for k in kept
            if values.get(k) not in (None, "")
        } | {"way": str(values.get("way") or "tape")}
    if kind == "check":
        if values.get("key") not in {key for key, _ in TICKS}:
            raise InputError("key", "there is no such check")
        note = str(values.get("note") or "").strip()
        if len(note) > NOTE_MOST:
            raise InputError(
                "note", f"{len(note)} letters are too many; {NOTE_MOST} at most"
            )
        return {"key": values["key"], "done": values.get("done") is True, "note": note}
    raise InputError("item", f"“{kind[:20]}” is none of {', '.join(ITEM_KINDS)}")


def _placed(values: JsonMapping) -> JsonObject:
    """Whether a point's place was given, or waits for the survey. Raises InputError for half of
    one.
    """
    given = [axis for axis in ("x", "y") if values.get(axis) not in (None, "")]
    if len(given) == 1:
        have, lacks = ("east", "north") if given == ["x"] else ("north", "east")
        raise InputError(
            "y" if given == ["x"] else "x",
            f"how far {lacks}? Give it beside how far {have}, or leave both to the survey",
        )
    return {} if given else {"x": None, "y": None}


def thing_values(thing: Thing) -> JsonObject:
    """A point as plain values."""
    return {
        "name": thing.name,
        "kind": str(thing.kind),
        "x": thing.at[0],
        "y": thing.at[1],
        "across_m": thing.across_m,
        "height_m": thing.height_m,
        "health": str(thing.health),
    }


def area_values(area: Area) -> JsonObject:
    """An area as plain values."""
    return {
        "name": area.name,
        "sort": str(area.sort),
        "corners": [list(c) for c in area.corners],
        "width_m": area.width_m,
    }


def in_metres(values: JsonMapping, units: Units) -> JsonObject:
    """Values of a form, lengths and places that were typed in it in metres: a bare number is in the
    course's units. What is no length stays as it is, for who reads it; numbers are metres already.
    """
    lengths = {k for k in values if k.endswith("_m") or k in ("x", "y")}
    out: JsonObject = {
        k: _metres(v, units) if k in lengths else v for k, v in values.items()
    }
    corners = out.get("corners")
    if isinstance(corners, list):
        out["corners"] = [
            [_metres(c, units) for c in corner] if isinstance(corner, list) else corner
            for corner in corners
        ]
    return out


def _metres(value: object, units: Units) -> object:
    """A typed length in metres, signed; anything else as it is."""
    if not isinstance(value, str):
        return value
    clean = value.strip()
    sign, size = (
        (-1.0, clean[1:]) if clean.startswith("-") else (1.0, clean.removeprefix("+"))
    )
    try:
        return sign * parse_length(size, units, most_m=TYPED_MOST_M)
    except InputError:
        return value


def reading_words(values: JsonMapping, units: Units = Units.METRIC) -> str:
    """A row of the field book in words."""

    def told(name: str) -> str:
        metres = abs(values[name])
        return f"{metres:g} m" if units is Units.METRIC else format_length(metres, units)

    start, end = values["start"], values["end"]
    way = values["way"]
    if way == "offset":
        hand = "right" if values["right_m"] >= 0 else "left"
        return (
            f"{values['point']}: {told('along_m')} along {start}-{end}, "
            f"{told('right_m')} to the {hand}"
        )
    if way == "side":
        return f"from {start} towards {end}, {values['point']} is on the {values['hand']}"
    if way == "bearing":
        return f"{start} to {end}: {values['bearing_deg']:g}°"
    if way == "paces":
        return f"{start} to {end}: {values['paces']:g} paces"
    length = f"{start} to {end}: {told('length_m')}"
    return length + (
        f", {values['bearing_deg']:g}°" if values.get("bearing_deg") is not None else ""
    )
