"""How much of a printed card its drawings take: half of it where the words leave that, never so
much that a word is cut off.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

CARD_MM: Final = 134.0
"""Height of a card in print.css, of which two stand on a page."""
FRAME_MM: Final = 6.5
HEAD_MM: Final = 11.0
SPACES_MM: Final = 5.0
"""Edges, the heading, and the spaces between the parts."""
LINE_MM: Final = 3.95
"""A line of 9 points."""
LETTERS: Final = 118
"""Letters on a line as wide as the card."""
COLUMN: Final = 57
"""Letters on a line of a step, of which two stand beside each other."""
LEAST_MM: Final = 51
MOST_MM: Final = 67
"""Drawings are as high at least, and at most: half of the card."""


def lines_of(texts: Iterable[str], letters: int) -> int:
    """Lines that paragraphs take."""
    return sum(math.ceil(len(text) / letters) for text in texts if text)


def drawn_mm(wide: Sequence[str], steps: Sequence[str]) -> int:
    """How high the drawings are printed beside paragraphs as wide as the card and steps in two
    columns.

    >>> drawn_mm(["x" * 200], ["y" * 100] * 6), drawn_mm(["x" * 900], ["y" * 200] * 7)
    (67, 51)
    """
    column = math.ceil(lines_of(steps, COLUMN) / 2) + 1
    lines = lines_of(wide, LETTERS) + column
    left = CARD_MM - FRAME_MM - HEAD_MM - SPACES_MM - LINE_MM * lines
    return round(min(max(left, LEAST_MM), MOST_MM))
