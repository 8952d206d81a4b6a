"""A process that hangs sheets, one at a time, apart from the one that answers pages: that one loads
nothing of what it takes, and goes on answering.
"""

from __future__ import annotations

import logging
import os
import sys
from dataclasses import fields
from typing import TYPE_CHECKING, Final

from tarvik.core.pitches import PITCHES
from tarvik.core.solve import Question, solve
from tarvik.work.hanger import Answer, Errand, Hanger
from tarvik.work.pipes import answer

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.core.plain import JsonObject
    from tarvik.core.solve import Solution

log = logging.getLogger("tarvik.hanging")
RANK: Final = 5
"""How far such a process stands back for the one that answers pages (nice)."""
COULD_NOT: Final = "how the sheet hangs could not be worked out"


def packed(solution: Solution, errand: Errand) -> tuple[JsonObject, Errand]:
    """An errand as it travels: of the question all but the pitch, which travels by its name."""
    question = solution.question
    asked = {f.name: getattr(question, f.name) for f in fields(question)}
    as_solved = {
        "pitch": question.pitch.slug,
        "settings": dict(solution.settings),
        "handy": False,
    }
    return asked | as_solved, errand


def main() -> int:
    """Hang what is asked for until there is no more."""
    os.nice(RANK)
    hanger = Hanger()

    def answers(message: tuple[JsonObject, Errand]) -> Iterator[Answer]:
        asked, errand = message
        try:
            question = Question(**asked | {"pitch": PITCHES[asked["pitch"]]})
            yield hanger.answer(solve(question), errand)
        except Exception:
            log.exception("a sheet could not be hung")
            yield Answer(None, why=COULD_NOT)

    return answer(answers)


if __name__ == "__main__":
    sys.exit(main())
