"""Who may do what: every route says so beside its function, and is asked in one place, after the
router has read the numbers in its address and before anything else of the request is read.

Somebody who is not signed in gets 403 (people see the sign-in page), a course one is no part of is
not there (404), and what the role does not allow is refused (403).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import TYPE_CHECKING, Any, Final, TypeVar
from urllib.parse import urlsplit

from fastapi import APIRouter, FastAPI, WebSocketException
from fastapi.routing import APIRoute, APIWebSocketRoute
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from starlette.concurrency import run_in_threadpool
from starlette.convertors import Convertor, register_url_convertor
from starlette.requests import HTTPConnection

from tarvik.store import accounts
from tarvik.store.accounts import Role
from tarvik.store.models import Provider
from tarvik.store.scope import NOBODY, Scope, within

if TYPE_CHECKING:
    from collections.abc import Iterator

    from starlette.routing import BaseRoute
    from starlette.types import Receive, Send
    from starlette.types import Scope as AsgiScope

    from tarvik.store.database import Database

SAFE: Final = ("GET", "HEAD", "OPTIONS")
UNGUARDED: Final = ("/static", "/openapi.json")
"""What the web framework serves by itself: the same for all, and nothing about anybody."""
_Endpoint = TypeVar("_Endpoint", bound=Callable[..., Any])
_DECLARED: Final = "tarvik_access"


class Number(Convertor[int]):
    """A row's number in an address: digits alone, as Tarvik writes it. Any other spelling of it is
    another address, and there is nothing there.
    """

    regex = r"[1-9][0-9]{0,8}(?!\n)"

    def convert(self, value: str) -> int:
        """The number."""
        return int(value)

    def to_string(self, value: int) -> str:
        """How it is written."""
        return str(value)


register_url_convertor("number", Number())


class Audience(Enum):
    """For whom a route is there."""

    ANYONE = "the same for all, whoever asks"
    GUESTS = "open to all; who is signed in is known"
    MEMBERS = "whoever is signed in"
    OWNERS = "owners of the provider"
    COURSE = "people with a role in the course of the address"


@dataclass(frozen=True)
class Access:
    """What a route says of itself; `role`: the least role in the course it takes."""

    audience: Audience
    role: Role | None = None


def _says(access: Access) -> Callable[[_Endpoint], _Endpoint]:
    def mark(endpoint: _Endpoint) -> _Endpoint:
        setattr(endpoint, _DECLARED, access)
        return endpoint

    return mark


for_anyone: Final = _says(Access(Audience.ANYONE))
for_guests: Final = _says(Access(Audience.GUESTS))
for_members: Final = _says(Access(Audience.MEMBERS))
for_owners: Final = _says(Access(Audience.OWNERS))


def for_role(role: Role) -> Callable[[_Endpoint], _Endpoint]:
    """The route is for people with this role in the course of the address, or a higher one."""
    return _says(Access(Audience.COURSE, role))


def access_of(route: object) -> Access | None:
    """What a route says of itself; None when it says nothing."""
    return getattr(getattr(route, "endpoint", None), _DECLARED, None)


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


class RefusedError(Exception):
    """A request is refused before its route is asked. `sign_in`: signing in may help."""

    def __init__(self, status: int, words: str, *, sign_in: bool = False) -> None:
        super().__init__(words)
        self.status, self.words, self.sign_in = status, words, sign_in


def cookie_name(tls: bool) -> str:
    """Name of the cookie; the prefix binds it to this host over TLS."""
    return "__Host-tarvik" if tls else "tarvik"


def _known(
    database: Database, token: str, course_id: int | None, *, demo: bool
) -> Who | None:
    with within(None), database.session() as session:
        found = accounts.signed_in(session, token)
        if found is None:
            return None
        account, _ = found
        provider = session.get(Provider, account.provider_id)
        if provider is None or (provider.demo and not demo):
            return None
        role = (
            accounts.role_in(session, account, course_id) if course_id is not None else None
        )
        return Who(
            account.id,
            account.name,
            account.email,
            account.provider_id,
            provider.name,
            account.owner,
            provider.demo,
            role,
        )


def netloc(origin: str) -> str:
    """Host and port of an origin, empty for what is none."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def from_here(connection: HTTPConnection) -> bool:
    """Whether a request comes from one of Tarvik's own pages: by its Origin, else by what the
    browser says of its site.
    """
    origin = connection.headers.get("origin")
    if origin is not None:
        return netloc(origin) == connection.headers.get("host")
    return connection.headers.get("sec-fetch-site") in ("same-origin", "none")


def _refuse_foreign_change(connection: HTTPConnection, token: str) -> None:
    changes = (
        connection.scope["type"] == "websocket" or connection.scope["method"] not in SAFE
    )
    asked_by_page = bool(token or connection.headers.get("origin"))
    if changes and asked_by_page and not from_here(connection):
        raise RefusedError(403, "changes are taken only from Tarvik's own pages")


