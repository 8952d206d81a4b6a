"""Measured over predicted, each entry a mark, with the line on which both are alike."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

SIDE: Final = 300
LEFT, RIGHT, TOP, BOTTOM = 58, 32, 12, 44
TICKS: Final = 4
MARGIN: Final = 0.08
"""Share of the range that is left free round the marks."""


@dataclass(frozen=True, slots=True)
class Dot:
    """One entry: predicted and measured in one unit, and what it is of."""

    predicted: float
    measured: float
    words: str


def scatter(dots: Sequence[Dot], shown: Callable[[float], str], title: str) -> str:
    """SVG with both axes alike, so that what is predicted well lies on the diagonal."""
    every = [value for dot in dots for value in (dot.predicted, dot.measured)]
    low, high = min(every), max(every)
    spare = max((high - low) * MARGIN, 0.02 * high)
    low, high = max(low - spare, 0.0), high + spare
    wide, tall = SIDE - LEFT - RIGHT, SIDE - TOP - BOTTOM

    def x(value: float) -> float:
        return LEFT + (value - low) / (high - low) * wide

    def y(value: float) -> float:
        return SIDE - BOTTOM - (value - low) / (high - low) * tall

    parts = [
        f'<rect class="s-frame" x="{LEFT}" y="{TOP}" width="{wide}" height="{tall}"/>',
        f'<line class="s-base" x1="{x(low):.0f}" y1="{y(low):.0f}" '
        f'x2="{x(high):.0f}" y2="{y(high):.0f}"/>',
    ]
    for tick in range(TICKS + 1):
        value = low + (high - low) * tick / TICKS
        words = escape(shown(value))
        if tick % 2 == 0:
            parts.append(
                f'<text class="st" x="{x(value):.0f}" y="{SIDE - BOTTOM + 18}" '
                f'text-anchor="middle">{words}</text>'
            )
        parts.append(
            f'<text class="st" x="{LEFT - 6}" y="{y(value) + 5:.0f}" '
            f'text-anchor="end">{words}</text>'
        )
    for dot in dots:
        told = escape(
            f"{dot.words}: planned {shown(dot.predicted)}, was {shown(dot.measured)}"
        )
        parts.append(
            f'<circle class="c-dot" cx="{x(dot.predicted):.1f}" cy="{y(dot.measured):.1f}" r="6">'
            f"<title>{told}</title></circle>"
        )
    parts.append(
        f'<text class="st soft" x="{LEFT + wide / 2:.0f}" y="{SIDE - 6}" '
        f'text-anchor="middle">planned (across), measured (up)</text>'
    )
    head = f'<svg class="drawing scatter" viewBox="0 0 {SIDE} {SIDE}" role="img"'
    return f'{head} aria-label="{escape(title)}">{"".join(parts)}</svg>'
