"""Logs: one JSON object a line, each request with its id, its route as a pattern, and no personal
data.
"""

from __future__ import annotations

import json
import logging
import sys
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any, Final

request_id: ContextVar[str] = ContextVar("tarvik_request_id", default="")
_EXTRA: Final = ("method", "route", "status", "ms")


class JsonLines(logging.Formatter):
    """A record as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        """The line. Of an exception the kind and the places in the code are told, not its
        values.
        """
        out: dict[str, object] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(
                timespec="milliseconds"
            ),
            "level": record.levelname,
            "from": record.name,
            "words": record.getMessage(),
        }
        if request_id.get():
            out["request"] = request_id.get()
        out |= {name: getattr(record, name) for name in _EXTRA if hasattr(record, name)}
        if record.exc_info and record.exc_info[0] is not None:
            out["error"] = record.exc_info[0].__name__
            out["where"] = _places(record.exc_info[2])
        return json.dumps(out, ensure_ascii=False)


class Words(logging.Formatter):
    """A record in words, of an exception the same as in JSON."""

    def formatException(self, ei: Any) -> str:  # noqa: N802 - logging's own name
        """Kind and places."""
        return " / ".join([getattr(ei[0], "__name__", "error"), *_places(ei[2])])


def _places(trace: object) -> list[str]:
    places = []
    while trace is not None:
        code = trace.tb_frame.f_code  # type: ignore[attr-defined]
        line = trace.tb_lineno  # type: ignore[attr-defined]
        places.append(f"{code.co_filename}:{line} {code.co_name}")
        trace = trace.tb_next  # type: ignore[attr-defined]
    return places[-12:]


def install(kind: str) -> None:
    """Send all logs to standard error, as JSON lines or in words."""
    handler = logging.StreamHandler(sys.stderr)
    plain = Words("%(asctime)s %(name)s %(levelname)s %(message)s")
    handler.setFormatter(JsonLines() if kind == "json" else plain)
    logging.basicConfig(level=logging.INFO, handlers=[handler], force=True)
    logging.getLogger("alembic").setLevel(logging.WARNING)
    logging.getLogger("procrastinate").setLevel(logging.WARNING)
