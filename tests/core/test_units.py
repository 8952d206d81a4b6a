"""Lengths as people write them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.errors import InputError
from tarvik.core.units import (
    FOOT_M,
    INCH_M,
    Units,
    format_area,
    format_length,
    format_size,
    parse_length,
    parse_size,
)

M, FT = Units.METRIC, Units.IMPERIAL


@pytest.mark.parametrize(
    ("text", "units", "metres"),
    [
        ("2.4", M, 2.4),
        ("2,4", M, 2.4),
        ("290cm", M, 2.9),
        ("290 cm", FT, 2.9),
        ("1450 mm", M, 1.45),
        ("3 m", FT, 3.0),
        ("1m80", M, 1.8),
        ("9'6\"", M, 9.5 * FOOT_M),
        ("9' 6", M, 9.5 * FOOT_M),
        ("9 ft 6 in", M, 9.5 * FOOT_M),
        ("9.5 ft", M, 9.5 * FOOT_M),
        ("9 1/2 ft", M, 9.5 * FOOT_M),
        ("8'", M, 8 * FOOT_M),
        ("114 in", M, 114 * INCH_M),
        ("9.5", FT, 9.5 * FOOT_M),
        ("5’9”", M, 69 * INCH_M),
        ("  .5 m ", M, 0.5),
        ('12"', M, 12 * INCH_M),
    ],
)
def test_lengths_people_write(text: str, units: Units, metres: float) -> None:
    assert parse_length(text, units) == pytest.approx(metres, abs=1e-12)


@pytest.mark.parametrize(
    ("text", "units", "sides"),
    [
        ("8x10 ft", M, (8 * FOOT_M, 10 * FOOT_M)),
        ("2.4 x 3", M, (2.4, 3.0)),
        ("2.4×3m", M, (2.4, 3.0)),
        ("290cm", M, (2.9, 2.9)),
        ("7 ft square", M, (7 * FOOT_M, 7 * FOOT_M)),
        ("9'6\" x 12'", M, (9.5 * FOOT_M, 12 * FOOT_M)),
        ("9 by 12", FT, (9 * FOOT_M, 12 * FOOT_M)),
        ("240 x 300 cm", M, (2.4, 3.0)),
        ("2,4*3,0 m", M, (2.4, 3.0)),
    ],
)
def test_sizes_people_write(text: str, units: Units, sides: tuple[float, float]) -> None:
    assert parse_size(text, units) == pytest.approx(sides, abs=1e-12)


def test_a_foot_is_exact() -> None:
    """International yard and pound agreement of 1959: 1 ft = 0.3048 m."""
    assert parse_length("1 ft") == 0.3048
    assert parse_length("1 in") == 0.0254


@pytest.mark.parametrize(
    "text",
    [
        "",
        "tall",
        "-3",
        "nan",
        "inf",
        "1e9",
        "3 3",
        "9'6'",
        "1/0",
        "x" * 200,
        "٣٤",
        "2 x",
        "0x10",
    ],
)
def test_what_is_no_length_is_refused_with_its_field(text: str) -> None:
    with pytest.raises(InputError) as refused:
        parse_length(text, field="stature", least_m=0.5, most_m=20)
    assert refused.value.field == "stature"
    assert refused.value.message


def test_a_bare_stature_in_centimetres() -> None:
    assert parse_length("178", M, bare_cm_above=50) == pytest.approx(1.78)
    assert parse_length("1.78", M, bare_cm_above=50) == pytest.approx(1.78)


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused(text: str) -> None:
    """Whatever is typed, the answer is a finite positive length or an InputError."""
    try:
        value = parse_length(text, least_m=0.01)
    except InputError:
        return
    assert 0.01 <= value <= 100


@given(st.floats(0.5, 20), st.sampled_from([M, FT]))
def test_what_is_shown_reads_back(metres: float, units: Units) -> None:
    """Showing and reading again is true to half of what the tape shows."""
    back = parse_length(format_length(metres, units), units)
    assert back == pytest.approx(metres, abs=0.0051 if units is M else INCH_M / 2 + 1e-9)


@given(st.floats(0.5, 20), st.floats(0.5, 20), st.sampled_from([M, FT]))
def test_shown_sizes_read_back(width: float, length: float, units: Units) -> None:
    back = parse_size(format_size(width, length, units), units)
    assert back == pytest.approx((width, length), abs=INCH_M)


def test_areas() -> None:
    assert format_area(10.0) == "10.0 m²"
    assert format_area(9.290304, FT) == "100 sq ft"
