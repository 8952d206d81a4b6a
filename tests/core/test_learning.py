"""What a log teaches: intervals cover, estimates converge, an absurd entry moves little."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.learning import (
    PRIOR_DRAWN,
    PRIOR_HOLD,
    PRIOR_MINUTES,
    SLACK_BELOW,
    SPREAD_DRAWN,
    SPREAD_HOLD,
    SPREAD_MINUTES,
    TIGHT_ABOVE,
    learned_from_holds,
    learned_from_ratios,
    learned_from_words,
)

LOGS = 1000
WORDS = st.lists(st.sampled_from(("slack", "firm", "tight")), max_size=20)
RATIOS = st.lists(st.floats(0.5, 2.0), min_size=5, max_size=20)


def test_intervals_of_minutes_cover_what_is_true() -> None:
    """Of a thousand groups with habits of their own, nine in ten lie within their 90 % interval."""
    rng = np.random.default_rng(1)
    within = 0
    for _ in range(LOGS):
        true = rng.normal(0, PRIOR_MINUTES)
        ratios = np.exp(rng.normal(true, SPREAD_MINUTES, rng.integers(1, 15)))
        low, _, high = learned_from_ratios(ratios, PRIOR_MINUTES, SPREAD_MINUTES).now
        within += low <= np.exp(true) <= high
    assert 0.85 <= within / LOGS <= 0.95


def test_intervals_of_what_stakes_hold_cover_what_is_true() -> None:
    rng = np.random.default_rng(2)
    within = 0
    for _ in range(LOGS):
        true = rng.normal(0, PRIOR_HOLD)
        pulls = np.exp(rng.normal(0, 0.5, rng.integers(1, 40)))
        held = rng.normal(true, SPREAD_HOLD, len(pulls)) > np.log(pulls)
        low, _, high = learned_from_holds(pulls, list(held)).now
        within += low <= np.exp(true) <= high
    assert 0.85 <= within / LOGS <= 0.95


def as_said(pulls: np.ndarray) -> list[str]:
    """What a group says that calls its sheets by the pull alone, in times of the usual one."""
    return [
        "slack" if p < SLACK_BELOW else "tight" if p > TIGHT_ABOVE else "firm"
        for p in pulls
    ]


def test_intervals_of_how_hard_stakes_are_drawn_cover_what_is_true() -> None:
    rng = np.random.default_rng(4)
    within = 0
    for _ in range(LOGS):
        true = rng.normal(0, PRIOR_DRAWN)
        pulls = np.exp(rng.normal(true, SPREAD_DRAWN, rng.integers(1, 30)))
        low, _, high = learned_from_words(as_said(pulls)).now
        within += low <= np.exp(true) <= high
    assert 0.85 <= within / LOGS <= 0.95


def test_many_words_find_how_hard_stakes_are_drawn() -> None:
    rng = np.random.default_rng(5)
    for true in (0.6, 1.0, 1.5):
        pulls = np.exp(rng.normal(np.log(true), SPREAD_DRAWN, 800))
        found = learned_from_words(as_said(pulls))
        assert found.now.middle == pytest.approx(true, rel=0.06)


@given(WORDS)
def test_words_move_the_pull_the_way_they_say_and_no_further_than_their_share(
    words: list[str],
) -> None:
    """One more "slack" lowers it, one more "tight" raises it, neither beyond one usual entry."""
    plain, slack, tight = (
        learned_from_words([*words, *more]).now.middle
        for more in ([], ["slack"], ["tight"])
    )
    assert slack < plain < tight
    most = 3 * SPREAD_DRAWN / (1 + len(words) * (PRIOR_DRAWN / SPREAD_DRAWN) ** 2) + 0.1
    assert np.log(tight / plain) < most and np.log(plain / slack) < most


def test_a_word_that_no_pull_of_the_rest_explains_is_named() -> None:
    found = learned_from_words(["tight"] * 40 + ["slack"])
    assert found.far_off == (40,)


def test_many_entries_find_the_truth() -> None:
    rng = np.random.default_rng(3)
    ratios = np.exp(rng.normal(np.log(1.4), SPREAD_MINUTES, 400))
    found = learned_from_ratios(ratios, PRIOR_MINUTES, SPREAD_MINUTES)
    assert found.now[1] == pytest.approx(1.4, rel=0.05)
    pulls = np.exp(rng.normal(0, 0.6, 800))
    held = rng.normal(np.log(1.3), SPREAD_HOLD, 800) > np.log(pulls)
    assert learned_from_holds(pulls, list(held)).now[1] == pytest.approx(1.3, rel=0.08)


def test_nothing_said_leaves_the_built_in_value() -> None:
    for found in (
        learned_from_ratios([], PRIOR_MINUTES, SPREAD_MINUTES),
        learned_from_holds([], []),
        learned_from_words([]),
    ):
        assert found.now == found.prior
        assert found.value(92.0) == pytest.approx(92.0)


def test_few_entries_are_between_the_prior_and_their_own_mean() -> None:
    """By hand: with prior spread 0.5 and entry spread 0.35, three entries of 1.5 weigh 3/0.35^2 to
    1/0.5^2, 24.5 to 4: 0.86 of the way.
    """
    found = learned_from_ratios([1.5, 1.5, 1.5], PRIOR_MINUTES, SPREAD_MINUTES)
    assert np.log(found.now[1]) == pytest.approx(24.5 / 28.5 * np.log(1.5), rel=0.01)


@given(RATIOS, st.floats(20.0, 1000.0))
def test_an_absurd_entry_moves_no_more_than_its_share(
    ratios: list[float], absurd: float
) -> None:
    """No more than the furthest usual entry would, and it is named."""
    plain = learned_from_ratios(ratios, PRIOR_MINUTES, SPREAD_MINUTES)
    found = learned_from_ratios([*ratios, absurd], PRIOR_MINUTES, SPREAD_MINUTES)
    share = 2.0 * SPREAD_MINUTES / len(ratios)
    assert abs(np.log(found.now[1] / plain.now[1])) <= 2 * share
    assert len(ratios) in found.far_off


def test_an_absurd_stake_is_named_and_moves_little() -> None:
    """Thirty stakes that held at half their load, and one that is said to hold fifty times it."""
    pulls, held = [0.5] * 30, [True] * 30
    plain = learned_from_holds(pulls, held)
    found = learned_from_holds([*pulls, 50.0], [*held, True])
    assert found.far_off == (30,)
    assert found.now[1] / plain.now[1] < 1.25
