"""`./run audit`: does a locked package have a known fault? The one command that needs a network."""

from __future__ import annotations

import shutil
import subprocess
import sys
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from pathlib import Path

AUDITOR: Final = "pip-audit==2.10.1"


def audit(checkout: Path) -> int:
    """Ask the package indexes about every locked package, Python's and the front end's. Returns the
    worst exit code.
    """
    folder = checkout / ".data" / "audit"
    python = folder / "bin" / "python"
    if not python.exists():
        subprocess.run([sys.executable, "-m", "venv", str(folder)], check=True)
        subprocess.run(
            [str(python), "-m", "pip", "install", "--quiet", AUDITOR], check=True
        )
    worst = 0
    for lock in ("requirements.lock", "requirements-dev.lock"):
        print(f"tarvik: asking about {lock}", flush=True)
        command = [
            str(python),
            "-m",
            "pip_audit",
            "--disable-pip",
            "--require-hashes",
            "-r",
            lock,
        ]
        worst = max(worst, subprocess.run(command, cwd=checkout, check=False).returncode)
    npm = shutil.which("npm")
    if npm is None:
        print("tarvik: npm is not there, so the front end's packages are not asked about")
        return worst
    print("tarvik: asking about frontend/package-lock.json", flush=True)
    command = [npm, "audit", "--package-lock-only"]
    return max(
        worst, subprocess.run(command, cwd=checkout / "frontend", check=False).returncode
    )
