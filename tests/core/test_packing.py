"""What is packed covers every night; the split is fair."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.cord import together
from tarvik.core.kit_weights import sheet_kg
from tarvik.core.packing import (
    Wanted,
    fair_split,
    poles_packed,
    stakes_packed,
    toggles_packed,
)
from tarvik.core.rig.carried import Rig
from tarvik.core.rig.supports import Pole

if TYPE_CHECKING:
    from collections.abc import Sequence

HEIGHTS = st.lists(st.floats(0.6, 2.0), max_size=4)
LENGTHS = st.lists(st.floats(0.3, 8.0), max_size=6)


def met(
    night: Wanted, stakes: int, lines_m: Sequence[float], poles: Sequence[Pole]
) -> bool:
    """Whether a bag has all that a night wants: each line long enough, each pole reaching."""
    free_lines, free_poles = sorted(lines_m), sorted(poles, key=lambda p: p.most_m)
    for need in sorted(night.lines_m):
        line = next((x for x in free_lines if x >= need - 1e-6), None)
        if line is None:
            return False
        free_lines.remove(line)
    for height in sorted(night.poles_m, reverse=True):
        pole = next((p for p in free_poles if p.reaches(height)), None)
        if pole is None:
            return False
        free_poles.remove(pole)
    return stakes >= night.stakes


@given(st.lists(st.tuples(st.integers(0, 40), LENGTHS, HEIGHTS), min_size=1, max_size=4))
def test_what_is_packed_serves_every_night(
    nights: list[tuple[int, list[float], list[float]]],
) -> None:
    """Checked night by night from the bag alone."""
    every = [Wanted(stakes, tuple(lines), tuple(poles)) for stakes, lines, poles in nights]
    kit = [Pole(0.5, 2.1) for _ in range(8)] + [Pole(0.5, 1.2) for _ in range(8)]
    taken, short = poles_packed(every, kit)
    assert short == 0
    bag = together([night.lines_m for night in every])
    for night in every:
        assert met(night, stakes_packed(every), bag, [kit[i] for i in taken])


def test_lines_through_take_two_toggles_each_and_nights_share_them() -> None:
    """A line through under the ridge holds both ends of the sheet by a loop with a toggle (common
    practice); the most of any night is packed.
    """
    through, ends = Rig((), (), (), through_line=True), Rig((), (), ())
    every = [Wanted.by([through, through, ends]), Wanted.by([through]), Wanted.by([ends])]
    assert [night.toggles for night in every] == [4, 2, 0]
    assert toggles_packed(every) == 4 and toggles_packed([]) == 0


def test_poles_that_are_not_there_are_told() -> None:
    every = [Wanted(0, (), (1.5, 1.5)), Wanted(0, (), (0.9,))]
    taken, short = poles_packed(every, [Pole(0.5, 1.6), Pole(0.5, 1.0)])
    assert (taken, short) == ([0], 1)


def test_a_bag_without_enough_does_not_do() -> None:
    night = Wanted(4, (3.0,), (1.2,))
    assert met(night, 4, [3.0], [Pole(1.0, 1.5)])
    assert not met(night, 3, [3.0], [Pole(1.0, 1.5)])
    assert not met(night, 4, [2.9], [Pole(1.0, 1.5)])
    assert not met(night, 4, [3.0], [Pole(1.3, 1.5)])


def test_a_light_sheet_weighs_what_it_weighs_in_practice() -> None:
    """7 x 7 ft of light nylon with its lines: about 0.65 kg (common practice)."""
    assert sheet_kg(2.13**2, 0.105) == pytest.approx(0.65, abs=0.05)


def test_no_split_is_fairer_on_small_cases() -> None:
    rng = np.random.default_rng(5)
    for _ in range(60):
        own = [float(x) for x in rng.uniform(0, 3, rng.integers(1, 4)).round(3)]
        shared = [float(x) for x in rng.uniform(0.05, 1.5, rng.integers(0, 6)).round(3)]
        split = fair_split(own, shared)
        assert split.proved
        best = min(
            max(
                own[p] + sum(kg for kg, w in zip(shared, who, strict=True) if w == p)
                for p in range(len(own))
            )
            for who in itertools.product(range(len(own)), repeat=len(shared))
        )
        assert split.heaviest_kg == pytest.approx(best, abs=2e-3)


def test_a_large_split_is_within_five_per_cent_of_the_bound() -> None:
    """Of the linear relaxation: nobody can do better than all loads alike."""
    rng = np.random.default_rng(9)
    own = [float(x) for x in rng.uniform(1.0, 2.0, 14)]
    shared = [float(x) for x in rng.uniform(0.02, 0.8, 60)]
    split = fair_split(own, shared)
    relaxed = max(*own, (sum(own) + sum(shared)) / len(own))
    assert split.heaviest_kg <= 1.05 * relaxed


def test_what_a_leader_gives_to_somebody_stays_there() -> None:
    split = fair_split([0.0, 0.0], [1.0, 1.0, 1.0], {0: 1, 1: 1})
    assert split.who == (1, 1, 0)
    assert fair_split([], [1.0]).who == (-1,)
