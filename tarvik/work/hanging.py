"""Hung shapes for the pages: processes beside the one that answers hang the sheets of a board, a
single sheet is hung where it is asked for.

What is found is kept by content in the database and in memory, so that a shape once solved is never
solved again. The processes are asked and answer over their own standard input and output.
"""

from __future__ import annotations

import atexit
import hashlib
import json
import logging
import os
import pickle
import sys
import zlib
from collections import OrderedDict
from concurrent.futures import CancelledError, Future, InvalidStateError
from contextlib import suppress
from dataclasses import dataclass
from threading import Condition, Thread
from typing import TYPE_CHECKING, Any, Final

import numpy as np
from sqlalchemy.exc import SQLAlchemyError

from tarvik.core.errors import FoldError
from tarvik.core.hang.hung import Hanging, Hung, hang, hung_as
from tarvik.core.hang.tell import Told, tell
from tarvik.core.kept import keep_last, plain_of
from tarvik.core.pitches import PITCHES
from tarvik.core.solve import Question, solve
from tarvik.store import hung as store
from tarvik.work.memory import Kept
from tarvik.work.pipes import answer, end, send, start

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable, Iterable, Iterator, Sequence

    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.solve import Solution
    from tarvik.store.database import Database

log = logging.getLogger("tarvik.hanging")
METHOD: Final = 6
"""Raised when the way sheets are hung changes: shapes of an older method are worked out anew."""
RANK: Final = 5
"""How far the processes stand back for the one that answers (nice)."""
HANDS: Final = 2
"""Processes that hang sheets."""
CLOTH_BYTES: Final = 2_000_000
"""What hung cloths may take: those that are looked at in one wind after the other."""
FEW: Final = 2
"""So many sheets are hung by the process that asks: it is done sooner than asking another."""
LONGEST_S: Final = 60.0
"""Who waited so long for a process hangs the sheet without it."""
ENDED: Final = (OSError, EOFError, ValueError, pickle.UnpicklingError)
"""How a process shows that it has ended (a ValueError: its pipes were closed)."""
GIVEN_UP: Final = (*ENDED, CancelledError, TimeoutError)
"""How a sheet handed to a process comes to be hung without it."""
MOST_KEYS: Final = 500
"""Keys of hung shapes that are kept."""


@keep_last(MOST_KEYS)
def shape_key(shelter: Shelter, rig: Rig, hanging: Hanging) -> str:
    """What makes two hung shapes the same: cloth, fold, what holds it, and how it is pulled and
    loaded.
    """
    told = [
        METHOD,
        shelter.pitch.slug,
        plain_of(shelter, without=("pitch", "sheet", "whole", "bare")),
        plain_of(shelter.sheet, without=("tie_outs", "hood", "fabric")),
        plain_of(rig, without=("short",)),
        plain_of(hanging),
    ]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def told_key(solution: Solution, hanging: Hanging) -> str:
    """What makes two accounts of a hung shape the same: the shape, and who is to lie under it on
    what night.
    """
    shelter, rig, figures = _parts(solution)
    q = solution.question
    told = [
        shape_key(shelter, rig, hanging),
        *(plain_of(part) for part in (q.body, q.people)),
        *(plain_of(part) for part in (figures.weather, figures.clearance, figures.lying)),
    ]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def _parts(solution: Solution) -> tuple[Shelter, Rig, Any]:
    if solution.shelter is None or solution.figures is None or solution.assessment.rig is None:
        raise FoldError("the sheet makes no such pitch")
    return solution.shelter, solution.assessment.rig, solution.figures


def can_hang(solution: Solution) -> bool:
    """Whether there is anything to hang: a sheet that folds so, and is no bed or bag that lies on
    the ground.
    """
    return (
        solution.shelter is not None
        and solution.figures is not None
        and solution.assessment.rig is not None
        and solution.question.pitch.bed is None
    )


def pack_nodes(hung: Hung) -> bytes:
    """Where all nodes hang, as bytes."""
    return zlib.compress(hung.rest.x.astype("<f4").tobytes())


def unpack_nodes(packed: bytes) -> np.ndarray:
    """Places (n, 3) from bytes."""
    return np.frombuffer(zlib.decompress(packed), dtype="<f4").reshape(-1, 3).astype(np.float64)


@dataclass(frozen=True, slots=True)
class Wish:
    """A sheet to be hung: the question with its settings, and how."""

    key: str
    solution: Solution
    hanging: Hanging


