"""Figures of a server under attack and after long use: how soon health answers while dear questions
are abandoned, how soon people get in while somebody guesses passwords, what a web process holds.
"""

from __future__ import annotations

import asyncio
import random
import re
import time
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import httpx2
import numpy as np
from sqlalchemy import select

from tarvik.commands.web_process import serving
from tarvik.demo.course import demo_leader, ensure_demo
from tarvik.store import accounts
from tarvik.store.database import Database
from tarvik.store.models import Course, Night, SheetRow
from tarvik.web.serving import DEMO

if TYPE_CHECKING:
    from tarvik.store.server import Server

DEAR: Final = {
    "sheet": {"width_m": 12.0, "length_m": 14.0},
    "pitch": "lean-to-lifted",
    "weather": {"rain_mm_h": 4, "wind_m_s": 8, "wind_from_deg": 200},
    "rose": True,
}
"""A question of many seconds."""
ABANDONED: Final = 40
LEFT_AFTER_S: Final = 0.5
ATTACK_S: Final = 15.0
TRIES_A_SECOND: Final = 20
VIEWS: Final = 2000
PATIENT: Final = ("--http", "tarvik.web.protocol:PatientProtocol")
"""As `./run serve` starts its processes."""
PASSWORD: Final = "tall grass under rain"  # noqa: S105 - of an account made for the bench


async def _health(client: httpx2.AsyncClient, until: asyncio.Event) -> list[float]:
    took = []
    while not until.is_set():
        for path in ("/healthz", "/readyz"):
            began = time.perf_counter()
            got = await client.get(path)
            took.append(time.perf_counter() - began)
            got.raise_for_status()
        await asyncio.sleep(0.01)
    return took


async def _abandon(address: str) -> list[float]:
    """Seconds of health's answers while questions are asked and left."""
    over = asyncio.Event()
    # One client asks them all: to make a client takes long enough to hold up who measures here.
    async with (
        httpx2.AsyncClient(base_url=address, timeout=60) as client,
        httpx2.AsyncClient(base_url=address, timeout=LEFT_AFTER_S) as asker,
    ):
        watching = asyncio.create_task(_health(client, over))

        async def leave() -> None:
            with suppress(httpx2.HTTPError):
                await asker.post("/api/solve", json=DEAR)

        for _ in range(4):
            await asyncio.gather(*(leave() for _ in range(ABANDONED // 4)))
        await asyncio.sleep(2.0)
        over.set()
        return await watching


async def _guess(address: str, until: asyncio.Event) -> None:
    """Wrong passwords for one account, twenty a second, whatever is answered."""
    own = {"origin": address}
    sent: set[asyncio.Task[Any]] = set()
    async with httpx2.AsyncClient(base_url=address, timeout=30, headers=own) as client:
        while not until.is_set():
            form = {
                "email": "ada@bench.example",
                "password": f"wrong {len(sent)} words here",
            }
            sent.add(asyncio.create_task(client.post("/sign-in", data=form)))
            await asyncio.sleep(1 / TRIES_A_SECOND)
        for task in sent:
            task.cancel()
        await asyncio.gather(*sent, return_exceptions=True)


async def _sign_in(
    address: str, email: str, cookies: httpx2.Cookies | None = None
) -> float:
    """Seconds until somebody is in who opens the page and sends the right password."""
    async with httpx2.AsyncClient(
        base_url=address, timeout=60, headers={"origin": address}, cookies=cookies
    ) as client:
        await client.get("/sign-in")
        began = time.perf_counter()
        got = await client.post("/sign-in", data={"email": email, "password": PASSWORD})
        if got.status_code != 303:
            raise RuntimeError(f"{email} did not get in: {got.status_code}")
        return time.perf_counter() - began


async def _attacked(address: str) -> float:
    """The slowest sign-in of the attacked account and of another, during the attack."""
    over = asyncio.Event()
    guessing = asyncio.create_task(_guess(address, over))
    took = []
    end = time.monotonic() + ATTACK_S
    await asyncio.sleep(2.0)
    while time.monotonic() < end:
        took += [await _sign_in(address, f"{name}@bench.example") for name in ("ada", "bo")]
        await asyncio.sleep(0.5)
    over.set()
    await guessing
    return max(took)


def _resident_mib(pid: int) -> float:
    told = Path(f"/proc/{pid}/status").read_text()
    found = re.search(r"VmRSS:\s+(\d+) kB", told)
    return int(found[1]) / 1024 if found else float("nan")


def _viewed(address: str, pid: int, token: str, paths: list[str]) -> float:
    """What the process holds after many pages, as a leader's evening asks for them."""
    dice = random.Random(1)  # noqa: S311
    headers = {"Cookie": f"tarvik={token}"}
    with httpx2.Client(base_url=address, timeout=300, headers=headers) as client:
        for _ in range(VIEWS):
            path = dice.choice(paths).format(height=dice.uniform(0.6, 1.8))
            got = client.get(path)
            if got.status_code >= 500:
                raise RuntimeError(f"{path}: {got.status_code}")
    return _resident_mib(pid)


def _paths(database: Database) -> list[str]:
    with database.session() as session:
        course = session.scalars(select(Course.id).where(Course.demo)).one()
        nights = session.scalars(select(Night.id).where(Night.course_id == course)).all()
        sheets = session.scalars(
            select(SheetRow.id).where(SheetRow.course_id == course)
        ).all()
    out = [f"/courses/{course}", f"/courses/{course}/kit"] * 20
    for night in nights:
        base = f"/courses/{course}/nights/{night}"
        out += [
            f"{base}/{p}" for p in ("board", "board/cells", "plan", "ground", "camp")
        ] * 10
        for sheet in sheets:
            for pitch in ("a-frame", "plow-point-lifted", "closed-wedge", "lean-to"):
                bench = f"{base}/bench/{sheet}/{pitch}"
                out += [bench, f"{bench}/view?height={{height:.3f}}", f"{bench}/more"]
    return out


def measured(server: Server) -> list[tuple[str, float, str, float]]:
    """Every figure: (name, value, unit, target)."""
    database = Database(server.fresh_database("tarvik_safe"))
    database.migrate()
    with database.session() as session:
        ensure_demo(session)
        leader = demo_leader(session)
        token = accounts.sign_in(session, leader)
        home = accounts.home_provider(session)
        for name in ("ada", "bo"):
            accounts.new_account(session, home, f"{name}@bench.example", name, PASSWORD)
    with serving(database, *PATIENT) as (address, _):
        health = asyncio.run(_abandon(address))
    with serving(database, *PATIENT) as (
        address,
        _,
    ):  # another process: the first one counts what was left
        attacked = asyncio.run(_attacked(address))
    with serving(database, *PATIENT, **{DEMO: "yes", "TARVIK_RATE": "0"}) as (address, pid):
        held = _viewed(address, pid, token, _paths(database))
    database.close()
    return [
        ("health_p99_abandoned_solves_s", float(np.percentile(health, 99)), "s", 0.2),
        ("sign_in_under_wrong_tries_s", attacked, "s", 2.0),
        ("web_memory_2000_views_mib", held, "MiB", 400.0),
    ]
