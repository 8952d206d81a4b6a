"""`./run demo` and `./run serve`: database up, tables current, kernels warm, web server; all down again at the end."""

from __future__ import annotations

import logging
import os
import signal
import socket
import sys
from contextlib import contextmanager
from typing import TYPE_CHECKING

import uvicorn

from tarvik.commands.warm import warm
from tarvik.commands.worker_process import WorkerProcess
from tarvik.demo.course import ensure_demo
from tarvik.stand_ins.service import start_service
from tarvik.store.database import Database
from tarvik.store.server import Server, default_folder, free_port
from tarvik.web.app import create_app
from tarvik.work.searching import Searcher

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path


def say(words: str) -> None:
    """Tell what is going on."""
    print(f"tarvik: {words}", flush=True)


@contextmanager
def database(checkout: Path) -> Iterator[Database]:
    """The migrated database: the one named by TARVIK_DATABASE_URL, or Tarvik's own server for this checkout."""
    named = os.environ.get("TARVIK_DATABASE_URL")
    server: Server | None = None
    try:
        if named:
            say("using the database named by TARVIK_DATABASE_URL")
            opened = Database(named)
        else:
            server = Server(default_folder(checkout))
            say(f"starting PostgreSQL on {server.folder}")
            server.start()
            say(f"PostgreSQL answers on 127.0.0.1:{server.port}" + (" (it was running already)" if server.borrowed else ""))
            opened = Database(server.url())
        opened.migrate()
        yield opened
        opened.close()
    finally:
        if server is not None:
            server.stop()
            if not server.borrowed:
                say("PostgreSQL stopped")


def _stop(_number: int, _frame: object) -> None:
    raise SystemExit(0)


def serve(checkout: Path, port: int, *, demo: bool) -> int:
    """Serve on loopback until told to stop. Returns the exit code."""
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _stop)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(levelname)s %(message)s", stream=sys.stderr)
    logging.getLogger("alembic").setLevel(logging.WARNING)
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            say(f"port {port} is taken by another program; choose another with --port, such as --port {port + 1}")
            return 1
    try:
        with database(checkout) as opened:
            if demo:
                with opened.session() as session:
                    made = ensure_demo(session)
                say("demo course made" if made else "demo course is there already; its data is kept")
            say("compiling the geometry (takes a minute at the very first start, then it is kept)")
            searcher = Searcher().start()
            warm()
            worker = WorkerProcess(opened.url).start()
            say(f"open http://127.0.0.1:{port}/ in a browser; stop with Ctrl-C")
            stand_ins, stop = start_service(free_port())
            server = uvicorn.Server(
                uvicorn.Config(create_app(opened, stand_ins, searcher), host="127.0.0.1", port=port, log_level="warning",
                    access_log=False,
                               timeout_graceful_shutdown=5)
            )  # fmt: skip
            try:
                server.run()
            finally:
                stop()
                worker.stop()
                searcher.stop()
    except (KeyboardInterrupt, SystemExit):
        pass
    say("stopped")
    return 0
