"""The second process that searches: what it answers is what a search here answers, and a killed one
is started again.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.core.pitches import PITCHES
from tarvik.core.search.refine import best_settings
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question
from tarvik.work.searching import LIVED_S, Searcher

if TYPE_CHECKING:
    from collections.abc import Iterator

SHEET = Sheet.rectangle(3.0, 3.0)
PITCH = PITCHES["plow-point"]
OBJECTIVE = Question(SHEET, PITCH, {}, wanted=1).objective()


@pytest.fixture
def searcher() -> Iterator[Searcher]:
    made = Searcher().start()
    yield made
    made.stop()


def _kill(searcher: Searcher) -> None:
    process = searcher._process
    assert process is not None
    process.kill()
    process.wait()


def test_a_killed_search_process_is_started_again(searcher: Searcher) -> None:
    """The question over which it died is answered all the same, the next one by its follower."""
    here = best_settings(PITCH, SHEET, OBJECTIVE, {})
    first = searcher._process
    assert first is not None
    assert searcher.settings(PITCH, SHEET, OBJECTIVE, {}) == here
    _kill(searcher)
    searcher._started_at -= 2 * LIVED_S  # as if it had served a while
    assert searcher.settings(PITCH, SHEET, OBJECTIVE, {}) == here
    second = searcher._process
    assert second is not None and second.pid != first.pid
    assert searcher.settings(PITCH, SHEET, OBJECTIVE, {}) == here
    assert searcher._process is second and second.poll() is None


def test_one_that_dies_at_once_is_not_started_over_and_over(searcher: Searcher) -> None:
    """The program goes on by itself."""
    _kill(searcher)
    searcher._started_at += LIVED_S  # it has hardly lived, however busy this machine
    assert searcher.settings(PITCH, SHEET, OBJECTIVE, {}) is not None
    assert not searcher.there
