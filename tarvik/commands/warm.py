"""Compile the geometry kernels ahead of the first request; afterwards they are read from disk."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.hang.hung import Hanging, hang
from tarvik.work.warming import warm_search

if TYPE_CHECKING:
    from pathlib import Path


def warm() -> None:
    """Touch every compiled function once."""
    for found in warm_search():
        if found.shelter is not None and found.assessment.rig is not None:
            hung = hang(found.shelter, found.assessment.rig, Hanging(lines=5))
            hung.forces  # noqa: B018 - for what it compiles


def warm_up(_checkout: Path) -> int:
    """The command. Returns the exit code."""
    warm()
    return 0
