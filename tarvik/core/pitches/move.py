"""What a pitch can be turned into with the same sheet and supports, when the weather turns."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class Move:
    """From the pitch it belongs to into another (`after`, a slug), or to another setting of the
    same. `keeps`: settings of the old that carry over by name; `sets`: what the move changes; the
    others are searched for a storm within the supports that stand. `minutes`: for one able person.
    """

    after: str
    title: str
    steps: tuple[str, ...]
    minutes: float
    keeps: tuple[str, ...] = ()
    sets: tuple[tuple[str, float], ...] = ()


ROUND: Final = "Go round all stakes once more: moving one slackens its neighbours."
