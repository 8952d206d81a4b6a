"""What is asked of a night's plan, by several at once."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING

import pytest

from tarvik.store import (
    asks,
    night_plan,
)
from tarvik.store.models import (
    NightPlan,
)
from tests.small_course import small_course

if TYPE_CHECKING:
    from tarvik.store.database import Database

pytestmark = pytest.mark.database


def test_two_look_at_a_night_first_at_once(database: Database) -> None:
    """Reading writes nothing, so neither meets the other; two first changes are both kept."""
    with database.session() as session:
        _, night = small_course(session)
        assert night_plan.of_night(session, night).asked == {}
    with database.session() as session:
        assert session.get(NightPlan, night) is None
    both = threading.Barrier(2)
    faults: list[BaseException] = []

    def ask(kind: str, number: int) -> None:
        try:
            with database.session() as session:
                both.wait()
                asks.toggle_lock(session, night, kind, number)
        except BaseException as err:
            faults.append(err)

    threads = [threading.Thread(target=ask, args=a) for a in (("people", 1), ("unused", 2))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not faults
    with database.session() as session:
        locks = asks.asked_of(night_plan.of_night(session, night))["locks"]
        assert locks["people"] == [1] and locks["unused"] == [2]
