"""`./run worker`: a process that takes jobs from the database's queue; `./run demo` starts one by
itself and keeps it up.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from tarvik import logs
from tarvik.commands.warm import warm
from tarvik.commands.worker_process import CHILD, NAMED
from tarvik.settings import read_settings
from tarvik.store.database import Database
from tarvik.store.server import Server, default_folder
from tarvik.work.first_plan import first_plan
from tarvik.work.parents import end_with_parent
from tarvik.work.planning import Planner
from tarvik.work.queue import work_on
from tarvik.work.searching import Searcher
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from pathlib import Path


def worker(checkout: Path) -> int:
    """Work until told to stop. Returns the exit code."""
    logs.install(read_settings().log)
    if os.environ.get(CHILD):
        end_with_parent()
    server: Server | None = None
    url = os.environ.get(NAMED)
    if not url:
        server = Server(default_folder(checkout)).start()
        url = server.url()
    database = Database(url)
    searcher = Searcher()
    try:
        warm()
        planner = Planner(database, Solver(searcher.start()))
        first_plan(planner.solver)
        print("tarvik: the worker waits for plans to make; stop it with Ctrl-C", flush=True)
        work_on(url, planner.perform, ahead=planner.ahead)
    except KeyboardInterrupt:
        pass
    finally:
        searcher.stop()
        database.close()
        if server is not None:
            server.stop()
    return 0
