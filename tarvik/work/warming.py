"""Touch what searches and measures once, so that the first who asks waits for no loading; compiled
where it is not yet.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik.core.pitches import PITCHES
from tarvik.core.search.grid import usual_value
from tarvik.core.search.refine import best_settings
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import Weather

if TYPE_CHECKING:
    from tarvik.core.solve import Solution

WARMING: Final = ("a-frame", "plow-point-lifted", "closed-wedge")
"""A convex lid, a roof whose cloth gives, and one hollow and shut: between them every compiled
function is called.
"""
SIDES_M: Final = (1.8, 2.2, 3.0, 4.2)
WANTED: Final = 2
SLANTED: Final = Weather(4, 8, 200)
"""Rain under which some of these lie wet."""


def small_questions() -> list[Question]:
    """Small searches of these pitches."""
    return [
        Question(Sheet.rectangle(x, x), PITCHES[slug], {}, wanted=WANTED)
        for slug in WARMING
        for x in SIDES_M
    ]


def warm_settings() -> None:
    """Call what the search for settings alone calls: a process that measures nothing does without
    the rest, 40 MB of it.
    """
    for question in small_questions():
        for objective in (
            question.objective(),
            replace(question.objective(), weather=SLANTED),
        ):
            best_settings(question.pitch, question.sheet, objective)


def warm_measures() -> list[Solution]:
    """Call what measuring calls, on settings that are given, so that nothing is searched. Returns
    what was found of the largest sheets, in calm.
    """
    largest = []
    for question in small_questions():
        usual = {s.name: usual_value(s, question.supports) for s in question.pitch.settings}
        given = replace(question, settings=usual)
        found = solve(given)
        solve(replace(given, weather=SLANTED))
        solve(replace(given, wanted=None, weather=SLANTED))
        if question.sheet.box == (SIDES_M[-1], SIDES_M[-1]):
            largest.append(found)
    return largest


def warm_search() -> list[Solution]:
    """Call every compiled function of the search and the figures: pairs, triples, rows and
    obstacles come up among these. Returns what was found of the largest sheets, in calm.
    """
    largest = []
    for question in small_questions():
        found = solve(question)
        if found.shelter is None:
            continue
        solve(replace(question, weather=SLANTED))
        solve(replace(question, settings=found.settings, wanted=None, weather=SLANTED))
        if question.sheet.box == (SIDES_M[-1], SIDES_M[-1]):
            largest.append(found)
    return largest
