"""How far a job is, told to whoever waits for it."""

from __future__ import annotations

import time
from threading import RLock
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.store import asks

if TYPE_CHECKING:
    from tarvik.core.plain import JsonObject
    from tarvik.store.database import Database
    from tarvik.store.plans import Choice

TELL_EVERY_S: Final = 0.25


class Done(NamedTuple):
    """How a job ended: its state, its result as plain values, and choices that are to become the
    night's.
    """

    state: str
    result: JsonObject
    choices: list[Choice] | None = None


class Report:
    """Tells the page how far a job is, not too often, and asks whether it is still wanted."""

    def __init__(self, database: Database, job_id: int) -> None:
        self._database, self._job = database, job_id
        self._told, self._asked, self.wanted = -1.0, -1.0, True
        self._began = time.monotonic()
        self._last: tuple[str, JsonObject] = "", {}
        self._end = float("inf")
        self._turn = RLock()  # a solver tells from its own threads

    def say(self, words: str, at_once: bool = False, **more: object) -> None:
        """Tell something, unless something was told just now."""
        now = time.monotonic()
        with self._turn:
            self._last = words, more
            if at_once or now - self._told >= TELL_EVERY_S:
                self._told = self._asked = now
                with self._database.session() as session:
                    progress = {
                        "words": words,
                        "seconds": round(now - self._began, 1),
                        **more,
                    }
                    self.wanted = asks.report(session, self._job, progress)

    def cap(self, seconds: float) -> None:
        """The job ends so many seconds after it began, with what was found by then."""
        self._end = self._began + seconds

    @property
    def over(self) -> bool:
        """Whether the job's time is up."""
        return time.monotonic() >= self._end

    def stop(self) -> bool:
        """Whether nobody wants the job any more, or its time is up."""
        if self.over:
            return True
        with self._turn:
            if self.wanted and time.monotonic() - self._asked >= TELL_EVERY_S:
                self._asked = time.monotonic()
                with self._database.session() as session:
                    self.wanted = asks.still_wanted(session, self._job)
            return not self.wanted

    def still(self) -> bool:
        """Tell again what was told last, so that the seconds go on, and whether nobody wants the
        job any more.
        """
        words, more = self._last
        if words and self.wanted:
            self.say(words, **more)
        return self.stop()
