"""An hourly forecast: its hours, what is wrong with it, and what it says about one night."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.finding import Finding, Level
from tarvik.core.weather.rain import SPREAD_DEG

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

RAIN_LEAST_MM_H: Final = constant(
    "rain_hour_least",
    0.1,
    "mm/h",
    ENGINEERING,
    "an hour with this much counts as a rain hour",
)
SPREAD_MOST_DEG: Final = constant(
    "wind_spread_most",
    90.0,
    "degrees",
    ENGINEERING,
    "widest swing of the wind taken for a night",
)
STEADY_M_S: Final = constant(
    "wind_with_direction",
    1.5,
    "m/s",
    ENGINEERING,
    "a wind lighter than this has no steady direction",
)
STALE_H: Final = constant(
    "forecast_stale", 12.0, "h", ENGINEERING, "a forecast older than this is called old"
)
LIMITS: Final = {
    "temp_c": (-60.0, 50.0, "°C", "Fahrenheit"),
    "rain_mm_h": (0.0, 120.0, "mm/h", "hundredths of an inch, or a day's total"),
    "wind_m_s": (0.0, 60.0, "m/s", "km/h or knots"),
    "gust_m_s": (0.0, 90.0, "m/s", "km/h or knots"),
    "wind_from_deg": (0.0, 360.0, "degrees", "compass points"),
    "humidity_pct": (0.0, 100.0, "%", "a share of 1"),
    "cloud_pct": (0.0, 100.0, "%", "eighths"),
}
"""Least and most of each value an hour may have, its unit, and what a value beyond them probably
is.
"""


@dataclass(frozen=True, slots=True)
class Hour:
    """One hour from `at` (UTC). Rain is the hour's mean rate; wind and gust are for 10 m; None: not
    forecast.
    """

    at: datetime
    temp_c: float | None = None
    rain_mm_h: float | None = None
    wind_m_s: float | None = None
    gust_m_s: float | None = None
    wind_from_deg: float | None = None
    humidity_pct: float | None = None
    cloud_pct: float | None = None
    snow: bool = False
    lightning: bool = False


@dataclass(frozen=True, slots=True)
class Forecast:
    """Hours in order, each once; when the forecaster issued it; where it came from."""

    hours: tuple[Hour, ...]
    issued_at: datetime | None = None
    source: str = ""
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True, slots=True)
class Outlook:
    """What a forecast says of one night. None where it says nothing of it. Wind at 10 m.

    Wind is the strongest hour's mean; direction the mean over the night, weighted by speed;
    `spread_deg` how far the hours' directions swing from it, at least SPREAD_DEG. `rain_mm_h` is
    the heaviest hour's rate; `snow_kg_m2` all that falls in the hours of snow.
    """

    hours: tuple[Hour, ...]
    missing: tuple[datetime, ...]
    lowest_c: float | None
    highest_c: float | None
    rain_mm_h: float | None
    rain_mm: float | None
    rain_from: datetime | None
    rain_to: datetime | None
    wind_m_s: float | None
    gust_m_s: float | None
    wind_from_deg: float | None
    spread_deg: float
    humidity_pct: float | None
    cloud_pct: float | None
    snow: bool
    snow_kg_m2: float | None
    lightning: bool
    findings: tuple[Finding, ...] = field(default=())


def whole_hour(at: datetime) -> datetime:
    """The start of the hour, in UTC."""
    return at.astimezone(UTC).replace(minute=0, second=0, microsecond=0)


def assemble(
    hours: Iterable[Hour],
    issued_at: datetime | None = None,
    source: str = "",
    found: Iterable[Finding] = (),
) -> Forecast:
    """Put hours in order and say what is wrong with them: values out of range, hours twice, hours
    missing.

    A value out of range is left out and never guessed. Of an hour given twice with different values
    the later one holds.
    """
    findings = list(found)
    kept: dict[datetime, Hour] = {}
    for hour in hours:
        checked, wrong = _checked(hour)
        findings += wrong
        at = whole_hour(hour.at)
        if at in kept and kept[at] != checked:
            findings.append(
                Finding(
                    "hour_twice",
                    stamp(at),
                    f"{stamp(at)} is given twice with different values; the later line is kept",
                    "take one of the two lines out",
                )
            )
        elif at in kept:
            findings.append(
                Finding(
                    "hour_twice",
                    stamp(at),
                    f"{stamp(at)} is given twice, alike; kept once",
                    "",
                    Level.NOTE,
                )
            )
        kept[at] = checked
    ordered = tuple(kept[at] for at in sorted(kept))
    findings += [
        Finding(
            "gap",
            stamp(a),
            f"no hours from {stamp(a)} to {stamp(b)}: nothing is known of that time",
            "fetch the forecast again, or type what you expect",
        )
        for a, b in _gaps([h.at for h in ordered])
    ]
    return Forecast(ordered, issued_at, source, tuple(findings))


def stamp(at: datetime) -> str:
    """An hour in UTC as text."""
    return f"{at.astimezone(UTC):%Y-%m-%d %H:%M} UTC"


def _checked(hour: Hour) -> tuple[Hour, list[Finding]]:
    values: dict[str, float | None] = {}
    wrong = []
    for name, (least, most, unit, perhaps) in LIMITS.items():
        value = getattr(hour, name)
        if value is not None and not (math.isfinite(value) and least <= value <= most):
            wrong.append(
                Finding(
                    "out_of_range",
                    f"{stamp(hour.at)} {name}",
                    (
                        f"{name} {value:g} at {stamp(hour.at)} is outside {least:g} to {most:g} "
                        f"{unit}; left out"
                    ),
                    f"check the unit: it may be {perhaps}",
                )
            )
            value = None
        values[name] = value
    gust, wind = values["gust_m_s"], values["wind_m_s"]
    if gust is not None and wind is not None and gust < wind:
        wrong.append(
            Finding(
                "gust_below_wind",
                stamp(hour.at),
                f"the gust at {stamp(hour.at)} is below the mean wind; the wind is taken for both",
                "check the two columns",
                Level.NOTE,
            )
        )
        values["gust_m_s"] = wind
    return Hour(
        at=whole_hour(hour.at), snow=hour.snow, lightning=hour.lightning, **values
    ), wrong


def _gaps(times: Sequence[datetime]) -> list[tuple[datetime, datetime]]:
    """Stretches between neighbouring hours in which hours are missing."""
    hour = timedelta(hours=1)
    return [(a + hour, b) for a, b in pairwise(times) if b - a > hour]


def _mean_direction(hours: Sequence[Hour]) -> tuple[float | None, float]:
    """Mean direction weighted by wind speed, and the largest swing from it."""
    blowing = [
        h for h in hours if h.wind_from_deg is not None and (h.wind_m_s or 0) >= STEADY_M_S
    ]
    blowing = blowing or [h for h in hours if h.wind_from_deg is not None]
    if not blowing:
        return None, SPREAD_DEG
    x = sum(
        (h.wind_m_s or 1.0) * math.sin(math.radians(h.wind_from_deg or 0)) for h in blowing
    )
    y = sum(
        (h.wind_m_s or 1.0) * math.cos(math.radians(h.wind_from_deg or 0)) for h in blowing
    )
    mean = math.degrees(math.atan2(x, y)) % 360
    swing = max(
        abs((h.wind_from_deg - mean + 180) % 360 - 180)
        for h in blowing
        if h.wind_from_deg is not None
    )
    return mean, min(max(swing, SPREAD_DEG), SPREAD_MOST_DEG)


def outlook(forecast: Forecast, start: datetime, end: datetime) -> Outlook:
    """What a forecast says from `start` to `end` (instants with a zone). Missing hours are named,
    never filled in.
    """
    first, last = whole_hour(start), whole_hour(end - timedelta(seconds=1))
    wanted = [
        first + timedelta(hours=h)
        for h in range(int((last - first).total_seconds() // 3600) + 1)
    ]
    hours = [h for h in forecast.hours if first <= h.at <= last]
    have = {h.at for h in hours}
    missing = tuple(at for at in wanted if at not in have)

    def of(name: str) -> list[float]:
        return [getattr(h, name) for h in hours if getattr(h, name) is not None]

    wet = [h.at for h in hours if (h.rain_mm_h or 0) >= RAIN_LEAST_MM_H]
    direction, spread = _mean_direction(hours)
    temps, rain, wind, gust = of("temp_c"), of("rain_mm_h"), of("wind_m_s"), of("gust_m_s")
    humidity, cloud = of("humidity_pct"), of("cloud_pct")
    return Outlook(
        tuple(hours),
        missing,
        min(temps, default=None),
        max(temps, default=None),
        max(rain, default=None),
        sum(rain) if rain else None,
        min(wet, default=None),
        max(wet) + timedelta(hours=1) if wet else None,
        max(wind, default=None),
        max(gust, default=None),
        direction,
        spread,
        max(humidity, default=None),
        sum(cloud) / len(cloud) if cloud else None,
        any(h.snow for h in hours),
        sum(h.rain_mm_h or 0.0 for h in hours if h.snow) or None,
        any(h.lightning for h in hours),
        tuple(_about(wanted, missing, temps, wind)),
    )


def _about(
    wanted: Sequence[datetime],
    missing: Sequence[datetime],
    temps: Sequence[float],
    wind: Sequence[float],
) -> list[Finding]:
    if len(missing) == len(wanted):
        return [
            Finding(
                "not_covered",
                "night",
                "the forecast says nothing of this night",
                "fetch it nearer to the night, or type what you expect",
                Level.STOPS,
            )
        ]
    found = []
    if missing:
        found.append(
            Finding(
                "hours_missing",
                "night",
                (
                    f"{len(missing)} of the night's {len(wanted)} hours are not in the forecast, "
                    f"the first {stamp(missing[0])}"
                ),
                "count on worse than what is shown",
            )
        )
    if not temps or not wind:
        what = " and ".join(
            w for w, have in (("temperature", temps), ("wind", wind)) if not have
        )
        found.append(
            Finding(
                "value_missing",
                "night",
                f"no {what} for this night",
                "type what you expect",
            )
        )
    return found


def age_finding(issued_or_fetched: datetime, now: datetime) -> Finding | None:
    """Say that a forecast is old; None while it is fresh."""
    hours = (now - issued_or_fetched).total_seconds() / 3600
    if hours <= STALE_H:
        return None
    return Finding(
        "old_forecast",
        "forecast",
        f"this forecast is {age_words(hours)} old",
        "fetch a newer one, or look at the sky",
    )


def age_words(hours: float) -> str:
    """An age as people say it.

    >>> age_words(0.4), age_words(5.2), age_words(60)
    ('24 minutes', '5 hours', '2 days')
    """
    if hours < 1:
        number, unit = max(round(hours * 60), 0), "minute"
    else:
        number, unit = (round(hours), "hour") if hours < 48 else (int(hours // 24), "day")
    return f"{number} {unit}{'' if number == 1 else 's'}"
