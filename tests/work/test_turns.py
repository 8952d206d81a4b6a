"""Whose plan comes next, and how long one may take."""

from __future__ import annotations

from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import pytest

from tarvik.work.planning import LONGEST_S, longest_s
from tarvik.work.queue import Queue, QueueError, work_on
from tests.patience import run_apart

if TYPE_CHECKING:
    from tarvik.store.database import Database


def case_of(campers: int, sheets: int) -> Any:
    """So much of a case as its size is told by."""
    return SimpleNamespace(
        bag=SimpleNamespace(campers=(0,) * campers, sheets=(0,) * sheets)
    )


def test_a_plan_takes_longer_for_more_people_and_sheets_up_to_a_cap() -> None:
    small, larger, huge = (longest_s(case_of(n, n)) for n in (4, 12, 500))
    assert 20 < small < larger < huge == LONGEST_S
    assert LONGEST_S <= 300, (
        "nobody's plan keeps the others waiting for more than five minutes"
    )


@pytest.mark.database
def test_providers_take_turns(database: Database) -> None:
    """One provider asks for four plans, then another for one: it waits behind one of them only."""
    queue = Queue(database.url)
    for behind, job in enumerate((11, 12, 13, 14)):
        queue.put(job, others=behind)
    queue.put(21, others=0)
    queue.close()
    done: list[int] = []
    run_apart(lambda: work_on(database.url, done.append, once=True, signals=False))
    assert done == [11, 21, 12, 13, 14]


def test_a_queue_that_cannot_be_reached_is_told_as_such() -> None:
    queue = Queue("postgresql+psycopg://nobody@127.0.0.1:1/none?connect_timeout=1")
    with pytest.raises(QueueError, match="cannot be reached"):
        queue.put(1)
