"""While the geometry is compiled at the very first start: pages that need it say how far that
is, and come by themselves once it is done.
"""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING, Final

from starlette.responses import HTMLResponse, JSONResponse

if TYPE_CHECKING:
    from starlette.types import ASGIApp, Receive, Scope, Send

    from tarvik.work.compiling import Compiling

NEEDS_NONE: Final = ("/", "/sign-in", "/sign-out", "/demo", "/healthz", "/readyz", "/docs")
"""Pages that compute nothing."""
BELOW: Final = ("/static/", "/setup/", "/schema/")
"""The same, with all that is below them."""
AGAIN_S: Final = 3
_PAGE: Final = """<!doctype html>
<html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="refresh" content="{again}"><title>Getting ready · Tarvik</title>
<link rel="stylesheet" href="/static/vendor/theme.css"><link rel="stylesheet"
 href="/static/app/app.css"></head>
<body><main id="main" class="wide narrow"><h1>Getting ready</h1>
<p class="lead">{words}. This happens once, at the very first start; this page comes by itself.</p>
<progress max="100" value="{percent}" aria-label="{words}">{percent} %</progress>
<p><a href="/">To the start</a></p></main></body></html>"""


class GettingReady:
    """Answers for the application while `compiling` is not over."""

    def __init__(self, app: ASGIApp, compiling: Compiling) -> None:
        self.app, self.compiling = app, compiling

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if self.compiling.over or scope["type"] != "http" or _needs_none(scope["path"]):
            await self.app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        again = {"Retry-After": str(AGAIN_S)}
        words = self.compiling.words
        if b"text/html" in headers.get(b"accept", b""):
            percent = round(self.compiling.share * 100)
            text = _PAGE.format(again=AGAIN_S, words=escape(words), percent=percent)
            await HTMLResponse(text, 503, again)(scope, receive, send)
            return
        problem = {"type": "about:blank", "title": "Getting ready", "status": 503}
        answer = JSONResponse(
            problem | {"detail": words}, 503, again, media_type="application/problem+json"
        )
        await answer(scope, receive, send)


def _needs_none(path: str) -> bool:
    return path in NEEDS_NONE or path.startswith(BELOW)
