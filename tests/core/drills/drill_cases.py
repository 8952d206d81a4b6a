"""A hundred drills of each kind, on three sheets and three nights, for the tests of drills."""

from __future__ import annotations

import itertools
from functools import cache
from random import Random
from typing import TYPE_CHECKING

from tarvik.core.drills.make import drill_of
from tarvik.core.drills.material import Material
from tarvik.core.sheet import Sheet
from tarvik.core.tonight import Night, Tonight, judge
from tarvik.core.weather.needs import NightNeeds
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from tarvik.core.drills.drill import Drill, Kind
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


def words_of(night: Night) -> str:
    if night is CALM:
        return "no wind to speak of; open"
    return "force 6" if night is WINDY else "rain of 4.0 mm/h, no wind"
