"""Which knot? Asked by what it is for."""

from __future__ import annotations

from tarvik.core.drills.drill import Choice, Kind
from tarvik.core.knots import KNOTS
from tests.core.drills.drill_cases import made


def test_knots_are_asked_by_what_they_are_for() -> None:
    names = {k.name: k for k in KNOTS.values()}
    for drill in made(Kind.KNOT):
        assert isinstance(drill, Choice)
        for n, option in enumerate(drill.options):
            assert (names[option].use in drill.asks) == (n in drill.right)
