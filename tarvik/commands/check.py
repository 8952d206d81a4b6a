"""`./run test`: lint, types, then every test."""

from __future__ import annotations

import subprocess
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

STEPS = (
    ("ruff (lint)", ["-m", "ruff", "check", "."]),
    ("ruff (format)", ["-m", "ruff", "format", "--check", "."]),
    ("mypy", ["-m", "mypy"]),
)


def check(checkout: Path, rest: list[str]) -> int:
    """Run every check; with words of its own, only pytest on them. Returns the worst exit code."""
    worst = 0
    for name, command in () if rest else STEPS:
        print(f"tarvik: {name}", flush=True)
        worst = max(worst, subprocess.run([sys.executable, *command], cwd=checkout, check=False).returncode)
    print("tarvik: pytest", flush=True)
    tests = subprocess.run([sys.executable, "-m", "pytest", *(rest or ["-q"])], cwd=checkout, check=False).returncode
    return worst or tests
