"""Hung shapes for the pages: processes beside the one that answers hang the sheets.

What is found is kept by content in the database and in memory, so that a shape once solved is never
solved again. The processes are asked and answer over their own standard input and output.
"""

from __future__ import annotations

import atexit
import logging
import pickle
from collections import OrderedDict
from concurrent.futures import CancelledError, Future, InvalidStateError
from contextlib import suppress
from dataclasses import dataclass
from threading import Condition, Thread
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy.exc import SQLAlchemyError

from tarvik.core.errors import FoldError
from tarvik.core.hang.hung import Hanging, Hung, hung_as
from tarvik.core.hang.tell import Told
from tarvik.store import hung as store
from tarvik.work.hang_hand import packed
from tarvik.work.hanger import Answer, Errand, Hanger
from tarvik.work.hung_key import (
    advice_key,
    can_hang,
    parts_of,
    shape_key,
    told_key,
    unpack_nodes,
)
from tarvik.work.memory import Kept
from tarvik.work.pipes import end, send, start

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Iterable, Sequence

    from tarvik.core.hang.advice import Advice
    from tarvik.core.solve import Solution
    from tarvik.store.database import Database

log = logging.getLogger("tarvik.hanging")
HANDS: Final = 2
"""Processes that hang sheets."""
FEW: Final = 2
"""So many sheets are hung before those of a whole board: somebody waits for just these."""
LONGEST_S: Final = 60.0
"""Who waited so long for a process hangs the sheet without it."""
ENDED: Final = (OSError, EOFError, ValueError, pickle.UnpicklingError)
"""How a process shows that it has ended (a ValueError: its pipes were closed)."""
GIVEN_UP: Final = (*ENDED, CancelledError, TimeoutError)
"""How a sheet handed to a process comes to be hung without it."""


@dataclass(frozen=True, slots=True)
class Wish:
    """Something wanted of a hung sheet, and the key by which it is kept."""

    key: str
    solution: Solution
    errand: Errand

    @property
    def name(self) -> tuple[str, str]:
        """What makes two wishes the same: the nodes' places may be wanted besides what is told."""
        return self.key, self.errand.want


