"""`./run demo` and `./run serve`: database up, tables current, kernels warm, web server; all down
again at the end.
"""

from __future__ import annotations

import fcntl
import logging
import os
import signal
import socket
import threading
from contextlib import contextmanager
from dataclasses import replace
from typing import TYPE_CHECKING, Final

import uvicorn
from sqlalchemy.exc import SQLAlchemyError

from tarvik import logs
from tarvik.commands.warm import warm
from tarvik.commands.worker_process import WorkerProcess
from tarvik.demo.course import ensure_demo
from tarvik.settings import Settings, read_settings
from tarvik.stand_ins.service import start_service
from tarvik.store import accounts, erasing, letters
from tarvik.store.database import Database
from tarvik.store.server import Server, ServerError, default_folder, free_port
from tarvik.web import serving
from tarvik.web.app import create_app
from tarvik.web.protocol import PatientProtocol
from tarvik.work.compiling import Compiling, compiled_before
from tarvik.work.hanging import Hangings
from tarvik.work.searching import Searcher

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    from tarvik.core.plain import JsonObject


log = logging.getLogger("tarvik.serve")
DAY_S: Final = 86_400.0
MOST_CONNECTIONS: Final = 1000
"""Connections and tasks a web process holds at a time; beyond them it answers 503."""


def say(words: str) -> None:
    """Tell what is going on."""
    print(f"tarvik: {words}", flush=True)


@contextmanager
def database(checkout: Path, settings: Settings) -> Iterator[Database]:
    """The migrated database: the one named by TARVIK_DATABASE_URL, or Tarvik's own server for this
    checkout. Raises ServerError when it does not answer in time.
    """
    named = settings.database_url
    server: Server | None = None
    try:
        if named:
            say("using the database named by TARVIK_DATABASE_URL")
            opened = Database(named, settings.pool)
        else:
            server = Server(default_folder(checkout))
            say(f"starting PostgreSQL on {server.folder}")
            server.start()
            say(
                f"PostgreSQL answers on 127.0.0.1:{server.port}"
                + (" (it was running already)" if server.borrowed else "")
            )
            opened = Database(server.url(), settings.pool)
        if not opened.wait(settings.wait_s, say):
            raise ServerError(
                f"the database did not answer within {settings.wait_s} seconds; start it, or "
                "check its address"
            )
        opened.migrate()
        yield opened
        opened.close()
    finally:
        if server is not None:
            server.stop()
            if not server.borrowed:
                say("PostgreSQL stopped")


class TakenError(RuntimeError):
    """Another program serves from the same folder."""


@contextmanager
def alone(folder: Path | None, address: str) -> Iterator[None]:
    """Hold a data folder for this program, as the only one that serves from it. Raises TakenError,
    which says where the other one is.
    """
    if folder is None:
        yield
        return
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "serving").open("a+") as held:
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            held.seek(0)
            there = held.read(200).strip() or "another address"
            raise TakenError(
                f"Tarvik is running from this checkout already, at {there}: open that, or stop it "
                "with Ctrl-C where it was started and start again"
            ) from None
        held.truncate(0)
        held.write(f"{address}/\n")
        held.flush()
        yield


def _stop(_number: int, _frame: object) -> None:
    raise SystemExit(0)


def _first_owner(opened: Database, address: str) -> None:
    """While nobody has an account, print the link for the first owner."""
    with opened.session() as session:
        token = accounts.setup_token(session)
    if token:
        say(
            "nobody has an account yet. The first owner makes one here, once, within a day: "
            f"{address}/setup/{token}"
        )


def _tidy(opened: Database, stop: threading.Event) -> None:
    """Once at the start and then daily: announce and erase the people of courses long over, and
    drop letters and links that are over.
    """
    while True:
        try:
            with opened.session() as session:
                letters.drop_over(session)
                done = erasing.erasing_round(session)
            if done.doubted:
                log.warning(
                    "nobody is erased: the clock is far ahead of the newest entry; it goes on once "
                    "somebody has signed in"
                )
            if done.erased or done.purged:
                log.info("erased %s people, purged %s rows", done.erased, done.purged)
        except SQLAlchemyError:
            log.warning("the daily erasing has to wait: the database does not answer")
        if stop.wait(DAY_S):
            return


