"""A process that answers questions of the public contract, one at a time, apart from the pages: a
dear question holds nobody up but who asks it, and is over when that one is gone.
"""

from __future__ import annotations

import json
import logging
import os
import sys
from typing import TYPE_CHECKING, Final, Literal

from tarvik.core.errors import InputError
from tarvik.exchange.solve_answer import whole_answer
from tarvik.work.memory import CachedBackend
from tarvik.work.pipes import answer

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.exchange.solve_request import SolveIn

    Reply = (
        tuple[Literal["answer"], bytes]
        | tuple[Literal["input"], tuple[str, str]]
        | tuple[Literal["fault"], None]
    )
    """An answer as JSON; or the field and what is wrong with it; or nothing, for our own fault."""

log = logging.getLogger("tarvik.solve")
RANK: Final = 5
"""How far such a process stands back for the pages (nice)."""


def main() -> int:
    """Answer what is asked until there is no more."""
    os.nice(RANK)
    backend = CachedBackend()

    def replies(asked: SolveIn) -> Iterator[Reply]:
        try:
            out = whole_answer(asked, backend)
            yield "answer", json.dumps(out, allow_nan=False, separators=(",", ":")).encode()
        except InputError as err:
            yield "input", (err.field, err.message)
        except Exception:
            log.exception("a question could not be answered")
            yield "fault", None

    return answer(replies)


if __name__ == "__main__":
    sys.exit(main())
