"""Bodies that are too large and requests that come too often are refused; every answer gets the
safety headers, a request id and a line in the log.
"""

from __future__ import annotations

import hashlib
import logging
import secrets
import time
from typing import TYPE_CHECKING, Any, Final

from fastapi.responses import JSONResponse
from starlette.requests import HTTPConnection

from tarvik.logs import request_id

if TYPE_CHECKING:
    from starlette.types import ASGIApp, Message, Receive, Scope, Send

MOST_BODY: Final = 1_000_000
"""Largest request body in bytes."""
WINDOW_S: Final = 10.0
MOST_CALLERS: Final = 5000
_HEADERS: Final = (
    (
        b"content-security-policy",
        b"default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; "
        b"object-src 'none'; base-uri 'none'; "
        b"form-action 'self'; frame-ancestors 'none'",
    ),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
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
    field = "body" if status == 413 else None
    return JSONResponse(
        {"type": "about:blank", "title": title, "status": status, "detail": detail, "field": field},
        status_code=status,
        media_type="application/problem+json",
        headers=headers,
    )


def _too_large() -> JSONResponse:
    return refusal(
        413, "Too large", f"the body is larger than {MOST_BODY:,} bytes; send less at once"
    )


class Rate:
    """How often each caller came lately, in this process: a count for the present and the former
    window.
    """

    def __init__(self, a_minute: int) -> None:
        self.most = a_minute * WINDOW_S / 60
        self._seen: dict[str, tuple[int, float, float]] = {}

    def wait_s(self, caller: str, at: float) -> float:
        """Seconds the caller has to wait, 0 to come in."""
        if not self.most:
            return 0.0
        window = int(at // WINDOW_S)
        last, before, count = self._seen.get(caller, (window, 0.0, 0.0))
        if last != window:
            before, count = (count if last == window - 1 else 0.0), 0.0
        share = 1 - (at % WINDOW_S) / WINDOW_S
        if before * share + count >= self.most:
            return WINDOW_S * share
        if len(self._seen) > MOST_CALLERS:
            self._seen.clear()
        self._seen[caller] = (window, before, count + 1)
        return 0.0


class Limits:
    """The outermost middleware."""

    def __init__(self, app: ASGIApp, rate: int, tls: bool, cookie: str) -> None:
        self.app, self.rate, self.cookie = app, Rate(rate), cookie
        self.headers = (*_HEADERS, *((_HSTS,) if tls else ()))

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        scope.setdefault("state", {})["who"] = None
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        mark = request_id.set(secrets.token_hex(6))
        began = time.perf_counter()
        told: dict[str, Any] = {"status": 0}
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
            log.log(
                logging.DEBUG if route in ("/static", "/healthz", "/readyz") else logging.INFO,
                "request",
                extra=more,
            )
            request_id.reset(mark)

    async def _answer(
        self, scope: Scope, receive: Receive, send: Send, told: dict[str, Any]
    ) -> None:
        seen = 0

        async def limited() -> Message:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            return {"type": "http.disconnect"} if seen > MOST_BODY else message

        async def dressed(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [
                    *message.get("headers", []),
                    *self.headers,
                    (b"x-request-id", request_id.get().encode()),
                ]
                told["status"] = message["status"]
            await send(message)

        async def dressed_unless_too_large(message: Message) -> None:
            if seen <= MOST_BODY:
                await dressed(message)

        length = dict(scope["headers"]).get(b"content-length", b"0")
        if length.isdigit() and int(length) > MOST_BODY:
            await _too_large()(scope, receive, dressed)
            return
        wait = (
            self.rate.wait_s(self._caller(scope), time.monotonic())
            if not scope["path"].startswith("/static/")
            else 0.0
        )
        if wait:
            words = "so many requests at once; wait a few seconds"
            await refusal(429, "Too often", words, {"Retry-After": str(int(wait) + 1)})(
                scope, receive, dressed
            )
            return
        try:
            await self.app(scope, limited, dressed_unless_too_large)
        finally:
            if seen > MOST_BODY:
                await _too_large()(scope, receive, dressed)

    def _caller(self, scope: Scope) -> str:
        """A browser by its cookie, else an address."""
        token = HTTPConnection(scope).cookies.get(self.cookie, "")
        return (
            hashlib.sha256(token.encode()).hexdigest()
            if token
            else str((scope.get("client") or ("",))[0])
        )
