"""Compiling beside a server that answers: how far it is, and that it is said to be over once all is
there.
"""

from __future__ import annotations

import subprocess
import sys
from typing import TYPE_CHECKING

import pytest

from tarvik.work import compiling
from tarvik.work.compiling import CACHE, PARTS, Compiling, compiled_before

if TYPE_CHECKING:
    from pathlib import Path


def test_the_share_grows_with_every_function_and_is_whole_only_when_all_is_over() -> None:
    one = Compiling()
    assert one.share == 0.0
    shares = []
    for name, most in PARTS.items():
        for _ in range(most + 5):  # more than were counted
            one._hear(name, iter([b".\n"]))  # type: ignore[arg-type]
            shares.append(one.share)
    assert shares == sorted(shares)
    assert 0.98 < one.share < 1.0
    assert "99 %" in one.words
    one.over = True
    assert one.share == 1.0


def test_it_is_over_when_both_processes_are_and_only_then(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """In the place of the compiler two programs that print as it does."""
    monkeypatch.setenv(CACHE, str(tmp_path))
    asked: list[list[str]] = []
    popen = subprocess.Popen

    def stand_in(words: list[str], **more: object) -> object:
        asked.append(words[3:])
        return popen([sys.executable, "-c", "print('.'); print('.')"], **more)  # type: ignore[call-overload]

    monkeypatch.setattr(compiling.subprocess, "Popen", stand_in)
    assert not compiled_before()
    one = Compiling()
    one.run()
    assert compiled_before()
    assert sorted(words[-1] for words in asked) == sorted(PARTS)
    assert one.share == pytest.approx(2 * len(PARTS) / sum(PARTS.values()))


def test_without_a_folder_of_its_own_nothing_is_said_to_be_there(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.delenv(CACHE, raising=False)
    assert not compiled_before()
