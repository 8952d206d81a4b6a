"""The public solve: two at a time, the rest sent away, over when the asker is gone, and never in
the way of anybody else.
"""

from __future__ import annotations

import asyncio
import os
import signal
import threading
import time
from typing import TYPE_CHECKING

import httpx2 as httpx
import pytest

from tarvik.core.errors import InputError
from tarvik.exchange.solve_request import SolveIn
from tarvik.work import solve_pool
from tarvik.work.solve_pool import (
    BrokenError,
    BusyError,
    GoneError,
    SolvePool,
    TooDearError,
)
from tests.patience import comes_true, run_apart
from tests.web.test_limits import served

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.store.database import Database

QUICK = SolveIn.model_validate(
    {
        "sheet": {"width_m": 3.0, "length_m": 3.0},
        "pitch": "a-frame",
        "settings": {"height": 1.0},
    }
)
DEAR = {
    "sheet": {"width_m": 12.0, "length_m": 14.0},
    "pitch": "lean-to-lifted",
    "weather": {"rain_mm_h": 4, "wind_m_s": 8, "wind_from_deg": 200},
    "rose": True,
}
"""Seconds of work."""


@pytest.fixture
def pool() -> Iterator[SolvePool]:
    made = SolvePool()
    yield made
    made.stop()


async def never() -> bool:
    return False


async def always() -> bool:
    return True


def test_it_answers_and_refuses(pool: SolvePool) -> None:
    bad = QUICK.model_copy(update={"pitch": "moon"})

    async def ask() -> None:
        assert b'"verdict":"forms"' in await pool.answer(QUICK, never)
        with pytest.raises(InputError, match="moon"):
            await pool.answer(bad, never)

    run_apart(lambda: asyncio.run(ask()))


def test_two_at_a_time_and_the_rest_is_sent_away(
    pool: SolvePool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(solve_pool, "LONGEST_WAIT_S", 0.05)
    dear = SolveIn.model_validate(DEAR)

    async def ask() -> None:
        asked = [asyncio.create_task(pool.answer(dear, never)) for _ in range(2)]
        await asyncio.sleep(0.2)
        for _ in range(3):
            with pytest.raises(BusyError):
                await pool.answer(QUICK, never)
        for task in asked:
            task.cancel()
        await asyncio.gather(*asked, return_exceptions=True)
        assert b"verdict" in await pool.answer(QUICK, never)

    run_apart(lambda: asyncio.run(ask()))


def test_a_question_ends_with_its_asker(pool: SolvePool) -> None:
    """Its process is ended, what it cost is told, and the next question is answered."""
    told: list[float] = []

    async def ask() -> None:
        await pool.answer(QUICK, never)
        process = pool._hands[0]._process
        assert process is not None
        with pytest.raises(GoneError):
            await pool.answer(SolveIn.model_validate(DEAR), always, told.append)
        assert process.poll() is not None
        assert sum(told) >= solve_pool.ABANDONED_S * solve_pool.UNITS_A_SECOND
        assert b"verdict" in await pool.answer(QUICK, never)

    run_apart(lambda: asyncio.run(ask()))


def test_a_question_too_dear_is_given_up(
    pool: SolvePool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(solve_pool, "LONGEST_S", 0.0)

    async def ask() -> None:
        with pytest.raises(TooDearError):
            await pool.answer(SolveIn.model_validate(DEAR), never)

    run_apart(lambda: asyncio.run(ask()))


def test_a_killed_process_is_started_again(pool: SolvePool) -> None:
    async def ask() -> None:
        await pool.answer(QUICK, never)
        process = pool._hands[0]._process
        assert process is not None
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        assert b"verdict" in await pool.answer(QUICK, never)
        asking = asyncio.create_task(pool.answer(SolveIn.model_validate(DEAR), never))
        await asyncio.sleep(0.3)
        again = next(h._process for h in pool._hands if h.busy)
        assert again is not None
        again.kill()
        with pytest.raises(BrokenError):
            await asking

    run_apart(lambda: asyncio.run(ask()))


@pytest.mark.database
def test_abandoned_questions_keep_nobody_waiting(database: Database) -> None:
    """Forty dear questions whose askers leave: health answers all the while, and afterwards a
    question is answered as ever.
    """
    with served(database) as (host, port):
        base = f"http://{host}:{port}"
        slow: list[float] = []
        stop = threading.Event()
        with httpx.Client(base_url=base, timeout=30) as client:
            assert comes_true(lambda: client.get("/readyz").status_code == 200)

        def watch() -> None:
            with httpx.Client(base_url=base, timeout=30) as client:
                while not stop.is_set():
                    assert client.get("/healthz").status_code == 200
                    # askers and server are one process here: the look at the database may be late
                    assert client.get("/readyz").status_code in (200, 503)
                    slow.append(client.get("/healthz").elapsed.total_seconds())
                    time.sleep(0.01)

        watching = threading.Thread(target=watch)
        watching.start()

        def abandon() -> None:
            with (
                pytest.raises(httpx.TimeoutException),
                httpx.Client(base_url=base) as client,
            ):
                client.post("/api/solve", json=DEAR, timeout=0.5)
                raise httpx.ReadTimeout("sent away at once")

        leaving = [threading.Thread(target=abandon) for _ in range(40)]
        for one in leaving:
            one.start()
        for one in leaving:
            one.join()
        assert comes_true(lambda: len(slow) > 5)
        stop.set()
        watching.join()
        with httpx.Client(base_url=base, timeout=30) as client:
            assert comes_true(lambda: client.get("/readyz").status_code == 200)
        with httpx.Client(base_url=base, timeout=60) as client:

            def answered() -> bool:
                got = client.post("/api/solve", json=QUICK.model_dump(mode="json"))
                assert got.status_code in (200, 429, 503)
                return got.status_code == 200

            assert comes_true(answered)


@pytest.mark.database
def test_busy_is_told_with_a_time_to_ask_again(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(solve_pool, "MOST_WAITING", 0)
    with (
        served(database) as (host, port),
        httpx.Client(base_url=f"http://{host}:{port}", timeout=60) as client,
    ):
        asked = threading.Thread(target=lambda: client.post("/api/solve", json=DEAR))
        other = threading.Thread(target=lambda: client.post("/api/solve", json=DEAR))
        asked.start()
        other.start()
        time.sleep(0.5)
        got = client.post("/api/solve", json=QUICK.model_dump(mode="json"))
        assert got.status_code == 503 and got.headers["retry-after"] == "3"
        assert got.headers["content-type"] == "application/problem+json"
        asked.join()
        other.join()
