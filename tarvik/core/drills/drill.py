"""What a drill is: a question with the answers that are right, and why."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.solve import Solution

BY_EYE_SHARE: Final = constant(
    "drill_by_eye", 0.15, "1", ENGINEERING, "share by which an estimate by eye may be off"
)
BY_EYE_HARD_SHARE: Final = constant(
    "drill_by_eye_hard", 0.10, "1", ENGINEERING, "the same for those who have practised"
)
LEVELS: Final = (1, 2, 3)
"""How hard a drill is: 1 the easiest."""


class Kind(StrEnum):
    """What a drill trains."""

    WHICH_PITCH = "which-pitch"
    BY_EYE = "by-eye"
    FAULT = "fault"
    ORDER = "order"
    KNOT = "knot"


TITLES: Final = {
    Kind.WHICH_PITCH: "Which pitch?",
    Kind.BY_EYE: "How high, how far?",
    Kind.FAULT: "What is wrong?",
    Kind.ORDER: "In which order?",
    Kind.KNOT: "Which knot?",
}


@dataclass(frozen=True, slots=True)
class Drill:
    """A question. `item` names what is learned, the same each time it is asked anew. `shelter` is
    drawn, its points named where `marked`, with the `path` beside it, two corners of a line in the
    shelter's frame. `why` is shown after the answer.
    """

    kind: Kind
    item: str
    asks: str
    why: str
    shelter: Solution | None = None
    marked: bool = False
    path: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Choice(Drill):
    """One of several is to be chosen; each of `right`, places among the options, is accepted."""

    options: tuple[str, ...] = ()
    right: frozenset[int] = frozenset()

    def accepts(self, answer: int) -> bool:
        """Whether it is right."""
        return answer in self.right


@dataclass(frozen=True, slots=True)
class Order(Drill):
    """Steps to be put in order, shown shuffled. `right`: for each place the text that belongs
    there; steps that say the same may change places.
    """

    shown: tuple[str, ...] = ()
    right: tuple[str, ...] = ()

    def accepts(self, answer: Sequence[int]) -> bool:
        """Whether the shown steps, taken in that order, are right."""
        whole = sorted(answer) == list(range(len(self.shown)))
        return whole and tuple(self.shown[n] for n in answer) == self.right


@dataclass(frozen=True, slots=True)
class Estimate(Drill):
    """Something is to be estimated by eye: `value` in m, or m2 where `square`. Right within a share
    of it.
    """

    value: float = 0.0
    square: bool = False
    share: float = BY_EYE_SHARE

    def accepts(self, answer: float) -> bool:
        """Whether the estimate is near enough."""
        return abs(answer - self.value) <= self.share * self.value
