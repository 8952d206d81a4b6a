"""Weather, place and time as leaders say them."""

from __future__ import annotations

import math
from datetime import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.errors import InputError
from tarvik.core.quantities import (
    POINTS,
    SPEEDS,
    format_thickness,
    parse_bearing,
    parse_degrees,
    parse_speed,
    parse_temperature,
    parse_thickness,
    parse_time,
)
from tarvik.core.units import Units, parse_length
from tarvik.core.weather.wind import beaufort

M, FT = Units.METRIC, Units.IMPERIAL
WORDS = {"N": "north", "S": "south", "E": "east", "W": "west"}


@pytest.mark.parametrize(
    ("text", "units", "m_s"),
    [
        ("7", M, 7.0),
        ("7", FT, 7 * SPEEDS["mph"]),
        ("25 km/h", FT, 25 / 3.6),
        ("10-15 mph", M, 15 * SPEEDS["mph"]),
        ("10 to 15 mph", M, 15 * SPEEDS["mph"]),
        ("5–8", M, 8.0),
        ("20 kn", M, 20 * SPEEDS["kn"]),
    ],
)
def test_winds(text: str, units: Units, m_s: float) -> None:
    assert parse_speed(text, units) == pytest.approx(m_s)


@given(
    force=st.integers(0, 12),
    shape=st.sampled_from(
        [
            "force {}",
            "F{}",
            "f {}",
            "{} Bft",
            "{}bft",
            "Bft {}",
            "bf {}",
            "Beaufort {}",
            "force {}.",
        ]
    ),
)
def test_a_force_is_its_own_mean_wind(force: int, shape: str) -> None:
    assert beaufort(parse_speed(shape.format(force))) == force


def test_a_range_of_forces_is_its_higher_end() -> None:
    assert beaufort(parse_speed("force 4-5")) == 5
    assert beaufort(parse_speed("F4 to 6")) == 6


@pytest.mark.parametrize(
    "text", ["force 13", "5 furlongs", "strong", "", "--", "force", "5-", "-"]
)
def test_what_is_no_wind_is_refused_in_words(text: str) -> None:
    with pytest.raises(InputError):
        parse_speed(text)


@given(
    point=st.sampled_from(POINTS),
    between=st.sampled_from([" ", "-", ""]),
    shape=st.sampled_from(["{}", "from {}", "from the {}", " {} "]),
    upper=st.booleans(),
)
def test_compass_points_in_words(point: str, between: str, shape: str, upper: bool) -> None:
    words = shape.format(between.join(WORDS[letter] for letter in point))
    told = words.upper() if upper else words
    assert parse_bearing(told) == POINTS.index(point) * 22.5
    assert parse_bearing(point.lower()) == POINTS.index(point) * 22.5


@given(north=st.sampled_from("NS"), off=st.integers(0, 90), east=st.sampled_from("EW"))
def test_quadrant_bearings(north: str, off: int, east: str) -> None:
    """N45E points as far east as it points north."""
    for text in (
        f"{north}{off}{east}",
        f"{north} {off} {east}",
        f"{north.lower()}{off}°{east}",
    ):
        bearing = math.radians(parse_bearing(text))
        ahead = math.cos(bearing) * (1 if north == "N" else -1)
        aside = math.sin(bearing) * (1 if east == "E" else -1)
        assert (ahead, aside) == pytest.approx(
            (math.cos(math.radians(off)), math.sin(math.radians(off))), abs=1e-9
        )


@given(hour=st.integers(0, 23), minute=st.integers(0, 59))
def test_times_of_day(hour: int, minute: int) -> None:
    at = time(hour, minute)
    half, face = ("am", "pm")[hour >= 12], hour % 12 or 12
    for text in (
        f"{hour}:{minute:02d}",
        f"{hour:02d}{minute:02d}",
        f"{hour:02d}{minute:02d}h",
        f"{hour}.{minute:02d}",
        f"{face}:{minute:02d}{half}",
        f"{face}.{minute:02d} {half.upper()}",
        *([f"{face}{half}", f"{face} {half}", f"{hour}", f"{hour}h"] if not minute else []),
    ):
        assert parse_time(text) == at, text


@pytest.mark.parametrize("text", ["25:00", "9:75", "13pm", "0am", "soon", "", "2460"])
def test_what_is_no_time_is_refused(text: str) -> None:
    with pytest.raises(InputError):
        parse_time(text)
    assert (parse_time("noon"), parse_time("midnight")) == (time(12), time(0))


@given(
    degrees=st.integers(0, 89),
    minutes=st.integers(0, 59),
    south=st.booleans(),
    first=st.booleans(),
)
def test_latitudes(degrees: int, minutes: int, south: bool, first: bool) -> None:
    exact = (degrees + minutes / 60) * (-1 if south else 1)
    letter = "S" if south else "N"
    for body in (f"{degrees}° {minutes}'", f"{degrees} {minutes}", f"{degrees}°{minutes}′"):
        text = f"{letter} {body}" if first else f"{body} {letter}"
        assert parse_degrees(text, "NS", 90, field="latitude") == pytest.approx(
            exact, abs=1e-5
        )
    assert parse_degrees(f"{exact:.4f}", "NS", 90, field="x") == pytest.approx(
        exact, abs=1e-4
    )


@pytest.mark.parametrize("text", ["91", "54° 75' N", "north", "", "1 2 3 4", "-54 N"])
def test_what_is_no_latitude_is_refused(text: str) -> None:
    with pytest.raises(InputError):
        parse_degrees(text, "NS", 90, field="latitude")


def test_degrees_in_words_and_lengths_in_paces() -> None:
    assert parse_temperature("7 degrees") == 7.0
    assert parse_temperature("45 degrees F") == pytest.approx(7.222, abs=1e-3)
    assert parse_temperature("45 degrees", FT) == pytest.approx(7.222, abs=1e-3)
    assert parse_length("6 paces") == parse_length("6 steps", FT) == pytest.approx(4.5)


@pytest.mark.parametrize(
    ("text", "units", "mm"),
    [
        ("3", Units.METRIC, 3.0),
        ("3mm", Units.IMPERIAL, 3.0),
        ("1/8 in", Units.METRIC, 3.175),
        ("1/8", Units.IMPERIAL, 3.175),
        ('0.5"', Units.METRIC, 12.7),
        ("1 1/4 in", Units.IMPERIAL, 31.75),
        ("2,5 mm", Units.METRIC, 2.5),
    ],
)
def test_thin_things_are_read_in_both_systems(text: str, units: Units, mm: float) -> None:
    """An inch is 25.4 mm (International Yard and Pound Agreement, 1959)."""
    read = parse_thickness(text, units, field="guy", least_mm=1, most_mm=100)
    assert read == pytest.approx(mm)


@pytest.mark.parametrize("text", ["", "thick", "/", "1/0 in", "3", "400 mm", "1/8/8 in"])
def test_what_is_no_thickness_is_told_so(text: str) -> None:
    """Three inches of cord in a feet course is a slip, told with what would be right."""
    with pytest.raises(InputError, match=r"isn't a thickness|give 1/32 in to"):
        parse_thickness(text, Units.IMPERIAL, field="guy", least_mm=1, most_mm=12)


@given(st.floats(1.0, 200.0))
def test_a_thickness_shown_is_read_again_within_a_sixty_fourth(mm: float) -> None:
    for units in Units:
        shown = format_thickness(mm if units is Units.IMPERIAL else round(mm, 1), units)
        read = parse_thickness(shown, units, field="guy", least_mm=0.5, most_mm=201)
        assert read == pytest.approx(mm, abs=25.4 / 64 + 1e-6)
