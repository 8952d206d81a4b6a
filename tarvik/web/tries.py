"""Tries at a password are slowed down, never locked out: whoever keeps failing from one address at
one account waits longer before each next try, and only they.

A browser that signed in to the account before is known by a cookie and waits in a line of its own,
so that nobody else's failures hold its owner up; one that opened the sign-in page waits in another
than what only sends passwords. Tries are counted before the password is hashed, and few are hashed
at once: hashing is dear by design.
"""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import secrets
import time
from collections import OrderedDict
from contextlib import asynccontextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable

FREE: Final = 5
"""Failures at one account from one address, or browser, that slow nothing down."""
FREE_FROM_ADDRESS: Final = 20
"""Failures at any accounts from one address that slow nothing down."""
FIRST_PAUSE_S: Final = 0.25
LONGEST_PAUSE_S: Final = 2.0
"""The pause between two tries at an account doubles with each failure, from the first to the
longest.
"""
ADDRESS_PAUSE_S: Final = 0.25
"""The pause between two tries from an address at any accounts, once many failed: it may be shared
by all of a house.
"""
LONGEST_WAIT_S: Final = 10.0
"""Who would have to wait longer is sent away, to try again."""
FORGOTTEN_AFTER_S: Final = 900.0
MOST_LANES: Final = 10_000
MOST_WAITING: Final = 40
"""Tries of one kind that may wait at the same time: of known browsers, of visitors, of others."""


class MustWaitError(Exception):
    """There is no room for another try now; `wait_s`: when there may be."""

    def __init__(self, wait_s: float) -> None:
        super().__init__(f"wait {wait_s:.0f} s")
        self.wait_s = wait_s


@dataclass
class _Lane:
    """Tries of one kind, one after the other: how many failed, when the next may come. `own`: at
    one account, not from one address at any.
    """

    own: bool
    failures: int = 0
    next_at: float = 0.0
    last_at: float = 0.0

    def pause_s(self) -> float:
        over = self.failures - (FREE if self.own else FREE_FROM_ADDRESS)
        if over < 0:
            return 0.0
        return (
            min(FIRST_PAUSE_S * 2.0**over, LONGEST_PAUSE_S) if self.own else ADDRESS_PAUSE_S
        )


@dataclass(frozen=True)
class Tried:
    """What is tried: at which account, from which address. `browser`: how a browser is known that
    signed in to this account before; `visitor`: one that opened the sign-in page; else empty.
    """

    account: str
    address: str
    browser: str = ""
    visitor: str = ""

    def lanes(self) -> tuple[tuple[str, ...], ...]:
        """The lines it waits in: its own, and what it shares with others."""
        if self.browser:
            return (("browser", self.account, self.browser),)
        if self.visitor:
            return ("visitor", self.account, self.visitor), ("visitors", self.address)
        return ("pair", self.account, self.address), ("address", self.address)


@dataclass
class Turn:
    """One try. Set `succeeded` when the password was right."""

    succeeded: bool = False


class Tries:
    """Every try at a password in this process."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._lanes: OrderedDict[tuple[str, ...], _Lane] = OrderedDict()
        self._hashing = {
            kind: asyncio.Semaphore(1) for kind in ("browser", "visitor", "pair")
        }
        self._waiting = dict.fromkeys(self._hashing, 0)

    @asynccontextmanager
    async def turn(self, tried: Tried) -> AsyncIterator[Turn]:
        """Wait for a turn to try. Raises MustWaitError."""
        kind = tried.lanes()[0][0]
        if self._waiting[kind] >= MOST_WAITING:
            raise MustWaitError(1.0)
        self._waiting[kind] += 1
        turn = Turn()
        try:
            for n, key in enumerate(tried.lanes()):
                await self._wait_in(self._lane(key, own=n == 0))
            async with self._hashing[kind]:
                yield turn
        finally:
            self._waiting[kind] -= 1
        if turn.succeeded:
            self._forgive(tried)

    async def _wait_in(self, lane: _Lane) -> None:
        """Wait until a line lets the next one through: one line after the other, so that who waits
        long in their own holds up nobody in the line they share. Raises MustWaitError.
        """
        at = self._clock()
        begins_at = max(at, lane.next_at)
        if begins_at - at > LONGEST_WAIT_S:
            raise MustWaitError(max(begins_at - at - LONGEST_WAIT_S, 1.0))
        lane.failures += 1
        lane.last_at = at
        lane.next_at = begins_at + lane.pause_s()
        if begins_at > at:
            await asyncio.sleep(begins_at - at)

    def _lane(self, key: tuple[str, ...], *, own: bool) -> _Lane:
        lane = self._lanes.pop(key, None)
        if lane is None or self._clock() - lane.last_at > FORGOTTEN_AFTER_S:
            lane = _Lane(own)
        self._lanes[key] = lane
        while len(self._lanes) > MOST_LANES:
            self._lanes.popitem(last=False)
        return lane

    def _forgive(self, tried: Tried) -> None:
        """A right password: the failures at this account were its owner's, also for the address."""
        own, *others = tried.lanes()
        lane = self._lanes.pop(own, None)
        for key in others:
            if lane is not None and key in self._lanes:
                self._lanes[key].failures -= lane.failures


def browser_mark(key: bytes, account: str) -> str:
    """What a browser that signed in keeps, to be known again: a random part and its signature."""
    nonce = secrets.token_urlsafe(12)
    return f"{nonce}.{_signature(key, account, nonce)}"


def known_browser(key: bytes, account: str, mark: str) -> str:
    """How a browser is known by its mark; empty when the mark is not of this account."""
    nonce, _, signature = mark.partition(".")
    wanted = _signature(key, account, nonce)
    good = hmac.compare_digest(wanted.encode(), signature.encode("utf-8", "replace"))
    return nonce if nonce and good else ""


def _signature(key: bytes, account: str, nonce: str) -> str:
    told = f"{account.strip().lower()}\n{nonce}".encode("utf-8", "replace")
    return hmac.new(key, told, hashlib.sha256).hexdigest()
