"""Whether the database answers, asked beside everything else, so that nobody waits to hear it."""

from __future__ import annotations

import threading
import time
from typing import Final

import psycopg

from tarvik.store.database import conninfo

LOOK_EVERY_S: Final = 0.5
STALE_AFTER_S: Final = 3.0
"""An answer older than this is none: the database keeps whoever looks waiting."""
FIRST_WAIT_S: Final = 0.15
CONNECT_WITHIN_S: Final = 2


class DatabaseWatch:
    """A thread with a connection of its own that asks again and again. Starts with the first who
    wants to know.
    """

    def __init__(self, url: str) -> None:
        self._conninfo = conninfo(url)
        self._answered_at = float("-inf")
        self._looked = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._lock = threading.Lock()

    def answers(self) -> bool:
        """Whether the database answered when last asked. Waits for nothing but, at the very first,
        a moment.
        """
        self.start()
        self._looked.wait(FIRST_WAIT_S)
        return time.monotonic() - self._answered_at < STALE_AFTER_S

    def start(self) -> None:
        """Begin. Does nothing once it has begun."""
        with self._lock:
            if self._thread is None:
                self._thread = threading.Thread(
                    target=self._look,
                    args=(self._stopping,),
                    name="database-watch",
                    daemon=True,
                )
                self._thread.start()

    def stop(self) -> None:
        """End; whoever wants to know after that starts it anew."""
        with self._lock:
            thread, self._thread = self._thread, None
            self._stopping.set()
            self._stopping, self._looked = threading.Event(), threading.Event()
        if thread is not None:
            thread.join(timeout=CONNECT_WITHIN_S)

    def _look(self, stopping: threading.Event) -> None:
        connection: psycopg.Connection[tuple[object, ...]] | None = None
        while True:
            try:
                if connection is None:
                    connection = psycopg.connect(
                        self._conninfo, autocommit=True, connect_timeout=CONNECT_WITHIN_S
                    )
                connection.execute("select 1")
                self._answered_at = time.monotonic()
            except psycopg.Error:
                self._answered_at = float("-inf")
                if connection is not None:
                    connection.close()
                connection = None
            self._looked.set()
            if stopping.wait(LOOK_EVERY_S):
                break
        if connection is not None:
            connection.close()
