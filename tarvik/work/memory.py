"""What was worked out before, kept by content, so that the same shelter is never computed twice."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import TYPE_CHECKING, Generic, TypeVar

from tarvik.core.fitting import cloth_of, searched_cloth
from tarvik.core.search.best import best_settings
from tarvik.core.shelter import Shelter
from tarvik.core.solve import Question, Workings
from tarvik.core.weather.rain import rain_slope

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable, Mapping

    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.lying import Lying
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.search.aim import Aim
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Refusal
    from tarvik.core.weather.rain import Weather

    Ask = tuple[Pitch, Sheet, Aim, Mapping[str, float]]
    """What is searched for settings: pitch, sheet, aim, settings given."""

T = TypeVar("T")

MOST_KEPT = 4000
MOST_FIGURES = 512
"""Figures kept apart from the answers that hold them: those of the board that is being worked out.
"""


def key_of(question: Question) -> Hashable:
    """What makes two questions the same."""
    return (
        question.sheet,
        question.pitch.slug,
        tuple(sorted(question.settings.items())),
        *_key_of_body(question.body),
        question.intent.slug,
        question.supports,
        question.weather,
        question.clearance,
        question.wanted,
        tuple(p.stature_m for p in question.people),
        question.lying,
        question.free_to_turn,
        question.uphill_off_wind_deg,
        question.shorter,
        question.also,
    )


def _key_of_body(body: Body) -> tuple[Hashable, ...]:
    return body.stature_m, tuple(sorted(body.measured.items()))


def asked_of(question: Question) -> Ask:
    """What is searched for an answer. Raises InputError."""
    return question.pitch, question.sheet, question.aim(), question.pitch.checked(question.settings)


def key_of_search(pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> Hashable:
    """What makes two searches for settings the same: of the sheet what they look at, of the weather
    how rain falls.
    """
    return (
        pitch.slug,
        searched_cloth(pitch, sheet),
        tuple(sorted(given.items())),
        *_key_of_body(aim.body),
        aim.intent.slug,
        aim.supports,
        aim.clearance,
        aim.wanted,
        aim.weather if rain_slope(aim.weather) else None,
        aim.shorter,
        aim.also,
        aim.more_than,
    )


class Kept(Generic[T]):
    """A bounded memory, the longest unused forgotten first. Safe to use from many threads."""

    def __init__(self, most: int = MOST_KEPT) -> None:
        self._most = most
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
            while len(self._items) > self._most:
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
    """Settings, folded sheets and figures from memory: a changed forecast changes neither of the
    first two, and sheets that differ in their tie-outs alone share all three.
    """

    def __init__(self) -> None:
        self._settings: Kept[dict[str, float] | None] = Kept()
        self._shelters: Kept[Shelter | list[Refusal]] = Kept()
        self._figures: Kept[Figures] = Kept(MOST_FIGURES)

    def settings(
        self, pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]
    ) -> dict[str, float] | None:
        """The best settings, those given kept."""
        key = key_of_search(pitch, sheet, aim, given)
        return self._settings.get(key, lambda: best_settings(pitch, sheet, aim, given))

    def missing(self, question: Question) -> Ask | None:
        """What has to be searched before this question can be measured; None when nothing has.
        Raises InputError.
        """
        ask = asked_of(question)
        return None if len(ask[3]) == len(question.pitch.settings) or self.knows(ask) else ask

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
            lambda: super(KeptWorkings, self).shelter(pitch, cloth, settings),
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
            *_key_of_body(body),
            weather,
            clearance,
            lying,
            tuple(p.stature_m for p in people),
        )
        made = super().figures
        found = self._figures.get(key, lambda: made(bare, body, weather, clearance, lying, people))
        return found if bare is shelter else found.of(shelter)

    def clear(self) -> None:
        """Forget everything."""
        self._settings.clear()
        self._shelters.clear()
        self._figures.clear()
