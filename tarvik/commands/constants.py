"""`./run constants`: the table of every constant with unit, source and meaning, written from the
code.
"""

from __future__ import annotations

import importlib
import pkgutil
from typing import TYPE_CHECKING

import tarvik.core
from tarvik.core.constant import all_constants

if TYPE_CHECKING:
    from pathlib import Path


def constants_text() -> str:
    """The table as Markdown."""
    for module in pkgutil.walk_packages(tarvik.core.__path__, "tarvik.core."):
        importlib.import_module(module.name)
    rows = [
        f"| {c.name} | {c.value:g} | {c.unit} | {c.meaning} | {c.source} |"
        for c in all_constants()
    ]
    head = (
        "# Every constant\n\nWritten by `./run constants`.\n\n| name | value | unit | meaning "
        "| "
        "source |\n"
    )
    head += "|---|---|---|---|---|\n"
    return head + "\n".join(rows) + "\n"


def write_constants(checkout: Path) -> int:
    """Write docs/constants.md."""
    (checkout / "docs" / "constants.md").write_text(constants_text())
    return 0
