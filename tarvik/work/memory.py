"""What was worked out before, kept by content, so that the same shelter is never computed twice."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import TYPE_CHECKING, Generic, TypeVar

from tarvik.core.search.best import best_settings
from tarvik.core.solve import Question, Workings
from tarvik.core.weather.rain import rain_slope

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable, Mapping

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.search.aim import Aim
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Refusal, Shelter

    Ask = tuple[Pitch, Sheet, Aim, Mapping[str, float]]
    """What is searched for settings: pitch, sheet, aim, settings given."""

T = TypeVar("T")

MOST_KEPT = 4000


def key_of(question: Question) -> Hashable:
    """What makes two questions the same."""
    body = question.body
    return (
        question.sheet, question.pitch.slug, tuple(sorted(question.settings.items())), body.stature_m,
        tuple(sorted(body.measured.items())), question.intent.slug, question.supports, question.weather, question.clearance,
        question.wanted, tuple(p.stature_m for p in question.people), question.lying, question.free_to_turn,
        question.uphill_off_wind_deg, question.shorter, question.also,
    )  # fmt: skip


def _key_of_search(pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> Hashable:
    """What makes two searches for settings the same: of the weather, only how the rain falls."""
    body = aim.body
    return (
        pitch.slug, sheet, tuple(sorted(given.items())), body.stature_m, tuple(sorted(body.measured.items())),
        aim.intent.slug, aim.supports, aim.clearance, aim.wanted, aim.weather if rain_slope(aim.weather) else None,
        aim.shorter, aim.also, aim.more_than,
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
        return None if len(given) == len(question.pitch.settings) or self.knows(ask) else ask

    def knows(self, ask: Ask) -> bool:
        """Whether that was searched."""
        return self._settings.has(_key_of_search(*ask))

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
