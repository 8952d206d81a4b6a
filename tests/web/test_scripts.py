"""The scripts: their own tests by Node's runner, the linter, and their types."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]
MODULES = Path("frontend") / "node_modules"
SCRIPTS = "tarvik/web/static/app"


LINT = (
    str(MODULES / "eslint" / "bin" / "eslint.js"),
    "--config",
    "frontend/eslint.config.mjs",
)


def node(*words: str, given: str = "") -> subprocess.CompletedProcess[str]:
    found = Path(sys.executable).with_name("node")
    assert found.exists(), "Node.js is missing from the virtual environment: use ./run test"
    return subprocess.run(
        [str(found), *words],
        cwd=ROOT,
        input=given,
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
    )


def test_the_scripts_own_tests_pass() -> None:
    tests = [str(p) for p in sorted((ROOT / "tests" / "scripts").glob("*.test.mjs"))]
    ran = node("--test", "--test-reporter=tap", *tests)
    assert ran.returncode == 0, ran.stdout + ran.stderr
    assert "# pass 22" in ran.stdout


def test_every_script_passes_the_linter() -> None:
    ran = node(*LINT, SCRIPTS, "tests/scripts")
    assert ran.returncode == 0, ran.stdout + ran.stderr


def test_every_scripts_types_fit() -> None:
    ran = node(str(MODULES / "typescript" / "bin" / "tsc"), "-p", "frontend")
    assert ran.returncode == 0, ran.stdout + ran.stderr


def test_the_linter_finds_what_is_wrong() -> None:
    wrong = "export const two = () => { var one = nowhere; return 2; };\n"
    ran = node(*LINT, "--stdin", "--stdin-filename", f"{SCRIPTS}/wrong.js", given=wrong)
    assert ran.returncode == 1
    for rule in ("no-undef", "no-var", "no-unused-vars"):
        assert rule in ran.stdout
