"""Boxes that words take on a drawing, for whoever places words so that none covers another."""

from __future__ import annotations

from typing import Final

Box = tuple[float, float, float, float]
"""Its two lower and its two upper edges, in whatever unit the drawing is measured."""
LINE: Final = 1.15
"""How high a line of words is, in heights of its letters."""


def overlap(a: Box, b: Box) -> float:
    """The area that two boxes share."""
    wide = min(a[2], b[2]) - max(a[0], b[0])
    tall = min(a[3], b[3]) - max(a[1], b[1])
    return wide * tall if wide > 0 and tall > 0 else 0.0
