"""Times of practice: the power law is found again, forecasts cover, and few timings move little."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tarvik.core.set_up_times import (
    FIRST_SPREAD,
    LEAST_PACE,
    RATE,
    RATE_SPREAD,
    TIMING_SPREAD,
    curve,
    pace_of,
)


def test_without_timings_the_next_takes_what_the_pitch_takes() -> None:
    found = curve([], 5.0, 1.5)
    assert found.next_min == pytest.approx(7.5)
    assert found.first_min == pytest.approx(7.5)
    assert found.rate == pytest.approx(RATE)
    assert found.low_min < found.next_min < found.high_min


def test_the_law_is_found_again_from_many_timings() -> None:
    told = [12.0 * n**-0.42 for n in range(1, 200)]
    found = curve(told, 5.0)
    assert found.first_min == pytest.approx(12.0, rel=0.05)
    assert found.rate == pytest.approx(0.42, abs=0.02)
    assert found.minutes_at(8) == pytest.approx(told[7], rel=0.03)


def test_one_timing_moves_the_forecast_part_of_the_way() -> None:
    before, after = curve([], 5.0), curve([20.0], 5.0)
    assert before.next_min < after.next_min < 20.0 * 2**-RATE


def test_forecasts_cover_as_often_as_they_say() -> None:
    """A thousand people as the prior has them: 9 times in 10 the next time lies in the interval."""
    rng = np.random.default_rng(7)
    inside = 0
    for _ in range(1000):
        first = 5.0 * math.exp(rng.normal(0, FIRST_SPREAD))
        rate = rng.normal(RATE, RATE_SPREAD)
        count = int(rng.integers(1, 9))
        times = [
            first * n**-rate * math.exp(rng.normal(0, TIMING_SPREAD))
            for n in range(1, count + 2)
        ]
        found = curve(times[:-1], 5.0)
        inside += found.low_min <= times[-1] <= found.high_min
    assert 850 <= inside <= 950


def test_somebodys_pace_counts_from_three_timings_on() -> None:
    usual = {"a-frame": 5.0, "lean-to": 4.0}
    assert pace_of({"a-frame": [10.0, 9.0]}, usual) is None
    slow = pace_of({"a-frame": [10.0, 9.0], "lean-to": [9.0]}, usual)
    assert slow is not None
    assert 1.2 < slow < 2.3
    fast = pace_of({"a-frame": [3.0, 2.5, 2.4]}, usual)
    assert fast is not None
    assert fast < 0.8
    assert pace_of({"a-frame": [0.01] * 50}, usual) == LEAST_PACE
    assert pace_of({"no-pitch": [3.0] * 5}, usual) is None
