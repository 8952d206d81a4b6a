"""Wind, cold, sun and moon against published tables and other libraries; needs and what they
propose.
"""

from __future__ import annotations

import math
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import ephem
import pytest
from hypothesis import given
from hypothesis import strategies as st
from metpy.calc import dewpoint_from_relative_humidity, windchill
from metpy.units import units

from tarvik.core.errors import InputError
from tarvik.core.weather.cold import (
    BREATH_G_H,
    condensation,
    dew_point_c,
    leaf_bed,
    vapour_density,
    vapour_pressure_hpa,
    wind_chill_c,
)
from tarvik.core.weather.needs import Insects, NightNeeds, Stay, propose, zone_named
from tarvik.core.weather.sun import Place, evening, sun_at
from tarvik.core.weather.surroundings import SURROUNDINGS
from tarvik.core.weather.wind import (
    BEAUFORT_LEAST,
    air_density,
    beaufort,
    dynamic_pressure,
    forecast_from_hand,
    gust_factor,
    gust_of,
    when_to_change,
    wind_share,
)


@pytest.mark.parametrize(
    ("wind", "force"),
    [
        (0.0, 0),
        (1.5, 1),
        (1.6, 2),
        (5.4, 3),
        (5.5, 4),
        (10.7, 5),
        (10.8, 6),
        (17.1, 7),
        (17.2, 8),
        (24.4, 9),
        (28.4, 10),
        (32.6, 11),
        (32.7, 12),
        (60.0, 12),
    ],
)
def test_beaufort_limits(wind: float, force: int) -> None:
    """WMO-No. 306, Beaufort scale: the limits of each force in m/s."""
    assert beaufort(wind) == force


def test_beaufort_follows_its_law() -> None:
    """The scale's empirical relation v = 0.836 B^1.5 (WMO, 1946), taken between two forces, gives
    each limit to 0.1 m/s.
    """
    for force in range(1, 13):
        assert BEAUFORT_LEAST[force] == pytest.approx(
            0.836 * (force - 0.5) ** 1.5, abs=0.11
        )


@pytest.mark.parametrize(
    ("temp", "kmh", "chill"),
    [
        (5, 10, 3),
        (0, 30, -6),
        (-5, 20, -12),
        (-10, 20, -18),
        (-15, 40, -27),
        (-25, 50, -42),
        (-40, 60, -64),
    ],
)
def test_wind_chill_against_the_published_chart(
    temp: float, kmh: float, chill: float
) -> None:
    """Environment Canada's wind chill chart (whole degrees); values from memory."""
    found = wind_chill_c(temp, kmh / 3.6)
    assert found is not None
    assert round(found) == chill


@given(temp=st.floats(-45, 10), wind=st.floats(1.5, 30))
def test_wind_chill_against_metpy(temp: float, wind: float) -> None:
    found = wind_chill_c(temp, wind)
    reference = (
        windchill(temp * units.degC, wind * units("m/s"), mask_undefined=False)
        .to("degC")
        .magnitude
    )
    assert found == pytest.approx(
        float(reference), abs=0.15
    )  # that library computes in other units


def test_wind_chill_is_not_given_where_it_is_not_defined() -> None:
    assert wind_chill_c(10.1, 10) is None
    assert wind_chill_c(0, 1.3) is None


@pytest.mark.parametrize(
    ("temp", "humidity", "dew"),
    [(20, 50, 9.3), (30, 80, 26.2), (10, 90, 8.4), (25, 60, 16.7), (0, 70, -4.8)],
)
def test_dew_point_against_a_published_table(
    temp: float, humidity: float, dew: float
) -> None:
    """Dew point table over water as in psychrometric handbooks; values from memory."""
    assert dew_point_c(temp, humidity) == pytest.approx(dew, abs=0.1)


