"""Settings at which a shelter holds tonight: where the wind or snow stops what was found, the
heights are moved until it holds.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik.core.finding import Level
from tarvik.core.handy import HEIGHT_STEP_M, is_height
from tarvik.core.rig.verdict import Verdict
from tarvik.core.site.pairs import REACH_M
from tarvik.core.tonight import judge, lacks_only_buttons

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.solve import Question, Solution
    from tarvik.core.tonight import Night, Tonight

STEPS: Final = (2, 4, 6, 9, 12)
"""How many times the step of a height they are moved, in the order in which it is tried."""
ELSEWHERE: Final = frozenset({"beds", "place"})
"""What findings are about that another height does not mend."""


def moved(question: Question, by_m: float) -> dict[str, float] | None:
    """The settings asked about with all heights moved alike; None where one comes out of its
    range, or out of reach.
    """
    out = dict(question.settings)
    for setting in question.pitch.settings:
        if not is_height(setting) or not out.get(setting.name):
            continue
        value = round(out[setting.name] + by_m, 4)
        if not setting.least <= value <= min(setting.most, REACH_M):
            return None
        out[setting.name] = value
    return None if out == dict(question.settings) else out


def held(
    found: Solution, night: Night, people: int, answer: Callable[[Question], Solution]
) -> Solution:
    """The shelter found, or, where the weather stops it, the same with all heights moved alike by
    10 to 60 cm, lower (under snow higher) first: the first at which nothing stops it and as many
    lie dry. Where there is none, as it was found.
    """
    if (
        found.figures is None
        or found.verdict is Verdict.CANNOT
        or not lacks_only_buttons(found)
    ):
        return found
    told = judge(found, night, people)
    if not _stopped_by_weather(told):
        return found
    asked = replace(found.question, settings=dict(found.settings), handy=False)
    way = 1 if any(f.code.startswith("snow") for f in told.findings) else -1
    for times in STEPS:
        settings = moved(asked, way * times * HEIGHT_STEP_M)
        if settings is None:
            break
        made = answer(replace(asked, settings=settings))
        if made.figures is None or not lacks_only_buttons(made):
            continue
        if (
            made.figures.sleepers >= min(people, found.figures.sleepers)
            and not judge(made, night, people).stops
        ):
            return replace(made, question=found.question)
    return found


def _stopped_by_weather(told: Tonight) -> bool:
    """Whether something stops it that another height may mend."""
    stops = [f for f in told.findings if f.level is Level.STOPS]
    return bool(stops) and not any(f.element in ELSEWHERE for f in stops)
