"""What was worked out before, kept by content, so that the same shelter is never computed twice."""

from __future__ import annotations

import gc
import sys
from collections import OrderedDict
from threading import Lock
from types import BuiltinFunctionType, FunctionType, MethodType, ModuleType
from typing import TYPE_CHECKING, Final, Generic, TypeVar

import numpy as np

from tarvik.core.fitting import cloth_of, searched_cloth
from tarvik.core.kept import Use, key_of, register
from tarvik.core.pitches.base import Pitch
from tarvik.core.search.refine import best_settings
from tarvik.core.shelter import Shelter
from tarvik.core.solve import Question, SolverBackend
from tarvik.core.weather.rain import rain_slope

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable, Mapping

    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.lying import Lying
    from tarvik.core.search.objective import Objective
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Refusal
    from tarvik.core.weather.rain import Weather

    Ask = tuple[Pitch, Sheet, Objective, Mapping[str, float]]
    """What is searched for settings: pitch, sheet, aim, settings given."""

T = TypeVar("T")

MOST_KEPT = 4000
MOST_BYTES: Final = 6_000_000
"""What one memory may hold, in bytes."""
WEIGHED_EVERY: Final = 32
_CODE: Final = (type, ModuleType, FunctionType, BuiltinFunctionType, MethodType, Pitch)
"""What is there once, whatever is kept."""
MOST_FIGURES = 512
"""Figures kept apart from the answers that hold them: those of the board that is being worked out.
"""


def asked_of(question: Question) -> Ask:
    """What is searched for an answer. Raises InputError."""
    return (
        question.pitch,
        question.sheet,
        question.objective(),
        question.pitch.checked(question.settings),
    )


def key_of_search(
    pitch: Pitch, sheet: Sheet, objective: Objective, given: Mapping[str, float]
) -> Hashable:
    """What makes two searches for settings the same: of the sheet what they look at, of the weather
    how rain falls.
    """
    return (
        pitch.slug,
        searched_cloth(pitch, sheet),
        key_of(given),
        key_of(objective, without=("weather",)),
        objective.weather if rain_slope(objective.weather) else None,
    )


class Kept(Generic[T]):
    """A memory bounded by number and by bytes, the longest unused forgotten first. Safe to use from
    many threads.

    Bytes are an estimate: every so many items one is weighed, and the others are taken for as heavy
    as those weighed so far.
    """

    def __init__(
        self, name: str, most: int = MOST_KEPT, most_bytes: int = MOST_BYTES
    ) -> None:
        self._name, self._hits, self._misses = name, 0, 0
        register(name, self.use)
        self._most, self._most_bytes = most, most_bytes
        self._items: OrderedDict[Hashable, T] = OrderedDict()
        self._lock = Lock()
        self._came = 0
        self._weighed, self._weight = 0, 0

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The item, made when it is not there."""
        with self._lock:
            if key in self._items:
                self._hits += 1
                self._items.move_to_end(key)
                return self._items[key]
            self._misses += 1
        made = make()
        weight = weigh(made) if self._came % WEIGHED_EVERY == 0 else None
        with self._lock:
            self._came += 1
            if weight is not None:
                self._weighed, self._weight = self._weighed + 1, self._weight + weight
            self._items[key] = made
            while len(self._items) > min(self._most, self._room()):
                self._items.popitem(last=False)
        return made

    def _room(self) -> int:
        """How many items of the usual weight there is room for; one at the least."""
        return max(1, self._most_bytes * self._weighed // max(self._weight, 1))

    @property
    def bytes(self) -> int:
        """What it holds, about."""
        return self._weight * len(self._items) // max(self._weighed, 1)

    def use(self) -> Use:
        """How it was used so far."""
        return Use(self._name, len(self._items), self._most, self._hits, self._misses)

    def has(self, key: Hashable) -> bool:
        """Whether the item is there."""
        with self._lock:
            return key in self._items

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._items.clear()


def weigh(value: object) -> int:
    """Bytes that a value holds, what it shares with others too: its own, and those of all it leads
    to but code.
    """
    seen: set[int] = set()
    left, total = [value], 0
    while left:
        one = left.pop()
        if id(one) in seen or isinstance(one, _CODE):
            continue
        seen.add(id(one))
        total += one.nbytes if isinstance(one, np.ndarray) else sys.getsizeof(one)
        if not isinstance(one, np.ndarray):
            left += gc.get_referents(one)
    return total


class CachedBackend(SolverBackend):
    """Settings, folded sheets and figures from memory: a changed forecast changes neither of the
    first two, and sheets that differ in their tie-outs alone share all three.
    """

    def __init__(self) -> None:
        self._settings: Kept[dict[str, float] | None] = Kept("settings")
        self._shelters: Kept[Shelter | list[Refusal]] = Kept("folded sheets")
        self._figures: Kept[Figures] = Kept("figures", MOST_FIGURES)

    def settings(
        self, pitch: Pitch, sheet: Sheet, objective: Objective, given: Mapping[str, float]
    ) -> dict[str, float] | None:
        """The best settings, those given kept."""
        key = key_of_search(pitch, sheet, objective, given)
        return self._settings.get(
            key, lambda: best_settings(pitch, sheet, objective, given)
        )

    def missing(self, question: Question) -> Ask | None:
        """What has to be searched before this question can be measured; None when nothing has.
        Raises InputError.
        """
        ask = asked_of(question)
        return (
            None if len(ask[3]) == len(question.pitch.settings) or self.knows(ask) else ask
        )

    def knows(self, ask: Ask) -> bool:
        """Whether that was searched."""
        return self._settings.has(key_of_search(*ask))

    def learn(self, ask: Ask, found: dict[str, float] | None) -> None:
        """Keep what another process found."""
        self._settings.get(key_of_search(*ask), lambda: found)

    def shelter(
        self, pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]
    ) -> Shelter | list[Refusal]:
        """The folded sheet, or why not."""
        cloth, at = cloth_of(pitch, sheet), tuple(sorted(settings.items()))
        bare = self._shelters.get(
            (pitch.slug, cloth, at),
            lambda: super(CachedBackend, self).shelter(pitch, cloth, settings),
        )
        if cloth is sheet or not isinstance(bare, Shelter):
            return bare
        return self._shelters.get((pitch.slug, sheet, at), lambda: bare.of(sheet))

    def figures(
        self,
        shelter: Shelter,
        body: Body,
        weather: Weather,
        clearance: Clearance,
        lying: Lying,
        people: tuple[Body, ...],
    ) -> Figures:
        """What a shelter gives, measured once for all sheets of the same cloth."""
        bare = shelter.measured
        key = (
            bare,
            *(key_of(part) for part in (body, weather, clearance, lying, people)),
        )
        made = super().figures
        found = self._figures.get(
            key, lambda: made(bare, body, weather, clearance, lying, people)
        )
        return found if bare is shelter else found.of(shelter)

    def clear(self) -> None:
        """Forget everything."""
        self._settings.clear()
        self._shelters.clear()
        self._figures.clear()
