"""One direction of dependence, and nothing on the screens that would be fetched."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
CORE = ROOT / "tarvik" / "core"
FORBIDDEN = (
    "fastapi",
    "sqlalchemy",
    "psycopg",
    "jinja2",
    "starlette",
    "pathlib",
    "os",
    "time",
    "tarvik.web",
    "tarvik.store",
    "tarvik.exchange",
    "tarvik.commands",
    "tarvik.demo",
    "tarvik.stand_ins",
)
CLOCK = {"now", "today", "utcnow"}


def imported(path: Path) -> set[str]:
    """Every module a file imports."""
    names: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
    return names


def test_the_core_knows_nothing_of_the_rest() -> None:
    for path in CORE.rglob("*.py"):
        bad = {
            n for n in imported(path) for f in FORBIDDEN if n == f or n.startswith(f + ".")
        }
        assert not bad, f"{path.relative_to(ROOT)} imports {bad}"
        called = {
            n.func.attr
            for n in ast.walk(ast.parse(path.read_text()))
            if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute)
        }
        assert not called & CLOCK, f"{path.relative_to(ROOT)} looks at the clock"


def test_stores_and_exchange_know_nothing_of_the_web() -> None:
    for folder in ("store", "exchange", "demo"):
        for path in (ROOT / "tarvik" / folder).rglob("*.py"):
            assert not {
                n
                for n in imported(path)
                if n.startswith(
                    ("tarvik.web", "sqlalchemy" if folder == "stand_ins" else "fastapi")
                )
            }


def test_the_web_process_loads_no_solver_of_plans() -> None:
    """The worker makes the plans; its solver and what that loads weigh 50 MB."""
    script = """
import sys
import tarvik.commands.serve, tarvik.web.serving
print(*{name.split(".")[0] for name in sys.modules})
"""
    out = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True, cwd=ROOT
    )
    loaded = set(out.stdout.split())
    assert "fastapi" in loaded
    assert not loaded & {"ortools", "pandas"}


def test_nothing_is_fetched_from_outside() -> None:
    """No page, style or script of ours names another host; fonts and scripts lie in the
    repository.
    """
    for path in [
        *(ROOT / "tarvik" / "web").rglob("*.html"),
        *(ROOT / "tarvik" / "web" / "static" / "app").glob("*"),
    ]:
        hosts = re.findall(r"https?://([\w.]+)", path.read_text())
        assert set(hosts) <= {"www.w3.org"}, path
    vendor = {p.name for p in (ROOT / "tarvik" / "web" / "static" / "vendor").iterdir()}
    assert {
        "theme.css",
        "alpine.min.js",
        "LICENSE.bootstrap.txt",
        "LICENSE.alpine.txt",
    } <= vendor


def test_the_docs_list_every_constant_as_it_is() -> None:
    from tarvik.commands.constants import constants_text

    assert (ROOT / "docs" / "constants.md").read_text() == constants_text()


def test_the_readme_shows_every_screenshot() -> None:
    readme = (ROOT / "README.md").read_text()
    for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
        assert f"docs/screenshots/{picture.name}" in readme
