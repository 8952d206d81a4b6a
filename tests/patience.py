"""How long a test waits for what must happen: machines are shared and noisy, so no test is about
how soon it does.
"""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Callable

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
