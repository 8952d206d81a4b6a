"""What is wrong? The findings of the shelter as it is shown."""

from __future__ import annotations

from tarvik.core.drills.drill import Choice, Kind
from tarvik.core.drills.faults import FAULTS, told_of
from tests.core.drills.drill_cases import CALM, WET, WINDY, judged, made, words_of


def test_faults_are_those_of_the_shelter_as_it_is_shown() -> None:
    for drill in made(Kind.FAULT):
        assert isinstance(drill, Choice)
        assert drill.shelter is not None
        if "as drawn" in drill.asks:
            continue  # a path or a mat, not the sheet: looked at in the tests of those
        question = drill.shelter.question
        night = next(n for n in (CALM, WET, WINDY) if words_of(n) in drill.asks)
        if "loose sand" in drill.asks:
            continue  # another ground than the night's: looked at in the test below
        _, tonight = judged(question, night)
        found = {FAULTS[name] for name in told_of(tonight.findings)}
        assert {drill.options[n] for n in drill.right} == found & set(drill.options)
        assert found <= set(drill.options)


def test_stakes_in_loose_sand_are_found_to_hold_too_little() -> None:
    sandy = [d for d in made(Kind.FAULT) if "loose sand" in d.asks]
    assert sandy
    for drill in sandy:
        assert isinstance(drill, Choice)
        assert FAULTS["pull"] in {drill.options[n] for n in drill.right}
