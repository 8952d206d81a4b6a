"""kill -9 in the middle of two hundred writes: of the web process, of PostgreSQL, of a worker.
Every write that was answered is there afterwards, none is there by half. The moments are drawn from
a seed.
"""

from __future__ import annotations

import contextlib
import itertools
import json
import os
import random
import signal
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest
from sqlalchemy import func, select
from sqlalchemy.exc import OperationalError

from tarvik.store import courses
from tarvik.store.database import Database
from tarvik.store.models import Change, Person, PlanJob, SheetRow
from tarvik.store.server import free_port
from tarvik.web.serving import DATABASE
from tarvik.work.queue import Queue, work_on
from tests.conftest import own_server, owner_token
from tests.patience import PATIENCE_S, comes_true
from tests.small_course import small_course

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from tarvik.store.server import Server

pytestmark = pytest.mark.database
ROOT = Path(__file__).parents[2]
WRITES, WRITERS = 200, 4
WORKER = """
import sys
from tarvik.store.database import Database
from tarvik.work import planning
from tarvik.work.queue import work_on
from tarvik.work.report import Done
from tarvik.work.solving import Solver
def quick(desk, course_id, night_id, wish, report):
    return Done("done", {"n": wish["n"]})
planning.JOBS = {"why": quick}
work_on(sys.argv[1], planning.Planner(Database(sys.argv[1]), Solver()).perform)
"""


class Web:
    """A web process of its own on a database, started again after it was killed."""

    def __init__(self, url: str) -> None:
        self.port, self._url = free_port(), url
        self.start()

    def start(self) -> None:
        words = [
            sys.executable,
            "-m",
            "uvicorn",
            "tarvik.web.serving:factory",
            "--factory",
            "--port",
            str(self.port),
        ]
        env = {**os.environ, DATABASE: self._url, "TARVIK_RATE": "0"}
        self.process = subprocess.Popen(
            words, cwd=ROOT, env=env, stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL
        )

    def kill(self) -> None:
        os.kill(self.process.pid, signal.SIGKILL)
        self.process.wait()
        self.start()


@pytest.fixture(scope="module")
def server() -> Iterator[Server]:
    """A server of these tests' own: what is killed here is nobody else's."""
    with own_server() as started:
        yield started


@pytest.fixture
def filled(server: Server) -> Iterator[tuple[Database, int, str]]:
    """A database with a course, and a token of its owner."""
    database = Database(server.fresh_database("tarvik_killed"))
    database.migrate()
    with database.session() as session:
        course = courses.new_course(session, "Killed", "", "metric", 1, None).id
    yield database, course, owner_token(database)
    database.close()


def write(web: Web, course: int, token: str, name: str) -> int | None:
    """Add a person with a sheet: two rows in one change. The status answered, None when nothing
    was.
    """
    body = {"text": f"name,stature,sheet\n{name},1.70 m,3 x 3 m\n"}
    address = f"http://127.0.0.1:{web.port}"
    headers = {
        "Content-Type": "application/json",
        "Cookie": f"tarvik={token}",
        "Origin": address,
    }
    asked = urllib.request.Request(
        f"{address}/courses/{course}/kit/people/import", json.dumps(body).encode(), headers
    )
    try:
        with urllib.request.urlopen(asked, timeout=PATIENCE_S) as answer:
            return int(answer.status)
    except urllib.error.HTTPError as err:
        return err.code
    except (OSError, ConnectionError):
        return None


def under_fire(
    web: Web, course: int, token: str, kill: Callable[[], None], seed: int
) -> set[str]:
    """Two hundred writes by four at once, killed three times on the way; the names whose writing
    was answered.
    """
    dice = random.Random(seed)
    moments = sorted(dice.sample(range(20, WRITES - 20), 3))
    done: set[str] = set()
    lock = threading.Lock()

    def writer(own: int) -> None:
        for n in range(own, WRITES, WRITERS):
            name = f"P{n:03d}"
            patience = time.monotonic() + PATIENCE_S
            for again in itertools.count():
                status = write(web, course, token, f"{name}-{again}")
                if status == 200:
                    with lock:
                        done.add(f"{name}-{again}")
                    break
                assert status in (None, 500, 503) and time.monotonic() < patience, status
                time.sleep(0.15)

    threads = [threading.Thread(target=writer, args=(own,)) for own in range(WRITERS)]
    for thread in threads:
        thread.start()
    for moment in moments:
        while len(done) < moment and any(t.is_alive() for t in threads):
            time.sleep(dice.uniform(0.001, 0.01))
        kill()
    for thread in threads:
        thread.join()
    return done


