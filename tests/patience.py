"""How long a test waits for what must happen: machines are shared and noisy, so no test is about
how soon it does.
"""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Final, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable

_T = TypeVar("_T")
PATIENCE_S: Final = 300.0
PATIENCE_MS: Final = PATIENCE_S * 1000


def comes_true(condition: Callable[[], bool], every_s: float = 0.1) -> bool:
    """Whether it holds before the patience is at its end."""
    end = time.monotonic() + PATIENCE_S
    while not condition():
        if time.monotonic() > end:
            return False
        time.sleep(every_s)
    return True


def run_apart(work: Callable[[], _T]) -> _T:
    """What work gives that is done in a thread of its own: where a browser was driven before, this
    thread has an event loop, and none may be started in it.
    """
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(work).result()
