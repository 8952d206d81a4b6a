"""A board's questions shared out between this process, which measures, and another that searches
for settings.
"""

from __future__ import annotations

from collections import deque
from concurrent.futures import ThreadPoolExecutor
from queue import SimpleQueue
from threading import Condition
from typing import TYPE_CHECKING, Final

from tarvik.core.solve import SolverBackend
from tarvik.work.memory import asked_of, key_of_search

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable, Mapping, Sequence

    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.lying import Lying
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.search.objective import Objective
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Refusal, Shelter
    from tarvik.core.solve import Question, Solution
    from tarvik.core.weather.rain import Weather
    from tarvik.work.memory import Ask, CachedBackend
    from tarvik.work.searching import Searcher

    _Waiting = tuple[
        int, Question, Ask | None
    ]  # what has to be searched, when that is known
    _Asked = tuple[int, Question, Ask]

BATCH: Final = 4
"""Questions that the second process is sent at a time, fewer towards the end."""


class _UnsearchedError(Exception):
    """A question needs a search that was not made yet."""

    def __init__(self, ask: Ask) -> None:
        super().__init__()
        self.ask = ask


class _Searched(SolverBackend):
    """A backend that searches for nothing: what is not known is for the other process."""

    def __init__(self, known: CachedBackend) -> None:
        self._known = known

    def settings(
        self, pitch: Pitch, sheet: Sheet, objective: Objective, given: Mapping[str, float]
    ) -> dict[str, float] | None:
        ask = (pitch, sheet, objective, given)
        if not self._known.knows(ask):
            raise _UnsearchedError(ask)
        return self._known.settings(*ask)

    def shelter(
        self, pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]
    ) -> Shelter | list[Refusal]:
        return self._known.shelter(pitch, sheet, settings)

    def figures(
        self,
        shelter: Shelter,
        body: Body,
        weather: Weather,
        clearance: Clearance,
        lying: Lying,
        people: tuple[Body, ...],
    ) -> Figures:
        return self._known.figures(shelter, body, weather, clearance, lying, people)


def _searched_settings(question: Question) -> int:
    """How many sliding settings a search for the answer moves: so long it takes."""
    return sum(
        s.searched and not s.is_choice and s.name not in question.settings
        for s in question.pitch.settings
    )


def _searched_alike(questions: Sequence[Question]) -> dict[int, list[int]]:
    """Of questions with the same search, as of sheets that differ in their tie-outs, the number of
    the first, and those of the others. Raises InputError.
    """
    first: dict[Hashable, int] = {}
    out: dict[int, list[int]] = {}
    for number, question in enumerate(questions):
        one = first.setdefault(key_of_search(*asked_of(question)), number)
        out.setdefault(one, []).extend([number] if number != one else [])
    return out


class Sharing:
    """One board being worked out. The other process searches from the list's beginning, which takes
    longest, some questions at a time; this one measures what was found there, and while nothing is,
    it searches and measures from the list's end: so both are done at once. What turns out, once
    measured, to need a second search under slanted rain, goes back to the other process first. Of
    questions that are searched alike the first goes before; what it took then does for the others.
    """

    def __init__(
        self,
        searcher: Searcher,
        known: CachedBackend,
        answer: Callable[[Question, SolverBackend], Solution],
        answered: Callable[[Question], bool],
    ) -> None:
        """`answer` solves a question with the backend it is given; `answered` tells those that
        need no work.
        """
        self._searcher, self._known, self._answer, self._answered = (
            searcher,
            known,
            answer,
            answered,
        )
        self._waiting: deque[_Waiting] = deque()
        self._more = Condition()
        self._over = False
        self._found: SimpleQueue[tuple[int, Question] | None] = SimpleQueue()

    def answers(self, questions: Sequence[Question]) -> list[Solution]:
        """Answers in the order asked. Raises InputError."""
        alike = _searched_alike(questions)
        longest_first = sorted(
            alike, key=lambda number: -_searched_settings(questions[number])
        )
        self._waiting.extend((number, questions[number], None) for number in longest_first)
        out: dict[int, Solution] = {}
        searched, sent_back = _Searched(self._known), set[int]()
        with ThreadPoolExecutor(1) as pool:
            searching = pool.submit(self._search)
            try:
                while len(out) < len(questions):
                    own = self._own()
                    item = own or self._found.get()
                    if item is None:  # the search has failed
                        break
                    number, question = item
                    try:
                        out[number] = self._answer(
                            question,
                            self._known if own or number in sent_back else searched,
                        )
                        for other in alike.get(number, ()):
                            self._found.put((other, questions[other]))
                    except _UnsearchedError as missing:
                        sent_back.add(number)
                        with self._more:
                            self._waiting.appendleft((number, question, missing.ask))
                            self._more.notify()
            finally:
                with self._more:
                    self._over = True
                    self._more.notify()
            searching.result()
        return [out[number] for number in range(len(questions))]

    def _own(self) -> tuple[int, Question] | None:
        """A question to search for here, when nothing was found elsewhere and one is left."""
        with self._more:
            if not self._found.empty() or not self._waiting:
                return None
            number, question, _ = self._waiting.pop()
            return number, question

    def _search(self) -> None:
        """Have the other process search until the board is done."""
        try:
            while True:
                with self._more:
                    self._more.wait_for(lambda: self._over or self._waiting)
                    if self._over:
                        return
                    some = self._some()
                self._ask(some)
        except BaseException:
            self._found.put(None)
            raise

    def _some(self) -> list[_Asked]:
        """The next questions for the other process; those that need no search go straight to be
        measured.
        """
        some: list[_Asked] = []
        most = max(1, min(BATCH, len(self._waiting) // (4 * BATCH)))
        while self._waiting and len(some) < most:
            number, question, ask = self._waiting.popleft()
            if ask is None and not self._answered(question):
                ask = self._known.missing(question)
            if ask is None:
                self._found.put((number, question))
            else:
                some.append((number, question, ask))
        return some

    def _ask(self, some: list[_Asked]) -> None:
        """Have the other process search; each answer is kept and its question measured at once."""

        def tell(n: int, found: dict[str, float] | None) -> None:
            number, question, ask = some[n]
            self._known.learn(ask, found)
            self._found.put((number, question))

        if some:
            self._searcher.search([ask for _, _, ask in some], tell)
