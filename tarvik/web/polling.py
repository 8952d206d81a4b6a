"""Asking forecast services again while the program runs, and keeping what they say."""

from __future__ import annotations

import logging
import threading
from typing import TYPE_CHECKING, Final

from sqlalchemy.exc import SQLAlchemyError

from tarvik.core.weather.needs import zone_named
from tarvik.exchange.feed import Feed, FeedError
from tarvik.store import nights
from tarvik.store.models import Night, now

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.store.database import Database

log = logging.getLogger("tarvik.polling")
LOOK_EVERY_S: Final = 30.0


def fetch_for(
    database: Database, feed: Feed, night_id: int, query: Mapping[str, str], zone: str
) -> str:
    """Ask for one night and keep the answer, or note why there is none. Returns what went wrong,
    empty when nothing did.

    The service is asked outside any transaction: it may take its time.
    """
    try:
        forecast = feed.fetch(query, zone_named(zone))
    except FeedError as err:
        with database.session() as session:
            night = session.get(Night, night_id)
            if night is not None:
                nights.note_failure(session, night, err.message, feed=query)
        return err.message
    with database.session() as session:
        night = session.get(Night, night_id)
        if night is not None:
            nights.keep_forecast(session, night, forecast, feed=query)
    return ""


class Poller:
    """A thread that asks for every due forecast, until stopped."""

    def __init__(self, database: Database, feed: Feed) -> None:
        self.database, self.feed = database, feed
        self._stop = threading.Event()
        self._thread = threading.Thread(
            target=self._run, daemon=True, name="forecast-poller"
        )

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End, after the question now being asked."""
        self._stop.set()
        self._thread.join(timeout=5)

    def round(self) -> int:
        """Ask for everything that is due now; returns how many were asked for."""
        with self.database.session() as session:
            due = [
                (r.night_id, dict(r.feed)) for r in nights.due_for_polling(session, now())
            ]
        for night_id, query in due:
            if self._stop.is_set():
                break
            self._ask(night_id, query)
        return len(due)

    def _ask(self, night_id: int, query: Mapping[str, str]) -> None:
        """Ask for one night. Whatever is wrong with it is noted there, and holds up no other."""
        try:
            with self.database.session() as session:
                night = session.get(Night, night_id)
                zone = nights.needs_of(night).zone if night is not None else "UTC"
            fetch_for(self.database, self.feed, night_id, query, zone)
        except SQLAlchemyError:
            raise  # the database itself: the next round asks again
        except Exception as err:
            log.exception("the forecast of night %s could not be read", night_id)
            words = f"what the service sent cannot be read ({type(err).__name__})"
            with self.database.session() as session:
                night = session.get(Night, night_id)
                if night is not None:
                    nights.note_failure(session, night, words)

    def _run(self) -> None:
        while not self._stop.wait(LOOK_EVERY_S):
            try:
                self.round()
            except Exception as err:
                log.warning("forecasts could not be asked for: %s", type(err).__name__)
