"""`./run quality`: how readable a source tree is, in the figures that can be counted on any tree.

Python is read by its own parser and tokenizer, templates and scripts line by line; nothing is
imported, so that any tree can be measured.
"""

from __future__ import annotations

import ast
import math
import statistics
import tokenize
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from pathlib import Path

SOURCE: Final = "tarvik"
TESTS: Final = "tests"
SKIPPED: Final = frozenset(
    (".git", ".venv", "node_modules", "vendor", "build", "dist", ".data")
)
LEFT_OUT: Final = frozenset(("__init__", "__main__"))
"""Modules that want no test of their own name."""
SKIPS: Final = tuple(f"# fmt: {word}" for word in ("skip", "off"))
"""How a comment keeps the formatter away."""
FIRST_TOLD: Final = 3
"""Tuples of so many values across a function's edge want a name."""


@dataclass
class Tree:
    """What was counted in a tree."""

    lines: list[int] = field(default_factory=list)
    skips: int = 0
    skipped_files: int = 0
    comments: int = 0
    code: int = 0
    parameters: list[int] = field(default_factory=list)
    functions: list[int] = field(default_factory=list)
    modules: list[int] = field(default_factory=list)
    tuples: int = 0
    anys: int = 0
    untested: int = 0
    html: list[int] = field(default_factory=list)
    scripts: list[int] = field(default_factory=list)


def files(root: Path, ending: str) -> list[Path]:
    """Files below a folder, but what is shipped from elsewhere or made."""
    return sorted(
        path
        for path in root.rglob(f"*{ending}")
        if not SKIPPED & set(path.relative_to(root).parts)
    )


def measured(checkout: Path, source: str = SOURCE, tests: str = TESTS) -> Tree:
    """A tree counted. `source`, `tests`: its folders."""
    tree, root = Tree(), checkout / source
    named = {path.stem for path in files(checkout / tests, ".py")} if tests else set()
    for path in files(root, ".py"):
        _python(path, tree)
        package = path.parent.name
        if (
            path.stem not in LEFT_OUT
            and not {
                f"test_{path.stem}",
                f"test_{package}_{path.stem}",
            }
            & named
        ):
            tree.untested += 1
    for ending, lengths in ((".html", tree.html), (".js", tree.scripts)):
        for path in files(root, ending):
            lengths += [
                len(line) for line in path.read_text("utf-8").splitlines() if line.strip()
            ]
    return tree


def _python(path: Path, tree: Tree) -> None:
    text = path.read_text("utf-8")
    lines = text.splitlines()
    tree.modules.append(len(lines))
    tree.lines += [len(line) for line in lines if line.strip()]
    with path.open("rb") as opened:
        found = [
            t.string
            for t in tokenize.tokenize(opened.readline)
            if t.type == tokenize.COMMENT
        ]
    skips = sum(comment.startswith(SKIPS) for comment in found)
    tree.skips += skips
    tree.skipped_files += bool(skips)
    tree.comments += sum(not _instruction(comment) for comment in found)
    tree.code += sum(
        1 for line in lines if line.strip() and not line.strip().startswith("#")
    )
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            _function(node, tree)


def _instruction(comment: str) -> bool:
    """Whether a comment is for a tool, not for a reader."""
    marks = ("# type:", "# noqa", "# fmt:", "# pragma", "#!")
    return comment.startswith(marks)


def _function(node: ast.FunctionDef | ast.AsyncFunctionDef, tree: Tree) -> None:
    given = [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]
    own = [arg for arg in given if arg.arg not in ("self", "cls")]
    tree.parameters.append(len(own))
    tree.functions.append((node.end_lineno or node.lineno) - node.lineno + 1)
    if node.returns is not None and _long_tuple(node.returns):
        tree.tuples += 1
    if not node.name.startswith("_"):
        told = [arg.annotation for arg in own if arg.annotation is not None]
        told += [node.returns] if node.returns is not None else []
        tree.anys += any(_names_any(annotation) for annotation in told)


def _long_tuple(annotation: ast.expr) -> bool:
    """Whether an annotation is a tuple of a fixed length of three or more."""
    if (
        not isinstance(annotation, ast.Subscript)
        or ast.unparse(annotation.value) != "tuple"
    ):
        return False
    inner = annotation.slice
    if not isinstance(inner, ast.Tuple):
        return False
    open_ended = any(
        isinstance(e, ast.Constant) and e.value is Ellipsis for e in inner.elts
    )
    return len(inner.elts) >= FIRST_TOLD and not open_ended


def _names_any(annotation: ast.expr) -> bool:
    return any(isinstance(n, ast.Name) and n.id == "Any" for n in ast.walk(annotation))


def share_of(values: list[int], share: float) -> int:
    """The value that this share of all do not exceed; 0 where there are none.

    >>> share_of([5, 1, 2, 3, 4], 0.8), share_of([], 0.5)
    (4, 0)
    """
    return sorted(values)[max(0, math.ceil(len(values) * share) - 1)] if values else 0


def table(tree: Tree) -> str:
    """The figures as a Markdown table, each with what is wanted."""
    modules = len(tree.modules)
    rows = (
        (
            "mean / 95 % / longest Python line",
            f"{_mean(tree.lines)} / {share_of(tree.lines, 0.95)} / {max(tree.lines, default=0)}",
            "95 % at most 92, longest 100",
        ),
        ("formatting skipped", f"{tree.skips} in {tree.skipped_files} files", "0"),
        (
            "comments for readers in 100 lines",
            f"{100 * tree.comments / max(tree.code, 1):.1f}",
            "3 or more",
        ),
        (
            "parameters of a function, 95 % / most",
            f"{share_of(tree.parameters, 0.95)} / {max(tree.parameters, default=0)}",
            "5 / 8",
        ),
        (
            "lines of a function, median / 95 % / most",
            f"{_median(tree.functions)} / {share_of(tree.functions, 0.95)} / "
            f"{max(tree.functions, default=0)}",
            "most under 60",
        ),
        (
            "lines of a module, median / most",
            f"{_median(tree.modules)} / {max(tree.modules, default=0)}",
            "150 to 250 / 500",
        ),
        ("unnamed tuples of three or more returned", f"{tree.tuples}", "0"),
        ("public signatures with Any", f"{tree.anys}", "under 20"),
        (
            "modules without a test of their name",
            f"{tree.untested} of {modules} ({100 * tree.untested // max(modules, 1)} %)",
            "under 10 %",
        ),
        (
            "HTML lines, mean / longest",
            f"{_mean(tree.html)} / {max(tree.html, default=0)}",
            "45 / 140",
        ),
        ("script lines, longest", f"{max(tree.scripts, default=0)}", "100"),
    )
    head = "| measure | this tree | wanted |\n|---|---|---|\n"
    return (
        head
        + "\n".join(f"| {what} | {now} | {wanted} |" for what, now, wanted in rows)
        + "\n"
    )


def _mean(values: list[int]) -> int:
    return round(statistics.fmean(values)) if values else 0


def _median(values: list[int]) -> int:
    return round(statistics.median(values)) if values else 0


HEAD: Final = """# How readable the code is

Written by `./run quality`; `./run quality TREE --source FOLDER --tests FOLDER` counts any other
tree and prints the same table.

"""


def quality(checkout: Path, tree: Path | None, source: str, tests: str) -> int:
    """Write docs/quality.md of this checkout, or print the table of another tree."""
    if tree is not None:
        print(table(measured(tree, source, tests)), end="")
        return 0
    (checkout / "docs" / "quality.md").write_text(HEAD + table(measured(checkout)))
    return 0
