"""The settings of a chosen shelter corrected until those who are to lie there lie dry, with room
over them, as the sheet hangs; for a fold knows nothing of sag.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import FoldError
from tarvik.core.handy import HEIGHT_STEP_M
from tarvik.core.hang.hung import hang, usual_hanging
from tarvik.core.hang.room import measure_hung
from tarvik.core.held import moved
from tarvik.core.rig.verdict import Verdict
from tarvik.core.tonight import judge
from tarvik.work.hung_key import can_hang

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.solve import Question, Solution
    from tarvik.core.tonight import Night

STEPS: Final = (1, -1, 2, -2, 3, -3)
"""How many times the step of a height the heights are moved, in the order in which it is tried."""


def beds_as_hung(solution: Solution) -> int:
    """How many of those asked for lie dry as the sheet hangs; of what does not hang, as folded."""
    shelter, figures, rig = solution.shelter, solution.figures, solution.assessment.rig
    if shelter is None or figures is None:
        return 0
    if rig is None or not can_hang(solution):
        return figures.sleepers
    asked = solution.question
    try:
        hung = hang(shelter, rig, usual_hanging(asked.sheet, asked.reached, asked.drawn))
    except FoldError:
        return figures.sleepers
    room = measure_hung(
        hung, asked.body, figures.weather, figures.clearance, figures.lying, asked.people
    )
    return room.sleepers


def hung_true(
    question: Question, night: Night, wanted: int, solve: Callable[[Question], Solution]
) -> tuple[dict[str, float], int]:
    """The settings asked about, or those nearest to them, all heights moved alike by 5 to 15 cm, at
    which as many as are wanted lie dry as the sheet hangs; of those that come short the best. And
    how many lie dry there.
    """
    now = dict(question.settings)
    best, most = now, beds_as_hung(solve(question))
    for times in STEPS if most < wanted else ():
        settings = moved(question, times * HEIGHT_STEP_M)
        if settings is None:
            continue
        solution = solve(replace(question, settings=settings))
        if solution.verdict is not Verdict.FORMS or _stopped(solution, night, wanted):
            continue
        beds = beds_as_hung(solution)
        if beds > most:
            best, most = settings, beds
        if most >= wanted:
            break
    return best, most


def _stopped(solution: Solution, night: Night, wanted: int) -> bool:
    """Whether something but the number of beds stops it tonight."""
    return judge(solution, night, wanted).stopped_besides(("beds",))
