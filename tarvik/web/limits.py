"""The outermost layer. Requests that come past the front server, too often, too large or too slowly
are refused; every answer gets the safety headers, a request id and a line in the log.
"""

from __future__ import annotations

import asyncio
import logging
import secrets
import time
from dataclasses import dataclass, field
from ipaddress import ip_address
from typing import TYPE_CHECKING, Final

from fastapi.responses import JSONResponse
from starlette.requests import HTTPConnection

from tarvik.core.plain import JsonObject
from tarvik.logs import request_id
from tarvik.web.rate import Rate

if TYPE_CHECKING:
    from starlette.types import ASGIApp, Message, Receive, Scope, Send

    from tarvik.settings import Settings

MOST_BODY: Final = 1_000_000
"""Largest request body in bytes: a file, or a table pasted."""
MOST_PARSED: Final = 262_144
"""Largest body of JSON or a plain form in bytes: these are read between other requests."""
MOST_QUESTION: Final = 65_536
"""Largest body of a question to the public contract in bytes."""
BODY_WITHIN_S: Final = 30.0
"""A request whose body takes longer to come is over."""
HEALTH: Final = ("/healthz", "/readyz")
"""Asked by what watches the server, whatever else happens: never counted."""
REFERRER_POLICY: Final = "same-origin"
NO_STORE: Final = (b"cache-control", b"no-store")
_HEADERS: Final = (
    (
        b"content-security-policy",
        b"default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; "
        b"object-src 'none'; base-uri 'none'; "
        b"form-action 'self'; frame-ancestors 'none'",
    ),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", REFERRER_POLICY.encode()),
    (b"x-frame-options", b"DENY"),
    (b"permissions-policy", b"camera=(), geolocation=(), microphone=()"),
    (b"cross-origin-opener-policy", b"same-origin"),
)
_HSTS: Final = (b"strict-transport-security", b"max-age=31536000; includeSubDomains")
log = logging.getLogger("tarvik.requests")


def refusal(
    status: int, title: str, detail: str, headers: dict[str, str] | None = None
) -> JSONResponse:
    """A refusal before any page is asked."""
    return JSONResponse(
        {
            "type": "about:blank",
            "title": title,
            "status": status,
            "detail": detail,
            "field": "body" if status == 413 else None,
        },
        status_code=status,
        media_type="application/problem+json",
        headers=headers,
    )


class _FrontError(ValueError):
    """A request did not come by the front server as the documentation says."""


def caller_address(connection: HTTPConnection, settings: Settings) -> str:
    """Where a request comes from: the peer, or what the front server says of it. Raises
    _FrontError.
    """
    peer = connection.client.host if connection.client else ""
    if not settings.front:
        return peer
    if peer not in settings.front:
        raise _FrontError("this server is asked through its front server only")
    told = connection.headers.get("x-forwarded-for", "").rpartition(",")[2].strip()
    try:
        address = str(ip_address(told))
    except ValueError:
        raise _FrontError("the front server must send X-Forwarded-For") from None
    scheme = connection.headers.get("x-forwarded-proto", "")
    if scheme not in ("http", "https") or (settings.tls and scheme != "https"):
        raise _FrontError("the front server must send X-Forwarded-Proto: https")
    return address


def most_bytes(scope: Scope) -> int:
    """The largest body a request may have."""
    if scope["path"] == "/api/solve":
        return MOST_QUESTION
    return MOST_BODY if _content_type(scope).startswith(b"multipart/") else MOST_PARSED


def is_plain_form(scope: Scope) -> bool:
    """Whether a request brings a form without files."""
    return _content_type(scope).startswith(b"application/x-www-form-urlencoded")


def _content_type(scope: Scope) -> bytes:
    return bytes(dict(scope["headers"]).get(b"content-type", b"")).lower()


@dataclass
class _Body:
    """A request's body as it is received; a plain form's is kept, so that a page can give back what
    was typed.
    """

    most: int
    plain: bool = False
    sent: bytearray = field(default_factory=bytearray)
    seen: int = 0
    whole: bool = False
    began: float = field(default_factory=time.monotonic)

    @property
    def too_large(self) -> bool:
        return self.seen > self.most

    async def next(self, receive: Receive) -> Message:
        """What comes next; the end of the connection for a body too large or too slow."""
        if self.whole:
            return await receive()
        left = max(BODY_WITHIN_S - (time.monotonic() - self.began), 0.0)
        try:
            message = await asyncio.wait_for(receive(), left)
        except TimeoutError:
            return {"type": "http.disconnect"}
        part = message.get("body", b"")
        self.seen += len(part)
        if self.plain and not self.too_large:
            self.sent += part
        self.whole = not message.get("more_body", False)
        return {"type": "http.disconnect"} if self.too_large else message


