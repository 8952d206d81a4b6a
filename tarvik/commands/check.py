"""`./run test`: lint, types, then every test."""

from __future__ import annotations

import subprocess
import sys
from typing import TYPE_CHECKING, Final

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


LONG: Final = (
    "test_api",
    "test_dry",
    "test_general_roofs",
    "test_hang",
    "test_hang_more",
    "test_hanging",
    "test_intents",
    "test_invariants",
    "test_joined_sheets",
    "test_loads",
    "test_lying",
    "test_make",
    "test_mats",
    "test_mishap",
    "test_plan",
    "test_plan_ground",
    "test_planning",
    "test_remedies",
    "test_rig_and_search",
    "test_search_exhaustive",
    "test_search_more",
    "test_searching",
    "test_shortfalls",
    "test_solving",
    "test_suggest",
    "test_supports",
    "test_survey",
    "test_turns",
    "test_warming",
    "test_ways",
)
"""Modules that a quick look leaves out: a test of theirs takes more than three seconds, or all of
them together more than ten (measured).
"""
QUICK: Final = "quick"


def _pytest(rest: list[str]) -> list[str]:
    """What pytest is told: all, a quick look, or what was asked for."""
    if rest != [QUICK]:
        return rest or list(WHOLE)
    left_out = [f"--ignore-glob=*/{name}.py" for name in LONG]
    return [*WHOLE, "-m", "not database and not browser", *left_out]


def check(checkout: Path, rest: list[str]) -> int:
    """Run every check; `quick`: lint, types and the unit tests that take no time; with words of its
    own, only pytest on them. Returns the worst exit code.
    """
    worst, alone = 0, bool(rest) and rest != [QUICK]
    compiling = None if rest else subprocess.Popen(KERNELS, cwd=checkout)
    for name, command in () if alone else STEPS:
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
        [sys.executable, "-m", "pytest", *_pytest(rest)], cwd=checkout, check=False
    ).returncode
    return worst or tests
