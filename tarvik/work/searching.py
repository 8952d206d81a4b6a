"""A second process that searches for settings, so that a board uses both cores: most of a search's time is spent under
Python's lock, where threads only wait for each other.

It is asked and answers over its own standard input and output, one pickled message after the other, and ends when its
input ends: also when the program that started it was killed. It needs no more than the core.
"""

from __future__ import annotations

import atexit
import io
import pickle
import signal
import subprocess
import sys
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from types import MappingProxyType
from typing import IO, TYPE_CHECKING, Any, Final

from tarvik.core.pitches import PITCHES
from tarvik.core.search import best_settings

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.search import Aim
    from tarvik.core.sheet import Sheet


_SWITCH_S: Final = 0.0005
"""How long a thread may keep Python's lock while others wait: an answer from the other process is not to wait longer."""


class _Pickler(pickle.Pickler):
    """Read-only mappings travel as plain ones: Python has no pickle for them."""

    def reducer_override(self, value: Any) -> Any:
        if isinstance(value, MappingProxyType):
            return dict, (dict(value),)
        return NotImplemented


def _send(stream: IO[bytes], message: object) -> None:
    packed = io.BytesIO()
    _Pickler(packed, protocol=pickle.HIGHEST_PROTOCOL).dump(message)
    stream.write(packed.getvalue())
    stream.flush()


@dataclass
class Searcher:
    """The other process. Safe to use from many threads; they wait for each other."""

    _process: subprocess.Popen[bytes] | None = None
    _lock: Lock = field(default_factory=Lock)

    def start(self) -> Searcher:
        """Start it; it warms up while the caller goes on."""
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tarvik.work.searching"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        atexit.register(self.stop)
        sys.setswitchinterval(_SWITCH_S)
        return self

    def stop(self) -> None:
        """End it. Does nothing when it has ended."""
        with self._lock:
            process, self._process = self._process, None
        atexit.unregister(self.stop)
        if process is not None:
            process.kill()
            process.communicate()

    @property
    def there(self) -> bool:
        """Whether it can be asked."""
        return self._process is not None

    def own_kib(self) -> int:
        """Memory that it has for itself, not shared with other programs, in kibibytes; 0 when it is not there."""
        with self._lock:
            if self._process is None:
                return 0
            told = Path(f"/proc/{self._process.pid}/smaps_rollup").read_text()
        return sum(int(line.split()[1]) for line in told.splitlines() if line.startswith("Private_"))

    def settings(self, pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> dict[str, float] | None:
        """`best_settings` of the other process; when that has died, of this one. Raises what `best_settings` raises."""
        with self._lock:
            process = self._process
            if process is not None and process.stdin is not None and process.stdout is not None:
                try:
                    _send(process.stdin, (pitch.slug, sheet, aim, dict(given)))
                    found, error = pickle.load(process.stdout)  # noqa: S301 - our own process
                except (OSError, EOFError, pickle.UnpicklingError):
                    self._process = None  # it died: from now on all is worked out here
                else:
                    if error is not None:
                        raise error
                    return dict(found) if found is not None else None
        return best_settings(pitch, sheet, aim, given)


def main() -> int:
    """Answer questions until there are no more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the program that started this one
    asked, answers = sys.stdin.buffer, sys.stdout.buffer
    sys.stdout = sys.stderr  # nothing else may come between the answers
    while True:
        try:
            slug, sheet, aim, given = pickle.load(asked)  # noqa: S301 - our own process
        except EOFError:
            return 0
        found, error = None, None
        try:
            found = best_settings(PITCHES[slug], sheet, aim, given)
        except Exception as raised:
            error = raised
        try:
            _send(answers, (found, error))
        except BrokenPipeError:
            return 0


if __name__ == "__main__":
    sys.exit(main())
