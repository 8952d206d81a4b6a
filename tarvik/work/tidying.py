"""Memory that is free again goes back to the machine now and then.

What many threads allocate and free stays with the C library otherwise, and a web process seems to
grow though nothing is kept.
"""

from __future__ import annotations

import ctypes
from threading import Event, Thread
from typing import Final

EVERY_S: Final = 20.0


def give_back() -> bool:
    """Give free memory back; whether the C library can."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is None:
        return False
    trim(0)
    return True


class Tidying:
    """A thread that gives memory back until it is stopped."""

    def __init__(self) -> None:
        self._over = Event()
        self._thread = Thread(target=self._work, name="tidying", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End it."""
        self._over.set()

    def _work(self) -> None:
        while not self._over.wait(EVERY_S):
            if not give_back():
                return
