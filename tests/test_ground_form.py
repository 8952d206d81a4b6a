"""What leaders type of the ground, in the units of their course or any they write."""

from __future__ import annotations

import pytest

from tarvik.core.units import Units
from tarvik.exchange.ground_form import in_metres, reading_words


@pytest.mark.parametrize(
    ("typed", "units", "metres"),
    [
        ("20", Units.METRIC, 20.0),
        ("20", Units.IMPERIAL, 6.096),
        ("20 ft", Units.METRIC, 6.096),
        ("9'6\"", Units.IMPERIAL, 2.8956),
        ("6.1 m", Units.IMPERIAL, 6.1),
        ("-3", Units.IMPERIAL, -0.9144),
        ("+2,5", Units.METRIC, 2.5),
        (4.0, Units.IMPERIAL, 4.0),  # a script's numbers are metres already
    ],
)
def test_lengths_are_read_in_the_units_of_the_course(
    typed: object, units: Units, metres: float
) -> None:
    assert in_metres({"length_m": typed}, units)["length_m"] == pytest.approx(metres)


def test_places_and_corners_are_read_alike_and_nothing_else_is() -> None:
    typed = {"x": "10", "y": "-10", "bearing_deg": "90", "name": "12", "paces": "30"}
    read = in_metres({**typed, "corners": [["0", "10"], ["5 m", "x"]]}, Units.IMPERIAL)
    assert (read["x"], read["y"]) == pytest.approx((3.048, -3.048))
    assert (read["bearing_deg"], read["name"], read["paces"]) == ("90", "12", "30")
    assert read["corners"] == [[0.0, pytest.approx(3.048)], [5.0, "x"]]


def test_the_field_book_speaks_in_the_units_of_the_course() -> None:
    tape = {"way": "tape", "start": "Oak 2", "end": "Ash 5", "length_m": 6.096}
    assert reading_words(tape) == "Oak 2 to Ash 5: 6.096 m"
    assert reading_words(tape, Units.IMPERIAL) == "Oak 2 to Ash 5: 20 ft"
    off = {
        "way": "offset",
        "start": "A",
        "end": "B",
        "point": "C",
        "along_m": 3.0,
        "right_m": -1.0,
    }
    assert (
        reading_words(off, Units.IMPERIAL)
        == "C: 9 ft 10 in along A-B, 3 ft 3 in to the left"
    )
