"""Questions of the public contract, answered by two processes of their own.

Two at a time; a few more wait for a moment, the rest is sent away. Who goes away while their
question is worked at ends it: the process is ended and another started.
"""

from __future__ import annotations

import asyncio
import pickle
import time
from concurrent.futures import ThreadPoolExecutor
from threading import Lock
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.work.pipes import end, send, start

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Awaitable, Callable

    from tarvik.exchange.solve_request import SolveIn
    from tarvik.work.solve_hand import Reply

HANDS: Final = 2
MOST_WAITING: Final = 8
LONGEST_WAIT_S: Final = 2.0
"""So many questions may wait so long for a free process."""
LONGEST_S: Final = 30.0
"""A question that takes longer is given up."""
LOOK_EVERY_S: Final = 0.1
"""How often it is looked whether the asker is still there."""
UNITS_A_SECOND: Final = 60.0
"""What a second's work costs, in requests of the rate limit: by the usual limit a caller has one
process at work all the time, and no more.
"""
ABANDONED_S: Final = 5.0
"""What starting another process costs, in seconds' work."""


class BusyError(Exception):
    """Every process is at work, and enough wait; `retry_s`: when to ask again."""

    retry_s = 3


class TooDearError(Exception):
    """The question takes longer than anybody waits."""


class GoneError(Exception):
    """Whoever asked is gone."""


class BrokenError(Exception):
    """The process failed; the question was not answered."""


class _Hand:
    """One process, started when it is first needed."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self.busy = False

    def ready(self) -> None:
        """Start it, anew when it has ended."""
        if self._process is None or self._process.poll() is not None:
            self._process = start("tarvik.work.solve_hand")

    def ask(self, asked: SolveIn) -> Reply | None:
        """Its reply; None when it ended over the question."""
        self.ready()
        process = self._process
        if process is None or process.stdin is None or process.stdout is None:
            return None
        try:
            send(process.stdin, asked)
            return pickle.load(process.stdout)  # type: ignore[no-any-return]  # noqa: S301 - ours
        except (OSError, EOFError, pickle.UnpicklingError):
            end(process)  # and wait, else the next question may find it not quite ended
            return None

    def end(self) -> None:
        """End it, whatever it is doing."""
        if self._process is not None:
            self._process.kill()

    def close(self) -> None:
        """End it, and wait until it has ended."""
        process, self._process = self._process, None
        if process is not None:
            end(process)


class SolvePool:
    """The processes. Safe to use from several event loops."""

    def __init__(self) -> None:
        self._hands = [_Hand() for _ in range(HANDS)]
        self._threads: ThreadPoolExecutor | None = None
        self._lock = Lock()
        self._waiting = 0

    def start(self) -> SolvePool:
        """Start the first process ahead of the first question."""
        self._workers().submit(self._hands[0].ready)
        return self

    def stop(self) -> None:
        """End all processes; the next question starts them anew."""
        for hand in self._hands:
            hand.close()
        with self._lock:
            threads, self._threads = self._threads, None
        if threads is not None:
            threads.shutdown(wait=False, cancel_futures=True)

    def _workers(self) -> ThreadPoolExecutor:
        """A thread for each process, to wait for its answers."""
        with self._lock:
            if self._threads is None:
                self._threads = ThreadPoolExecutor(HANDS, thread_name_prefix="solve")
            return self._threads

    async def answer(
        self,
        asked: SolveIn,
        gone: Callable[[], Awaitable[bool]],
        charge: Callable[[float], None] = lambda _: None,
    ) -> bytes:
        """The answer as JSON. `gone`: whether the asker has left; `charge` is told what the work
        costs while it goes on. Raises InputError, BusyError, TooDearError, GoneError, BrokenError.
        """
        hand = await self._free_hand()
        try:
            return await self._worked_out(hand, asked, gone, charge)
        finally:
            with self._lock:
                hand.busy = False

    async def _free_hand(self) -> _Hand:
        with self._lock:
            hand = self._take()
            if hand is not None:
                return hand
            if self._waiting >= MOST_WAITING:
                raise BusyError
            self._waiting += 1
        try:
            end = time.monotonic() + LONGEST_WAIT_S
            while time.monotonic() < end:
                await asyncio.sleep(0.02)
                with self._lock:
                    hand = self._take()
                if hand is not None:
                    return hand
        finally:
            with self._lock:
                self._waiting -= 1
        raise BusyError

    def _take(self) -> _Hand | None:
        """A free process, one that has started before one that has not."""
        free = next((h for h in self._hands if not h.busy), None)
        if free is not None:
            free.busy = True
        return free

    async def _worked_out(
        self,
        hand: _Hand,
        asked: SolveIn,
        gone: Callable[[], Awaitable[bool]],
        charge: Callable[[float], None],
    ) -> bytes:
        loop = asyncio.get_running_loop()
        asking = loop.run_in_executor(self._workers(), hand.ask, asked)
        began = last = time.monotonic()
        try:
            while True:
                done, _ = await asyncio.wait({asking}, timeout=LOOK_EVERY_S)
                at = time.monotonic()
                charge((at - last) * UNITS_A_SECOND)
                last = at
                if done:
                    return _content(asking.result())
                if await gone():
                    raise GoneError
                if at - began > LONGEST_S:
                    raise TooDearError
        except BaseException:
            if not asking.done():
                charge(ABANDONED_S * UNITS_A_SECOND)
                hand.end()
                await asyncio.wait(
                    {asking}
                )  # the thread is free once the process has ended
            raise


def _content(reply: Reply | None) -> bytes:
    if reply is None or reply[0] == "fault":
        raise BrokenError
    if reply[0] == "input":
        raise InputError(*reply[1])
    return reply[1]
