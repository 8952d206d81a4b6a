"""Whole boards with the full search, in a process of their own that holds what the serving one
holds: so its memory is what boards take there, without the demo's making and the references of the
benchmark.
"""

from __future__ import annotations

import pickle
import sys
import time
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import tarvik.web.app  # noqa: F401 - for its memory
from tarvik.core.pitches import PITCHES
from tarvik.core.search.initial_grid import forget_folded
from tarvik.core.sheet import Sheet
from tarvik.core.tonight import Night
from tarvik.store import courses, kit, nights
from tarvik.store.database import Database
from tarvik.web.shared.questions import question
from tarvik.work.pipes import answer, send, start
from tarvik.work.searching import Searcher
from tarvik.work.solving import Solver
from tarvik.work.warming import warm_search

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.core.solve import Question

    Told = tuple[str, float, str, float]
    """Name, value, unit, target."""
    _Where = tuple[str, int, int]

SHEETS = 16


def measured(url: str, course: int, night: int) -> list[Told]:
    """The first sheets of a course of that database, in calm and on that night; one sheet changed;
    40 sheets all different.
    """
    process = start(__spec__.name)
    if process.stdin is None or process.stdout is None:
        raise RuntimeError("the process that works out boards has no pipes")
    try:
        send(process.stdin, (url, course, night))
        told: list[Told] = pickle.load(process.stdout)  # noqa: S301 - our own process
    finally:
        process.stdin.close()
        process.wait()
    return told


def _most_kib() -> int:
    """The most memory this process has had, shared code included. Not the process's `ru_maxrss`:
    that begins with what the program that started it had.
    """
    told = Path("/proc/self/status").read_text()
    return next(
        int(line.split()[1]) for line in told.splitlines() if line.startswith("VmHWM")
    )


def _boards(where: _Where) -> Iterator[list[Told]]:
    url, course_id, night_id = where
    opened = Database(url)
    with opened.session() as session:
        course = courses.course(session, course_id)
        windy = nights.night_of(
            session, course, courses.night(session, course_id, night_id)
        )
        supports = kit.supports_of(session, course_id)
        sheets = kit.rows(session, course_id, "sheets")[:SHEETS]
    opened.close()
    calm, slanted = (
        [question(s, pitch, night, supports) for s in sheets for pitch in PITCHES]
        for night in (Night(), windy)
    )
    warm_search()
    yield _timed(calm, slanted)


def _timed(calm: list[Question], windy: list[Question]) -> list[Told]:
    pitches, sides = len(PITCHES), [(1.5 + 0.075 * i, 1.9 + 0.07 * i) for i in range(40)]
    changed = [replace(q, sheet=Sheet.rectangle(2.83, 3.17)) for q in calm[:pitches]]
    different = [
        replace(q, sheet=Sheet.rectangle(round(w, 3), round(v, 3)))
        for w, v in sides
        for q in calm[:pitches]
    ]
    others: list[float] = []

    def taken(*boards: list[Question]) -> list[float]:
        """Seconds for each board, the first of them cold."""
        forget_folded()
        searcher = Searcher().start()
        try:
            searcher.settings(
                calm[0].pitch, calm[0].sheet, calm[0].objective(), {}
            )  # once it is warm
            solver, seconds = Solver(searcher), []
            for board in boards:
                start = time.perf_counter()
                solver.solve_all(board)
                seconds.append(time.perf_counter() - start)
            others.append(searcher.own_kib())
        finally:
            searcher.stop()
        return seconds

    (every, one), (again,), (forty,) = (
        taken(calm, [*changed, *calm[pitches:]]),
        taken(calm),
        taken(different),
    )
    every, slanted = min(every, again), min(taken(windy)[0] for _ in range(2))
    peak = (_most_kib() + max(others)) / 1024
    return [
        ("board_16_all_cold_s", every, "s", 3.0),
        ("board_one_sheet_changed_s", one, "s", 0.4),
        ("board_16_all_windy_cold_s", slanted, "s", 3.0),
        ("board_40_all_cold_s", forty, "s", 12.0),
        ("peak_memory_mb", peak, "MB", 500.0),
    ]


if __name__ == "__main__":
    sys.exit(answer(_boards))
