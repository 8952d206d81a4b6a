"""The command line behind `./run`."""

from __future__ import annotations

import argparse
import sys
from importlib import import_module
from pathlib import Path
from typing import Final

from tarvik.settings import SettingError
from tarvik.store.server import ServerError

PLAIN: Final = {
    "audit": ("audit", "audit"),
    "constants": ("constants", "write_constants"),
    "folds": ("folds", "write_folds"),
    "outbox": ("keeping", "outbox"),
    "shots": ("shots", "shots"),
    "worker": ("worker", "worker"),
}
"""Commands that take nothing: their module, and its function of the checkout."""
CHECKOUT = Path(__file__).resolve().parent.parent


def _port(text: str) -> int:
    port = int(text)
    if not 1 <= port <= 65535:
        raise argparse.ArgumentTypeError("a port is 1 to 65535")
    return port


def parser() -> argparse.ArgumentParser:
    """All commands with their words."""
    top = argparse.ArgumentParser(
        prog="./run",
        description="Tarvik: pitches, shelters and a plan for the whole group.",
    )
    commands = top.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for name, words in (
        ("demo", "serve with the demo course"),
        ("serve", "serve without demo data"),
    ):
        command = commands.add_parser(name, help=words)
        command.add_argument(
            "--port", type=_port, default=8080, help="port on 127.0.0.1 (default 8080)"
        )
    bench = commands.add_parser(
        "bench", help="measure speeds against references in the same run"
    )
    bench.add_argument(
        "--json", type=Path, metavar="FILE", help="write every figure as JSON"
    )
    commands.add_parser(
        "worker",
        help="make plans for the database named by TARVIK_DATABASE_URL, or this checkout's own",
    )
    for name, words in (
        ("backup", "keep everything in one file"),
        ("restore", "bring a backup into an empty server"),
    ):
        commands.add_parser(name, help=words).add_argument(
            "file", type=Path, metavar="FILE"
        )
    commands.add_parser(
        "outbox",
        help="print the letters this server wrote: invitations, links for new passwords",
    )
    commands.add_parser(
        "audit", help="ask the package indexes whether a locked package has a known fault"
    )
    commands.add_parser("shots", help="take the screenshots in docs/screenshots anew")
    commands.add_parser("constants", help="write docs/constants.md from the code")
    commands.add_parser("folds", help="draw every pitch's fold into docs/folds")
    counted = commands.add_parser(
        "quality",
        help="write docs/quality.md: how readable the code is, or count another tree",
    )
    counted.add_argument("tree", type=Path, nargs="?", metavar="TREE")
    counted.add_argument("--source", default="tarvik", metavar="FOLDER")
    counted.add_argument("--tests", default="tests", metavar="FOLDER")
    compiled = commands.add_parser("warm", help="compile the geometry kernels")
    compiled.add_argument(
        "--part", default="", choices=("", "search", "measure"), help="a part of them alone"
    )
    commands.add_parser(
        "test",
        help="lint, types, unit, database and browser tests; `quick`: lint, types and "
        "unit tests that take no time; other words after it go to pytest alone",
    )
    return top


def read(words: list[str]) -> argparse.Namespace:
    """The command asked for. Whatever follows `test` is pytest's, options too."""
    rest = (
        words[1:] if words[:1] == ["test"] and words[1:] not in (["-h"], ["--help"]) else []
    )
    asked = parser().parse_args(words[:1] if rest else words)
    asked.rest = rest
    return asked


def main(words: list[str] | None = None) -> None:
    """Run one command; a known fault is said in a sentence, without a traceback."""
    asked = read(sys.argv[1:] if words is None else words)
    try:
        sys.exit(_run(asked))
    except (ServerError, SettingError) as err:
        print(f"tarvik: {err}", file=sys.stderr)
        sys.exit(1)


def _run(asked: argparse.Namespace) -> int:
    """Each command's own module is loaded only when it is asked for."""
    if asked.command in ("demo", "serve"):
        from tarvik.commands.serve import serve

        return serve(CHECKOUT, asked.port, demo=asked.command == "demo")
    if asked.command in ("backup", "restore"):
        from tarvik.commands import keeping

        way = keeping.back_up if asked.command == "backup" else keeping.restore
        return way(CHECKOUT, asked.file.absolute())
    if asked.command == "bench":
        from tarvik.commands.bench import bench

        return bench(CHECKOUT, asked.json)
    if asked.command == "warm":
        from tarvik.commands.warm import warm_up

        return warm_up(CHECKOUT, asked.part)
    if asked.command == "test":
        from tarvik.commands.check import check

        return check(CHECKOUT, asked.rest)
    if asked.command == "quality":
        from tarvik.commands.quality import quality

        return quality(CHECKOUT, asked.tree, asked.source, asked.tests)
    module, name = PLAIN[asked.command]
    return int(getattr(import_module(f"tarvik.commands.{module}"), name)(CHECKOUT))