class _Hand:
    """One process that hangs sheets."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes]
        self.start()

    def start(self) -> None:
        """Start it, anew when it has ended."""
        self._process = start("tarvik.work.hanging")

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
        self._cloths: Kept[Hung] = Kept("hung cloths", most_bytes=CLOTH_BYTES)
        self._waiting: OrderedDict[str, Wish] = OrderedDict()
        self._asked: dict[str, Future[Told | None]] = {}
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
            key: Wish(key, *wish)
            for key, wish in zip(keys, wishes, strict=True)
            if key and not self._told.has(key)
        }
        asked = {}
        if self.there and len(missing) > FEW:
            asked = {key: self._ask(wish) for key, wish in missing.items()}
        for key, wish in missing.items():
            with suppress(*GIVEN_UP):
                if key in asked:
                    asked[key].result(timeout=LONGEST_S)
            if not self._told.has(key):
                self._here(wish)
        return [self._kept(key) for key in keys]

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

    def _ask(self, wish: Wish) -> Future[Told | None]:
        """Have a sheet hung by a process beside this one, once however many ask for it."""
        with self._turn:
            future = self._asked.get(wish.key)
            if future is None:
                future = self._asked[wish.key] = Future()
                self._waiting[wish.key] = wish
                self._turn.notify()
            return future

    def _here(self, wish: Wish) -> None:
        """Hang a sheet in this process, and keep what is told of it."""
        shelter, rig, figures = _parts(wish.solution)
        question = wish.solution.question
        try:
            hung = self._cloths.get(
                shape_key(shelter, rig, wish.hanging), lambda: hang(shelter, rig, wish.hanging)
            )
            told = tell(hung, figures, question.body, question.people)
        except FoldError:
            self._learn(wish.key, None)
            return
        self._learn(wish.key, told)
        self._store(wish.key, told)

    def _store(self, key: str, told: Told) -> None:
        try:
            with self._database.session() as session:
                store.keep(session, key, told.plain())
        except SQLAlchemyError as err:
            log.warning("a hung shape could not be kept: %s", type(err).__name__)

    def now(self, solution: Solution, hanging: Hanging) -> tuple[Told, Hung]:
        """What is told of a shape, and the shape; worked out here and now when it is not known.
        Raises FoldError.
        """
        shelter, rig, figures = _parts(solution)
        key, shape = told_key(solution, hanging), shape_key(shelter, rig, hanging)
        with self._database.session() as session:
            packed = store.nodes(session, shape)
            kept = store.told(session, [key, shape])
        plain = kept.get(key)
        if packed:
            settled = bool(kept.get(shape, {}).get("settled", True))
            hung = hung_as(shelter, rig, hanging, unpack_nodes(packed), settled=settled)
        else:
            hung = hang(shelter, rig, hanging)
        told = (
            Told.of_plain(plain)
            if plain
            else tell(hung, figures, solution.question.body, solution.question.people)
        )
        if not packed or not plain:
            with self._database.session() as session:
                store.keep(session, shape, {"settled": hung.settled}, pack_nodes(hung))
                store.keep(session, key, told.plain())
        self._learn(key, told)
        return told, hung

    def once(self, key: str, make: Callable[[], dict[str, Any]]) -> dict[str, Any]:
        """Something told of a shape, made once and kept by its key."""
        with self._database.session() as session:
            found = store.told(session, [key]).get(key)
        if found is None:
            found = make()
            with self._database.session() as session:
                store.keep(session, key, found)
        return found

    def _work(self, hand: _Hand) -> None:
        """Hand one wish after the other to a process and keep what it answers."""
        while True:
            with self._turn:
                while not self._stopping and not self._waiting:
                    self._turn.wait()
                if self._stopping:
                    return
                key, wish = self._waiting.popitem(last=False)
                future = self._asked[key]
            try:
                told = self._by(hand, wish)
            except ENDED as err:
                if self._stopping:
                    return
                log.warning("a process that hangs sheets ended unexpectedly; it is started again")
                with suppress(InvalidStateError):
                    future.set_exception(err)
                hand.start()
            else:
                self._learn(key, told)
                with suppress(InvalidStateError):
                    future.set_result(told)
                if told is not None:
                    self._store(key, told)
            finally:
                with self._turn:
                    self._asked.pop(key, None)

    def _by(self, hand: _Hand, wish: Wish) -> Told | None:
        """What a process tells of a sheet it hangs; None for what does not hang."""
        question = wish.solution.question
        plain = hand.ask(
            (
                question.sheet,
                question.pitch.slug,
                dict(wish.solution.settings),
                question.body,
                question.supports,
                question.weather,
                question.clearance,
                question.people,
                question.lying,
                question.free_to_turn,
                question.uphill_off_wind_deg,
                wish.hanging,
            )
        )
        return None if plain is None else Told.of_plain(plain)


def _answer(asked: Sequence[Any]) -> dict[str, Any] | None:
    """Fold, rig and hang what is asked; None where nothing hangs."""
    (
        sheet,
        slug,
        settings,
        body,
        supports,
        weather,
        clearance,
        people,
        lying,
        turns,
        uphill,
        hanging,
    ) = asked
    question = Question(
        sheet,
        PITCHES[slug],
        settings,
        body=body,
        supports=supports,
        weather=weather,
        clearance=clearance,
        people=people,
        lying=lying,
        free_to_turn=turns,
        uphill_off_wind_deg=uphill,
    )
    solution = solve(question)
    try:
        shelter, rig, figures = _parts(solution)
        hung = hang(shelter, rig, hanging)
        return tell(hung, figures, body, people).plain()
    except FoldError:
        return None


def _answers(asked: Sequence[Any]) -> Iterator[object]:
    """The one answer to what is asked; a fault is logged and nothing told."""
    try:
        yield _answer(asked)
    except Exception:
        log.exception("a sheet could not be hung")
        yield None


def main() -> int:
    """Hang what is asked for until there is no more."""
    os.nice(RANK)
    return answer(_answers)


if __name__ == "__main__":
    sys.exit(main())