@given(temp=st.floats(-20, 40), humidity=st.floats(5, 100))
def test_dew_point_against_metpy(temp: float, humidity: float) -> None:
    reference = (
        dewpoint_from_relative_humidity(temp * units.degC, humidity * units.percent)
        .to("degC")
        .magnitude
    )
    assert dew_point_c(temp, humidity) == pytest.approx(float(reference), abs=0.35)
    assert dew_point_c(temp, humidity) <= temp + 1e-9


def test_gusts_and_pressure() -> None:
    """Standard atmosphere: 1.225 kg/m3 at 15 degrees C, so 10 m/s press with 61 Pa."""
    assert air_density(15.0) == pytest.approx(1.225, abs=0.001)
    assert dynamic_pressure(10.0, 15.0) == pytest.approx(61.25, abs=0.05)
    assert dynamic_pressure(20.0) == pytest.approx(4 * dynamic_pressure(10.0))
    assert gust_of(10.0, None) == pytest.approx(10 * gust_factor())
    assert gust_of(10.0, 8.0) == 10.0
    around = SURROUNDINGS["open"]
    assert forecast_from_hand(3.0, 1.5, around) * wind_share(1.5) == pytest.approx(3.0)


def test_the_water_balance_by_hand() -> None:
    """One sleeper, 10 degrees, 60 %, no wind, cloudy: half of A m2 lets in 0.6 x 0.05 m/s. The air
    takes up the difference between what it holds at 10 degrees and what it brings.
    """
    room = vapour_density(vapour_pressure_hpa(10), 10) * 0.4
    damp = condensation(10.0, 60.0, 0.0, 1.0, 1, 100.0)
    assert damp.needed_m2 == pytest.approx(BREATH_G_H / (0.6 * 0.05 / 2 * 3600 * room))
    assert damp.sheet_c == 10.0
    assert vapour_density(vapour_pressure_hpa(20), 20) == pytest.approx(
        17.3, abs=0.1
    )  # steam tables: 17.3 g/m3 at 20 degrees


@given(
    temp=st.floats(-5, 25),
    humidity=st.floats(20, 100),
    wind=st.floats(0, 8),
    area=st.floats(0.05, 8),
    people=st.integers(1, 4),
)
def test_more_air_is_never_damper(
    temp: float, humidity: float, wind: float, area: float, people: int
) -> None:
    order = ["none", "possible", "likely", "dew"]
    one = condensation(temp, humidity, wind, area, people, 50)
    assert order.index(
        condensation(temp, humidity, wind, 2 * area, people, 50).risk
    ) <= order.index(one.risk)
    assert order.index(
        condensation(temp, humidity, wind, area, people + 1, 50).risk
    ) >= order.index(one.risk)
    assert one.inside_dew_c <= temp + 0.01
    assert (one.needed_m2 is None) == (one.risk == "dew")


def test_a_bed_of_leaves_by_hand() -> None:
    """Knee high (common practice): 0.285 of 1.75 m over 2.05 x 0.80 m."""
    bed = leaf_bed(1.75, 1.85, 0.6)
    assert bed.loose_m == pytest.approx(0.499, abs=0.001)
    assert bed.volume_m3 == pytest.approx(2.05 * 0.8 * bed.loose_m)
    assert bed.armfuls == math.ceil(bed.volume_m3 / 0.06)
    assert bed.resistance_m2k_w == pytest.approx(bed.pressed_m / 0.07)


PLACES = [
    (54.62, -2.48, "Europe/London"),
    (-33.9, 18.4, "Africa/Johannesburg"),
    (46.5, 8.0, "Europe/Zurich"),
    (61.2, -149.9, "America/Anchorage"),
    (1.3, 103.8, "Asia/Singapore"),
]


