"""The application's parts, which every request may ask for. Screens read them from here, so that
none of them has to know the application that is put together from them.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Final

from tarvik.web.tries import Tries
from tarvik.work.compiling import ALL_COMPILED, Compiling
from tarvik.work.solve_pool import SolvePool

if TYPE_CHECKING:
    from fastapi import Request
    from fastapi.templating import Jinja2Templates

    from tarvik.exchange.feed import Feed
    from tarvik.settings import Settings
    from tarvik.store.database import Database
    from tarvik.store.watch import DatabaseWatch
    from tarvik.work.hanging import Hangings
    from tarvik.work.queue import Queue
    from tarvik.work.solving import Solver

WEB: Final = Path(__file__).parent
STATIC: Final = WEB / "static"


@dataclass
class Parts:
    """What every request needs."""

    database: Database
    solver: Solver
    pages: Jinja2Templates
    queue: Queue
    hangings: Hangings
    settings: Settings
    watch: DatabaseWatch
    feed: Feed | None = None
    stand_ins: str | None = None
    demo: bool = False
    pool: SolvePool = field(default_factory=SolvePool)
    tries: Tries = field(default_factory=Tries)
    compiling: Compiling = ALL_COMPILED
    browsers_key: bytes = b""
    """Key of the marks by which browsers are known; empty until it is first needed."""


def parts_of(request: Request) -> Parts:
    """The application's parts."""
    return request.app.state.tarvik  # type: ignore[no-any-return]
