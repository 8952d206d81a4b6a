"""Styles, scripts and fonts as they are shipped, and how answers are packed on their way.

A page names its files under the version of all of them, `/static/<version>/...`: a browser keeps
those for good, never mixes two versions, and asks anew after an update.
"""

from __future__ import annotations

import hashlib
import re
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Final

import brotli
from brotli_asgi import BrotliMiddleware
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.responses import Response
from starlette.staticfiles import StaticFiles

from tarvik.core.plain import JsonObject
from tarvik.web.state import STATIC

if TYPE_CHECKING:
    from fastapi import FastAPI
    from starlette.types import Scope

FOR_GOOD: Final = "public, max-age=31536000, immutable"
ASK_FIRST: Final = "no-cache"
_VERSIONED: Final = re.compile(r"([0-9a-f]{10})/(.+)")
UNPACKED: Final = (
    r"\.woff2$",  # packed already
    r"/events$",  # told bit by bit, each at once
    # Secret links stand on these: their length, packed beside what a stranger typed, could tell.
    r"^/outbox$",
    r"/cards$",
    r"^/card/",
)
QUALITY: Final = 4
"""Of brotli's 0 to 11: most of what can be had in a few milliseconds a page."""
SMALLEST: Final = 11
WINDOW_BITS: Final = 18
"""Brotli looks back by 256 kB, more than a page has: each answer takes little memory to pack."""
PACKED_ONCE: Final = ("text/", "application/javascript", "image/svg+xml")
OK: Final = 200


@cache
def version() -> str:
    """A short mark of all shipped files."""
    digest = hashlib.sha256()
    for path in sorted(STATIC.rglob("*")):
        if path.is_file():
            digest.update(path.read_bytes())
    return digest.hexdigest()[:10]


class ShippedFiles(StaticFiles):
    """The folder of shipped files, also under its version."""

    def get_path(self, scope: Scope) -> str:
        """Where the file lies. An older version's name leads to the file as it is now."""
        path = super().get_path(scope)
        named = _VERSIONED.fullmatch(path)
        scope["state"]["for_good"] = named is not None and named[1] == version()
        return named[2] if named else path

    async def get_response(self, path: str, scope: Scope) -> Response:
        """The file, with how long it is kept; packed as small as can be where it is kept for good,
        for it is packed once and sent to everybody.
        """
        response = await super().get_response(path, scope)
        for_good = scope["state"].get("for_good", False)
        media_type = response.headers.get("content-type", "")
        unpacks = "br" in Headers(scope=scope).get("accept-encoding", "")
        found = response.status_code == OK and media_type.startswith(PACKED_ONCE)
        if for_good and found and unpacks:
            packed = await run_in_threadpool(_packed, STATIC / path)
            response = Response(packed, media_type=media_type)
            response.headers.update({"content-encoding": "br", "vary": "Accept-Encoding"})
        response.headers["cache-control"] = FOR_GOOD if for_good else ASK_FIRST
        return response


@cache
def _packed(path: Path) -> bytes:
    return bytes(
        brotli.compress(path.read_bytes(), mode=brotli.MODE_TEXT, quality=SMALLEST)
    )


def ship(app: FastAPI) -> None:
    """Serve the shipped files, and pack every answer for those who can unpack it."""
    app.mount("/static", ShippedFiles(directory=STATIC), name="static")
    given: JsonObject = {"quality": QUALITY, "lgwin": WINDOW_BITS}
    app.add_middleware(BrotliMiddleware, excluded_handlers=list(UNPACKED), **given)
