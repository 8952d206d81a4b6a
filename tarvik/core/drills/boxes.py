"""When a thing learned is asked again: Leitner's boxes (Leitner 1972, So lernt man lernen; from
memory).

What is known moves up a box and is asked later; what is not goes back to the first. The box also
says how hard the next drill about it may be.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Final

from tarvik.core.drills.drill import LEVELS

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

LATER: Final = tuple(timedelta(days=days) for days in (0, 1, 3, 7, 14))
"""How long after an answer a thing is asked again, box by box."""


@dataclass(frozen=True, slots=True)
class Answered:
    """One answer: what it was about, whether it was right, when."""

    item: str
    right: bool
    at: datetime


@dataclass(frozen=True, slots=True)
class Learnt:
    """How far somebody is with one thing: the box from 0, how often it was asked and known, when it
    is due.
    """

    box: int
    asked: int
    known: int
    due: datetime


def learnt(answers: Iterable[Answered]) -> dict[str, Learnt]:
    """How far somebody is with each thing, from all answers."""
    found: dict[str, Learnt] = {}
    for answer in sorted(answers, key=lambda a: a.at):
        last = found.get(answer.item)
        box = 0 if not answer.right else min((last.box if last else 0) + 1, len(LATER) - 1)
        found[answer.item] = Learnt(
            box,
            (last.asked if last else 0) + 1,
            (last.known if last else 0) + answer.right,
            answer.at + LATER[box],
        )
    return found


def level_of(known: Mapping[str, Learnt], kind: str) -> int:
    """How hard drills of a kind may be for somebody: by the middle of the boxes of its things."""
    boxes = sorted(one.box for item, one in known.items() if item.split(":", 1)[0] == kind)
    middle = boxes[len(boxes) // 2] if boxes else 0
    return LEVELS[min(middle // 2, len(LEVELS) - 1)]


def urgency(known: Mapping[str, Learnt], item: str, now: datetime) -> tuple[int, float]:
    """In which order things are asked, the smallest first: what is due, the lowest box first; then
    what was never asked; then what is due later.
    """
    one = known.get(item)
    if one is None:
        return 1, 0.0
    if one.due <= now:
        return 0, float(one.box)
    return 2, (one.due - now).total_seconds()
