"""Hourly forecasts in open forms: CSV and JSON, read with every fault named, and written.

CSV: a head line, then a line an hour. `time` (ISO 8601; without an offset it is local time) and any
of: temp_c or temp_f; rain_mm_h or rain_in_h; wind_m_s, wind_kmh, wind_mph or wind_kn; gust_
likewise; wind_from_deg (degrees or a compass point); humidity_pct; cloud_pct; snow and lightning
(yes or no). Commas, semicolons or tabs between.
JSON: {"issued_at": time, "source": text, "hours": [{"time": time, and the same names}]}.
"""

from __future__ import annotations

import csv
import io
import json
from datetime import UTC, datetime
from itertools import pairwise
from typing import TYPE_CHECKING, Any, Final

from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.quantities import RAINS, SPEEDS, celsius, parse_bearing
from tarvik.core.weather.forecast import Forecast, Hour, assemble, stamp

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping, Sequence
    from zoneinfo import ZoneInfo

    from tarvik.core.plain import JsonMapping, JsonObject

MOST_BYTES: Final = 400_000
MOST_HOURS: Final = 1000
STRONG_M_S: Final = 25.0
"""A mean wind above this (force 10) is asked about: it is more often a wrong unit."""
JUMP_K: Final = 15.0
"""A change of temperature from one hour to the next that is asked about."""


def _scaled(factor: float) -> Callable[[float], float]:
    return lambda value: value * factor


COLUMNS: Final[Mapping[str, tuple[str, Callable[[float], float]]]] = {
    "temp_c": ("temp_c", _scaled(1)),
    "temp_f": ("temp_c", celsius),
    "rain_mm_h": ("rain_mm_h", _scaled(1)),
    "rain_in_h": ("rain_mm_h", _scaled(RAINS["in/h"])),
    **{
        f"{what}_{name}": (f"{what}_m_s", _scaled(SPEEDS[unit]))
        for what in ("wind", "gust")
        for name, unit in (("m_s", "m/s"), ("kmh", "km/h"), ("mph", "mph"), ("kn", "kn"))
    },
    "humidity_pct": ("humidity_pct", _scaled(1)),
    "cloud_pct": ("cloud_pct", _scaled(1)),
}
"""Column names, the value of an hour each gives, and how."""
FLAGS: Final = ("snow", "lightning")
"""Columns that say yes or no."""
KNOWN: Final = (*COLUMNS, "time", "wind_from_deg", *FLAGS)
YES: Final = frozenset({"yes", "true", "1", "y"})
NO: Final = frozenset({"no", "false", "0", "n", ""})


