"""Forecasts: what is wrong with them is said, nothing is guessed, and what they say of a night is
right.
"""

from __future__ import annotations

import json
import math
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level, gravest
from tarvik.core.weather.forecast import (
    Forecast,
    Hour,
    age_finding,
    age_words,
    assemble,
    outlook,
)
from tarvik.core.weather.needs import NightNeeds, needs_from, zone_named
from tarvik.exchange.forecast import as_form, read_any, read_csv, read_json, write_csv

LONDON = zone_named("Europe/London")
START = datetime(2027, 9, 23, 16, tzinfo=UTC)


def at(hours: int) -> datetime:
    return START + timedelta(hours=hours)


def plain(hours: int, **values: float) -> list[Hour]:
    return [
        Hour(at(h), 10.0 - h / 10, 0.0, 4.0, 6.0, 240.0, 80.0, 50.0, **values)
        for h in range(hours)
    ]  # type: ignore[arg-type]


def codes(forecast: Forecast) -> set[str]:
    return {f.code for f in forecast.findings}


def test_a_whole_forecast_has_no_findings() -> None:
    assert assemble(plain(30)).findings == ()


def test_gaps_are_named_and_not_filled() -> None:
    made = assemble([*plain(30)[:10], *plain(30)[14:]])
    (gap,) = made.findings
    assert gap.code == "gap"
    assert "2027-09-24 02:00 UTC to 2027-09-24 06:00 UTC" in gap.message
    assert len(made.hours) == 26


def test_hours_given_twice() -> None:
    hours = plain(5)
    alike, other = assemble([*hours, hours[2]]), assemble([*hours, Hour(at(2), 25.0)])
    assert [f.level for f in alike.findings] == [Level.NOTE]
    assert [f.level for f in other.findings] == [Level.CAUTION]
    assert other.hours[2].temp_c == 25.0
    assert len(other.hours) == 5


def test_values_out_of_range_are_left_out_with_what_they_may_be() -> None:
    made = assemble(
        [
            Hour(at(0), temp_c=61.0, wind_m_s=4.0),
            Hour(at(1), temp_c=9.0, humidity_pct=-3.0),
            Hour(at(2), math.nan),
        ]
    )
    assert [h.temp_c for h in made.hours] == [None, 9.0, None]
    assert "Fahrenheit" in made.findings[0].remedy
    assert len(made.findings) == 3


def test_the_outlook_of_a_night_by_hand() -> None:
    """Strongest hour's wind, heaviest hour's rain, vector mean of the direction and its swing."""
    hours = [
        Hour(at(0), 9, 0, 4, 7, 350),
        Hour(at(1), 7, 0.4, 4, 9, 10),
        Hour(at(2), 5, 2.4, 6, 12, 30),
        Hour(at(3), 6, 0, 6, None, 30),
    ]
    seen = outlook(assemble(hours), at(0), at(4))
    assert (
        seen.lowest_c,
        seen.highest_c,
        seen.rain_mm_h,
        seen.wind_m_s,
        seen.gust_m_s,
    ) == (
        5,
        9,
        2.4,
        6,
        12,
    )
    assert seen.rain_mm == pytest.approx(2.8)
    assert (seen.rain_from, seen.rain_to) == (at(1), at(3))
    x = sum(w * math.sin(math.radians(d)) for w, d in ((4, -10), (4, 10), (6, 30), (6, 30)))
    y = sum(w * math.cos(math.radians(d)) for w, d in ((4, -10), (4, 10), (6, 30), (6, 30)))
    assert seen.wind_from_deg == pytest.approx(math.degrees(math.atan2(x, y)))
    assert seen.spread_deg == pytest.approx(seen.wind_from_deg + 10)
    assert seen.missing == ()
    assert seen.findings == ()


