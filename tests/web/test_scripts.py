"""The scripts' own tests, by Node's runner, and that every script can be read."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

ROOT = Path(__file__).parents[2]


def node(*words: str) -> subprocess.CompletedProcess[str]:
    found = shutil.which("node")
    assert found, "install Node.js (Debian's nodejs): ./run test does it as root"
    return subprocess.run(
        [found, *words], cwd=ROOT, capture_output=True, text=True, check=False, timeout=120
    )


def test_the_scripts_own_tests_pass() -> None:
    tests = [str(p) for p in sorted((ROOT / "tests" / "scripts").glob("*.test.mjs"))]
    ran = node("--test", "--test-reporter=tap", *tests)
    assert ran.returncode == 0, ran.stdout + ran.stderr
    assert "# pass 19" in ran.stdout


def test_every_script_is_read_without_a_fault() -> None:
    for script in (ROOT / "tarvik" / "web" / "static" / "app").glob("*.js"):
        ran = node("--check", str(script))
        assert ran.returncode == 0, ran.stderr
