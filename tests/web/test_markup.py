"""Templates open and close the same elements: one left open swallows all that comes after it."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

WEB = Path(__file__).parents[2] / "tarvik" / "web"
TAGS = (
    "details",
    "summary",
    "section",
    "div",
    "ul",
    "ol",
    "table",
    "tbody",
    "form",
    "label",
)


@pytest.mark.parametrize("path", sorted(WEB.rglob("*.html")), ids=lambda p: p.name)
def test_what_is_opened_is_closed(path: Path) -> None:
    text = path.read_text()
    for tag in TAGS:
        opened = len(re.findall(rf"<{tag}\b", text))
        assert opened == text.count(f"</{tag}>"), tag
