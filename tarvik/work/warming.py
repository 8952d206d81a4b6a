"""Touch what searches and measures once, so that the first who asks waits for no loading; compiled where it is not yet."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import Weather

if TYPE_CHECKING:
    from tarvik.core.solve import Solution

WARMING: Final = ("a-frame", "plow-point-lifted", "closed-wedge")
"""A convex lid, a roof whose cloth gives, and one hollow and shut: between them every compiled function is called."""
SIDES_M: Final = (1.8, 2.2, 3.0, 4.2)
WANTED: Final = 2


def warm_search() -> list[Solution]:
    """Call every compiled function of the search and the figures: pairs, triples, rows and obstacles come up among these.
    Returns what was found of the largest sheets, in calm.
    """
    largest = []
    for pitch in (PITCHES[slug] for slug in WARMING):
        for side in SIDES_M:
            found = solve(Question(Sheet.rectangle(side, side), pitch, {}, wanted=WANTED))
            if found.shelter is None:
                continue
            solve(Question(found.question.sheet, pitch, found.settings, weather=Weather(4, 8, 200)))
            if side == SIDES_M[-1]:
                largest.append(found)
    return largest