class _Reader:
    """Reads rows into hours and gathers what is wrong with them."""

    def __init__(self, zone: ZoneInfo) -> None:
        self.zone = zone
        self.hours: list[Hour] = []
        self.findings: list[Finding] = []
        self.naive = 0
        self.offsets: set[str] = set()

    def wrong(
        self,
        code: str,
        where: str,
        message: str,
        remedy: str = "",
        level: Level = Level.CAUTION,
    ) -> None:
        """Note a finding."""
        self.findings.append(Finding(code, where, message, remedy, level))

    def columns(self, names: Iterable[str]) -> None:
        """Look at the head line. Raises InputError when there is no time column, or nothing else
        that is known.
        """
        given = list(names)
        if "time" not in given:
            raise InputError(
                "forecast",
                "there is no column “time”; the first line must name the columns",
            )
        if len(set(given) & set(KNOWN)) < 2:
            raise InputError(
                "forecast",
                f"no known column beside “time”; there are {', '.join(KNOWN[:6])} and more",
            )
        for name in given:
            if name and name not in KNOWN:
                self.wrong(
                    "unknown_column",
                    name[:40],
                    f"the column “{name[:40]}” is not known and left out",
                    "name it with its unit, such as wind_kmh",
                    Level.NOTE,
                )
        taken: dict[str, str] = {}
        for name in given:
            target = COLUMNS[name][0] if name in COLUMNS else name
            if target in taken and name in KNOWN:
                raise InputError(
                    "forecast",
                    f"“{taken[target]}” and “{name}” say the same; keep one of them",
                )
            taken[target] = name

    def time(self, text: object, where: str) -> datetime | None:
        """An instant; None, with a finding, when it is no time."""
        try:
            at = datetime.fromisoformat(str(text).strip())
            if at.tzinfo is None:
                self.naive += 1
                at = at.replace(tzinfo=self.zone)
            elif at.utcoffset() != at.astimezone(self.zone).utcoffset():
                self.offsets.add(f"{at:%z}"[:3] + ":" + f"{at:%z}"[3:5])
            return at.astimezone(UTC)
        except (ValueError, OverflowError):
            self.wrong(
                "no_time",
                where,
                f"{where}: “{str(text)[:40]}” isn't a time; the hour is left out",
                "write it like 2027-09-23T18:00+01:00",
                Level.CAUTION,
            )
            return None

    def row(self, row: JsonMapping, where: str) -> None:
        """One hour."""
        if len(self.hours) >= MOST_HOURS:
            raise InputError("forecast", f"more than {MOST_HOURS} hours; send less at once")
        at = self.time(row.get("time"), where)
        if at is None:
            return
        if at.minute or at.second:
            self.wrong(
                "not_on_the_hour",
                where,
                f"{where}: {at:%H:%M} is not on the hour; it is taken for the hour begun",
                "",
                Level.NOTE,
            )
        values: dict[str, float | None] = {}
        for name, (target, convert) in COLUMNS.items():
            value = self._number(row.get(name), name, where)
            if value is not None:
                values[target] = convert(value)
        values["wind_from_deg"] = self._bearing(row.get("wind_from_deg"), where)
        snow, lightning = (self._flag(row.get(name), f"{where} {name}") for name in FLAGS)
        self.hours.append(Hour(at, snow=snow, lightning=lightning, **values))

    def _number(self, value: Any, name: str, where: str) -> float | None:
        if value is None or (isinstance(value, str) and not value.strip()):
            return None
        try:
            if isinstance(value, bool):
                raise TypeError
            return float(
                value.strip().replace(",", ".") if isinstance(value, str) else value
            )
        except (TypeError, ValueError, OverflowError):
            self.wrong(
                "no_number",
                f"{where} {name}",
                f"{where}: {name} “{str(value)[:30]}” isn't a number; left out",
                "correct it",
            )
            return None

    def _bearing(self, value: Any, where: str) -> float | None:
        if value is None or (isinstance(value, str) and not value.strip()):
            return None
        try:
            return parse_bearing(str(value))
        except InputError as err:
            self.wrong(
                "no_bearing",
                f"{where} wind_from_deg",
                f"{where}: {err.message}; left out",
                "correct it",
            )
            return None

    def _flag(self, value: Any, where: str) -> bool:
        text = str(value if value is not None else "").strip().lower()
        if text not in YES | NO:
            self.wrong(
                "no_yes_or_no",
                where,
                f"{where}: “{text[:20]}” is neither yes nor no; taken as no",
                "",
                Level.NOTE,
            )
        return text in YES

    def done(self, issued_at: datetime | None, source: str) -> Forecast:
        """All together. Raises InputError when not a single hour could be read."""
        if not self.hours:
            first = (
                self.findings[0].message if self.findings else "there are no hours in it"
            )
            raise InputError("forecast", f"no hour could be read: {first}")
        if self.naive:
            self.wrong(
                "no_zone",
                "time",
                f"{self.naive} times name no zone; they are taken as {self.zone.key} time",
                "add an offset such as +01:00",
                Level.NOTE,
            )
        if self.offsets:
            self.wrong(
                "other_zone",
                "time",
                f"times are given at UTC{', UTC'.join(sorted(self.offsets))}; they are taken "
                f"so and shown as "
                f"{self.zone.key} time",
                "",
                Level.NOTE,
            )
        made = assemble(self.hours, issued_at, source[:80], self.findings)
        return Forecast(
            made.hours,
            made.issued_at,
            made.source,
            (*made.findings, *_improbable(made.hours)),
        )


def _improbable(hours: Sequence[Hour]) -> list[Finding]:
    """Values that can be true and rarely are: most often a wrong unit."""
    found = []
    strong = [h for h in hours if (h.wind_m_s or 0) > STRONG_M_S]
    if strong:
        found.append(
            Finding(
                "strong_wind",
                stamp(strong[0].at),
                f"{len(strong)} hours have a mean wind above {STRONG_M_S:.0f} m/s (force 10)",
                "if these are km/h, name the column wind_kmh",
            )
        )
    jumps = [
        b
        for a, b in pairwise(hours)
        if a.temp_c is not None
        and b.temp_c is not None
        and abs(a.temp_c - b.temp_c) > JUMP_K
    ]
    if jumps:
        found.append(
            Finding(
                "temperature_jump",
                stamp(jumps[0].at),
                f"the temperature jumps by more than {JUMP_K:.0f} degrees at {stamp(jumps[0].at)}",
                "check the unit of that line",
            )
        )
    share = [h.humidity_pct for h in hours if h.humidity_pct is not None]
    if share and max(share) <= 1.0:
        found.append(
            Finding(
                "humidity_share",
                "humidity_pct",
                "no hour has more than 1 % humidity",
                "if these are shares of 1, multiply them by 100",
            )
        )
    return found


