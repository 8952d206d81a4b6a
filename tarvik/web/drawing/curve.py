"""Times of practice, one after the other, with the law fitted to them and the next's spread."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.set_up_times import Curve

WIDE, TALL = 320, 200
LEFT, RIGHT, TOP, BOTTOM = 58, 24, 14, 40
SPARE: Final = 1.15
"""How much higher the scale reaches than the longest time."""


def learning_curve(minutes: Sequence[float], law: Curve, title: str) -> str:
    """SVG: across the timings, up their minutes; a bar where the next is likely to be."""
    count = len(minutes) + 1
    most = SPARE * max(*minutes, law.high_min, law.minutes_at(1))

    def x(number: float) -> float:
        return LEFT + (number - 1) / max(count - 1, 1) * (WIDE - LEFT - RIGHT)

    def y(value: float) -> float:
        return TALL - BOTTOM - value / most * (TALL - TOP - BOTTOM)

    line = " ".join(f"{x(n):.1f},{y(law.minutes_at(n)):.1f}" for n in range(1, count + 1))
    parts = [
        f'<rect class="s-frame" x="{LEFT}" y="{TOP}" width="{WIDE - LEFT - RIGHT}" '
        f'height="{TALL - TOP - BOTTOM}"/>',
        f'<polyline class="c-dry" points="{line}"/>',
        f'<line class="s-spread" x1="{x(count):.1f}" y1="{y(law.low_min):.1f}" '
        f'x2="{x(count):.1f}" y2="{y(law.high_min):.1f}"/>',
    ]
    parts += [
        f'<text class="st" x="{LEFT - 6}" y="{y(share * most) + 5:.0f}" '
        f'text-anchor="end">{share * most:.0f} min</text>'
        for share in (0.0, 0.5, 1.0)
    ]
    for number, value in enumerate(minutes, start=1):
        parts.append(
            f'<circle class="s-dot" cx="{x(number):.1f}" cy="{y(value):.1f}" r="6">'
            f"<title>{number}: {value:.1f} min</title></circle>"
        )
    middle = (LEFT + WIDE - RIGHT) / 2
    parts.append(
        f'<text class="st" x="{middle:.0f}" y="{TALL - 12}" text-anchor="middle">'
        "timings, the next one last</text>"
    )
    return (
        f'<svg class="drawing learning" viewBox="0 0 {WIDE} {TALL}" role="img" '
        f'xmlns="http://www.w3.org/2000/svg"><title>{escape(title)}: minutes, time after time'
        f"</title>{''.join(parts)}</svg>"
    )
