"""Hung shapes behind the pages: processes of low rank hang one sheet after the other while boards
and benches are read.

What it finds is kept by content in the database and in memory, so that a shape once solved is never
solved again; pages judge by it as soon as it is known. The processes are asked and answer over
their own standard input and output.
"""

from __future__ import annotations

import atexit
import hashlib
import json
import logging
import os
import pickle
import sys
import time
import zlib
from collections import OrderedDict
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
METHOD: Final = 5
"""Raised when the way sheets are hung changes: shapes of an older method are worked out anew."""
RANK: Final = 15
"""How far the processes stand back for others (nice)."""
HANDS: Final = 2
"""Processes that hang sheets."""
PAUSE_S: Final = 1.0
"""While pages are still being made, and so long after, no sheet is hung: a board comes first."""
MOST_WAITING: Final = 4000
MOST_KEYS: Final = 2000
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
    worked out when asked for.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._told: Kept[Told | None] = Kept("hung shapes")
        self._waiting: OrderedDict[str, Wish] = OrderedDict()
        self._turn = Condition()
        self._doing: set[str] = set()
        self._hands: list[_Hand] = []
        self._from = 0.0
        self._stopping = False

    def start(self) -> Hangings:
        """Start the processes that work behind the pages."""
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
            self._turn.notify_all()
        hands, self._hands = self._hands, []
        atexit.unregister(self.stop)
        for hand in hands:
            hand.stop()

    @property
    def there(self) -> bool:
        """Whether there are processes that work behind the pages."""
        return bool(self._hands)

    def known(self, wishes: Iterable[tuple[Solution, Hanging]]) -> list[Told | None]:
        """What is told of each shape that is known already; None for the others and for what does
        not hang.
        """
        keys = [told_key(s, h) if can_hang(s) else "" for s, h in wishes]
        missing = {k for k in keys if k and not self._told.has(k)}
        if missing:
            with self._database.session() as session:
                found = store.told(session, missing)
            for key, plain in found.items():
                self._learn(key, Told.of_plain(plain))
        return [self._told.get(k, lambda: None) if k and self._told.has(k) else None for k in keys]

    def _learn(self, key: str, told: Told | None) -> None:
        self._told.get(key, lambda: told)

    def want(self, wishes: Iterable[tuple[Solution, Hanging]]) -> None:
        """Have shapes worked out behind the page; those known or asked for already are not asked
        for again.
        """
        if not self.there:
            return
        with self._turn:
            for solution, hanging in wishes:
                if not can_hang(solution) or len(self._waiting) >= MOST_WAITING:
                    continue
                key = told_key(solution, hanging)
                if not self._told.has(key) and key not in self._waiting and key not in self._doing:
                    self._waiting[key] = Wish(key, solution, hanging)
                    self._from = time.monotonic() + PAUSE_S
            self._turn.notify_all()

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
                while not self._stopping and (not self._waiting or time.monotonic() < self._from):
                    self._turn.wait(
                        max(self._from - time.monotonic(), 0.0) if self._waiting else None
                    )
                if self._stopping:
                    return
                key, wish = self._waiting.popitem(last=False)
                self._doing.add(key)
            try:
                self._do(hand, wish)
            except (OSError, EOFError, pickle.UnpicklingError):
                if self._stopping:
                    return
                log.warning("a process that hangs sheets ended unexpectedly; it is started again")
                hand.start()
            except SQLAlchemyError as err:
                log.warning("a hung shape could not be kept: %s", type(err).__name__)
            finally:
                with self._turn:
                    self._doing.discard(key)

    def _do(self, hand: _Hand, wish: Wish) -> None:
        if self.known([(wish.solution, wish.hanging)])[0] is not None:
            return
        shelter, rig, _ = _parts(wish.solution)
        question = wish.solution.question
        plain, packed = hand.ask(
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
        if plain is None:
            self._learn(wish.key, None)
            return
        told = Told.of_plain(plain)
        with self._database.session() as session:
            store.keep(
                session, shape_key(shelter, rig, wish.hanging), {"settled": told.settled}, packed
            )
            store.keep(session, wish.key, plain)
        self._learn(wish.key, told)

    def left(self, wishes: Iterable[tuple[Solution, Hanging]]) -> int:
        """How many of these are still waited for."""
        with self._turn:
            keys = {told_key(s, h) for s, h in wishes if can_hang(s)}
            return sum(key in self._waiting or key in self._doing for key in keys)


def _answer(asked: Sequence[Any]) -> tuple[dict[str, Any] | None, bytes | None]:
    """Fold, rig and hang what is asked; (None, None) where nothing hangs."""
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
        return tell(hung, figures, body, people).plain(), pack_nodes(hung)
    except FoldError:
        return None, None


def _answers(asked: Sequence[Any]) -> Iterator[object]:
    """The one answer to what is asked; a fault is logged and nothing told."""
    try:
        yield _answer(asked)
    except Exception:
        log.exception("a sheet could not be hung")
        yield None, None


def main() -> int:
    """Hang what is asked for until there is no more."""
    os.nice(RANK)
    return answer(_answers)


if __name__ == "__main__":
    sys.exit(main())
