"""Web processes of the benches' own, each on a free port and ended afterwards."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Final

import httpx2

from tarvik.store.server import free_port
from tarvik.web.serving import DATABASE

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.store.database import Database

STARTED_WITHIN_S: Final = 120.0


@contextmanager
def serving(database: Database, *options: str, **more: str) -> Iterator[tuple[str, int]]:
    """Web processes on a database, with uvicorn's own `options` and `more` in their environment:
    (address, number of the first process).
    """
    port = free_port()
    words = ["uvicorn", "tarvik.web.serving:factory", "--factory", "--port", str(port)]
    web = subprocess.Popen(
        [sys.executable, "-m", *words, "--log-level", "warning", *options],
        cwd=Path(__file__).parents[2],
        env={**os.environ, DATABASE: database.url, **more},
        stderr=subprocess.DEVNULL,
    )
    address = f"http://127.0.0.1:{port}"
    try:
        end = time.monotonic() + STARTED_WITHIN_S
        while time.monotonic() < end:
            try:
                if httpx2.get(f"{address}/readyz", timeout=2).status_code == 200:
                    break
            except httpx2.HTTPError:
                time.sleep(0.2)
        yield address, web.pid
    finally:
        web.terminate()
        web.wait(timeout=30)
