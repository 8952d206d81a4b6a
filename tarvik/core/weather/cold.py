"""Cold and damp: wind chill, dew point, condensation under a sheet, and what lies under the
sleeper.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant

JAG_TI: Final = (
    "Joint Action Group for Temperature Indices 2001 (Osczevski and Bluestein 2005): wind "
    "chill in degrees C from the air "
    "temperature and the 10 m wind in km/h; for 10 degrees C and colder, above 4.8 km/h"
)
MAGNUS: Final = (
    "Alduchov and Eskridge 1996, Magnus form: 6.1094 hPa exp(17.625 T / (243.04 + "
    "T)), -40 to 50 "
    "degrees C"
)
VAPOUR: Final = "ideal gas law for water vapour, 461.5 J/(kg K)"
ORIFICE: Final = (
    "orifice flow, discharge coefficient 0.6, as in the usual natural-ventilation "
    "guides; from "
    "memory"
)

CHILL_MOST_C: Final = constant(
    "wind_chill_warmest", 10.0, "C", JAG_TI, "warmest air for which wind chill is given"
)
CHILL_LEAST_KMH: Final = constant(
    "wind_chill_calmest", 4.8, "km/h", JAG_TI, "calmest wind for which wind chill is given"
)
MAGNUS_HPA: Final = constant(
    "magnus_scale", 6.1094, "hPa", MAGNUS, "saturation vapour pressure at 0 degrees C"
)
MAGNUS_A: Final = constant("magnus_a", 17.625, "1", MAGNUS, "Magnus form, factor")
MAGNUS_B: Final = constant("magnus_b", 243.04, "C", MAGNUS, "Magnus form, temperature")
VAPOUR_J_KG_K: Final = constant(
    "vapour_gas_constant", 461.5, "J/(kg K)", VAPOUR, "gas constant of water vapour"
)
BREATH_G_H: Final = constant(
    "sleeper_vapour",
    40.0,
    "g/h",
    "from memory: breath and skin of a person at rest, 35 to 50 g/h",
    "water a sleeper gives off",
)
SKY_COOLING_K: Final = constant(
    "sky_cooling",
    4.0,
    "K",
    ENGINEERING,
    "how far a sheet under a clear sky falls below the air",
)
STILL_AIR_M_S: Final = constant(
    "still_exchange",
    0.05,
    "m/s",
    ENGINEERING,
    "air speed through an opening without any wind",
)
WIND_THROUGH: Final = constant(
    "wind_exchange",
    0.25,
    "1",
    ENGINEERING,
    "air speed through an opening over the wind outside",
)
DISCHARGE: Final = constant(
    "discharge", 0.6, "1", ORIFICE, "flow through an opening over speed times area"
)
KNEE: Final = constant(
    "body_knee",
    0.285,
    "of stature",
    "Drillis and Contini 1966, as reproduced in Winter",
    "height of the knee",
)
BED_PRESSED: Final = constant(
    "bed_pressed",
    0.25,
    "1",
    ENGINEERING,
    "thickness of a bed of leaves lain on over its loose thickness",
)
BED_W_MK: Final = constant(
    "bed_conductivity",
    0.07,
    "W/(m K)",
    ENGINEERING,
    "conductivity of dry leaves or needles, pressed",
)
ARMFUL_M3: Final = constant(
    "armful", 0.06, "m3", ENGINEERING, "loose leaves or needles carried in one armful"
)
FOAM_W_MK: Final = constant(
    "foam_conductivity",
    0.04,
    "W/(m K)",
    "from memory: closed-cell polyethylene foam, 0.036 to 0.045",
    "conductivity of a foam mat",
)
FOAM_M: Final = constant("foam_mat", 0.010, "m", COMMON_PRACTICE, "thickness of a foam mat")
BED_MARGIN_M: Final = constant(
    "bed_margin", 0.10, "m", ENGINEERING, "bed beyond the mat at each side"
)


def wind_chill_c(temp_c: float, wind_m_s: float) -> float | None:
    """Wind chill for a 10 m wind; None where the index is not defined. Source: JAG_TI."""
    kmh = wind_m_s * 3.6
    if temp_c > CHILL_MOST_C or kmh <= CHILL_LEAST_KMH:
        return None
    power = kmh**0.16
    return float(13.12 + 0.6215 * temp_c - 11.37 * power + 0.3965 * temp_c * power)


def vapour_pressure_hpa(temp_c: float) -> float:
    """Saturation vapour pressure over water. Source: MAGNUS."""
    return MAGNUS_HPA * math.exp(MAGNUS_A * temp_c / (MAGNUS_B + temp_c))


def dew_point_c(temp_c: float, humidity_pct: float) -> float:
    """Dew point. Humidity under 1 % is taken as 1 %. Source: MAGNUS, solved for the temperature."""
    g = math.log(max(humidity_pct, 1.0) / 100) + MAGNUS_A * temp_c / (MAGNUS_B + temp_c)
    return MAGNUS_B * g / (MAGNUS_A - g)


def vapour_density(pressure_hpa: float, temp_c: float) -> float:
    """Water in the air, g/m3, at a vapour pressure. Source: VAPOUR."""
    return pressure_hpa * 100 / (VAPOUR_J_KG_K * (temp_c + 273.15)) * 1000


@dataclass(frozen=True, slots=True)
class Condensation:
    """Whether the inside of the sheet gets wet.

    `risk`: none, dew (the air outside already wets the sheet), likely or possible. `needed_m2`:
    open area that would carry the sleepers' breath away; None when no gap helps.
    """

    risk: str
    sheet_c: float
    inside_dew_c: float
    open_m2: float
    needed_m2: float | None


def condensation(
    temp_c: float,
    humidity_pct: float,
    wind_m_s: float,
    open_m2: float,
    sleepers: int,
    cloud_pct: float | None = None,
) -> Condensation:
    """Balance of the water the sleepers give off against the air that passes through the openings.

    Half the open area lets air in, half lets it out. `wind_m_s` is the wind at the shelter. The
    sheet is colder than the air by up to SKY_COOLING_K under a clear sky (unknown cloud: half of
    that). Engineering estimate.
    """
    clear = 1 - (50.0 if cloud_pct is None else cloud_pct) / 100
    sheet = temp_c - SKY_COOLING_K * clear
    outside = vapour_density(vapour_pressure_hpa(temp_c) * humidity_pct / 100, temp_c)
    most = vapour_density(vapour_pressure_hpa(sheet), temp_c)
    speed = DISCHARGE * max(STILL_AIR_M_S, WIND_THROUGH * wind_m_s) * 3600 / 2
    breath = BREATH_G_H * max(sleepers, 1)
    inside = outside + breath / (speed * max(open_m2, 1e-3))
    inside = min(inside, vapour_density(vapour_pressure_hpa(temp_c), temp_c))
    share = inside / vapour_density(vapour_pressure_hpa(temp_c), temp_c) * 100
    dew = dew_point_c(temp_c, share)
    if outside >= most:
        return Condensation("dew", sheet, dew, open_m2, None)
    needed = breath / (speed * (most - outside))
    risk = "likely" if open_m2 < needed else "possible" if open_m2 < 2 * needed else "none"
    return Condensation(risk, sheet, dew, open_m2, needed)


@dataclass(frozen=True, slots=True)
class Bed:
    """A bed of leaves or needles: loose height, volume, thickness when lain on, thermal resistance,
    armfuls.
    """

    loose_m: float
    volume_m3: float
    pressed_m: float
    resistance_m2k_w: float
    armfuls: int


def foam_mat_m2k_w() -> float:
    """Thermal resistance of a plain foam mat.

    >>> foam_mat_m2k_w()
    0.25
    """
    return FOAM_M / FOAM_W_MK


def leaf_bed(stature_m: float, mat_length_m: float, mat_width_m: float) -> Bed:
    """A bed knee high before it is lain on (common practice), under one mat and a margin round
    it.
    """
    loose = KNEE * stature_m
    volume = (mat_length_m + 2 * BED_MARGIN_M) * (mat_width_m + 2 * BED_MARGIN_M) * loose
    pressed = loose * BED_PRESSED
    return Bed(loose, volume, pressed, pressed / BED_W_MK, math.ceil(volume / ARMFUL_M3))
