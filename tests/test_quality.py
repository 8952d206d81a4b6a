"""The counts of `./run quality` on a tree that is counted by hand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.commands.quality import measured, quality, table

if TYPE_CHECKING:
    from pathlib import Path

    import pytest

ONE = '''"""One."""

from typing import Any


# Why this is so.
def told(a: int, b: int, *, c: Any) -> tuple[int, int, str]:
    return a, b, str(c)


def _hidden(a: Any) -> tuple[int, ...]:  # noqa: ANN401
    return (a,)
'''
TWO = f"x = [1,  2]  # fmt: {'skip'}\n"


def tree(folder: Path) -> Path:
    for name, text in (
        ("code/one.py", ONE),
        ("code/two.py", TWO),
        ("code/vendor/big.js", "x" * 900),
        ("code/small.js", "let x = 1;\n\nlet yy = 2;\n"),
        ("code/page.html", "<p>\n<b>12</b>\n"),
        ("tests/test_one.py", "\n"),
    ):
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    return folder


def test_a_tree_counted_by_hand(tmp_path: Path) -> None:
    found = measured(tree(tmp_path), "code", "tests")
    assert sorted(found.parameters) == [1, 3]
    assert (found.tuples, found.anys, found.untested) == (1, 1, 1)
    assert (found.skips, found.skipped_files, found.comments) == (1, 1, 1)
    assert (max(found.scripts), found.html) == (11, [3, 9])
    assert max(found.lines) == len(
        "def told(a: int, b: int, *, c: Any) -> tuple[int, int, str]:"
    )


def test_the_table_is_printed_for_any_tree(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert quality(tmp_path, tree(tmp_path), "code", "tests") == 0
    printed = capsys.readouterr().out
    assert printed == table(measured(tmp_path, "code", "tests"))
    assert (
        "| modules without a test of their name | 1 of 2 (50 %) | under 10 % |" in printed
    )
    assert "| HTML lines, mean / longest | 6 / 9 | 45 / 140 |" in printed
