"""`./run test`: lint, types, then every test."""

from __future__ import annotations

import subprocess
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

KERNELS = [sys.executable, "-m", "tarvik", "warm"]
"""Compiled once, before two processes would each compile the same, and beside the steps, which take
the other core.
"""
STEPS = (
    ("ruff (lint)", ["-m", "ruff", "check", "."]),
    ("ruff (format)", ["-m", "ruff", "format", "--check", "."]),
    ("djlint", ["-m", "djlint", "tarvik/web", "--lint", "--quiet"]),
    ("mypy", ["-m", "mypy"]),
)
WHOLE = ("-q", "-n", "2", "--dist", "worksteal")
"""Two processes, each with a database server and a browser of its own: with more they would only
wait for two cores.
"""


def check(checkout: Path, rest: list[str]) -> int:
    """Run every check; with words of its own, only pytest on them. Returns the worst exit code."""
    worst = 0
    compiling = None if rest else subprocess.Popen(KERNELS, cwd=checkout)
    for name, command in () if rest else STEPS:
        print(f"tarvik: {name}", flush=True)
        worst = max(
            worst,
            subprocess.run(
                [sys.executable, *command], cwd=checkout, check=False
            ).returncode,
        )
    if compiling is not None:
        print("tarvik: kernels", flush=True)
        worst = max(worst, compiling.wait())
    print("tarvik: pytest", flush=True)
    tests = subprocess.run(
        [sys.executable, "-m", "pytest", *(rest or WHOLE)], cwd=checkout, check=False
    ).returncode
    return worst or tests
