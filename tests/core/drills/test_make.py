"""Drills: every right answer is what the engine says, and all right ones are accepted."""

from __future__ import annotations

import itertools
from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime
from functools import cache
from random import Random
from typing import TYPE_CHECKING

import pytest

from tarvik.core.drills.boxes import Answered, learnt
from tarvik.core.drills.drill import Choice, Drill, Estimate, Kind, Order
from tarvik.core.drills.faults import FAULTS, told_of
from tarvik.core.drills.make import drill_of, drills
from tarvik.core.drills.material import Material
from tarvik.core.drills.words import sheet_words
from tarvik.core.knots import KNOTS
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import Sheet
from tarvik.core.suggest import weighed
from tarvik.core.tonight import Night, Tonight, judge
from tarvik.core.weather.needs import NightNeeds
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from tarvik.core.solve import Question, Solution

SHEETS = (
    Sheet.rectangle(3.05, 3.05),
    Sheet.rectangle(2.9, 2.9),
    Sheet.rectangle(1.45, 2.2, fabric="polythene"),
)
CALM = Night()
WET = Night(NightNeeds(rain_mm_h=4.0))
WINDY = Night(NightNeeds(rain_mm_h=4.0, wind_m_s=11.0, surroundings="thin-wood"))
SOLVER = Solver()
EACH = 100


@cache
def _judged(key: int) -> tuple[Solution, Tonight]:
    question, night = ASKED[key]
    solution = SOLVER.solve(question)
    return solution, judge(solution, night)


ASKED: dict[int, tuple[Question, Night]] = {}


def judged(question: Question, night: Night) -> tuple[Solution, Tonight]:
    key = hash(repr((question, night)))
    ASKED.setdefault(key, (question, night))
    return _judged(key)


MATERIAL = Material(SHEETS, (CALM, WET, WINDY), judged, SOLVER.solve)


@cache
def made(kind: Kind) -> tuple[Drill, ...]:
    """A hundred drills of a kind, of every level."""
    rng, found = Random(f"drills {kind}"), []
    levels = itertools.cycle((1, 2, 3))
    while len(found) < EACH:
        drill = drill_of(kind, MATERIAL, rng, next(levels))
        if drill is not None:
            found.append(drill)
    return tuple(found)


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


def test_the_right_pitches_are_worth_the_most_by_the_judgement() -> None:
    by_name = {pitch.name: slug for slug, pitch in PITCHES.items()}
    for drill in made(Kind.WHICH_PITCH)[:30]:
        assert isinstance(drill, Choice)
        night = next(n for n in MATERIAL.nights if _words_of(n) in drill.asks)
        sheet = next(s for s in SHEETS if sheet_words(s, MATERIAL.units) in drill.asks)
        worths = []
        for option in drill.options:
            solution, tonight = judged(
                MATERIAL.question(sheet, by_name[option], night), night
            )
            forms = tonight.verdict is Verdict.FORMS
            worths.append(weighed(0, solution, tonight, night, 1).worth if forms else -99.0)
        best = max(worths)
        assert min(worths[n] for n in drill.right) > -99.0
        assert worths.index(best) in drill.right
        others = [w for n, w in enumerate(worths) if n not in drill.right]
        assert max(others) < min(worths[n] for n in drill.right)


def _words_of(night: Night) -> str:
    if night is CALM:
        return "no wind to speak of; open"
    return "force 6" if night is WINDY else "rain of 4.0 mm/h, no wind"


def test_faults_are_those_of_the_shelter_as_it_is_shown() -> None:
    for drill in made(Kind.FAULT):
        assert isinstance(drill, Choice)
        assert drill.shelter is not None
        question = drill.shelter.question
        night = next(n for n in (CALM, WET, WINDY) if _words_of(n) in drill.asks)
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


def test_knots_are_asked_by_what_they_are_for() -> None:
    names = {k.name: k for k in KNOTS.values()}
    for drill in made(Kind.KNOT):
        assert isinstance(drill, Choice)
        for n, option in enumerate(drill.options):
            assert (names[option].use in drill.asks) == (n in drill.right)


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