def _refuse_unless_allowed(access: Access, who: Who | None) -> None:
    if access.audience in (Audience.ANYONE, Audience.GUESTS):
        return
    if who is None:
        raise RefusedError(403, "sign in first", sign_in=True)
    if access.audience is Audience.OWNERS and not who.owner:
        raise RefusedError(404, "there is nothing here but for an owner of the provider")
    if access.role is None:
        return
    if who.role is None:
        raise RefusedError(404, "there is no such course, or you are no part of it")
    if who.role < access.role:
        words = f"as {who.role.word} you may not do this; ask an owner of the course"
        raise RefusedError(403, words)


async def permit(connection: HTTPConnection, access: Access) -> Scope | None:
    """Find out who asks, refuse what they may not, and say what they may see of the database; None
    where nobody is asked who they are. Raises RefusedError.
    """
    parts = connection.app.state.tarvik
    if access.audience is Audience.ANYONE:
        return NOBODY
    token = connection.cookies.get(cookie_name(parts.settings.tls), "")
    _refuse_foreign_change(connection, token)
    course_id = connection.path_params.get("course_id")
    who = None
    if token:
        who = await run_in_threadpool(
            _known, parts.database, token, course_id, demo=parts.demo
        )
    connection.scope["state"]["who"] = who
    _refuse_unless_allowed(access, who)
    return Scope(who.provider_id, who.account_id) if who else NOBODY


class GuardedRoute(APIRoute):
    """A route that is asked only once it is known that the asker may."""

    def __init__(
        self,
        path: str,
        endpoint: Callable[..., Any],
        *,
        include_in_schema: bool = True,
        response_model: Any = None,
        **given: Any,
    ) -> None:
        # What a page's route returns is what is sent; only the published contract names its shapes.
        model = response_model if include_in_schema else None
        super().__init__(
            path,
            endpoint,
            include_in_schema=include_in_schema,
            response_model=model,
            **given,
        )

    async def handle(self, scope: AsgiScope, receive: Receive, send: Send) -> None:
        """Decide, then answer. A route that says nothing of itself is never reached: the
        application does not start with one.
        """
        if scope["method"] not in (self.methods or ()):
            await super().handle(scope, receive, send)  # 405
            return
        access = access_of(self)
        if access is None:
            raise RefusedError(404, "There is nothing at this address.")
        try:
            seen = await permit(HTTPConnection(scope), access)
        except (DBAPIError, PoolTimeoutError):
            await _read_whole(receive)  # what was typed is given back
            raise
        with within(seen):
            await super().handle(scope, receive, send)


async def _read_whole(receive: Receive) -> None:
    """Read a request's body to its end. The outermost layer bounds it and keeps a form."""
    while (message := await receive())["type"] == "http.request" and message.get(
        "more_body"
    ):
        pass


async def permit_socket(connection: HTTPConnection) -> None:
    """The same for a web socket: a dependency, for sockets have no route class of their own.
    Raises WebSocketException.
    """
    access = access_of(connection.scope.get("route"))
    if access is None:
        raise WebSocketException(1008)
    try:
        await permit(connection, access)
    except RefusedError as err:
        raise WebSocketException(1008, err.words) from None


def guarded_router(prefix: str = "", *, shown: bool = False) -> APIRouter:
    """A router for guarded routes; `shown` in the published contract."""
    return APIRouter(prefix=prefix, route_class=GuardedRoute, include_in_schema=shown)


def routes_of(some: Any) -> Iterator[BaseRoute]:
    """Every route, those of included routers too."""
    for route in some:
        inner = getattr(route, "original_router", None)
        if inner is None:
            yield route
        else:
            yield from routes_of(inner.routes)


class UndeclaredRouteError(RuntimeError):
    """A route does not say whom it is for, or does not read its numbers strictly."""


def check_routes(app: FastAPI) -> None:
    """Every route says whom it is for and reads its numbers strictly. Raises
    UndeclaredRouteError.
    """
    for route in routes_of(app.routes):
        path = getattr(route, "path", "")
        if path in UNGUARDED and not isinstance(route, APIRoute):
            continue
        access = access_of(route)
        if access is None or not isinstance(route, GuardedRoute | APIWebSocketRoute):
            raise UndeclaredRouteError(f"{path} does not say whom it is for")
        loose = re.findall(r"{(\w*_id)(?!:number)[:}]", path)
        if loose:
            raise UndeclaredRouteError(f"{path}: {', '.join(loose)} is not read as :number")
        if (access.role is not None) != ("{course_id:number}" in path):
            raise UndeclaredRouteError(
                f"{path}: a course's route takes a role, others take none"
            )
        if isinstance(route, APIWebSocketRoute) and not any(
            d.dependency is permit_socket for d in route.dependencies
        ):
            raise UndeclaredRouteError(f"{path} does not depend on permit_socket")


def safe_back(path: str) -> str:
    """A path of this site to go on to; the start for anything else, so that no link leads away."""
    try:
        parts = urlsplit(path)
    except ValueError:
        return "/"
    plain = (
        path.startswith("/")
        and not path.startswith(("//", "/\\"))
        and not parts.scheme
        and not parts.netloc
    )
    safe = plain and "\\" not in path and not any(ord(c) < 32 for c in path)
    return path if safe else "/"
