"""Compile the geometry kernels ahead of the first request; afterwards they are read from disk."""

from __future__ import annotations

from typing import TYPE_CHECKING

from numba.core import event

from tarvik.core.hang.hung import Hanging, hang
from tarvik.work.compiling import Compiling, compiled_before
from tarvik.work.parents import end_with_parent
from tarvik.work.warming import warm_measures, warm_search, warm_settings

if TYPE_CHECKING:
    from pathlib import Path

    from tarvik.core.solve import Solution


def warm() -> None:
    """Touch every compiled function once."""
    _hang(warm_search())


def _hang(found: list[Solution]) -> None:
    for one in found:
        if one.shelter is not None and one.assessment.rig is not None:
            hung = hang(one.shelter, one.assessment.rig, Hanging(lines=5))
            hung.forces  # noqa: B018 - for what it compiles


class _Tell(event.Listener):
    """Prints a line for every function that was compiled."""

    def on_start(self, happening: object) -> None:
        """Says nothing: only what ends is counted."""

    def on_end(self, happening: object) -> None:
        """One function more."""
        print(".", flush=True)


def warm_up(_checkout: Path, part: str = "") -> int:
    """The command: all, two processes at a time; or a part of it, with a line for each function
    that is compiled. Returns the exit code.
    """
    if part:
        end_with_parent()
        event.register("numba:compile", _Tell())  # type: ignore[no-untyped-call]
    if part == "search":
        warm_settings()
    elif part == "measure":
        _hang(warm_measures())
    else:
        if not compiled_before():
            Compiling().run()
        warm()
    return 0
