"""Rounds of drills: the same for the same seed, what is due first."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from tarvik.core.drills.boxes import Answered, learnt
from tarvik.core.drills.drill import Kind
from tarvik.core.drills.make import drills
from tests.core.drills.drill_cases import MATERIAL


@pytest.mark.parametrize("kind", list(Kind))
def test_a_round_is_the_same_for_the_same_seed(kind: Kind) -> None:
    at = datetime(2026, 6, 1, tzinfo=UTC)
    one = drills(kind, MATERIAL, 7, 2, {}, at)
    assert [d.asks for d in one] == [d.asks for d in drills(kind, MATERIAL, 7, 2, {}, at)]
    assert len(one) == 2
    assert len({d.item for d in one}) == 2
    assert drills(kind, replace(MATERIAL, sheets=()), 7, 2, {}, at) == []


def test_what_is_due_comes_first() -> None:
    at = datetime(2026, 6, 1, tzinfo=UTC)
    every = drills(Kind.KNOT, MATERIAL, 3, 4, {}, at)
    missed = every[-1].item
    known = learnt([Answered(missed, False, at)])
    again = drills(Kind.KNOT, MATERIAL, 3, 2, known, at)
    assert again[0].item == missed
