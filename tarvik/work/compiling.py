"""Compile the geometry in two processes at a time, beside a server that answers already, and
tell how far it is.

One process compiles what the search for settings calls, the other what measuring and hanging call:
about as long each. What either has written to disk the other reads.
"""

from __future__ import annotations

import logging
import os
import subprocess
import sys
from pathlib import Path
from threading import Lock, Thread
from typing import IO, Final

log = logging.getLogger("tarvik.work")
PARTS: Final = {"search": 160, "measure": 190}
"""What each process compiles, and about how many functions that are, the compiler's own among them
(counted).
"""
CACHE: Final = "NUMBA_CACHE_DIR"
ALL_DONE: Final = "all-compiled"
"""A file beside the machine code that says that all of it is there."""


def mark() -> Path | None:
    """The file that says that all is compiled; None where the code is kept in no folder of its
    own.
    """
    folder = os.environ.get(CACHE)
    return Path(folder) / ALL_DONE if folder else None


def compiled_before() -> bool:
    """Whether all was compiled before, and is there."""
    there = mark()
    return there is not None and there.exists()


class Compiling:
    """How far the compiling is. Safe to read from many threads."""

    def __init__(self, *, over: bool = False) -> None:
        self._lock = Lock()
        self._done = dict.fromkeys(PARTS, 0)
        self.over = over

    @property
    def share(self) -> float:
        """How much of it is done, 0 to 1: never 1 before all is."""
        if self.over:
            return 1.0
        with self._lock:
            done = sum(min(self._done[name], most - 1) for name, most in PARTS.items())
        return done / sum(PARTS.values())

    @property
    def words(self) -> str:
        """The same in words."""
        return f"Tarvik is compiling its geometry: {self.share * 100:.0f} % done"

    def run(self) -> None:
        """Compile all; returns when that is done. What a process could not compile is compiled by
        whoever calls it first.
        """
        threads = [
            Thread(target=self._run, args=(name,), name=name, daemon=True) for name in PARTS
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        there = mark()
        if there is not None:
            there.parent.mkdir(parents=True, exist_ok=True)
            there.touch()

    def _run(self, name: str) -> None:
        process = subprocess.Popen(  # noqa: S603 - our own program
            [sys.executable, "-m", "tarvik", "warm", "--part", name],
            stdout=subprocess.PIPE,
            stdin=subprocess.DEVNULL,
        )
        self._hear(name, process.stdout)
        if process.wait():
            log.warning("compiling %s ended with code %s", name, process.returncode)

    def _hear(self, name: str, told: IO[bytes] | None) -> None:
        """A line for every function that is compiled."""
        for _ in told or ():
            with self._lock:
                self._done[name] += 1


ALL_COMPILED: Final = Compiling(over=True)
"""For programs that are started with everything there."""
