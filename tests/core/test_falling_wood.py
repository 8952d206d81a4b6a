"""Branches that the wind brings down: a finding of the place and the night."""

from __future__ import annotations

import pytest

from tarvik.core.finding import Level
from tarvik.core.site.falling_wood import falling_wood
from tarvik.core.weather.needs import NightNeeds, propose


@pytest.mark.parametrize(
    ("surroundings", "gust", "looked", "level"),
    [
        ("open", 30.0, False, None),
        ("scattered", 30.0, False, None),
        ("edge", 16.9, False, None),
        ("edge", 17.0, False, Level.CAUTION),
        ("thin-wood", 20.9, False, Level.CAUTION),
        ("closed-wood", 21.0, False, Level.STOPS),
        ("closed-wood", 30.0, False, Level.STOPS),
        ("closed-wood", 30.0, True, Level.CAUTION),
        ("wood", 21.0, False, Level.STOPS),
    ],
)
def test_from_what_gust_trees_are_looked_at(
    surroundings: str, gust: float, looked: bool, level: Level | None
) -> None:
    needs = NightNeeds(
        surroundings=surroundings, wind_m_s=10.0, gust_m_s=gust, overhead_checked=looked
    )
    found = falling_wood(needs)
    assert (found.level if found else None) is level
    if found:
        assert found.code == "falling_wood" and "look for another place" in found.remedy


def test_without_a_gust_told_it_goes_by_the_gust_rule() -> None:
    """14 m/s of mean wind gust to 20.8 m/s, 14.2 to 21.1."""
    by_rule = [
        falling_wood(NightNeeds(surroundings="closed-wood", wind_m_s=wind))
        for wind in (14.0, 14.2)
    ]
    assert [f.level for f in by_rule if f] == [Level.CAUTION, Level.STOPS]
    assert falling_wood(NightNeeds(surroundings="closed-wood")) is None


@pytest.mark.parametrize(
    "surroundings", ["open", "scattered", "edge", "thin-wood", "closed-wood"]
)
def test_nobody_is_sent_under_swaying_trees(surroundings: str) -> None:
    advice = propose(NightNeeds(surroundings=surroundings, wind_m_s=14.0)).advice
    assert "clear of" in advice and "sway" in advice and "into a wood" not in advice