def read_csv(text: str, zone: ZoneInfo, source: str = "imported") -> Forecast:
    """Read the CSV form. Raises InputError when it is no such thing at all; single faults become
    findings.
    """
    if len(text) > MOST_BYTES:
        raise InputError(
            "forecast", f"the file has more than {MOST_BYTES:,} letters; send less at once"
        )
    lines = text.lstrip("\ufeff").splitlines()
    if not lines or not lines[0].strip():
        raise InputError("forecast", "the file is empty, or its first line is")
    delimiter = max(";\t,", key=lines[0].count)
    reader = _Reader(zone)
    names = [
        name.strip().lower() for name in next(csv.reader([lines[0]], delimiter=delimiter))
    ]
    reader.columns(names)
    try:
        for number, cells in enumerate(
            csv.reader(io.StringIO("\n".join(lines[1:])), delimiter=delimiter), start=2
        ):
            if not any(cell.strip() for cell in cells):
                continue
            if len(cells) != len(names):
                reader.wrong(
                    "cells",
                    f"line {number}",
                    (
                        f"line {number} has {len(cells)} cells and the head has {len(names)}; "
                        "the line is left out"
                    ),
                    "correct it",
                )
                continue
            reader.row(dict(zip(names, cells, strict=True)), f"line {number}")
    except csv.Error as err:
        raise InputError("forecast", f"this isn't a table: {err}") from err
    return reader.done(None, source)


def read_json(text: str | bytes, zone: ZoneInfo) -> Forecast:
    """Read the JSON form. Raises InputError when it is no such thing at all; single faults become
    findings.
    """
    if len(text) > MOST_BYTES:
        raise InputError("forecast", f"the answer has more than {MOST_BYTES:,} letters")
    try:
        form = json.loads(text)
    except (ValueError, RecursionError) as err:
        raise InputError("forecast", "this isn't JSON; it may be cut off") from err
    hours = form.get("hours") if isinstance(form, dict) else None
    if not isinstance(hours, list) or not all(isinstance(h, dict) for h in hours):
        raise InputError("forecast", "there is no list “hours” of hours in it")
    reader = _Reader(zone)
    if hours:
        reader.columns(dict.fromkeys(str(name) for hour in hours for name in hour))
    for number, hour in enumerate(hours, start=1):
        reader.row(hour, f"hour {number}")
    issued = form.get("issued_at")
    return reader.done(
        reader.time(issued, "issued_at") if issued else None,
        str(form.get("source") or "forecast"),
    )


def read_any(text: str, zone: ZoneInfo) -> Forecast:
    """Read whichever of the two forms it is. Raises InputError."""
    return (
        read_json(text, zone)
        if text.lstrip("\ufeff \r\n\t")[:1] in ("{", "[")
        else read_csv(text, zone)
    )


_WRITTEN: Final = (
    "temp_c",
    "rain_mm_h",
    "wind_m_s",
    "gust_m_s",
    "wind_from_deg",
    "humidity_pct",
    "cloud_pct",
)


def as_form(forecast: Forecast) -> JsonObject:
    """The JSON form as plain values."""
    return {
        "issued_at": forecast.issued_at.isoformat() if forecast.issued_at else None,
        "source": forecast.source,
        "hours": [
            {
                "time": h.at.isoformat(),
                **{k: getattr(h, k) for k in _WRITTEN if getattr(h, k) is not None},
                **{name: getattr(h, name) for name in FLAGS},
            }
            for h in forecast.hours
        ],
    }


def write_csv(forecast: Forecast) -> str:
    """The CSV form."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["time", *_WRITTEN, *FLAGS])
    for h in forecast.hours:
        values = ["" if getattr(h, k) is None else f"{getattr(h, k):g}" for k in _WRITTEN]
        flags = ["yes" if getattr(h, name) else "no" for name in FLAGS]
        writer.writerow([f"{h.at:%Y-%m-%dT%H:%M}+00:00", *values, *flags])
    return out.getvalue()
