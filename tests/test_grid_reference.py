"""Grid references against another library, and what looks like one and is none."""

from __future__ import annotations

import pytest
import utm
from hypothesis import given
from hypothesis import strategies as st
from mgrs import MGRS

from tarvik.core.errors import InputError
from tarvik.exchange.grid_reference import read_grid, with_positions

LATITUDES = st.floats(-79.0, 83.0)
LONGITUDES = st.floats(-179.5, 179.5)


@given(LATITUDES, LONGITUDES)
def test_a_reference_to_the_metre_is_read_back_within_a_metre(
    latitude: float, longitude: float
) -> None:
    told = MGRS().toMGRS(latitude, longitude)
    found = read_grid(told, field="latitude")
    assert found is not None
    assert found.latitude == pytest.approx(latitude, abs=2e-5)
    assert abs(found.longitude - longitude) * 111_000 < 3 * 111_000 * 2e-4


@given(LATITUDES, LONGITUDES)
def test_both_ways_of_telling_a_place_agree(latitude: float, longitude: float) -> None:
    """The military grid's own library and the one that reads UTM, within two metres."""
    east, north, zone, band = utm.from_latlon(latitude, longitude)
    if (
        abs(latitude) < 0.01
        or not 100_000 <= east < 999_999.5
        or utm.latitude_to_zone_letter(latitude) != band
    ):
        return
    metres = read_grid(f"{zone}{band} {east:06.0f} {north:07.0f}", field="latitude")
    assert metres is not None
    assert metres.latitude == pytest.approx(latitude, abs=2e-5)


def test_a_short_reference_names_the_middle_of_its_square() -> None:
    square = read_grid("30U WF 55 40", field="latitude")
    middle = read_grid("30u wf 55500 40500", field="latitude")
    assert square is not None
    assert middle is not None
    assert square == pytest.approx(middle, abs=1e-5)


@pytest.mark.parametrize("text", ["54.62", "54° 24' N", "2 30 36 W", "", "N45E", "30"])
def test_degrees_are_no_grid_reference(text: str) -> None:
    assert read_grid(text, field="latitude") is None


@pytest.mark.parametrize(
    "text", ["30U WF 555", "30U AA 55 40", "30X 555123 6040321", "99U WF 55 40"]
)
def test_one_that_names_no_place_is_refused_in_words(text: str) -> None:
    with pytest.raises(InputError, match="grid reference") as refused:
        read_grid(text, field="latitude")
    assert refused.value.field == "latitude"


def test_one_reference_stands_for_both_fields() -> None:
    both = with_positions(
        {"latitude": "", "longitude": "30U WF 55 40", "name": "Low meadow"}
    )
    assert float(both["latitude"]) == pytest.approx(54.509, abs=1e-3)
    assert float(both["longitude"]) == pytest.approx(-2.143, abs=1e-3)
    assert both["name"] == "Low meadow"
    assert with_positions({"latitude": "54.4"}) == {"latitude": "54.4"}
