"""Searches that may last so long."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from tarvik.core.plan.choose import Limits

if TYPE_CHECKING:
    from collections.abc import Callable


def lasting(seconds: float, stop: Callable[[], bool]) -> Limits:
    """So many seconds from now, unless it is stopped before."""
    end = time.monotonic() + seconds
    return Limits(left=lambda: end - time.monotonic(), stop=stop)
