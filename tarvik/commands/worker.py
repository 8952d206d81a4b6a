"""`./run worker`: a process that takes jobs from the database's queue; `./run demo` starts one by itself and keeps it up."""

from __future__ import annotations

import ctypes
import logging
import os
import signal
import subprocess
import sys
import threading
from typing import TYPE_CHECKING, Final

from tarvik.commands.warm import warm
from tarvik.store.database import Database
from tarvik.store.server import Server, default_folder
from tarvik.work.planning import Planner
from tarvik.work.queue import work_on
from tarvik.work.searching import Searcher
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from pathlib import Path

log = logging.getLogger("tarvik.work")
NAMED: Final = "TARVIK_DATABASE_URL"
_PR_SET_PDEATHSIG: Final = 1


def worker(checkout: Path) -> int:
    """Work until told to stop. Returns the exit code."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s", stream=sys.stderr)
    logging.getLogger("procrastinate").setLevel(logging.WARNING)
    server: Server | None = None
    url = os.environ.get(NAMED)
    if not url:
        server = Server(default_folder(checkout)).start()
        url = server.url()
    database = Database(url)
    searcher = Searcher().start()
    try:
        warm()
        print("tarvik: the worker waits for plans to make; stop it with Ctrl-C", flush=True)
        work_on(url, Planner(database, Solver(searcher)).perform)
    except KeyboardInterrupt:
        pass
    finally:
        searcher.stop()
        database.close()
        if server is not None:
            server.stop()
    return 0


def _die_with_parent() -> None:
    ctypes.CDLL("libc.so.6", use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


class WorkerProcess:
    """A worker of this program's own on a database; started again when it dies although nobody stopped it."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._watch = threading.Thread(target=self._keep_alive, name="worker-watch", daemon=True)

    def start(self) -> WorkerProcess:
        """Start it and watch over it."""
        self._launch()
        self._watch.start()
        return self

    def _launch(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tarvik", "worker"], env={**os.environ, NAMED: self._url}, stdin=subprocess.DEVNULL,
            preexec_fn=_die_with_parent,  # noqa: PLW1509
        )  # fmt: skip

    def _keep_alive(self) -> None:
        pause = 0.5
        while not self._stopping.wait(pause):
            if self._process is not None and self._process.poll() is not None:
                log.warning("the worker stopped unexpectedly (code %s); starting it again", self._process.returncode)
                self._launch()
                pause = min(pause * 2, 30.0)

    def stop(self) -> None:
        """Stop it."""
        self._stopping.set()
        self._watch.join(timeout=5)
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(timeout=10)
            except subprocess.TimeoutExpired:
                self._process.kill()
