"""Memory that is free again goes back to the machine now and then.

What many threads allocate and free stays with the C library otherwise, and a web process seems to
grow though nothing is kept. The compiler's own code is let go too: it loads the kernels when a
process starts, and sleeps afterwards.
"""

from __future__ import annotations

import ctypes
import mmap
from pathlib import Path
from threading import Event, Thread
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Iterator

EVERY_S: Final = 20.0
COMPILER: Final = "libllvmlite"
_MAPS: Final = Path("/proc/self/maps")


def give_back() -> bool:
    """Give free memory back; whether the C library can."""
    library = ctypes.CDLL(None)
    trim = getattr(library, "malloc_trim", None)
    if trim is None:
        return False
    trim(0)
    advise = getattr(library, "madvise", None)
    if advise is not None:
        for start, size in code_of(COMPILER):
            # what is read-only and comes from a file is read from there again when it is needed
            advise(ctypes.c_void_p(start), ctypes.c_size_t(size), mmap.MADV_DONTNEED)
    return True


def code_of(library: str) -> Iterator[tuple[int, int]]:
    """Where (address, bytes) this process has the code of a shared library mapped, never written
    to; nothing where the system does not tell.
    """
    try:
        lines = _MAPS.read_text(encoding="utf-8").splitlines()
    except OSError:
        return
    for line in lines:
        where, rights, _offset, _device, _inode, *name = line.split(maxsplit=5)
        if rights == "r-xp" and name and Path(name[0]).name.startswith(library):
            start, end = (int(part, 16) for part in where.split("-"))
            yield start, end - start


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
