"""Solved questions kept by content, so that the same shelter is never computed twice."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import TYPE_CHECKING

from tarvik.core.solve import Question, Solution, solve

if TYPE_CHECKING:
    from collections.abc import Hashable, Sequence

MOST_KEPT = 4000


def key_of(question: Question) -> Hashable:
    """What makes two questions the same."""
    body = question.body
    return (
        question.sheet, question.pitch.slug, tuple(sorted(question.settings.items())), body.stature_m,
        tuple(sorted(body.measured.items())), question.intent.slug, question.supports, question.weather, question.clearance,
        question.wanted,
    )  # fmt: skip


class Solver:
    """Solves with a bounded memory. Safe to use from many threads."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, Solution] = OrderedDict()
        self._lock = Lock()

    def solve(self, question: Question) -> Solution:
        """The answer, from memory when it is there. Raises InputError."""
        key = key_of(question)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        answer = solve(question)
        with self._lock:
            self._kept[key] = answer
            while len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)
        return answer

    def solve_all(self, questions: Sequence[Question]) -> list[Solution]:
        """Answers in the order asked. One after the other: most of the work holds Python's lock, and threads only wait."""
        return [self.solve(question) for question in questions]

    def forget(self) -> None:
        """Empty the memory (for benchmarks)."""
        with self._lock:
            self._kept.clear()
