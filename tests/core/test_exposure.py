"""Cold, wet and wind together, and lightning, are said once, as weather for people."""

from __future__ import annotations

from dataclasses import replace

from tarvik.core.units import Units
from tarvik.core.weather.exposure import exposure
from tarvik.core.weather.lightning import lightning
from tarvik.core.weather.needs import NightNeeds

FOUL = NightNeeds(lowest_c=5.0, rain_mm_h=3.0, wind_m_s=8.0)


def test_cold_wet_and_wind_together() -> None:
    """Common practice: rain at 5 degrees in force 4 to 5 is the weather of hypothermia."""
    found = exposure(FOUL)
    assert found is not None
    assert "novices" in found.message
    assert "41" in (exposure(FOUL, Units.IMPERIAL) or found).message  # degrees Fahrenheit


def test_any_one_missing_is_not_it() -> None:
    for less in (
        {"lowest_c": 14.0},
        {"lowest_c": None},
        {"rain_mm_h": 0.0},
        {"rain_mm_h": None},
        {"wind_m_s": 1.0},
        {"wind_m_s": None},
    ):
        assert exposure(replace(FOUL, **less)) is None  # type: ignore[arg-type]


def test_a_wood_takes_the_wind_out_of_it() -> None:
    assert exposure(replace(FOUL, surroundings="closed-wood")) is None


def test_lightning_is_said_of_the_place() -> None:
    """Common practice: off open ground and away from lone trees and wood edges in a storm."""
    assert lightning(NightNeeds()) is None
    bare = lightning(NightNeeds(lightning=True))
    wood = lightning(NightNeeds(lightning=True, surroundings="edge"))
    assert bare is not None
    assert wood is not None
    assert "open ground" in bare.message
    assert "edge" in wood.message
    assert "last thunder" in bare.remedy
