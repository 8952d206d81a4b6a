"""A night in words and figures: what the board's head says, and every figure of the night screen
with its explanation.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.core.constant import constant_record
from tarvik.core.explain import Explained
from tarvik.core.finding import Finding
from tarvik.core.hang.fabric import MELTS_M, STEP_FAR_M, STEP_M
from tarvik.core.quantities import (
    compass,
    format_drop,
    format_rain,
    format_speed,
    format_temperature,
)
from tarvik.core.site.falling_wood import falling_wood
from tarvik.core.site.open_ground import open_ground
from tarvik.core.units import Units, format_length
from tarvik.core.weather.cold import (
    FOAM_M,
    JAG_TI,
    MAGNUS,
    foam_mat_m2k_w,
    leaf_bed,
    wind_chill_c,
)
from tarvik.core.weather.exposure import exposure
from tarvik.core.weather.lightning import lightning
from tarvik.core.weather.rain import (
    ATLAS,
    LAWS_PARSONS,
    MARSHALL_PALMER,
    drop_mm,
    rain_slope,
    slant_words,
    terminal_speed,
)
from tarvik.core.weather.surroundings import EN_GUST
from tarvik.core.weather.wind import (
    BEAUFORT_WORDS,
    RAIN_HEIGHT_M,
    WMO,
    beaufort,
    wind_share,
)

if TYPE_CHECKING:
    from datetime import datetime

    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.weather.needs import NightNeeds

_ASTRAL = "astral library (Meeus, Astronomical Algorithms)"


def weather_words(needs: NightNeeds, units: Units) -> str:
    """The night's weather in one line; empty when nothing is known."""
    parts = []
    if needs.lowest_c is not None:
        parts.append(f"down to {format_temperature(needs.lowest_c, units)}")
    if needs.snowy:
        depth = needs.snow_depth_m
        parts.append(
            "snow" if depth is None else f"{format_length(depth, units)} of new snow"
        )
    elif needs.rain_mm_h is not None:
        parts.append(
            "dry"
            if needs.rain_mm_h < 0.1
            else f"rain up to {format_rain(needs.rain_mm_h, units)}"
        )
        if needs.rain_mm_h >= 0.1 and needs.rain_from and needs.rain_to:
            parts[-1] += f" from {needs.rain_from:%H:%M} to {needs.rain_to:%H:%M}"
    if needs.wind_m_s is not None:
        force = beaufort(needs.wind_m_s)
        way = (
            f" from {compass(needs.wind_from_deg)}"
            if needs.wind_from_deg is not None and force > 0
            else ""
        )
        parts.append(f"force {force}{way}, gusts {format_speed(needs.gust, units)}")
    return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class OfThePlace:
    """What falling_wood.html shows of the place and the weather a night is spent in."""

    exposure: Finding | None
    lightning: Finding | None
    open_ground: Finding | None
    falling_wood: Finding | None
    overhead_checked: bool


def of_the_place(needs: NightNeeds, units: Units) -> OfThePlace:
    """The same, from what is known of the night."""
    return OfThePlace(
        exposure(needs, units),
        lightning(needs),
        open_ground(needs),
        falling_wood(needs, units),
        needs.overhead_checked,
    )


def mast(units: Units) -> str:
    """The height for which winds are forecast, in round figures."""
    return "10 m" if units is Units.METRIC else "33 ft"


def _to_a_tenth(m_s: float, units: Units) -> str:
    """A light wind, or how fast drops fall: metres a second to a tenth."""
    return f"{m_s:.1f} m/s" if units is Units.METRIC else format_speed(m_s, units)


def _clock(at: datetime | None) -> str:
    return f"{at:%H:%M}" if at is not None else "none"


def _wind(needs: NightNeeds, units: Units) -> list[Explained]:
    if needs.wind_m_s is None:
        return []
    wind, force = needs.wind_m_s, beaufort(needs.wind_m_s)
    share = wind_share(RAIN_HEIGHT_M, needs.around)
    down = wind * share
    weather = needs.weather(0)
    drop = drop_mm(weather.rain_mm_h, weather.finer_share)
    gust_how = (
        "the forecast's own"
        if needs.gust_m_s is not None
        else "by the gust rule, the forecast names none"
    )
    return [
        Explained(
            "force",
            "Wind",
            f"force {force}, {BEAUFORT_WORDS[force]}",
            f"Beaufort force of the strongest hour's mean wind at {mast(units)}.",
            ((f"Mean wind at {mast(units)}", format_speed(wind, units)),),
            WMO,
            "Hills, valleys and clearings have winds of their own.",
        ),
        Explained(
            "gust",
            "Gusts",
            format_speed(needs.gust, units),
            f"At {mast(units)} over open ground; {gust_how}.",
            ((f"Mean wind at {mast(units)}", format_speed(wind, units)),),
            EN_GUST,
            "Squalls bring stronger ones.",
        ),
        Explained(
            "shelter_wind",
            "Wind at the shelter",
            _to_a_tenth(down, units),
            (
                f"The mean wind brought down to {format_length(RAIN_HEIGHT_M, units)}, over the "
                "ground round the shelters."
            ),
            (
                ("Surroundings", needs.around.name),
                (
                    f"Share of the wind at {mast(units)}",
                    f"{wind_share(RAIN_HEIGHT_M, needs.around):.2f}",
                ),
            ),
            needs.around.source,
            "Lee and funnels close by are not in it: measure with the wind meter.",
        ),
        Explained(
            "slant",
            "Rain slants",
            slant_words(rain_slope(weather)),
            "Wind at the shelter over the speed at which drops fall that a tenth of the rain is "
            "finer than: nine tenths of it are kept off.",
            (
                ("Rain", format_rain(weather.rain_mm_h, units)),
                ("Such a drop", format_drop(drop, units)),
                ("It falls at", _to_a_tenth(terminal_speed(drop), units)),
            ),
            f"{LAWS_PARSONS}; {MARSHALL_PALMER}; {ATLAS}",
            "Small drops fly flatter, large ones steeper; gusts and lulls change it.",
        ),
    ]


