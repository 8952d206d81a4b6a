"""How rain falls: drop size from the rain rate, terminal speed from the drop size, slant from the
wind.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.special import gammaincinv

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.kept import keep_last

MARSHALL_PALMER: Final = (
    "Marshall and Palmer 1948, drop sizes fall off exponentially; their volume is a gamma "
    "distribution of order 4"
)
LAWS_PARSONS: Final = (
    "Laws and Parsons 1943, median volume diameter D50 = 1.24 I^0.182 (I in mm/h, mm)"
)
ATLAS: Final = (
    "Atlas, Srivastava and Sekhon 1973, v = 9.65 - 10.3 exp(-0.6 D) (D in mm, m/s), "
    "0.3 to 6 mm"
)

DROP_SCALE_MM: Final = constant(
    "drop_scale", 1.24, "mm", LAWS_PARSONS, "median drop at 1 mm/h"
)
DROP_POWER: Final = constant(
    "drop_power", 0.182, "1", LAWS_PARSONS, "growth of the median drop with the rain rate"
)
SPEED_TOP: Final = constant(
    "drop_speed_top", 9.65, "m/s", ATLAS, "terminal speed of the largest drops"
)
SPEED_FALL: Final = constant(
    "drop_speed_fall", 10.3, "m/s", ATLAS, "terminal speed law, second term"
)
SPEED_RATE: Final = constant(
    "drop_speed_rate", 0.6, "1/mm", ATLAS, "terminal speed law, exponent"
)
MEDIAN_SHARE: Final = 0.5
BED_SHARE: Final = constant(
    "rain_finer",
    0.1,
    "of the rain",
    ENGINEERING,
    "rain in drops finer than those a bed is kept dry from: a tenth drifts further and dampens",
)
SPREAD_DEG: Final = constant(
    "wind_spread", 15.0, "degrees", ENGINEERING, "how far the wind swings to either hand"
)
SPREAD_STEP_DEG: Final = constant(
    "wind_spread_step",
    2.5,
    "degrees",
    ENGINEERING,
    "step of the winds tried across the spread",
)
RAIN_MOST: Final = constant(
    "rain_rate_most", 300.0, "mm/h", ENGINEERING, "heaviest rain taken"
)
SPLASH_M: Final = constant(
    "splash",
    0.25,
    "m",
    COMMON_PRACTICE,
    "ground nearer than this to a drip line is wetted by splash in rain",
)
WIND_MOST: Final = constant("wind_most", 60.0, "m/s", ENGINEERING, "strongest wind taken")


@dataclass(frozen=True, slots=True)
class Weather:
    """Rain (mm/h), mean wind (m/s) and where it comes from (bearing, degrees clockwise from +y).
    `finer_share`: share of the rain that falls in drops smaller, and so more slanted, than those
    the shelter is measured for: half by the median drop. `splash_m`: no bed lies nearer than this
    to where water drips from the roof; 0 where that is not asked.
    """

    rain_mm_h: float = 4.0
    wind_m_s: float = 0.0
    wind_from_deg: float = 90.0
    spread_deg: float = SPREAD_DEG
    finer_share: float = MEDIAN_SHARE
    splash_m: float = 0.0

    def __post_init__(self) -> None:
        for name, least, most in (
            ("rain_mm_h", 0.0, RAIN_MOST),
            ("wind_m_s", 0.0, WIND_MOST),
            ("wind_from_deg", -360.0, 720.0),
            ("spread_deg", 0.0, 90.0),
            ("finer_share", 0.01, 0.99),
            ("splash_m", 0.0, 1.0),
        ):
            value = getattr(self, name)
            if not math.isfinite(value) or not least <= value <= most:
                raise InputError(
                    f"weather.{name}", f"{value:g} is outside {least:g} to {most:g}"
                )


CALM: Final = Weather()


def median_drop_mm(rain_mm_h: float) -> float:
    """Median drop diameter. Drizzle below 0.1 mm/h is taken as 0.1 mm/h. Source: see
    LAWS_PARSONS.
    """
    return float(DROP_SCALE_MM * max(rain_mm_h, 0.1) ** DROP_POWER)


def terminal_speed(drop_mm: float) -> float:
    """Terminal speed in m/s of a drop of 0.3 to 6 mm (clamped to that range). Source: see ATLAS."""
    return SPEED_TOP - SPEED_FALL * math.exp(-SPEED_RATE * min(max(drop_mm, 0.3), 6.0))


@keep_last(64)
def drop_mm(rain_mm_h: float, finer_share: float = MEDIAN_SHARE) -> float:
    """Diameter below which that share of the rain falls, by volume. Source: see MARSHALL_PALMER:
    the share below D is the incomplete gamma function P(4, L D), so diameters keep their ratio to
    the median at every rain rate.

    >>> round(drop_mm(4.0) / median_drop_mm(4.0), 3), round(drop_mm(4.0, 0.1), 2)
    (1.0, 0.76)
    """
    ratio = float(gammaincinv(4.0, finer_share) / gammaincinv(4.0, MEDIAN_SHARE))
    return ratio * median_drop_mm(rain_mm_h)


def slant_words(slope: float) -> str:
    """How far rain slants from straight down, in words; `slope`: sideways for each metre down.

    >>> slant_words(0.7)
    'about 35°'
    """
    return f"about {math.degrees(math.atan(slope)):.0f}°"


def rain_slope(weather: Weather) -> float:
    """Horizontal travel of the rain per vertical travel (0: straight down)."""
    return weather.wind_m_s / terminal_speed(
        drop_mm(weather.rain_mm_h, weather.finer_share)
    )


def fall_directions(weather: Weather, step_deg: float = SPREAD_STEP_DEG) -> np.ndarray:
    """Horizontal travel (K, 2) per metre of fall, the calm case first, then winds across the
    spread, every `step_deg` or closer.

    Wind from 0 degrees (+y) at slope 1 drives rain towards -y: (0, -1).
    """
    return _falls(weather, step_deg).copy()


@keep_last(512)
def _falls(weather: Weather, step_deg: float) -> np.ndarray:
    slope = rain_slope(weather)
    if slope == 0:
        return np.zeros((1, 2))
    samples = 2 * max(math.ceil(weather.spread_deg / step_deg), 1) + 1
    bearings = np.radians(
        weather.wind_from_deg
        + np.linspace(-weather.spread_deg, weather.spread_deg, samples)
    )
    return np.vstack(
        [[[0.0, 0.0]], -slope * np.stack([np.sin(bearings), np.cos(bearings)], axis=1)]
    )
