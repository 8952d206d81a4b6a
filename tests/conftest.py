"""Shared fixtures: a PostgreSQL server of the suite's own, fresh databases, a web client, a
browser.
"""

from __future__ import annotations

import os
import shutil
import tempfile
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, settings
from hypothesis.internal.conjecture import providers
from sqlalchemy import func, select

from tarvik.commands.testbed import CHROMIUM_ARGS, Testbed, let_in, testbed
from tarvik.commands.warm import warm
from tarvik.demo.course import demo_leader
from tarvik.settings import Settings
from tarvik.store import accounts
from tarvik.store.database import Database
from tarvik.store.models import Provider
from tarvik.store.server import Server
from tarvik.web.app import create_app
from tarvik.work import solve_pool
from tests.patience import PATIENCE_MS, PATIENCE_S

if TYPE_CHECKING:
    from collections.abc import Iterator

    from playwright.sync_api import Browser, BrowserContext, Page

# Machines are shared and noisy: no deadlines, and the same cases every time. Hypothesis also draws
# numbers that it finds in whatever modules happen to be loaded; then one test's cases would hang
# on which others ran before it, and on every constant that anybody changes.
_NO_NUMBERS_FROM_OUR_CODE = type(providers._local_constants)()
providers._get_local_constants = lambda: _NO_NUMBERS_FROM_OUR_CODE
settings.register_profile(
    "tarvik",
    deadline=None,
    derandomize=True,
    max_examples=60,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("tarvik")
solve_pool.LONGEST_S = PATIENCE_S  # type: ignore[misc]  # a question is given up sooner only in life


@contextmanager
def own_server() -> Iterator[Server]:
    """A PostgreSQL server in a folder its user can reach, gone afterwards."""
    base = Path("/var/tmp") if os.geteuid() == 0 else None  # noqa: S108
    folder = Path(tempfile.mkdtemp(prefix="tarvik-tests-", dir=base))
    started = Server(folder).start()
    try:
        yield started
    finally:
        started.stop()
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    """The suite's own PostgreSQL."""
    with own_server() as started:
        yield started


@pytest.fixture(scope="session")
def migrated(server: Server) -> str:
    """The name of a migrated database with nothing in it, which others are copied from: copying
    takes a fifth of the time of migrating.
    """
    made = Database(server.fresh_database("tarvik_empty"))
    made.migrate()
    made.close()
    return "tarvik_empty"


@pytest.fixture
def database(server: Server, migrated: str) -> Iterator[Database]:
    """A fresh migrated database."""
    made = Database(server.fresh_database("tarvik_test", migrated))
    yield made
    made.close()


OWN = {"origin": "http://testserver"}
"""What a browser says of a change that one of Tarvik's own pages makes."""


def owner_token(database: Database, email: str = "owner@first.example") -> str:
    """A browser of the first provider's owner, signed in; the demo's provider is the first where
    there is none.
    """
    with database.session() as session:
        home = (
            session.scalar(select(func.min(Provider.id)))
            or demo_leader(session).provider_id
        )
        made = accounts.new_account(
            session, home, email, "Owner", "tall grass under rain", owner=True
        )
        return accounts.sign_in(session, made, "a test")


def client_of(
    database: Database,
    token: str = "",
    service: str | None = None,
    rate: int = 6000,
    *,
    demo: bool = False,
) -> TestClient:
    """A client of the application, signed in by a token; `rate`: requests a minute, 0 no limit;
    `demo`: of a demo, which lets in the demo provider's people.
    """
    app = create_app(database, service, settings=Settings(rate=rate), demo=demo)
    made = TestClient(app, raise_server_exceptions=False, headers=OWN)
    if token:
        made.cookies.set("tarvik", token, domain="testserver.local")
    return made


@pytest.fixture
def client(database: Database) -> Iterator[TestClient]:
    """A client of the application on a fresh database, signed in as an owner."""
    with client_of(database, owner_token(database), demo=True) as made:
        yield made


@pytest.fixture(scope="session")
def api(server: Server) -> Iterator[TestClient]:
    """A client for the automation contract, which stores nothing."""
    database = Database(server.fresh_database("tarvik_api"))
    database.migrate()
    with TestClient(create_app(database), raise_server_exceptions=False) as made:
        yield made


@pytest.fixture(scope="session")
def bed(server: Server) -> Iterator[Testbed]:
    """The demo, served for the browser, its kernels compiled beforehand."""
    warm()
    with testbed(server, "tarvik_browser") as made:
        yield made


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    """Headless Chromium from Debian."""
    from playwright.sync_api import expect, sync_playwright

    expect.set_options(timeout=PATIENCE_MS)
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(
            executable_path=shutil.which("chromium"), args=CHROMIUM_ARGS
        )
        yield opened
        opened.close()


SLOW_PAGES = "TARVIK_SLOW_PAGES"
"""Milliseconds that every answer takes longer on its way to a page, and how many times slower its
scripts run, as `800,4`: for finding what only holds while a page is quick.
"""


def slowed(page: Page, latency_ms: float, rate: float = 1.0) -> Page:
    """The page, every answer to which takes so much longer, its scripts so many times slower."""
    devtools = page.context.new_cdp_session(page)
    devtools.send("Network.enable")
    network = {
        "offline": False,
        "latency": latency_ms,
        "downloadThroughput": -1,
        "uploadThroughput": -1,
    }
    devtools.send("Network.emulateNetworkConditions", network)
    devtools.send("Emulation.setCPUThrottlingRate", {"rate": rate})
    return page


def patient_context(browser: Browser, **wanted: Any) -> BrowserContext:
    """A window of its own, whose every step waits as long as a busy machine may need."""
    context = browser.new_context(**wanted)
    context.set_default_timeout(PATIENCE_MS)
    if SLOW_PAGES in os.environ:
        latency, rate = map(float, os.environ[SLOW_PAGES].split(","))
        new_page = context.new_page
        context.new_page = lambda: slowed(new_page(), latency, rate)  # type: ignore[method-assign]
    return context


@pytest.fixture
def page(browser: Browser, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A page; any script error fails the test."""
    context = patient_context(browser, viewport={"width": 1280, "height": 800})
    if "bed" in request.fixturenames:
        let_in(context, request.getfixturevalue("bed"))
    opened = context.new_page()
    errors: list[str] = []
    opened.on("pageerror", lambda error: errors.append(str(error)))
    yield opened
    context.close()
    assert errors == []
