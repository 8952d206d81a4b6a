"""Fifty leaders at once, as on the evening of a large course: pages looked at, cells edited, one
cell by all of a team.
"""

from __future__ import annotations

import asyncio
import random
import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import httpx2
import numpy as np

from tarvik.commands.web_process import serving
from tarvik.demo.course import FILE
from tarvik.exchange.course_file import read
from tarvik.store import accounts, course_in, courses, kit
from tarvik.store.accounts import Role
from tarvik.store.database import Database
from tarvik.web.serving import KEEP_ALIVE_S

if TYPE_CHECKING:
    from tarvik.core.plain import JsonObject
    from tarvik.store.models import Course
    from tarvik.store.server import Server

LEADERS: Final = 50
TEAMS: Final = 5
SECONDS: Final = 30.0
THINK_S: Final = (2.0, 6.0)
"""A leader looks at a page so long before the next click."""
PROCESSES: Final = 2


@dataclass
class Team:
    """A course, its night, the row all of its leaders count up, one row each of their own, and how
    often each came through.
    """

    course: int
    night: int
    shared: int
    own: list[int]
    counted: int = 0
    wrote: dict[int, str] = field(default_factory=dict)


@dataclass
class Heard:
    """What the leaders found: seconds of every view and edit, and what went wrong."""

    views: list[float] = field(default_factory=list)
    edits: list[float] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    clashes: int = 0


def _team(database: Database, number: int) -> tuple[Team, list[str]]:
    """A course of the demo's kind with ten leaders signed in."""
    with database.session() as session:
        made: Course = course_in.bring_in(session, read(FILE.read_bytes()))
        people = kit.rows(session, made.id, "people")
        shared = kit.add(session, made.id, "stakes", [{"count": 1, "note": "counted"}])[
            0
        ].id
        tokens = []
        for n in range(LEADERS // TEAMS):
            account = accounts.new_account(
                session,
                made.provider_id,
                f"l{number}-{n}@load.example",
                f"L{n}",
                "fifty wet leaders at once",
            )
            accounts.set_role(session, made.id, account.id, Role.LEADER)
            tokens.append(accounts.sign_in(session, account))
        night = courses.nights(session, made.id)[0].id
        return Team(made.id, night, shared, [p.id for p in people]), tokens


class _Leader:
    """One of them."""

    def __init__(
        self, client: httpx2.AsyncClient, team: Team, number: int, heard: Heard
    ) -> None:
        self.client, self.team, self.row, self.heard = client, team, team.own[number], heard
        self.dice = random.Random(number * 100 + team.course)  # noqa: S311
        self.version, self.was, self.turn = 1, "", 0
        self.stakes, self.count = 1, "1"

    async def work(self, until: float) -> None:
        """Look, edit, look, until the time is over."""
        base = f"/courses/{self.team.course}"
        night = f"{base}/nights/{self.team.night}"
        pages = [
            base,
            f"{base}/kit",
            f"{base}/rules",
            f"{night}/weather",
            f"{night}/camp",
            f"{night}/ground",
            f"{night}/plan",
        ]
        await asyncio.sleep(self.dice.uniform(0, THINK_S[1]))
        while time.perf_counter() < until:
            await self._view(self.dice.choice(pages))
            await asyncio.sleep(self.dice.uniform(*THINK_S))
            await (self._own() if self.dice.random() < 0.6 else self._shared())
            await asyncio.sleep(self.dice.uniform(*THINK_S))

    async def _view(self, path: str) -> None:
        began = time.perf_counter()
        got = await self.client.get(path, headers={"Accept": "text/html"})
        self.heard.views.append(time.perf_counter() - began)
        if got.status_code != 200:
            self.heard.wrong.append(f"{path}: {got.status_code}")

    async def _change(self, path: str, body: JsonObject) -> tuple[int, JsonObject]:
        began = time.perf_counter()
        got = await self.client.patch(f"/courses/{self.team.course}/kit/{path}", json=body)
        self.heard.edits.append(time.perf_counter() - began)
        if got.status_code not in (200, 409):
            self.heard.wrong.append(f"{path}: {got.status_code}")
        return got.status_code, got.json()

    async def _own(self) -> None:
        """Write in a row nobody else writes in."""
        self.turn += 1
        text = f"turn {self.turn}"
        status, told = await self._change(
            f"people/{self.row}",
            {"column": "note", "text": text, "version": self.version, "was": self.was},
        )
        if status == 200:
            self.version, self.was = told["version"], text
            self.team.wrote[self.row] = text
        else:
            self.heard.wrong.append(f"own row: {status}")

    async def _shared(self) -> None:
        """Count up a cell that nine others count up: on a clash take theirs and count on from
        there.
        """
        for _ in range(20):
            wanted = str(int(self.count) + 1)
            status, told = await self._change(
                f"stakes/{self.team.shared}",
                {
                    "column": "count",
                    "text": wanted,
                    "version": self.stakes,
                    "was": self.count,
                },
            )
            if status == 200:
                self.stakes, self.count = told["version"], wanted
                self.team.counted += 1
                return
            self.heard.clashes += 1
            self.stakes, self.count = told["version"], told["theirs"]


async def _all(address: str, teams: list[tuple[Team, list[str]]]) -> Heard:
    heard = Heard()
    clients = [
        (
            httpx2.AsyncClient(
                base_url=address,
                timeout=180,
                headers={"Cookie": f"tarvik={token}", "Origin": address},
            ),
            team,
            n,
        )
        for team, tokens in teams
        for n, token in enumerate(tokens)
    ]
    for client, team, _ in clients:  # each page seen by each process, as on a server in use
        for path in ("camp", "ground", "plan", "weather"):
            await client.get(f"/courses/{team.course}/nights/{team.night}/{path}")
    until = time.perf_counter() + SECONDS
    await asyncio.gather(
        *(_Leader(client, team, n, heard).work(until) for client, team, n in clients)
    )
    for client, _, _ in clients:
        await client.aclose()
    return heard


def _lost(database: Database, teams: list[tuple[Team, list[str]]]) -> int:
    """Answered edits that are not there."""
    lost = 0
    with database.session() as session:
        for team, _ in teams:
            lost += abs(
                kit.one(session, team.course, "stakes", team.shared).count
                - 1
                - team.counted
            )
            lost += sum(
                kit.one(session, team.course, "people", row).note != text
                for row, text in team.wrote.items()
            )
    return lost


def measured(server: Server) -> list[tuple[str, float, str, float]]:
    """Every figure: (name, value, unit, target)."""
    database = Database(server.fresh_database("tarvik_load"))
    database.migrate()
    teams = [_team(database, n) for n in range(TEAMS)]
    options = ("--workers", str(PROCESSES), "--timeout-keep-alive", str(KEEP_ALIVE_S))
    with serving(database, *options) as (address, _):
        heard = asyncio.run(_all(address, teams))
        lost = _lost(database, teams)
    database.close()
    return [
        ("load_50_views_p95_ms", float(np.percentile(heard.views, 95)) * 1e3, "ms", 200.0),
        ("load_50_edits_p95_ms", float(np.percentile(heard.edits, 95)) * 1e3, "ms", 250.0),
        ("load_50_lost_updates", float(lost), "edits", 0.0),
        ("load_50_errors", float(len(heard.wrong)), "answers", 0.0),
    ]
