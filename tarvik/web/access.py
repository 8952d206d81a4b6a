"""Who may do what: looked up and decided for every request in this one place, before any page is
asked.

Somebody who is not signed in gets 403 (people see the sign-in page), a course one is no part of is
not there (404), and what the role does not allow is refused (403).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final
from urllib.parse import quote, urlsplit

from starlette.concurrency import run_in_threadpool
from starlette.requests import HTTPConnection, Request

from tarvik.store import accounts
from tarvik.store.accounts import Role
from tarvik.store.models import Provider
from tarvik.store.scope import NOBODY, Scope, within
from tarvik.web.problems import problem, wants_page

if TYPE_CHECKING:
    from starlette.types import ASGIApp, Receive, Send
    from starlette.types import Scope as AsgiScope

    from tarvik.store.database import Database

SAFE: Final = ("GET", "HEAD", "OPTIONS")
NEVER_ASKED: Final = (
    "/static/",
    "/healthz",
    "/readyz",
    "/api/pitches",
    "/api/solve",
    "/openapi.json",
    "/docs",
    "/schema/",
    "/card-worker.js",
)
"""Open to all, and the same for all."""
OPEN: Final = (
    "/sign-in",
    "/sign-out",
    "/forgot",
    "/reset/",
    "/setup/",
    "/invited/",
    "/card/",
    "/demo",
)
"""Open to all: how people get in, and participants' cards, which ask for their own link."""
_COURSE: Final = re.compile(r"/courses/(\d{1,9})(/.*)?$")
_NEEDED: Final = (
    # (pattern of the rest of a course's path, role to look, role to change); the first that fits
    (r"/(delete|restore)$", Role.OWNER, Role.OWNER),
    (r"/team(/|$)", Role.LEADER, Role.OWNER),
    (r"/(cards|history|file|erase)(/|$)", Role.LEADER, Role.LEADER),
    (r"/nights/\d+/plan/pairs$", Role.VIEWER, Role.LEADER),
    (r"/nights/\d+(/|$)", Role.VIEWER, Role.ASSISTANT),
    (r"", Role.VIEWER, Role.LEADER),
)


@dataclass(frozen=True)
class Who:
    """Somebody signed in; `role` in the course of the request, if it is about one."""

    account_id: int
    name: str
    email: str
    provider_id: int
    provider: str
    owner: bool
    demo: bool
    role: Role | None = None

    def may(self, role: str) -> bool:
        """Whether the role in this course reaches so far."""
        return self.role is not None and self.role >= Role[role.upper()]


def needed(method: str, rest: str) -> Role:
    """The least role for a method on the rest of a course's path."""
    for pattern, look, change in _NEEDED:
        if re.match(pattern, rest):
            return look if method in SAFE else change
    return Role.OWNER


def cookie_name(tls: bool) -> str:
    """Name of the cookie; the prefix binds it to this host over TLS."""
    return "__Host-tarvik" if tls else "tarvik"


def _known(database: Database, token: str, course_id: int | None) -> Who | None:
    with within(None), database.session() as session:
        found = accounts.signed_in(session, token)
        if found is None:
            return None
        account, _ = found
        provider = session.get(Provider, account.provider_id)
        role = accounts.role_in(session, account, course_id) if course_id is not None else None
        return Who(
            account.id,
            account.name,
            account.email,
            account.provider_id,
            provider.name if provider else "",
            account.owner,
            bool(provider and provider.demo),
            role,
        )


def from_here(connection: HTTPConnection) -> bool:
    """Whether a request comes from one of Tarvik's own pages: by its Origin, else by what the
    browser says of its site.
    """
    origin = connection.headers.get("origin")
    if origin is not None:
        return urlsplit(origin).netloc == connection.headers.get("host")
    return connection.headers.get("sec-fetch-site") in ("same-origin", "none")


class Access:
    """The middleware that does it."""

    def __init__(self, app: ASGIApp, database: Database, tls: bool) -> None:
        self.app, self.database, self.cookie = app, database, cookie_name(tls)

    async def __call__(self, scope: AsgiScope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        path: str = scope["path"]
        scope.setdefault("state", {})["who"] = None
        if path.startswith(NEVER_ASKED):
            with within(NOBODY):
                await self.app(scope, receive, send)
            return
        connection = HTTPConnection(scope)
        course = _COURSE.match(path)
        token = connection.cookies.get(self.cookie, "")
        who = (
            await run_in_threadpool(
                _known, self.database, token, int(course[1]) if course else None
            )
            if token
            else None
        )
        scope["state"]["who"] = who
        refusal = self._refusal(connection, who, course, bool(token))
        if refusal is not None:
            await self._refuse(refusal, scope, receive, send)
            return
        with within(Scope(who.provider_id, who.account_id) if who else NOBODY):
            await self.app(scope, receive, send)

    def _refusal(
        self,
        connection: HTTPConnection,
        who: Who | None,
        course: re.Match[str] | None,
        cookie: bool,
    ) -> tuple[int, str] | None:
        """Status and words, None to go on."""
        method = connection.scope.get("method", "GET")
        changes = method not in SAFE or connection.scope["type"] == "websocket"
        if changes and not from_here(connection) and (cookie or connection.headers.get("origin")):
            return 403, "changes are taken only from Tarvik's own pages"
        path = connection.scope["path"]
        if path == "/" or path.startswith(OPEN):
            return None
        if who is None:
            return 403, "sign in first"
        if course is None:
            return None
        if who.role is None:
            return 404, "there is no such course, or you are no part of it"
        if who.role < needed(method, course[2] or ""):
            return 403, f"as {who.role.word} you may not do this; ask an owner of the course"
        return None

    async def _refuse(
        self, refusal: tuple[int, str], scope: AsgiScope, receive: Receive, send: Send
    ) -> None:
        if scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008})
            return
        request = Request(scope, receive)
        status, words = refusal
        if words == "sign in first" and request.method == "GET" and wants_page(request):
            pages = scope["app"].state.tarvik.pages
            back = quote(scope["path"]) + (
                f"?{scope['query_string'].decode('latin-1')}" if scope["query_string"] else ""
            )
            context = {
                "back": back,
                "typed": {},
                "fault": None,
                "demo": scope["app"].state.tarvik.demo,
            }
            answer = pages.TemplateResponse(request, "sign_in.html", context, status_code=status)
        else:
            answer = problem(request, status, words)
        await answer(scope, receive, send)


def safe_back(path: str) -> str:
    """A path of this site to go on to; the start for anything else, so that no link leads away."""
    parts = urlsplit(path)
    plain = (
        path.startswith("/")
        and not path.startswith(("//", "/\\"))
        and not parts.scheme
        and not parts.netloc
    )
    return path if plain and "\\" not in path and not any(ord(c) < 32 for c in path) else "/"