def test_missing_hours_of_a_night_are_said() -> None:
    made = assemble(plain(6))
    part = outlook(made, at(3), at(12))
    assert len(part.missing) == 6
    assert {f.code for f in part.findings} == {"hours_missing"}
    nothing = outlook(made, at(48), at(60))
    assert gravest(nothing.findings) == nothing.findings[0]
    assert nothing.findings[0].level is Level.STOPS
    assert nothing.lowest_c is None
    assert gravest(()) is None


def test_taking_over_a_forecast_keeps_what_it_does_not_say() -> None:
    before = NightNeeds(
        on=date(2027, 9, 23),
        zone="Europe/London",
        lowest_c=3.0,
        gust_m_s=30.0,
        wind_m_s=20.0,
        fire=True,
        humidity_pct=70,
    )
    after = needs_from(
        outlook(
            assemble(
                [Hour(at(h), rain_mm_h=0.5 * (h == 2), wind_m_s=5.0) for h in range(16)]
            ),
            *(before.window or ()),
        ),
        before,
    )
    assert after.lowest_c == 3.0
    assert after.fire
    assert after.humidity_pct == 70
    assert (after.wind_m_s, after.gust_m_s) == (5.0, None)
    assert (
        after.rain_from is not None and after.rain_from.hour,
        after.rain_to is not None and after.rain_to.hour,
    ) == (19, 20)


def test_age() -> None:
    now = datetime(2027, 9, 24, tzinfo=UTC)
    assert age_finding(now - timedelta(hours=11), now) is None
    old = age_finding(now - timedelta(hours=30), now)
    assert old is not None
    assert "30 hours" in old.message
    assert age_words(1 / 60) == "1 minute"


CSV = "time,temp_c,rain_mm_h,wind_kmh,gust_kmh,wind_from_deg,humidity_pct,snow\n"


def test_csv_with_units_zones_and_compass_points() -> None:
    read = read_csv(
        CSV
        + "2027-09-23T18:00+01:00,8,1.2,36,54,WSW,90,no\n2027-09-23T19:00+01:00,7,,36,,250,,yes\n",
        LONDON,
    )
    assert read.hours[0] == Hour(
        at(1), 8, 1.2, pytest.approx(10.0), pytest.approx(15.0), 247.5, 90
    )
    assert read.hours[1].rain_mm_h is None
    assert read.hours[1].snow
    assert read.findings == ()


def test_snow_and_lightning_reach_the_night() -> None:
    """Snow hours of 2 and 1 mm of water are 3 kg/m2: 3 cm of new snow of 100 kg/m3."""
    head = "time,rain_mm_h,snow,lightning\n"
    rows = (
        "2027-09-23T18:00Z,2,yes,no\n2027-09-23T19:00Z,1,yes,yes\n2027-09-23T20:00Z,5,no,\n"
    )
    read = read_csv(head + rows, LONDON)
    assert [h.lightning for h in read.hours] == [False, True, False]
    assert read_csv(write_csv(read), LONDON).hours == read.hours
    told = outlook(read, read.hours[0].at, read.hours[-1].at + timedelta(hours=1))
    needs = needs_from(told, NightNeeds())
    assert needs.lightning
    assert needs.snow_depth_m == pytest.approx(0.03)
    assert needs.snow_kg_m2 == pytest.approx(3.0)


def test_semicolons_decimal_commas_fahrenheit_inches_and_local_times() -> None:
    read = read_csv("time;temp_f;rain_in_h;wind_kn\n2027-09-23 18:00;50,0;0,1;10\n", LONDON)
    (hour,) = read.hours
    assert hour.temp_c == pytest.approx(10)
    assert hour.rain_mm_h == pytest.approx(2.54)
    assert hour.wind_m_s == pytest.approx(5.144, abs=0.001)
    assert hour.at == at(1)  # summer time: an hour ahead of UTC
    assert codes(read) == {"no_zone"}


