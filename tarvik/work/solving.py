"""Solved questions kept by content, so that the same shelter is never computed twice."""

from __future__ import annotations

from collections import OrderedDict, deque
from concurrent.futures import ThreadPoolExecutor
from queue import SimpleQueue
from threading import Lock
from typing import TYPE_CHECKING, Generic, TypeVar

from tarvik.core.search import best_settings
from tarvik.core.solve import Question, Solution, Workings, solve
from tarvik.core.weather.rain import rain_slope

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable, Mapping, Sequence

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.plan.gather import Elsewhere
    from tarvik.core.search import Aim
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Refusal, Shelter
    from tarvik.work.searching import Ask, Searcher

    _Asked = tuple[int, Question, Ask]

T = TypeVar("T")

MOST_KEPT = 4000
WORKERS = 2
"""Threads that work at a board without a second process."""
BATCH = 4
"""Questions that the second process is sent at a time, fewer towards the end."""


def key_of(question: Question) -> Hashable:
    """What makes two questions the same."""
    body = question.body
    return (
        question.sheet, question.pitch.slug, tuple(sorted(question.settings.items())), body.stature_m,
        tuple(sorted(body.measured.items())), question.intent.slug, question.supports, question.weather, question.clearance,
        question.wanted, tuple(p.stature_m for p in question.people), question.lying, question.free_to_turn,
        question.uphill_off_wind_deg, question.shorter,
    )  # fmt: skip


def _key_of_search(pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> Hashable:
    """What makes two searches for settings the same: of the weather, only how the rain falls."""
    body = aim.body
    return (
        pitch.slug, sheet, tuple(sorted(given.items())), body.stature_m, tuple(sorted(body.measured.items())),
        aim.intent.slug, aim.supports, aim.clearance, aim.wanted, aim.weather if rain_slope(aim.weather) else None,
        aim.shorter,
    )  # fmt: skip


class Kept(Generic[T]):
    """A bounded memory, the longest unused forgotten first. Safe to use from many threads."""

    def __init__(self) -> None:
        self._items: OrderedDict[Hashable, T] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The item, made when it is not there."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
        made = make()
        with self._lock:
            self._items[key] = made
            while len(self._items) > MOST_KEPT:
                self._items.popitem(last=False)
        return made

    def has(self, key: Hashable) -> bool:
        """Whether the item is there."""
        with self._lock:
            return key in self._items

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._items.clear()


class KeptWorkings(Workings):
    """Settings and folded sheets from memory: a changed forecast changes neither."""

    def __init__(self) -> None:
        self._settings: Kept[dict[str, float] | None] = Kept()
        self._shelters: Kept[Shelter | list[Refusal]] = Kept()

    def settings(self, pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> dict[str, float] | None:
        """The best settings, those given kept."""
        key = _key_of_search(pitch, sheet, aim, given)
        return self._settings.get(key, lambda: best_settings(pitch, sheet, aim, given))

    def missing(self, question: Question) -> Ask | None:
        """What has to be searched before this question can be measured; None when nothing has. Raises InputError."""
        given = question.pitch.checked(question.settings)
        ask = (question.pitch, question.sheet, question.aim(), given)
        if len(given) == len(question.pitch.settings) or self._settings.has(_key_of_search(*ask)):
            return None
        return ask

    def learn(self, ask: Ask, found: dict[str, float] | None) -> None:
        """Keep what another process found."""
        self._settings.get(_key_of_search(*ask), lambda: found)

    def shelter(self, pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]) -> Shelter | list[Refusal]:
        """The folded sheet, or why not."""
        key = (pitch.slug, sheet, tuple(sorted(settings.items())))
        return self._shelters.get(key, lambda: super(KeptWorkings, self).shelter(pitch, sheet, settings))

    def clear(self) -> None:
        """Forget everything."""
        self._settings.clear()
        self._shelters.clear()


class Solver:
    """Solves with a bounded memory, with the help of another process when it is given one. Safe to use from many threads."""

    def __init__(self, searcher: Searcher | None = None) -> None:
        self._solutions: Kept[Solution] = Kept()
        self.workings = KeptWorkings()
        self._searcher = searcher

    def solve(self, question: Question) -> Solution:
        """The answer, from memory when it is there. Raises InputError."""
        return self._solutions.get(key_of(question), lambda: solve(question, self.workings))

    def alone(self, questions: Sequence[Question]) -> list[Solution]:
        """Answers in the order asked, without the other process."""
        return [self.solve(q) for q in questions]

    @property
    def elsewhere(self) -> Elsewhere | None:
        """The other process as other hands for a plan's offers; None when it is not there."""
        return self._searcher.offers if self._searcher is not None and self._searcher.there else None

    def solve_all(self, questions: Sequence[Question]) -> list[Solution]:
        """Answers in the order asked, worked out by two at a time."""
        if self._searcher is not None and self._searcher.there:
            return self._with(self._searcher, questions)
        with ThreadPoolExecutor(WORKERS) as pool:
            return list(pool.map(self.solve, questions))

    def _with(self, searcher: Searcher, questions: Sequence[Question]) -> list[Solution]:
        """The other process searches from the list's beginning, some questions at a time; this one measures what was found
        there, and while nothing is, it searches and measures from the list's end.
        """
        waiting = deque(enumerate(questions))
        found: SimpleQueue[tuple[int, Question] | None] = SimpleQueue()

        def search() -> None:
            try:
                while waiting:
                    self._ask(searcher, self._some(waiting, found), found)
            finally:
                found.put(None)

        out: dict[int, Solution] = {}
        with ThreadPoolExecutor(1) as pool:
            searching = pool.submit(search)
            more = True
            try:
                while more:
                    try:
                        item = waiting.pop() if found.empty() else found.get()
                    except IndexError:
                        item = found.get()
                    more = item is not None
                    if item is not None:
                        out[item[0]] = self.solve(item[1])
            finally:
                waiting.clear()  # after an error there is nothing more to search for
            searching.result()
        return [out[number] for number in range(len(questions))]

    def _some(self, waiting: deque[tuple[int, Question]], found: SimpleQueue[tuple[int, Question] | None]) -> list[_Asked]:
        """The next questions for the other process; those that need no search go straight to `found`."""
        some: list[_Asked] = []
        most = max(1, min(BATCH, len(waiting) // (4 * BATCH)))
        while waiting and len(some) < most:
            try:
                number, question = waiting.popleft()
            except IndexError:  # the other thread took the last one
                break
            ask = None if self._solutions.has(key_of(question)) else self.workings.missing(question)
            if ask is None:
                found.put((number, question))
            else:
                some.append((number, question, ask))
        return some

    def _ask(self, searcher: Searcher, some: list[_Asked], found: SimpleQueue[tuple[int, Question] | None]) -> None:
        """Have the other process search, each answer passed on at once."""

        def tell(n: int, settings: dict[str, float] | None) -> None:
            number, question, ask = some[n]
            self.workings.learn(ask, settings)
            found.put((number, question))

        if some:
            searcher.search([ask for _, _, ask in some], tell)

    def forget(self, *, searches: bool = True) -> None:
        """Empty the memory (for benchmarks); with `searches` false only what depends on the weather."""
        self._solutions.clear()
        if searches:
            self.workings.clear()
