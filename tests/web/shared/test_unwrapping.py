"""Templates say the same broken into lines and in one."""

from __future__ import annotations

import re

import pytest
from jinja2 import Environment

from tarvik.web.shared.unwrapping import Unwrapping, unwrapped

BROKEN = [
    "<p>Sleeps\n  two {% if x %}with\n  ease{% else %}tightly{% endif %}.</p>",
    "{% if x %}\n  <b>one</b>\n  {% else %}\n<i>two</i>{% endif %}\n<p>\n  three</p>",
    'a{% if x %}\n<a class="k"\n  href="/x">b</a>{% endif %}\n'
    "{% for i in (1, 2) %}\n{{ i }},\n{% endfor %}z",
    "{# a note #}\n<p>\n{{ x }}\n</p>",
    "<b>lit.{% if x %}\n  <strong>mind</strong>{% endif %}</b>",
]


def said(text: str) -> str:
    """What a browser shows: runs of space are one."""
    text = re.sub(r"\s+", " ", text).replace("> <", "><").strip()
    return re.sub(r" (</p>)|(<p>) ", r"\1\2", text)


@pytest.mark.parametrize("source", BROKEN)
@pytest.mark.parametrize("x", [True, False])
def test_what_is_shown_stays(source: str, x: bool) -> None:
    plain = Environment(trim_blocks=True, lstrip_blocks=True, autoescape=True)
    joined = plain.overlay(extensions=[Unwrapping])
    shown = joined.from_string(source).render(x=x)
    assert said(shown) == said(plain.from_string(source).render(x=x))
    assert not re.search(r"[^>\s]\s*\n|\n\s*[^<\s]", shown)


def test_what_is_shown_as_written_keeps_its_lines() -> None:
    assert unwrapped("<pre>a\n b</pre>\n<p>c\nd</p>") == "<pre>a\n b</pre> <p>c d</p>"


def test_no_space_stands_at_the_ends_of_an_option() -> None:
    source = '<option value="{{ a }}" {% if b %}selected{% endif %}>\n  {{ c }}\n</option>'
    assert unwrapped(source).endswith(">{{ c }}</option>")