def _ephem(place: tuple[float, float, str], at: datetime, horizon: str) -> ephem.Observer:
    observer = ephem.Observer()
    observer.lat, observer.lon = str(place[0]), str(place[1])
    observer.date = ephem.Date(at.astimezone(UTC).replace(tzinfo=None))
    observer.horizon, observer.pressure = horizon, 0
    return observer


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize(
    "on", [date(2027, 3, 21), date(2027, 6, 1), date(2027, 9, 23), date(2027, 12, 21)]
)
def test_sun_times_against_ephem(place: tuple[float, float, str], on: date) -> None:
    """PyEphem (VSOP87) computes another way; its upper edge, 34 minutes of arc of refraction;
    sunset to two minutes, last and first light to three.
    """
    zone = zone_named(place[2])
    at = evening(Place(place[0], place[1], zone), on)
    noon = datetime(on.year, on.month, on.day, 12, tzinfo=zone)
    sun = ephem.Sun()
    setting = _ephem(place, noon, "-0:34").next_setting(sun).datetime().replace(tzinfo=UTC)
    assert at.sunset is not None
    assert abs(at.sunset - setting) < timedelta(minutes=2)
    try:
        last = (
            _ephem(place, noon, "-6")
            .next_setting(sun, use_center=True)
            .datetime()
            .replace(tzinfo=UTC)
        )
        first = (
            _ephem(place, last, "-6")
            .next_rising(sun, use_center=True)
            .datetime()
            .replace(tzinfo=UTC)
        )
    except ephem.CircumpolarError:
        return
    assert at.last_light is not None
    assert at.first_light is not None
    assert abs(at.last_light - last) < timedelta(minutes=3)
    assert abs(at.first_light - first) < timedelta(minutes=3)
    assert at.dark_hours == pytest.approx((first - last).total_seconds() / 3600, abs=0.1)


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("hour", [7, 10, 13, 16])
def test_where_the_sun_stands_against_ephem(
    place: tuple[float, float, str], hour: int
) -> None:
    at = datetime(2027, 9, 24, hour, tzinfo=ZoneInfo(place[2]))
    observer, sun = _ephem(place, at, "0"), ephem.Sun()
    sun.compute(observer)
    bearing, height = sun_at(Place(place[0], place[1], ZoneInfo(place[2])), at)
    assert height == pytest.approx(
        math.degrees(sun.alt), abs=0.6
    )  # the one counts refraction
    if height < 80:
        assert abs((bearing - math.degrees(sun.az) + 180) % 360 - 180) < 0.5


@pytest.mark.parametrize("on", [date(2027, 9, d) for d in (1, 8, 15, 20, 24, 29)])
def test_the_moon_against_ephem(on: date) -> None:
    """Share of the disc that is lit, to a tenth."""
    at = evening(Place(54.62, -2.48, UTC), on)
    moon = ephem.Moon()
    moon.compute(ephem.Date(datetime.combine(on, time(23, 59))))
    assert at.moon_share == pytest.approx(moon.phase / 100, abs=0.1)


def test_white_nights_and_polar_nights() -> None:
    """In the far north the sun may not set, or not rise: no times, and no or only darkness."""
    summer = evening(Place(70.0, 25.0, UTC), date(2027, 6, 21))
    winter = evening(Place(80.0, 25.0, UTC), date(2027, 12, 21))
    assert summer.sunset is None
    assert summer.dark_hours == 0
    assert winter.sunset is None
    assert winter.dark_hours == 24


def needs(**known: Any) -> NightNeeds:
    return NightNeeds(**known)


