"""A second process that searches for settings and gathers offers for plans, so that a board or a
plan uses both cores: most of the time is spent under Python's lock, where threads only wait for
each other.

It is asked and answers over its own standard input and output, one pickled message after the other,
and ends when its input ends: also when the program that started it was killed. It needs no more
than the core.
"""

from __future__ import annotations

import atexit
import logging
import pickle
import sys
import time
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import count
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING, Final

from tarvik.core.pitches import PITCHES
from tarvik.core.search.refine import best_settings
from tarvik.work.pipes import answer, end, send, start
from tarvik.work.solving import Solver
from tarvik.work.warming import warm_settings

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable, Iterator, Mapping, Sequence

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.plan.gather import Depth, Gathering, Hand, Portion
    from tarvik.core.plan.offers import Offer
    from tarvik.core.search.objective import Objective
    from tarvik.core.sheet import Sheet
    from tarvik.work.memory import Ask

    _Sent = tuple[str, Sheet, Objective, Mapping[str, float]]
    _Gather = tuple[int, Portion | None, Depth, tuple[int, ...]]

log = logging.getLogger("tarvik.work")
_SWITCH_S: Final = 0.0005
"""How long a thread may keep Python's lock while others wait: an answer from the other process is
not to wait longer.
"""


LIVED_S: Final = 5.0
"""A process that lived shorter is not started again: it would only die once more."""
_KEYS: Final = count()
"""Numbers of portions: each is sent once and asked about by its number."""


def _gathering(portion: Portion) -> Gathering:
    # What only searches for boards does without 40 MB.
    from tarvik.core.plan.gather import Gathering  # noqa: PLC0415

    return Gathering(portion)


@dataclass
class Searcher:
    """The other process. Safe to use from many threads; they wait for each other."""

    _process: subprocess.Popen[bytes] | None = None
    _lock: Lock = field(default_factory=Lock)
    _started_at: float = float("-inf")

    def start(self) -> Searcher:
        """Start it; it warms up while the caller goes on."""
        self._launch()
        atexit.register(self.stop)
        sys.setswitchinterval(_SWITCH_S)
        return self

    def _launch(self) -> None:
        self._process = start("tarvik.work.searching")
        self._started_at = time.monotonic()

    def _died(self) -> None:
        """It ended over a question: another is started, unless this one hardly lived; what was
        asked is worked out here.
        """
        process, self._process = self._process, None
        if process is not None:
            end(process)
        log.warning("the search process ended unexpectedly")
        if time.monotonic() - self._started_at > LIVED_S:
            self._launch()

    def stop(self) -> None:
        """End it. Does nothing when it has ended."""
        with self._lock:
            process, self._process = self._process, None
        atexit.unregister(self.stop)
        if process is not None:
            end(process)

    @property
    def there(self) -> bool:
        """Whether it can be asked."""
        return self._process is not None

    def own_kib(self) -> int:
        """Memory that it has for itself, not shared with other programs, in kibibytes; 0 when it is
        not there.
        """
        with self._lock:
            if self._process is None:
                return 0
            told = Path(f"/proc/{self._process.pid}/smaps_rollup").read_text()
        return sum(
            int(line.split()[1])
            for line in told.splitlines()
            if line.startswith("Private_")
        )

    def settings(
        self, pitch: Pitch, sheet: Sheet, objective: Objective, given: Mapping[str, float]
    ) -> dict[str, float] | None:
        """`best_settings` of the other process for one question."""
        out: list[dict[str, float] | None] = []
        self.search([(pitch, sheet, objective, given)], lambda _, found: out.append(found))
        return out[0]

    def search(
        self, asked: Sequence[Ask], tell: Callable[[int, dict[str, float] | None], None]
    ) -> None:
        """`best_settings` of the other process for each, told with its number as soon as it is
        found; when that process has died, of this one. All are sent before the first answer is
        waited for, so that it never waits for this program. Raises the first error that
        `best_settings` raises, once all are answered.
        """
        told, raised = 0, None
        with self._lock:
            process = self._process
            if (
                process is not None
                and process.stdin is not None
                and process.stdout is not None
            ):
                try:
                    send(
                        process.stdin,
                        [
                            (pitch.slug, sheet, objective, dict(given))
                            for pitch, sheet, objective, given in asked
                        ],
                    )
                    while told < len(asked):
                        found, error = pickle.load(process.stdout)  # noqa: S301 - our own process
                        raised = raised or error
                        if error is None:
                            tell(told, found)
                        told += 1
                except (OSError, EOFError, pickle.UnpicklingError):
                    self._died()
        if raised is not None:
            raise raised
        for number in range(told, len(asked)):
            tell(number, best_settings(*asked[number]))

    def offers(self, portion: Portion) -> Hand:
        """What gathers a portion's offers there, some units at a time; here, when that process has
        died.
        """
        apart = replace(
            portion, camp=None if portion.camp is None else replace(portion.camp)
        )  # nothing worked out goes along
        key = next(_KEYS)
        here: list[Gathering] = []

        def ask(depth: Depth, units: Sequence[int]) -> dict[int, list[Offer]]:
            for sent in (None, apart):  # the portion only when it is asked for
                answered, found = self._offers((key, sent, depth, tuple(units)))
                if answered:
                    return found
            here[:] = here or [_gathering(apart)]
            return here[0].offers_of(depth, units, Solver().alone)

        return ask

    def _offers(self, message: _Gather) -> tuple[bool, dict[int, list[Offer]]]:
        """Whether the other process knew the portion, and what it gathered."""
        with self._lock:
            process = self._process
            if (
                process is not None
                and process.stdin is not None
                and process.stdout is not None
            ):
                try:
                    send(process.stdin, message)
                    found, error = pickle.load(process.stdout)  # noqa: S301 - our own process
                except (OSError, EOFError, pickle.UnpicklingError):
                    self._died()
                else:
                    if error is not None:
                        raise error
                    return found is not None, found or {}
        return False, {}


class _Answers:
    """What the other process does with what it is asked. Keeps what it solved for the next time."""

    MOST: Final = 2
    """Portions kept."""

    def __init__(self) -> None:
        self._solver = Solver()
        self._gathering: dict[int, Gathering] = {}

    def _gathered(
        self, key: int, portion: Portion | None, depth: Depth, units: Sequence[int]
    ) -> dict[int, list[Offer]] | None:
        """The offers of these units of a portion; None when the portion is not known (any more)."""
        if portion is not None:
            while len(self._gathering) >= self.MOST:
                del self._gathering[next(iter(self._gathering))]
            self._gathering[key] = _gathering(portion)
        known = self._gathering.get(key)
        return None if known is None else known.offers_of(depth, units, self._solver.alone)

    def to(self, asked: list[_Sent] | _Gather) -> Iterator[tuple[object, Exception | None]]:
        """Answers one after the other, each with the error it raised."""
        tasks: list[Callable[[], object]]
        if isinstance(asked, tuple):
            tasks = [partial(self._gathered, *asked)]
        else:
            tasks = [
                partial(best_settings, PITCHES[slug], sheet, objective, given)
                for slug, sheet, objective, given in asked
            ]
        for task in tasks:
            try:
                yield task(), None
            except Exception as raised:
                yield None, raised


def main() -> int:
    """Answer questions until there are no more. By the time the first comes, what a search calls is
    loaded.
    """
    return answer(_Answers().to, warm_settings)


if __name__ == "__main__":
    sys.exit(main())
