"""A running Tarvik with fresh demo data on a database of its own: for screenshots and browser
tests.
"""

from __future__ import annotations

import threading
import time
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING

import uvicorn
from sqlalchemy import select

from tarvik.demo.course import demo_leader, ensure_demo
from tarvik.stand_ins.service import start_service
from tarvik.store import accounts
from tarvik.store.database import Database
from tarvik.store.models import Course, Night, SheetRow
from tarvik.store.server import Server, free_port
from tarvik.web.app import create_app
from tarvik.work.hanging import Hangings
from tarvik.work.queue import work_on
from tarvik.work.searching import Searcher
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from collections.abc import Iterator

    from playwright.sync_api import BrowserContext

CHROMIUM_ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@dataclass(frozen=True)
class Testbed:
    """Where the application answers, and numbers of the demo's rows."""

    url: str
    database: Database
    token: str
    course: int
    nights: tuple[int, ...]
    sheets: dict[str, int]
    hangings: Hangings


def _start_worker(
    url: str, database: Database, searcher: Searcher, stop: threading.Event
) -> threading.Thread:
    from tarvik.work.planning import Planner

    planner = Planner(database, Solver(searcher))
    made = threading.Thread(
        target=work_on,
        args=(url, planner.perform),
        daemon=True,
        kwargs={"signals": False, "stop": stop, "ahead": planner.ahead},
    )
    made.start()
    return made


def let_in(context: BrowserContext, bed: Testbed) -> None:
    """Sign a browser in as the demo's leader."""
    context.add_cookies([{"name": "tarvik", "value": bed.token, "url": bed.url}])


@contextmanager
def testbed(
    server: Server, name: str, *, worker: bool = True, demo: bool = True
) -> Iterator[Testbed]:
    """Serve the demo from a fresh database `name` on a started server, with a worker for plans
    unless told otherwise; without the demo an empty one, its token the first owner's link.
    """
    database = Database(server.fresh_database(name))
    database.migrate()
    course, nights, sheets = 0, tuple[int, ...](), dict[str, int]()
    with database.session() as session:
        if demo:
            ensure_demo(session)
            token = accounts.sign_in(
                session, demo_leader(session), "a browser of the tests"
            )
            course = session.scalars(select(Course).where(Course.demo)).one().id
            ordered = (
                select(Night.id).where(Night.course_id == course).order_by(Night.position)
            )
            nights = tuple(session.scalars(ordered))
            owned = session.scalars(
                select(SheetRow).where(SheetRow.course_id == course)
            ).all()
            sheets = {s.owner.name if s.owner else s.label: s.id for s in owned}
        else:
            token = accounts.setup_token(session) or ""
    stand_ins, stop = start_service(free_port())
    port = free_port()
    searcher = Searcher().start()
    hangings = Hangings(database).start()
    app = create_app(database, stand_ins, searcher, demo=demo, hangings=hangings)
    done = threading.Event()
    working = _start_worker(database.url, database, searcher, done) if worker else None
    web = uvicorn.Server(
        uvicorn.Config(
            app, host="127.0.0.1", port=port, log_level="warning", log_config=None
        )
    )
    thread = threading.Thread(target=web.run, daemon=True)
    thread.start()
    while not web.started:
        time.sleep(0.05)
    try:
        url = f"http://127.0.0.1:{port}"
        yield Testbed(url, database, token, course, nights, sheets, hangings)
    finally:
        done.set()
        if working is not None:
            working.join(timeout=10)
        web.should_exit = True
        thread.join(timeout=15)
        stop()
        hangings.stop()
        searcher.stop()
        database.close()
