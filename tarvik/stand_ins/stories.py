"""Plausible weather, seeded: an hourly story of a few days. Invented, for practice; no forecast of
anything.
"""

from __future__ import annotations

import math
import random
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.weather.cold import vapour_pressure_hpa
from tarvik.core.weather.forecast import Hour
from tarvik.core.weather.wind import gust_factor

if TYPE_CHECKING:
    from collections.abc import Iterator

STORIES: Final = {
    "quiet": "Quiet: high pressure, cold clear nights",
    "front": "A front passes at night",
    "gale": "Gale with showers",
    "humid": "Humid and still",
}
HOURS: Final = 96
FRONT_AT_H: Final = 27
"""Hours from the story's start, a midnight, to the front: three o'clock of the night that follows.
"""


class Base(NamedTuple):
    """A day's mean temperature, its swing, dew point below it at dawn, °C; wind, m/s, and
    direction; cloud, %.
    """

    mean_c: float
    swing_c: float
    dew_below_c: float
    wind_m_s: float
    from_deg: float
    cloud_pct: float


def _base(story: str) -> Base:
    """Mean temperature, its daily swing, dew point below it at dawn, wind, direction, cloud."""
    return {
        "quiet": Base(9.0, 6.0, 0.7, 1.8, 60.0, 12.0),
        "front": Base(11.0, 3.0, 2.0, 5.0, 190.0, 70.0),
        "gale": Base(8.0, 2.0, 2.5, 15.5, 285.0, 85.0),
        "humid": Base(17.5, 4.0, 0.4, 1.0, 150.0, 60.0),
    }[story]


def hours_of(story: str, seed: int, start: datetime, hours: int = HOURS) -> list[Hour]:
    """The story's hours from `start` (UTC). The same seed tells the same story. Raises KeyError for
    an unknown story.
    """
    rng = random.Random(f"{story}:{seed}")  # noqa: S311
    mean, swing, gap, wind, way, cloud = _base(story)
    drift = rng.uniform(-0.8, 0.8)
    front = FRONT_AT_H + rng.uniform(-2, 2)
    showers = [rng.uniform(0, hours) for _ in range(hours // 7)]
    noise = 0.0
    dew = mean - swing - gap + drift
    out = []
    first = start.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
    for h in range(hours):
        at = first + timedelta(hours=h)
        noise = 0.8 * noise + rng.gauss(0, 0.35)
        temp = (
            mean + drift + swing * math.cos((at.hour - 15) / 24 * 2 * math.pi) + 0.4 * noise
        )
        speed, rain, bearing, clouds = (
            wind * (1 + 0.12 * noise),
            0.0,
            way + 12 * noise,
            cloud + 8 * noise,
        )
        if story == "front":
            near = math.exp(-(((h - front) / 3.5) ** 2))
            after = 1 / (1 + math.exp(-(h - front) / 1.5))
            rain = max(0.0, 5.5 * near * (1 + 0.15 * noise) - 0.15)
            speed = (
                wind
                * (1 + 1.5 * near + 0.5 * after * math.exp(-max(h - front, 0) / 18))
                * (1 + 0.08 * noise)
            )
            bearing = way + 95 * after + 6 * noise
            temp -= 4.0 * after
            clouds = 70 + 30 * near - 35 * after * (1 - near)
            dew += 0.3 * near - 0.12 * after * (1 - near) * (dew > 2)
        elif story == "gale":
            strength = 0.75 + 0.5 * math.exp(-(((h - FRONT_AT_H) / 14) ** 2))
            speed = wind * strength * (1 + 0.08 * noise)
            rain = sum(4.0 * math.exp(-(((h - s) / 0.8) ** 2)) for s in showers)
        speed = max(speed, 0.2)
        point = min(dew, temp - 0.1)
        humidity = 100 * vapour_pressure_hpa(point) / vapour_pressure_hpa(temp)
        out.append(
            Hour(
                at,
                round(temp, 1),
                round(rain, 1),
                round(speed, 1),
                round(speed * gust_factor() * rng.uniform(0.92, 1.1), 1),
                round(bearing % 360) % 360,
                round(min(humidity, 100)),
                round(min(max(clouds, 0), 100)),
                snow=rain > 0.1 and temp < 0.5,
            )
        )
    return out


def meter_reading(seed: int, second: int, mean_m_s: float) -> float:
    """What a hand wind meter shows in one second: gusts and lulls about a mean, steady within a few
    seconds.
    """
    total = 0.0
    for period, share in ((47, 0.22), (13, 0.2), (5, 0.14), (2, 0.08)):
        rng = random.Random(f"{seed}:{period}:{second // period}")  # noqa: S311
        later = random.Random(f"{seed}:{period}:{second // period + 1}")  # noqa: S311
        part = (second % period) / period
        total += share * ((1 - part) * rng.gauss(0, 1) + part * later.gauss(0, 1))
    return round(max(mean_m_s * (1 + total), 0.0), 1)


def finder_shots(seed: int, shots: int = 200) -> Iterator[dict[str, float]]:
    """What a range-and-bearing finder shows, shot after shot, turned once round among invented
    things: range in metres with a few centimetres of error, bearing in degrees with a degree or
    two.
    """
    dice = random.Random(f"finder:{seed}")  # noqa: S311
    for shot in range(shots):
        bearing = (shot * 31.0 + dice.uniform(-8, 8)) % 360
        far = dice.uniform(3, 28)
        yield {
            "shot": shot + 1,
            "range_m": round(far + dice.gauss(0, 0.05), 2),
            "bearing_deg": round((bearing + dice.gauss(0, 1.0)) % 360, 1),
        }