class _Hand:
    """One process that hangs sheets."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes]
        self.start()

    def start(self) -> None:
        """Start it, anew when it has ended."""
        self._process = start("tarvik.work.hang_hand")

    def ask(self, what: object) -> Any:
        """Its answer. Raises EOFError or OSError when it has ended."""
        if self._process.stdin is None or self._process.stdout is None:
            raise EOFError
        send(self._process.stdin, what)
        return pickle.load(self._process.stdout)  # noqa: S301 - our own process

    def stop(self) -> None:
        """End it."""
        end(self._process)


class Hangings:
    """Hung shapes as pages ask for them. Safe to use from many threads. Without `start` all is
    worked out in this process.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._told: Kept[Told | None] = Kept("hung shapes")
        self._here = Hanger()
        self._waiting: OrderedDict[tuple[str, str], Wish] = OrderedDict()
        self._asked: dict[tuple[str, str], Future[Answer]] = {}
        self._turn = Condition()
        self._hands: list[_Hand] = []
        self._stopping = False

    def start(self) -> Hangings:
        """Start the processes that hang sheets beside this one."""
        self._hands = [_Hand() for _ in range(HANDS)]
        for hand in self._hands:
            Thread(target=self._work, args=(hand,), name="hanging", daemon=True).start()
        atexit.register(self.stop)
        return self

    def stop(self) -> None:
        """End the processes. Does nothing when they have ended."""
        with self._turn:
            self._stopping = True
            self._waiting.clear()
            for future in self._asked.values():
                future.cancel()
            self._asked.clear()
            self._turn.notify_all()
        hands, self._hands = self._hands, []
        atexit.unregister(self.stop)
        for hand in hands:
            hand.stop()

    @property
    def there(self) -> bool:
        """Whether there are processes that hang sheets beside this one."""
        return bool(self._hands)

    def known(self, wishes: Iterable[tuple[Solution, Hanging]]) -> list[Told | None]:
        """What is told of each shape that is known already; None for the others and for what does
        not hang.
        """
        keys = [told_key(s, h) if can_hang(s) else "" for s, h in wishes]
        self._read(keys)
        return [self._kept(key) for key in keys]

    def told(self, wishes: Sequence[tuple[Solution, Hanging]]) -> list[Told | None]:
        """What is told of each shape, hung now where it is not known: several at a time by the
        processes beside this one. None for what does not hang.
        """
        keys = [told_key(s, h) if can_hang(s) else "" for s, h in wishes]
        self._read(keys)
        missing = {
            key: Wish(key, solution, Errand("told", hanging))
            for key, (solution, hanging) in zip(keys, wishes, strict=True)
            if key and not self._told.has(key)
        }
        answers = self._answers(list(missing.values()))
        mine = {
            key: None if answer.plain is None else Told.of_plain(answer.plain)
            for key, answer in zip(missing, answers, strict=True)
        }
        return [mine[key] if key in mine else self._kept(key) for key in keys]

    def _read(self, keys: Iterable[str]) -> None:
        """Learn from the database what this process has not seen yet."""
        missing = {k for k in keys if k and not self._told.has(k)}
        if missing:
            with self._database.session() as session:
                found = store.told(session, missing)
            for key, plain in found.items():
                self._learn(key, Told.of_plain(plain))

    def _kept(self, key: str) -> Told | None:
        return self._told.get(key, lambda: None) if key and self._told.has(key) else None

    def _learn(self, key: str, told: Told | None) -> None:
        self._told.get(key, lambda: told)

    def _answers(self, wishes: Sequence[Wish]) -> list[Answer]:
        """What comes of each wish: by the processes beside this one, or here where there are none
        or they gave up.
        """
        soon = len(wishes) <= FEW
        asked = [self._ask(wish, soon=soon) for wish in wishes] if self.there else []
        out = []
        for place, wish in enumerate(wishes):
            answer = None
            if asked:
                with suppress(*GIVEN_UP):
                    answer = asked[place].result(timeout=LONGEST_S)
            if answer is None:
                answer = self._here.answer(wish.solution, wish.errand)
                self._keep(wish, answer)
            out.append(answer)
        return out

    def _ask(self, wish: Wish, *, soon: bool) -> Future[Answer]:
        """Have a process beside this one run an errand, once however many ask for it; before all
        others where somebody waits for just this one.
        """
        with self._turn:
            future = self._asked.get(wish.name)
            if future is None:
                future = self._asked[wish.name] = Future()
                self._waiting[wish.name] = wish
                self._turn.notify()
            if soon and wish.name in self._waiting:
                self._waiting.move_to_end(wish.name, last=False)
            return future

    def _keep(self, wish: Wish, answer: Answer) -> None:
        """Keep what came of a wish, in memory and in the database."""
        if wish.errand.want != "advice":
            self._learn(
                wish.key, None if answer.plain is None else Told.of_plain(answer.plain)
            )
        if answer.plain is None:
            return
        try:
            with self._database.session() as session:
                store.keep(session, wish.key, answer.plain)
                if answer.nodes is not None:
                    shelter, rig, _ = parts_of(wish.solution)
                    shape = shape_key(shelter, rig, wish.errand.hanging)
                    store.keep(session, shape, {"settled": answer.settled}, answer.nodes)
        except SQLAlchemyError as err:
            log.warning("a hung shape could not be kept: %s", type(err).__name__)

    def now(self, solution: Solution, hanging: Hanging) -> tuple[Told, Hung]:
        """What is told of a shape, and the shape; hung now when it is not known. Raises
        FoldError.
        """
        shelter, rig, _ = parts_of(solution)
        key, shape = told_key(solution, hanging), shape_key(shelter, rig, hanging)
        with self._database.session() as session:
            nodes = store.nodes(session, shape)
            kept = store.told(session, [key, shape])
        plain, settled = kept.get(key), bool(kept.get(shape, {}).get("settled", True))
        if plain is None or nodes is None:
            answer = self._answers([Wish(key, solution, Errand("shape", hanging))])[0]
            if answer.plain is None or answer.nodes is None:
                raise FoldError(answer.why)
            plain, nodes, settled = answer.plain, answer.nodes, answer.settled
        told = Told.of_plain(plain)
        self._learn(key, told)
        return told, hung_as(shelter, rig, hanging, unpack_nodes(nodes), settled=settled)

    def advice(
        self, solution: Solution, hanging: Hanging, gust_pa: float, holds_n: float
    ) -> Advice:
        """What to do about a hung sheet in such a gust (Pa), with stakes that hold so much (N).
        Raises FoldError.
        """
        key = advice_key(solution, hanging, gust_pa, holds_n)
        with self._database.session() as session:
            found = store.told(session, [key]).get(key)
        if found is None:
            errand = Errand("advice", hanging, gust_pa, holds_n)
            answer = self._answers([Wish(key, solution, errand)])[0]
            if answer.plain is None:
                raise FoldError(answer.why)
            found = answer.plain
        return found

    def _work(self, hand: _Hand) -> None:
        """Hand one wish after the other to a process and keep what it answers."""
        while True:
            with self._turn:
                while not self._stopping and not self._waiting:
                    self._turn.wait()
                if self._stopping:
                    return
                name, wish = self._waiting.popitem(last=False)
                future = self._asked[name]
            try:
                answer = hand.ask(packed(wish.solution, wish.errand))
            except ENDED as err:
                if self._stopping:
                    return
                log.warning(
                    "a process that hangs sheets ended unexpectedly; it is started again"
                )
                with suppress(InvalidStateError):
                    future.set_exception(err)
                hand.start()
            else:
                self._keep(wish, answer)
                with suppress(InvalidStateError):
                    future.set_result(answer)
            finally:
                with self._turn:
                    self._asked.pop(name, None)