@pytest.mark.parametrize(
    ("known", "intent", "shelter"),
    [
        ({}, "steady-rain", "sheet"),
        ({"wind_m_s": 11.0}, "storm", "sheet"),
        ({"wind_m_s": 6.0, "gust_m_s": 18.0}, "storm", "sheet"),
        ({"wind_m_s": 8.5, "rain_mm_h": 5.0}, "storm", "sheet"),
        ({"wind_m_s": 4.0, "rain_mm_h": 5.0, "lowest_c": 8.0}, "steady-rain", "sheet"),
        ({"lowest_c": 2.0, "rain_mm_h": 0.0, "fire": True}, "cold-fire", "sheet"),
        (
            {
                "lowest_c": 14.0,
                "rain_mm_h": 0.0,
                "humidity_pct": 60.0,
                "insects": Insects.MANY,
            },
            "warm-insects",
            "net",
        ),
        (
            {"lowest_c": 14.0, "rain_mm_h": 2.0, "insects": Insects.MANY},
            "steady-rain",
            "sheet",
        ),
        ({"lowest_c": 14.0, "insects": Insects.MANY}, "warm-insects", "sheet"),
        (
            {"lowest_c": 14.0, "rain_mm_h": 0.0, "humidity_pct": 60.0},
            "fair-view",
            "nothing",
        ),
        ({"lowest_c": 14.0, "rain_mm_h": 0.0, "humidity_pct": 97.0}, "fair-view", "sheet"),
        ({"stay": Stay.LUNCH}, "lunch", "sheet"),
        ({"stay": Stay.LUNCH, "sun": True, "highest_c": 28.0}, "shade", "sheet"),
        ({"stay": Stay.LUNCH, "wind_m_s": 12.0}, "storm", "sheet"),
        ({"stay": Stay.FIXED, "rain_mm_h": 1.0, "lowest_c": 9.0}, "fixed-camp", "sheet"),
        ({"snow": True, "lowest_c": -2.0}, "steady-rain", "sheet"),
        ({"snow": True, "wind_m_s": 9.0}, "storm", "sheet"),
    ],
)
def test_what_the_weather_proposes(
    known: dict[str, Any], intent: str, shelter: str
) -> None:
    """Common practice: back to the wind and low in a storm, a net alone on a warm dry night with
    insects.
    """
    found = propose(needs(**known))
    assert (found.intent.slug, found.shelter) == (intent, shelter)
    assert found.why
    assert needs(**known).wanted.slug == intent
    assert needs(**known, intent="shade").wanted.slug == "shade"


@pytest.mark.parametrize(
    ("known", "field"),
    [
        ({"lowest_c": -80.0}, "lowest_c"),
        ({"wind_m_s": 10.0, "gust_m_s": 5.0}, "gust_m_s"),
        ({"lowest_c": 10.0, "highest_c": 5.0}, "highest_c"),
        ({"latitude": 91.0, "longitude": 0.0}, "latitude"),
        ({"zone": "Nowhere/None"}, "zone"),
        ({"zone": "../etc/passwd"}, "zone"),
        ({"surroundings": "moon"}, "surroundings"),
        ({"humidity_pct": math.nan}, "humidity_pct"),
        ({"people": 0}, "people"),
        ({"intent": "party"}, "intent"),
    ],
)
def test_impossible_needs_are_refused_by_name(known: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as caught:
        needs(**known)
    assert caught.value.field == field


def test_the_hours_of_a_night() -> None:
    """From five in the afternoon to eight in the morning, local time, through the end of summer
    time too.
    """
    start, end = needs(on=date(2027, 10, 30), zone="Europe/London").window or (None, None)
    assert start is not None
    assert end is not None
    assert (end.astimezone(UTC) - start.astimezone(UTC)) == timedelta(
        hours=16
    )  # the clock goes back an hour that night
    assert needs().window is None
    lunch = needs(on=date(2027, 9, 23), stay=Stay.LUNCH).window
    assert lunch is not None
    assert lunch[1] - lunch[0] == timedelta(hours=2)


def test_what_holds_tonight_is_never_said_to_be_changed_at_tonights_force() -> None:
    """Common practice: who reads "before force 6" on a force 6 evening strikes the camp."""
    for tonight_m_s in (0.0, 3.0, 8.0, 12.0, 20.0, 35.0):
        for force in range(beaufort(tonight_m_s), 13):
            words = when_to_change(force, tonight_m_s)
            if force == 12:
                assert not words
            elif force == beaufort(tonight_m_s):
                assert words == "if it blows harder than forecast"
            else:
                assert words == f"before force {force}"
    assert when_to_change(5, None) == "before force 5"
