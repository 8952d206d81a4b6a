"""Puts the application together."""

from __future__ import annotations

from contextlib import asynccontextmanager
from typing import TYPE_CHECKING

from fastapi import FastAPI

from tarvik import __version__
from tarvik.exchange.feed import Feed
from tarvik.settings import Settings
from tarvik.store.watch import DatabaseWatch
from tarvik.web import api, problems
from tarvik.web.access import check_routes, cookie_name
from tarvik.web.getting_ready import GettingReady
from tarvik.web.limits import Limits
from tarvik.web.navigation import routers
from tarvik.web.polling import Poller
from tarvik.web.shared.rendering import make_templates
from tarvik.web.shipped import ship
from tarvik.web.state import WEB, Parts
from tarvik.work.compiling import ALL_COMPILED, Compiling
from tarvik.work.hanging import Hangings
from tarvik.work.queue import Queue
from tarvik.work.solving import Solver
from tarvik.work.tidying import Tidying

if TYPE_CHECKING:
    from collections.abc import AsyncIterator

    from tarvik.store.database import Database
    from tarvik.work.searching import Searcher


def create_app(
    database: Database,
    stand_ins: str | None = None,
    searcher: Searcher | None = None,
    *,
    demo: bool = False,
    settings: Settings | None = None,
    hangings: Hangings | None = None,
    compiling: Compiling = ALL_COMPILED,
) -> FastAPI:
    """The application on a migrated database. `stand_ins` is the address of the simulated weather
    service and wind meter; `searcher` a second process for searches, `hangings` one that hangs
    sheets beside this one. `demo`: one click signs anybody in as the demo's leader. `compiling`:
    how far the geometry is compiled, where that goes on meanwhile.
    """
    settings = settings or Settings()
    solver = Solver(searcher)
    queue = Queue(database.url)
    feed = Feed(f"{stand_ins}/forecast") if stand_ins else None
    poller = Poller(database, feed) if feed else None
    parts = Parts(
        database,
        solver,
        make_templates(WEB / "screens", WEB / "shared"),
        queue,
        hangings or Hangings(database),
        settings,
        DatabaseWatch(database.url),
        feed,
        stand_ins,
        demo,
        compiling=compiling,
    )

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        if poller is not None:
            poller.start()
        tidying = Tidying()
        tidying.start()
        yield
        tidying.stop()
        if poller is not None:
            poller.stop()
        parts.pool.stop()
        parts.watch.stop()
        queue.close()
        database.close()

    app = FastAPI(
        title="Tarvik",
        version=__version__,
        lifespan=lifespan,
        redoc_url=None,
        docs_url=None,
        redirect_slashes=False,
        description="Which pitch each sheet can form, what room it gives. Lengths in metres.",
    )
    app.state.tarvik = parts
    ship(app)
    app.add_middleware(GettingReady, compiling=compiling)
    app.add_middleware(Limits, settings=settings, cookie=cookie_name(settings.tls))
    problems.install(app)
    app.include_router(api.router)
    for router in routers():
        app.include_router(router)
    check_routes(app)
    return app
