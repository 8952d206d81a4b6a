"""Templates are broken into short lines to be read; what is sent has its phrases whole."""

from __future__ import annotations

import re
from typing import Final

from jinja2.ext import Extension

_KEPT: Final = re.compile(r"(<(pre|textarea|script|style)\b.*?</\2>)", re.DOTALL)
_BREAK: Final = re.compile(r"(%}|#}|>)?[ \t]*\n([ \t\n]*)(<|(?={[%#]))?")


_BLOCKS: Final = "option|td|th|li|p|h[1-4]|summary|dt|dd|figcaption|caption|title"
_TAG: Final = r"""(?:[^<>"{]++|"(?:[^"{]++|{{.*?}}|{%.*?%})*+"|{{.*?}}|{%.*?%})*+"""
"""What stands in a tag before its end; it gives nothing back, so that no source takes long."""
_OPENED: Final = re.compile(rf"(<(?:{_BLOCKS})\b{_TAG}>) ")
_CLOSED: Final = re.compile(rf" (</(?:{_BLOCKS})>)")


def _joined(found: re.Match[str]) -> str:
    before, indent, after = found[1] or "", found[2], found[3]
    if before in (
        "%}",
        "#}",
    ):  # a line that ends with a tag of the template's own adds no space
        return before + (" " if indent and after != "" else "") + (after or "")
    if before == ">" and after == "<":
        return ">\n<"
    return f"{before} {after or ''}"


def unwrapped(source: str) -> str:
    """A template's source with the line breaks inside of texts and tags made spaces. Breaks between
    tags stay, and so does what is shown as it is written.
    """
    parts = _KEPT.split(source)
    # what the pattern keeps comes as two groups: the whole, and its tag's name
    return "".join(
        "" if i % 3 == 2 else part if i % 3 == 1 else _trimmed(_BREAK.sub(_joined, part))
        for i, part in enumerate(parts)
    )


def _trimmed(source: str) -> str:
    """The same without the space at both ends of what stands by itself: it is never shown."""
    return _CLOSED.sub(r"\1", _OPENED.sub(r"\1", source))


class Unwrapping(Extension):
    """Reads every template so."""

    def preprocess(self, source: str, name: str | None, filename: str | None = None) -> str:
        """The source as it is compiled."""
        return unwrapped(source)