class Limits:
    """The outermost middleware."""

    def __init__(self, app: ASGIApp, settings: Settings, cookie: str) -> None:
        self.app, self.settings, self.cookie = app, settings, cookie
        self.rate = Rate(settings.rate)
        self.headers = (*_HEADERS, *((_HSTS,) if settings.tls else ()))

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        state = scope.setdefault("state", {})
        state["who"], state["address"] = None, ""
        if scope["type"] == "websocket":
            await self._socket(scope, receive, send)
            return
        mark = request_id.set(secrets.token_hex(6))
        began = time.perf_counter()
        told: JsonObject = {"status": 0}
        try:
            await self._answer(scope, receive, send, told)
        finally:
            route = getattr(scope.get("route"), "path", "") or (
                "/static" if scope["path"].startswith("/static") else "-"
            )
            more = {
                "method": scope["method"],
                "route": route,
                "status": told["status"],
                "ms": round((time.perf_counter() - began) * 1e3, 1),
            }
            quiet = route in ("/static", *HEALTH)
            log.log(logging.DEBUG if quiet else logging.INFO, "request", extra=more)
            request_id.reset(mark)

    async def _socket(self, scope: Scope, receive: Receive, send: Send) -> None:
        connection = HTTPConnection(scope)
        try:
            address = caller_address(connection, self.settings)
        except _FrontError:
            await send({"type": "websocket.close", "code": 1008})
            return
        scope["state"]["address"] = address
        caller = self.rate.caller(connection.cookies.get(self.cookie, ""), address)
        if self.rate.wait_s(caller, time.monotonic()):
            await send({"type": "websocket.close", "code": 1013})
            return
        await self.app(scope, receive, send)

    async def _answer(
        self, scope: Scope, receive: Receive, send: Send, told: JsonObject
    ) -> None:
        body = _Body(most_bytes(scope), is_plain_form(scope))
        scope["state"]["sent"] = body.sent

        async def dressed(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = list(message.get("headers", []))
                message["headers"] = [*headers, *self._more_headers(scope, headers)]
                told["status"] = message["status"]
            await send(message)

        async def dressed_unless_too_large(message: Message) -> None:
            if not body.too_large:
                await dressed(message)

        refused = self._refused(scope, body)
        if refused is not None:
            await refused(scope, receive, dressed)
            return
        try:
            await self.app(scope, lambda: body.next(receive), dressed_unless_too_large)
        finally:
            if body.too_large:
                await self._too_large(body)(scope, receive, dressed)
        if scope["state"]["who"] is not None:
            self.rate.know(HTTPConnection(scope).cookies.get(self.cookie, ""))

    def _refused(self, scope: Scope, body: _Body) -> JSONResponse | None:
        """Why a request goes no further; None when it does."""
        if scope["path"] in HEALTH:
            return None
        connection = HTTPConnection(scope)
        try:
            address = caller_address(connection, self.settings)
        except _FrontError as err:
            return refusal(400, "Not by the front server", str(err))
        scope["state"]["address"] = address
        length = connection.headers.get("content-length", "0")
        if length.isdecimal() and int(length[:20]) > body.most:
            return self._too_large(body)
        if scope["path"].startswith("/static/"):
            return None
        caller = self.rate.caller(connection.cookies.get(self.cookie, ""), address)
        wait = self.rate.wait_s(caller, time.monotonic())
        if wait:
            words = "too many requests at once; wait a few seconds"
            return refusal(429, "Too often", words, {"Retry-After": str(int(wait) + 1)})
        scope["state"]["charge"] = lambda cost: self.rate.charge(
            caller, time.monotonic(), cost
        )
        return None

    @staticmethod
    def _too_large(body: _Body) -> JSONResponse:
        words = f"the body is larger than {body.most:,} bytes; send less at once"
        return refusal(413, "Too large", words)

    def _more_headers(
        self, scope: Scope, there: list[tuple[bytes, bytes]]
    ) -> list[tuple[bytes, bytes]]:
        """What every answer says. Nothing that is not a file of the program is kept by a browser or
        on the way, unless the page says so itself.
        """
        names = {name.lower() for name, _ in there}
        more = [h for h in self.headers if h[0] not in names]
        if b"cache-control" not in names and not scope["path"].startswith("/static/"):
            more.append(NO_STORE)
        return [*more, (b"x-request-id", request_id.get().encode())]
