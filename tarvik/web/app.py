"""Puts the application together."""

from __future__ import annotations

from contextlib import asynccontextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from fastapi import FastAPI
from fastapi.responses import JSONResponse
from fastapi.staticfiles import StaticFiles

from tarvik import __version__
from tarvik.exchange.feed import Feed
from tarvik.web import api, problems
from tarvik.web.pages import (
    bench,
    board,
    camp,
    choosing,
    compare,
    ground,
    home,
    kit,
    night,
    person,
    plan,
    plan_jobs,
    rules,
    ways,
)
from tarvik.web.polling import Poller
from tarvik.web.rendering import make_templates
from tarvik.work.queue import Queue
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from collections.abc import AsyncIterator

    from fastapi.templating import Jinja2Templates
    from starlette.types import ASGIApp, Message, Receive, Scope, Send

    from tarvik.store.database import Database
    from tarvik.work.searching import Searcher

HERE = Path(__file__).parent
MOST_BODY = 1_000_000
"""Largest request body in bytes."""
_SAFE = {b"GET", b"HEAD", b"OPTIONS"}
_HEADERS = (
    (b"content-security-policy",
     b"default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; object-src 'none'; base-uri 'none'; "
     b"form-action 'self'; frame-ancestors 'none'"),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"x-frame-options", b"DENY"),
)  # fmt: skip


@dataclass
class Tarvik:
    """What every request needs."""

    database: Database
    solver: Solver
    pages: Jinja2Templates
    queue: Queue
    feed: Feed | None = None
    stand_ins: str | None = None


class Guard:
    """Refuses bodies that are too large and state changes from other sites; adds the safety headers."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        refusal = _refusal(scope["method"].encode(), headers)
        if refusal:
            await refusal(scope, receive, send)
            return
        seen = 0

        async def limited() -> Message:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            return {"type": "http.disconnect"} if seen > MOST_BODY else message

        async def send_with_headers(message: Message) -> None:
            if seen > MOST_BODY:
                return
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", []), *_HEADERS]
            await send(message)

        try:
            await self.app(scope, limited, send_with_headers)
        finally:
            if seen > MOST_BODY:
                await _too_large()(scope, receive, send)


def _too_large() -> JSONResponse:
    detail = f"the body is larger than {MOST_BODY:,} bytes; send less at once"
    return JSONResponse(
        {"type": "about:blank", "title": "Too large", "status": 413, "detail": detail, "field": "body"},
        status_code=413, media_type="application/problem+json",
    )  # fmt: skip


def _refusal(method: bytes, headers: dict[bytes, bytes]) -> JSONResponse | None:
    length = headers.get(b"content-length", b"0")
    if length.isdigit() and int(length) > MOST_BODY:
        return _too_large()
    origin = headers.get(b"origin")
    if method not in _SAFE and origin and urlsplit(origin).netloc != headers.get(b"host"):
        return JSONResponse(
            {"type": "about:blank", "title": "Not allowed", "status": 403, "field": None,
             "detail": "changes are taken only from Tarvik's own pages"},
            status_code=403, media_type="application/problem+json",
        )  # fmt: skip
    return None


def create_app(database: Database, stand_ins: str | None = None, searcher: Searcher | None = None) -> FastAPI:
    """The application on a migrated database. `stand_ins` is the address of the simulated weather service and wind meter;
    `searcher` a second process for searches.
    """
    solver = Solver(searcher)
    queue = Queue(database.url)
    feed = Feed(f"{stand_ins}/forecast") if stand_ins else None
    poller = Poller(database, feed) if feed else None

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        if poller is not None:
            poller.start()
        yield
        if poller is not None:
            poller.stop()
        queue.close()
        database.close()

    app = FastAPI(
        title="Tarvik", version=__version__, lifespan=lifespan, redoc_url=None, docs_url=None,
        description="Which pitch each sheet can form, what room it gives. Lengths in metres.",
    )  # fmt: skip
    app.state.tarvik = Tarvik(database, solver, make_templates(HERE / "templates"), queue, feed, stand_ins)
    app.add_middleware(Guard)
    problems.install(app)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for part in (api, home, kit, night, ground, plan, plan_jobs, rules, board, choosing, compare, person, ways, bench, camp):
        app.include_router(part.router)
    return app
