"""Wrong passwords slow down whoever sends them, and nobody else."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING

import pytest

from tarvik.store import accounts
from tarvik.web import tries
from tarvik.web.tries import MustWaitError, Tried, Tries, browser_mark, known_browser
from tests.conftest import client_of
from tests.patience import run_apart

if TYPE_CHECKING:
    from tarvik.store.database import Database

WORDS = "tall grass under rain"


class Clock:
    """A clock that only sleeping moves."""

    def __init__(self) -> None:
        self.at = 0.0
        self.slept: list[float] = []

    def __call__(self) -> float:
        return self.at

    async def sleep(self, seconds: float) -> None:
        self.slept.append(seconds)
        self.at += seconds


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Clock:
    made = Clock()
    monkeypatch.setattr(tries.asyncio, "sleep", made.sleep)
    return made


async def fail(lines: Tries, tried: Tried, times: int) -> None:
    for _ in range(times):
        async with lines.turn(tried):
            pass


def test_the_pause_grows_with_each_failure_and_stays_short(clock: Clock) -> None:
    """The right password is taken after the two seconds of the longest pause, never refused."""
    lines, tried = Tries(clock), Tried("ada", "192.0.2.1")

    async def attack() -> None:
        await fail(lines, tried, 40)
        assert clock.slept[:4] == [0.25, 0.5, 1.0, 2.0]
        assert max(clock.slept) == tries.LONGEST_PAUSE_S
        async with lines.turn(tried) as turn:
            turn.succeeded = True
        slept = len(clock.slept)
        await fail(lines, tried, 2)
        assert len(clock.slept) == slept + 1  # for the pause after the last failure

    run_apart(lambda: asyncio.run(attack()))


def test_nobody_else_is_slowed_down(clock: Clock) -> None:
    """Another account from another address, the same account from another address, and a browser
    that is known, at once.
    """
    lines = Tries(clock)

    async def attack() -> None:
        await fail(lines, Tried("ada", "192.0.2.1"), 30)
        clock.slept.clear()
        for tried in (
            Tried("ada", "192.0.2.7"),
            Tried("bo", "192.0.2.7"),
            Tried("ada", "192.0.2.1", browser="known"),
            Tried("ada", "192.0.2.1", visitor="at the page"),
        ):
            await fail(lines, tried, 1)
        assert clock.slept == []

    run_apart(lambda: asyncio.run(attack()))


def test_a_crowd_is_sent_away_and_a_known_browser_is_not() -> None:
    """Twenty tries a second at one account: few wait, none holds up the owner's own browser."""
    lines, sent_away, waited = Tries(), 0, 0

    async def attacker() -> None:
        nonlocal sent_away, waited
        try:
            async with lines.turn(Tried("ada", "192.0.2.1")):
                waited += 1
        except MustWaitError as err:
            assert err.wait_s >= 1
            sent_away += 1

    async def attack() -> None:
        crowd = [asyncio.create_task(attacker()) for _ in range(100)]
        await asyncio.sleep(0)
        async with asyncio.timeout(1.0):
            async with lines.turn(Tried("ada", "192.0.2.1", browser="known")) as turn:
                turn.succeeded = True
        for task in crowd:
            task.cancel()
        await asyncio.gather(*crowd, return_exceptions=True)

    run_apart(lambda: asyncio.run(attack()))
    assert sent_away >= 80


def test_lines_are_forgotten(clock: Clock, monkeypatch: pytest.MonkeyPatch) -> None:
    """After a quarter of an hour, and the longest unused when there are too many."""
    monkeypatch.setattr(tries, "MOST_LANES", 8)
    lines, tried = Tries(clock), Tried("ada", "192.0.2.1")

    async def attack() -> None:
        await fail(lines, tried, 8)
        clock.at += tries.FORGOTTEN_AFTER_S + 1
        clock.slept.clear()
        await fail(lines, tried, 5)
        assert clock.slept == []
        for number in range(20):
            await fail(lines, Tried("ada", f"198.51.100.{number}"), 1)
        assert len(lines._lanes) <= 8

    run_apart(lambda: asyncio.run(attack()))


def test_a_browsers_mark_is_of_one_account_only() -> None:
    key = b"k" * 32
    mark = browser_mark(key, "Ada@first.example ")
    assert known_browser(key, "ada@first.example", mark) == mark.partition(".")[0]
    for other in ("bo@first.example", ""):
        assert known_browser(key, other, mark) == ""
    for broken in ("", ".", mark[:-1], mark + "0", "x" + mark, "é.ü", "\ud800.\ud800"):
        assert known_browser(key, "ada@first.example", broken) == ""


@pytest.mark.database
def test_wrong_passwords_lock_nobody_out(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Thirty of them, then the right one: in, from the same place too; and so is everybody else."""
    monkeypatch.setattr(tries, "FIRST_PAUSE_S", 0.001)
    monkeypatch.setattr(tries, "LONGEST_PAUSE_S", 0.01)
    with database.session() as session:
        home = accounts.home_provider(session)
        for name in ("ada", "bo"):
            accounts.new_account(session, home, f"{name}@first.example", name, WORDS)
    with client_of(database) as attacker, client_of(database) as guest:
        for n in range(30):
            form = {"email": "ada@first.example", "password": f"wrong {n}"}
            assert attacker.post("/sign-in", data=form).status_code == 422
        for name in ("ada", "bo"):
            form = {"email": f"{name}@first.example", "password": WORDS}
            for client in (attacker, guest):
                got = client.post("/sign-in", data=form, follow_redirects=False)
                assert got.status_code == 303
                assert "tarvik-known" in got.headers["set-cookie"]


@pytest.mark.database
def test_who_must_wait_is_told_how_long(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tries, "LONGEST_WAIT_S", -1.0)
    with client_of(database) as client:
        form = {"email": "ada@first.example", "password": "wrong"}
        got = client.post("/sign-in", data=form)
        assert got.status_code == 429 and got.headers["retry-after"] == "1"
        assert "ada@first.example" in got.text and "wait 1 seconds" in got.text
