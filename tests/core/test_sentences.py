"""Names where a sentence begins, and within one."""

from __future__ import annotations

import pytest

from tarvik.core.sentences import inside, sentence


@pytest.mark.parametrize(
    ("said", "shown"),
    [
        ("ask Willa Z and Xaver Y", "Ask Willa Z and Xaver Y"),
        ("move it between Holly 6 and Ash 2", "Move it between Holly 6 and Ash 2"),
        ("", ""),
    ],
)
def test_a_sentence_begins_large_and_keeps_its_names(said: str, shown: str) -> None:
    assert sentence(said) == shown


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("Lean-to with walls", "lean-to with walls"),
        ("A-frame", "A-frame"),
        ("X", "X"),
        ("", ""),
    ],
)
def test_a_name_within_a_sentence(name: str, shown: str) -> None:
    assert inside(name) == shown