def all_there(database: Database, course: int, done: set[str]) -> None:
    """Every answered write is there, each person with the own sheet; what was not answered is whole
    or not there at all.
    """
    assert len(done) == WRITES
    with database.session() as session:
        people = session.scalars(select(Person).where(Person.course_id == course)).all()
        owners = session.scalars(
            select(SheetRow.owner_id).where(SheetRow.course_id == course)
        ).all()
        traced = session.scalar(
            select(func.count())
            .select_from(Change)
            .where(Change.kind.in_(("person", "sheet")))
        )
    names = [p.name for p in people]
    assert done <= set(names) and len(set(names)) == len(names)
    assert sorted(o or 0 for o in owners) == sorted(p.id for p in people)
    assert traced == len(people) + len(owners)


def test_a_killed_web_process_loses_nothing(filled: tuple[Database, int, str]) -> None:
    database, course, token = filled
    web = Web(database.url)
    try:
        all_there(database, course, under_fire(web, course, token, web.kill, seed=1))
    finally:
        web.process.kill()
        web.process.wait()


def kill_database(server: Server) -> None:
    """Kill a server's process, and wait until its watch has started another."""
    process = server._process
    assert process is not None
    os.kill(process.pid, signal.SIGKILL)
    assert comes_true(lambda: server._process is not process)


def test_a_killed_database_loses_nothing(
    server: Server, filled: tuple[Database, int, str]
) -> None:
    database, course, token = filled
    web = Web(database.url)
    try:
        done = under_fire(web, course, token, lambda: kill_database(server), seed=2)
        database.wait(PATIENCE_S, lambda _: None)
        all_there(database, course, done)
    finally:
        web.process.kill()
        web.process.wait()


def test_a_killed_database_comes_back_with_what_was_saved(
    server: Server, filled: tuple[Database, int, str]
) -> None:
    """The watch starts it again, it recovers, and the engine reconnects by itself."""
    database, course, _ = filled
    kill_database(server)
    names: list[str] = []

    def read() -> bool:
        with contextlib.suppress(OperationalError), database.session() as session:
            names.extend(c.name for c in courses.courses(session) if c.id == course)
        return bool(names)

    assert comes_true(read)
    assert names == ["Killed"]


def test_a_worker_outlives_its_database(
    server: Server, filled: tuple[Database, int, str]
) -> None:
    """The database is killed under a waiting worker; a job put in afterwards is done by the same
    worker.
    """
    database, _, _ = filled
    done: list[int] = []
    stop = threading.Event()
    worker = threading.Thread(
        target=work_on,
        args=(database.url, done.append),
        kwargs={"signals": False, "stop": stop},
    )
    worker.start()
    try:
        for job in (7, 8):
            queue = Queue(database.url)
            queue.put(job)
            queue.close()
            assert comes_true(lambda: job in done) and worker.is_alive()  # noqa: B023
            if job == 7:
                kill_database(server)
                database.wait(PATIENCE_S, lambda _: None)
    finally:
        stop.set()
        worker.join()
    assert done == [7, 8]


def test_a_killed_worker_loses_nothing(filled: tuple[Database, int, str]) -> None:
    """Two hundred jobs; each is ended once, with its own result, though the worker was killed three
    times over them.
    """
    database, _, _ = filled
    with database.session() as session:
        _, night = small_course(session)
        rows = [PlanJob(night_id=night, kind="why", asked={"n": n}) for n in range(WRITES)]
        session.add_all(rows)
        session.flush()
        jobs = [row.id for row in rows]
    queue = Queue(database.url)
    for job in jobs:
        queue.put(job)
    queue.close()
    dice = random.Random(3)

    def worker() -> subprocess.Popen[Any]:
        return subprocess.Popen(
            [sys.executable, "-c", WORKER, database.url],
            cwd=ROOT,
            stderr=subprocess.DEVNULL,
        )

    def ended() -> int:
        with database.session() as session:
            return (
                session.scalar(
                    select(func.count()).select_from(PlanJob).where(PlanJob.state == "done")
                )
                or 0
            )

    running = worker()
    try:
        for moment in sorted(dice.sample(range(10, WRITES - 40), 3)):
            while ended() < moment:
                time.sleep(dice.uniform(0.001, 0.02))
            running.kill()
            running.wait()
            running = worker()
        assert comes_true(lambda: ended() == WRITES)
    finally:
        running.kill()
        running.wait()
    with database.session() as session:
        rows = session.scalars(select(PlanJob).order_by(PlanJob.id)).all()
    assert [(r.state, (r.result or {}).get("n")) for r in rows] == [
        ("done", n) for n in range(WRITES)
    ]
    assert all(1 <= r.runs <= 3 for r in rows)