def _cold(needs: NightNeeds, units: Units) -> list[Explained]:
    out = []
    if needs.lowest_c is not None and needs.wind_m_s is not None:
        chill = wind_chill_c(needs.lowest_c, needs.wind_m_s)
        value = "not defined" if chill is None else format_temperature(chill, units)
        out.append(
            Explained(
                "chill",
                "Wind chill",
                value,
                "13.12 + 0.6215 T - 11.37 V^0.16 + 0.3965 T V^0.16, in °C and km/h.",
                (
                    ("Lowest temperature", format_temperature(needs.lowest_c, units)),
                    (f"Wind at {mast(units)}", format_speed(needs.wind_m_s, units)),
                ),
                JAG_TI,
                "For dry skin in the open wind, not under a sheet.",
            )
        )
    if needs.dew_point_c is not None and needs.lowest_c is not None:
        out.append(
            Explained(
                "dew",
                "Dew point",
                format_temperature(needs.dew_point_c, units),
                "The temperature to which the air must cool for its water to come out.",
                (
                    ("Temperature", format_temperature(needs.lowest_c, units)),
                    ("Humidity", f"{needs.humidity_pct:g} %"),
                ),
                MAGNUS,
                "A sheet under a clear sky is up to 4 degrees colder than the air, and dews first.",
            )
        )
    return out


def _sun(needs: NightNeeds) -> list[Explained]:
    at = needs.evening
    if at is None or needs.place is None:
        return []
    where = (
        ("Place", f"{needs.place.latitude:.2f}°, {needs.place.longitude:.2f}°"),
        ("Time zone", needs.zone),
    )
    limits = "Level horizon: hills and trees bring dusk earlier."
    moon = f"{at.moon_share * 100:.0f} % lit, {at.moon_phase}"
    return [
        Explained(
            "sunset",
            "Sunset",
            _clock(at.sunset),
            "The sun's upper edge goes under a level horizon.",
            where,
            _ASTRAL,
            limits,
        ),
        Explained(
            "last_light",
            "Last light",
            _clock(at.last_light),
            "The sun is 6 degrees under the horizon: work needs a lamp.",
            where,
            _ASTRAL,
            limits,
        ),
        Explained(
            "dark",
            "Dark",
            f"{at.dark_hours:.1f} hours",
            "From last light to first light.",
            (
                *where,
                ("First light", _clock(at.first_light)),
                ("Sunrise", _clock(at.sunrise)),
            ),
            _ASTRAL,
            limits,
        ),
        Explained(
            "moon",
            "Moon",
            moon,
            "Share of the disc that is lit at midnight.",
            (
                *where,
                ("Rises that day", _clock(at.moonrise)),
                ("Sets that day", _clock(at.moonset)),
            ),
            _ASTRAL,
            "Cloud hides it.",
        ),
    ]


def bed_words(body: Body, room: Clearance, units: Units) -> Explained:
    """The bed of leaves for one person."""
    bed = leaf_bed(body.stature_m, room.mat_length(body.stature_m), room.mat_width_m)
    return Explained(
        "bed",
        "Bed of leaves",
        f"{bed.armfuls} armfuls",
        "Leaves or needles, dry, sticks picked out, knee high before they are lain on: knee "
        "height times the mat with a "
        "hand's breadth round it. Conduction takes more heat than the air does.",
        (
            ("Loose", format_length(bed.loose_m, units)),
            ("Volume", f"{bed.volume_m3:.2f} m³"),
            ("Pressed to", format_length(bed.pressed_m, units)),
            ("Keeps", f"{bed.resistance_m2k_w:.1f} m²K/W"),
            (
                f"A foam mat of {format_length(FOAM_M, units)} keeps",
                f"{foam_mat_m2k_w():.2f} m²K/W",
            ),
            ("One armful", f"{constant_record('armful').value:g} m³"),
        ),
        (
            "common practice (knee high); pressed thickness, conductivity and armful are "
            "engineering assumptions"
        ),
        (
            "Wet leaves keep little. Take only what the land manager allows, and never from "
            "living plants."
        ),
    )


def fire_words(units: Units) -> str:
    """A fire in front, in words and distances only."""
    step = f"{format_length(STEP_M, units)} to {format_length(STEP_FAR_M, units)}"
    return (
        f"A fire in front warms by its glow alone: before canvas one long step ({step}) outside "
        "the opening, off to one side of it and clear of lines, with a log or stone wall behind it "
        "that throws the glow back. At twice the distance a quarter of the warmth arrives. "
        f"Synthetic cloth, plastic film and oilcloth stand {format_length(MELTS_M, units)} from "
        "any fire. Never with the opening to the wind, never at the mouth of a closed shelter, and "
        "only where local rules allow a fire."
    )


def figures_of(
    needs: NightNeeds, body: Body, room: Clearance, units: Units
) -> list[Explained]:
    """Every figure of a night that can be worked out from what is known."""
    return [
        *_wind(needs, units),
        *_cold(needs, units),
        *_sun(needs),
        bed_words(body, room, units),
    ]
