"""Questions solved with a bounded memory, by two at a time."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Final

from tarvik.core.kept import key_of
from tarvik.core.solve import Question, Solution, SolverBackend, solve
from tarvik.work.memory import CachedBackend, Kept
from tarvik.work.sharing import Sharing

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.plan.gather import Elsewhere
    from tarvik.work.searching import Searcher

WORKERS: Final = 2
"""Threads that work at a board without a second process."""
MOST_BYTES: Final = 9_000_000
"""What answers may take: those of a large board, so that a second look works nothing out."""


class Solver:
    """Solves with a bounded memory, with the help of another process when it is given one. Safe to
    use from many threads.
    """

    def __init__(self, searcher: Searcher | None = None) -> None:
        self._solutions: Kept[Solution] = Kept("answers", most_bytes=MOST_BYTES)
        self.backend = CachedBackend()
        self._searcher = searcher

    def solve(self, question: Question) -> Solution:
        """The answer, from memory when it is there. Raises InputError."""
        return self._answer(question, self.backend)

    def _answer(self, question: Question, backend: SolverBackend) -> Solution:
        return self._solutions.get(key_of(question), lambda: solve(question, backend))

    def alone(self, questions: Sequence[Question]) -> list[Solution]:
        """Answers in the order asked, without the other process."""
        return [self.solve(q) for q in questions]

    @property
    def elsewhere(self) -> Elsewhere | None:
        """The other process as other hands for a plan's offers; None when it is not there."""
        return (
            self._searcher.offers
            if self._searcher is not None and self._searcher.there
            else None
        )

    def solve_all(self, questions: Sequence[Question]) -> list[Solution]:
        """Answers in the order asked, worked out by two at a time."""
        if self._searcher is not None and self._searcher.there:
            sharing = Sharing(
                self._searcher,
                self.backend,
                self._answer,
                lambda q: self._solutions.has(key_of(q)),
            )
            return sharing.answers(questions)
        with ThreadPoolExecutor(WORKERS) as pool:
            return list(pool.map(self.solve, questions))

    def forget(self, *, searches: bool = True) -> None:
        """Empty the memory (for benchmarks); with `searches` false only what depends on the
        weather.
        """
        self._solutions.clear()
        if searches:
            self.backend.clear()
