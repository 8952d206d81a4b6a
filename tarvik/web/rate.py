"""How often, and at what cost, each caller came lately.

A browser is a caller of its own only once Tarvik has let it in; before that, and with a cookie
nobody knows, it counts with its address.
"""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from dataclasses import dataclass
from typing import Final

WINDOW_S: Final = 10.0
MOST_CALLERS: Final = 5000
MOST_KNOWN: Final = 20_000


@dataclass(frozen=True, slots=True)
class _Count:
    window: int
    before: float
    count: float


class Rate:
    """Counts in this process, of the present and the former window."""

    def __init__(self, a_minute: int) -> None:
        self.most = a_minute * WINDOW_S / 60
        self._seen: OrderedDict[str, _Count] = OrderedDict()
        self._known: OrderedDict[str, None] = OrderedDict()

    def know(self, token: str) -> None:
        """Tarvik let in whoever has this token."""
        mark = _mark(token)
        self._known[mark] = None
        self._known.move_to_end(mark)
        while len(self._known) > MOST_KNOWN:
            self._known.popitem(last=False)

    def caller(self, token: str, address: str) -> str:
        """Who asks, for counting."""
        mark = _mark(token) if token else ""
        return mark if mark in self._known else address

    def wait_s(self, caller: str, at: float) -> float:
        """Seconds the caller has to wait, 0 to come in, which is counted."""
        if not self.most:
            return 0.0
        now = self._count(caller, at)
        share = 1 - (at % WINDOW_S) / WINDOW_S
        if now.before * share + now.count >= self.most:
            return WINDOW_S * share
        self.charge(caller, at, 1.0)
        return 0.0

    def charge(self, caller: str, at: float, cost: float) -> None:
        """Count what a caller's request cost, in requests."""
        now = self._count(caller, at)
        self._seen[caller] = _Count(now.window, now.before, now.count + cost)
        self._seen.move_to_end(caller)
        while len(self._seen) > MOST_CALLERS:
            self._seen.popitem(last=False)

    def _count(self, caller: str, at: float) -> _Count:
        window = int(at // WINDOW_S)
        last = self._seen.get(caller, _Count(window, 0.0, 0.0))
        if last.window == window:
            return last
        return _Count(window, last.count if last.window == window - 1 else 0.0, 0.0)


def _mark(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "surrogatepass")).hexdigest()
