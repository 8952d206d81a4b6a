"""How high, how far? The figure of the shelter."""

from __future__ import annotations

from tarvik.core.drills.drill import Estimate, Kind
from tests.core.drills.drill_cases import made


def test_an_estimate_is_the_figure_of_the_shelter() -> None:
    for drill in made(Kind.BY_EYE):
        assert isinstance(drill, Estimate)
        assert drill.shelter is not None
        figures = drill.shelter.figures
        assert figures is not None
        if drill.item.endswith(":peak"):
            assert drill.value == figures.peak_m
        elif drill.item.endswith(":dry"):
            assert drill.value == figures.dry_area_m2
