"""The worker that `./run demo` and `./run serve` start by themselves, and keep up. The solver is
loaded there, not here.
"""

from __future__ import annotations

import ctypes
import logging
import os
import signal
import subprocess
import sys
import threading
from typing import Final

log = logging.getLogger("tarvik.work")
NAMED: Final = "TARVIK_DATABASE_URL"
CHILD: Final = "TARVIK_CHILD"
"""Set for a worker that ends with the program that started it."""
_PR_SET_PDEATHSIG: Final = 1


def _die_with_parent() -> None:
    ctypes.CDLL("libc.so.6", use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


class WorkerProcess:
    """A worker of this program's own on a database; started again when it dies although nobody
    stopped it.
    """

    def __init__(self, url: str) -> None:
        self._url = url
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._watch = threading.Thread(
            target=self._keep_alive, name="worker-watch", daemon=True
        )

    def start(self) -> WorkerProcess:
        """Start it and watch over it."""
        self._launch()
        self._watch.start()
        return self

    def _launch(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tarvik", "worker"],
            env={**os.environ, NAMED: self._url, CHILD: "yes"},
            stdin=subprocess.DEVNULL,
            preexec_fn=_die_with_parent,  # noqa: PLW1509
        )

    def _keep_alive(self) -> None:
        pause = 0.5
        while not self._stopping.wait(pause):
            if self._process is not None and self._process.poll() is not None:
                log.warning(
                    "the worker stopped unexpectedly (code %s); starting it again",
                    self._process.returncode,
                )
                self._launch()
                pause = min(pause * 2, 30.0)

    def stop(self) -> None:
        """Stop it."""
        self._stopping.set()
        if self._watch.is_alive():
            self._watch.join(timeout=5)
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(timeout=10)
            except subprocess.TimeoutExpired:
                self._process.kill()
