"""Talking with a process of our own over its standard input and output, one pickled message after
the other.
"""

from __future__ import annotations

import io
import pickle
import signal
import subprocess
import sys
from types import MappingProxyType
from typing import IO, TYPE_CHECKING, Any

from tarvik.work.parents import end_with_parent

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable


class _Pickler(pickle.Pickler):
    """Read-only mappings travel as plain ones: Python has no pickle for them."""

    def reducer_override(self, value: object) -> Any:
        if isinstance(value, MappingProxyType):
            return dict, (dict(value),)
        return NotImplemented


def send(stream: IO[bytes], message: object) -> None:
    """Send a message whole. Raises OSError when nobody reads it any more."""
    packed = io.BytesIO()
    _Pickler(packed, protocol=pickle.HIGHEST_PROTOCOL).dump(message)
    stream.write(packed.getvalue())
    stream.flush()


def start(module: str) -> subprocess.Popen[bytes]:
    """Start a process that runs a module and answers what it is sent."""
    return subprocess.Popen(  # noqa: S603 - our own module
        [sys.executable, "-m", module], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )


def end(process: subprocess.Popen[bytes]) -> None:
    """End a process, whatever it is doing, and wait until it has ended."""
    process.kill()
    process.communicate()


def answer(
    answers_to: Callable[[Any], Iterable[object]],
    get_ready: Callable[[], object] = lambda: None,
) -> int:
    """In such a process: get ready, then send the answers to each message that comes, until there
    are no more. Returns the exit code.
    """
    signal.signal(
        signal.SIGINT, signal.SIG_IGN
    )  # Ctrl-C is for the program that started this one
    end_with_parent()
    asked, answers = sys.stdin.buffer, sys.stdout.buffer
    sys.stdout = sys.stderr  # nothing else may come between the answers
    get_ready()
    while True:
        try:
            message = pickle.load(asked)  # noqa: S301 - our own process
        except EOFError:
            return 0
        for one in answers_to(message):
            try:
                send(answers, one)
            except BrokenPipeError:
                return 0
