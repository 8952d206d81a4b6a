"""A process of ours ends by itself when the program that started it is gone, however it went."""

from __future__ import annotations

import os
import threading
import time
from typing import Final

LOOK_EVERY_S: Final = 1.0


def end_with_parent() -> None:
    """Watch over the program that started this process, and end when it is gone: at once, for
    nobody is left to answer. A thread of its own, so that a long computation does not keep it.
    """
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_EVERY_S)
        os._exit(1)

    threading.Thread(target=watch, name="parent-watch", daemon=True).start()