def _compile(compiling: Compiling) -> None:
    """Compile what is not compiled yet, in processes of their own."""
    if not compiling.over:
        say("compiling the geometry: once, at the very first start; then it is kept")
        compiling.run()
        compiling.over = True
        say("the geometry is compiled")


def _get_ready(compiling: Compiling, *started: Callable[[], object]) -> None:
    """Beside a server that answers already: compile what is not compiled yet, then start the
    processes that work beside this one, and load what the first request would wait for.
    """
    _compile(compiling)
    for start in started:
        start()
    warm()


def _listen(
    opened: Database,
    port: int,
    stand_ins: str,
    settings: Settings,
    worker: WorkerProcess,
    *,
    demo: bool,
) -> None:
    """Serve until told to stop: in this process with another for searches, or in several
    processes.
    """
    compiling = Compiling(over=compiled_before())
    plain: JsonObject = {
        "host": "127.0.0.1",
        "port": port,
        "log_config": None,
        "access_log": False,
        "timeout_graceful_shutdown": 5,
        "server_header": False,
        "timeout_keep_alive": serving.KEEP_ALIVE_S,
        "http": PatientProtocol,
        "limit_concurrency": MOST_CONNECTIONS,
        "proxy_headers": False,  # web/limits.py believes the front servers named, nobody else
    }
    if settings.workers > 1:
        _compile(compiling)
        worker.start()
        os.environ |= {
            serving.DATABASE: opened.url,
            serving.STAND_INS: stand_ins,
            serving.DEMO: "yes" if demo else "",
            serving.PORT: str(port),
        }
        uvicorn.run(
            "tarvik.web.serving:factory", factory=True, workers=settings.workers, **plain
        )
        return
    searcher, hangings = Searcher(), Hangings(opened)
    app = create_app(
        opened,
        stand_ins,
        searcher,
        demo=demo,
        settings=settings,
        hangings=hangings,
        compiling=compiling,
    )
    started = (searcher.start, hangings.start, app.state.tarvik.pool.start, worker.start)
    ready = threading.Thread(
        target=_get_ready, args=(compiling, *started), name="get ready", daemon=True
    )
    ready.start()
    try:
        uvicorn.Server(uvicorn.Config(app, **plain)).run()
    finally:
        hangings.stop()
        searcher.stop()


def serve(checkout: Path, port: int, *, demo: bool) -> int:
    """Serve on loopback until told to stop. Returns the exit code."""
    settings = replace(read_settings(), port=port)
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _stop)
    logs.install(settings.log)
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            say(
                f"port {port} is taken by another program; choose another with --port, such "
                f"as --port {port + 1}"
            )
            return 1
    folder = None if settings.database_url else default_folder(checkout)
    try:
        with alone(folder, settings.public_address), database(checkout, settings) as opened:
            if demo:
                with opened.session() as session:
                    made = ensure_demo(session)
                say(
                    "demo course made"
                    if made
                    else "demo course is there already; its data is kept"
                )
            address = settings.public_address
            say(f"open {address}/ in a browser; stop with Ctrl-C")
            if not settings.address and not demo:
                log.warning(
                    "TARVIK_ADDRESS is not set: links in letters and on cards begin with %s, "
                    "which leads here from this machine only",
                    address,
                )
            if not demo:
                _first_owner(opened, address)
            stand_ins, stop = start_service(free_port())
            worker = WorkerProcess(opened.url)
            over = threading.Event()
            threading.Thread(
                target=_tidy, args=(opened, over), name="tidy", daemon=True
            ).start()
            try:
                _listen(opened, port, stand_ins, settings, worker, demo=demo)
            finally:
                over.set()
                stop()
                worker.stop()
    except TakenError as err:
        say(str(err))
        return 1
    except (KeyboardInterrupt, SystemExit):
        pass
    say("stopped")
    return 0
