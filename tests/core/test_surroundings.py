"""The wind that open ground, trees and woods leave at a shelter."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.errors import InputError
from tarvik.core.weather.needs import NightNeeds
from tarvik.core.weather.rain import Weather, drop_mm, median_drop_mm, rain_slope
from tarvik.core.weather.surroundings import (
    BLENDING_M,
    SURROUNDINGS,
    TREES_M,
    Canopy,
    surroundings_named,
)
from tarvik.core.weather.wind import dynamic_pressure, gust_factor, gust_share, wind_share

AT_1_M = {
    # surroundings: mean from, to, gust from, to in m/s for 14 m/s at 10 m in the open
    "open": (7.0, 10.0, 14.0, 17.0),
    "scattered": (5.0, 8.0, 11.0, 15.0),
    "edge": (3.0, 6.0, 10.0, 13.0),
    "thin-wood": (1.5, 3.0, 6.0, 9.0),
    "closed-wood": (1.0, 2.0, 4.5, 7.0),
}
"""Common practice: a storm of force 7 that bends trees hardly moves a flame in a closed wood."""


@pytest.mark.parametrize("slug", AT_1_M)
def test_a_storm_at_one_metre(slug: str) -> None:
    mean_from, mean_to, gust_from, gust_to = AT_1_M[slug]
    around = SURROUNDINGS[slug]
    assert mean_from <= 14 * around.mean_share(1.0) <= mean_to
    assert gust_from <= 14 * around.gust_at(1.0) <= gust_to


def test_a_gust_in_a_closed_wood_presses_with_about_18_pa() -> None:
    assert dynamic_pressure(14 * SURROUNDINGS["closed-wood"].gust_at(1.0)) == pytest.approx(
        18, abs=2
    )


@given(height=st.floats(0.3, 3.0), wind=st.floats(0.0, 40.0))
def test_more_shelter_never_means_more_wind(height: float, wind: float) -> None:
    """Nor a gust below its mean."""
    means = [wind * s.mean_share(height) for s in SURROUNDINGS.values()]
    gusts = [wind * s.gust_at(height) for s in SURROUNDINGS.values()]
    assert means == sorted(means, reverse=True) and gusts == sorted(gusts, reverse=True)
    assert all(g >= m for g, m in zip(gusts, means, strict=True))


@given(
    slug=st.sampled_from(sorted(SURROUNDINGS)),
    low=st.floats(0.3, 3.0),
    up=st.floats(0.0, 2.0),
)
def test_the_wind_grows_with_height(slug: str, low: float, up: float) -> None:
    around = SURROUNDINGS[slug]
    assert around.mean_share(low + up) >= around.mean_share(low) - 1e-12
    assert around.gust_at(low + up) >= around.gust_at(low) - 1e-12


def test_the_log_law_by_hand() -> None:
    """ln(2 / 0.03) / ln(10 / 0.03) = 4.200 / 5.809 over open ground; turbulence 1 / ln(z / z0)."""
    assert wind_share(2.0) == pytest.approx(math.log(2 / 0.03) / math.log(10 / 0.03))
    assert gust_factor() == pytest.approx(math.sqrt(1 + 7 / math.log(10 / 0.03)))
    assert gust_share(10.0) == pytest.approx(1.0)


def test_the_canopy_profile_by_hand() -> None:
    """Wind at the top of 15 m trees: up to 60 m over the open, 7.601 / 5.809 of the forecast, down
    over the wood by ln(4.5 / 1.5) / ln(49.5 / 1.5) = 1.099 / 3.497. Half way down at exponent
    1.7 it is exp(-0.85) of that.
    """
    top = math.log(BLENDING_M / 0.03) / math.log(10 / 0.03) * math.log(3) / math.log(33)
    canopy = Canopy(1.7)
    assert canopy.mean_share(TREES_M) == pytest.approx(top)
    assert canopy.mean_share(TREES_M / 2) == pytest.approx(top * math.exp(-0.85))
    assert canopy.gust_at(TREES_M) == pytest.approx(top * (1 + 3 * 1.8 / 3.3))


def test_former_names_are_still_read() -> None:
    assert surroundings_named("wood") is SURROUNDINGS["closed-wood"]
    for bad in ("moon", "Wood", ""):
        with pytest.raises(InputError, match="surroundings"):
            surroundings_named(bad)


def test_rain_under_trees_comes_from_more_sides_and_slants_less() -> None:
    spreads, slopes = [], []
    for slug in SURROUNDINGS:
        weather = NightNeeds(surroundings=slug, wind_m_s=14.0, rain_mm_h=4.0).weather(90.0)
        spreads.append(weather.spread_deg)
        slopes.append(rain_slope(weather))
    assert spreads == sorted(spreads) and spreads[0] >= 15.0
    assert slopes == sorted(slopes, reverse=True)
    wide = NightNeeds(surroundings="closed-wood", wind_m_s=14.0, spread_deg=60.0)
    assert wide.weather(90.0).spread_deg == 60.0


def test_a_bed_is_kept_dry_from_nine_tenths_of_the_rain() -> None:
    """Marshall and Palmer: the volume below D is the gamma distribution of order 4, whose tenth
    part ends at 1.745 and whose half at 3.672: 0.475 of the median drop.
    """
    for rate in (0.5, 4.0, 25.0):
        assert drop_mm(rate) == pytest.approx(median_drop_mm(rate))
        assert drop_mm(rate, 0.1) / median_drop_mm(rate) == pytest.approx(
            1.7448 / 3.6721, rel=1e-4
        )
    night = NightNeeds(wind_m_s=6.0, rain_mm_h=4.0).weather(90.0)
    median = Weather(4.0, night.wind_m_s, 90.0)
    assert rain_slope(night) > 1.5 * rain_slope(median)
