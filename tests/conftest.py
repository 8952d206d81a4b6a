"""Shared fixtures: a PostgreSQL server of the suite's own, fresh databases, a web client, a browser."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, settings

from tarvik.commands.testbed import CHROMIUM_ARGS, Testbed, testbed
from tarvik.commands.warm import warm
from tarvik.store.database import Database
from tarvik.store.server import Server
from tarvik.web.app import create_app

if TYPE_CHECKING:
    from collections.abc import Iterator

    from playwright.sync_api import Browser, Page

# Machines are shared and noisy: no deadlines, and the same cases every time.
settings.register_profile(
    "tarvik", deadline=None, derandomize=True, max_examples=60, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("tarvik")


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    """The suite's own PostgreSQL, in a folder its user can reach, gone afterwards."""
    base = Path("/var/tmp") if os.geteuid() == 0 else None  # noqa: S108
    folder = Path(tempfile.mkdtemp(prefix="tarvik-tests-", dir=base))
    started = Server(folder).start()
    yield started
    started.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def database(server: Server) -> Iterator[Database]:
    """A fresh migrated database."""
    made = Database(server.fresh_database("tarvik_test"))
    made.migrate()
    yield made
    made.close()


@pytest.fixture
def client(database: Database) -> Iterator[TestClient]:
    """A client of the application on a fresh database."""
    with TestClient(create_app(database), raise_server_exceptions=False) as made:
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
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=CHROMIUM_ARGS)
        yield opened
        opened.close()


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A page; any script error fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    opened = context.new_page()
    errors: list[str] = []
    opened.on("pageerror", lambda error: errors.append(str(error)))
    yield opened
    context.close()
    assert errors == []