def test_times_in_another_zone_are_said_and_right() -> None:
    read = read_csv(CSV + "2027-09-23T22:30+05:30,8,0,10,20,200,80,no\n", LONDON)
    assert read.hours[0].at == at(1)
    assert codes(read) == {"other_zone"}
    assert "+05:30" in read.findings[0].message


@pytest.mark.parametrize(
    ("line", "code"),
    [
        ("yesterday,8,0,10,20,200,80,no", "no_time"),
        ("2027-09-23T19:00+01:00,warm,0,10,20,200,80,no", "no_number"),
        ("2027-09-23T19:00+01:00,8,0,10,20,upwind,80,no", "no_bearing"),
        ("2027-09-23T19:00+01:00,8,0,10,20,200,80,perhaps", "no_yes_or_no"),
        ("2027-09-23T19:00+01:00,8,0,10", "cells"),
        ("2027-09-23T19:20+01:00,8,0,10,20,200,80,no", "not_on_the_hour"),
        ("2027-09-23T19:00+01:00,61,0,10,20,200,80,no", "out_of_range"),
        ("2027-09-23T19:00+01:00,8,0,200,220,200,80,no", "strong_wind"),
        ("2027-09-23T19:00+01:00,30,0,10,20,200,80,no", "temperature_jump"),
        ("2027-09-23T19:00+01:00,8,0,30,20,200,80,no", "gust_below_wind"),
        ("2027-09-23T18:00+01:00,9,0,10,20,200,80,no", "hour_twice"),
        ("2027-09-23T23:00+01:00,8,0,10,20,200,80,no", "gap"),
    ],
)
def test_each_fault_of_a_line_is_a_finding_and_the_rest_is_read(
    line: str, code: str
) -> None:
    read = read_csv(
        CSV + "2027-09-23T18:00+01:00,8,1,10,20,WSW,90,no\n" + line + "\n", LONDON
    )
    assert code in codes(read)
    assert read.hours[0].at == at(1)
    assert all(f.message and isinstance(f, Finding) for f in read.findings)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("hello", "time"),
        ("time,colour\n2027-09-23T19:00,blue\n", "no known column"),
        ("time,temp_c,temp_f\n2027-09-23T19:00,1,2\n", "say the same"),
        (CSV, "no hour could be read"),
        ("{", "isn't JSON"),
        ("[]", "no list"),
        ('{"hours": 3}', "no list"),
        ('{"hours": []}', "no hour could be read"),
        ("x" * 500_000, "more than"),
        ('{"hours": ' + "[" * 9000, "isn't JSON"),
    ],
)
def test_what_is_no_forecast_is_refused_with_words(text: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_any(text, LONDON)


@given(
    st.text(max_size=300)
    | st.text(alphabet='{}[]",:0123456789 \n;timehourstemp_cT+-', max_size=300)
)
def test_any_text_is_read_or_refused_kindly(text: str) -> None:
    for given_text in (
        text,
        CSV + text,
        json.dumps({"hours": [{"time": text, "temp_c": text}]}),
    ):
        try:
            assert read_any(given_text, LONDON).hours
        except InputError as err:
            assert err.message


@given(
    st.lists(
        st.builds(
            Hour,
            st.integers(0, 90).map(at),
            st.floats(-30, 40).map(lambda x: round(x, 1)),
            st.floats(0, 50).map(lambda x: round(x, 1)),
            st.floats(0, 20).map(lambda x: round(x, 1)),
            st.none() | st.floats(20, 40).map(lambda x: round(x, 1)),
            st.none() | st.integers(0, 359).map(float),
            st.integers(0, 100).map(float),
            st.none(),
            st.booleans(),
        ),
        min_size=1,
        max_size=20,
    )
)
def test_both_forms_bring_back_what_was_written(hours: list[Hour]) -> None:
    made = assemble(hours)
    assert read_csv(write_csv(made), LONDON).hours == made.hours
    assert read_json(json.dumps(as_form(made)), LONDON).hours == made.hours
