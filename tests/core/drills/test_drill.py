"""Some answers are right and some are not, and all right ones are accepted."""

from __future__ import annotations

import itertools
from collections import Counter

import pytest

from tarvik.core.drills.drill import Choice, Estimate, Kind, Order
from tests.core.drills.drill_cases import made


@pytest.mark.parametrize("kind", list(Kind))
def test_some_answers_are_right_and_some_are_not(kind: Kind) -> None:
    for drill in made(kind):
        assert drill.asks
        assert drill.why
        assert drill.item.startswith(f"{kind}:")
        if isinstance(drill, Choice):
            assert len(set(drill.options)) == len(drill.options)
            assert 0 < len(drill.right) < len(drill.options)
            answers = [drill.accepts(n) for n in range(len(drill.options))]
            assert sum(answers) == len(drill.right)
        elif isinstance(drill, Order):
            places = range(len(drill.shown))
            good = [p for p in itertools.permutations(places) if drill.accepts(p)]
            alike = Counter(drill.shown)
            # As many orders are right as there are ways to take steps that say the same.
            assert len(good) == _ways(alike)
            assert not drill.accepts(tuple(places))
        else:
            assert isinstance(drill, Estimate)
            assert drill.accepts(drill.value)
            assert not drill.accepts(1.3 * drill.value)
            assert not drill.accepts(0.7 * drill.value)


def _ways(alike: Counter[str]) -> int:
    ways = 1
    for count in alike.values():
        for k in range(2, count + 1):
            ways *= k
    return ways
