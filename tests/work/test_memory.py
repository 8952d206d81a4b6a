"""Memories bounded by number and by bytes."""

from __future__ import annotations

import numpy as np
import pytest

from tarvik.work.memory import Kept, weigh


def test_what_is_kept_stays_within_its_bytes() -> None:
    """Arrays of 80 kB in a megabyte: about twelve of them, the last ones."""
    kept: Kept[np.ndarray] = Kept("test", most=1000, most_bytes=1_000_000)
    for number in range(200):
        kept.get(number, lambda: np.zeros(10_000))
    held = [number for number in range(200) if kept.has(number)]
    assert 8 <= len(held) <= 12 and held == list(range(200 - len(held), 200))
    assert kept.bytes <= 1_000_000


def test_what_is_asked_for_again_stays_and_is_made_once() -> None:
    kept: Kept[int] = Kept("test", most=3)
    made: list[int] = []

    def make(number: int) -> int:
        made.append(number)
        return number

    for number in (1, 2, 1, 3, 1, 4, 1):
        assert kept.get(number, lambda n=number: make(n)) == number  # type: ignore[misc]
    assert made == [1, 2, 3, 4]
    assert kept.has(1) and not kept.has(2)


@pytest.mark.parametrize("size", [1_000, 100_000])
def test_an_array_inside_a_thing_weighs_what_it_holds(size: int) -> None:
    weight = weigh({"a": [np.zeros(size)], "b": (1.0, "text")})
    assert size * 8 < weight < size * 8 + 2_000
