"""The trade-off curve as a drawing: dry ground and openness over headroom, the chosen point marked,
each point a control.
"""

from __future__ import annotations

import json
from html import escape
from typing import TYPE_CHECKING, Final

from tarvik.core.units import Units, format_area, format_length

if TYPE_CHECKING:
    from tarvik.core.trade_off import Curve, Point

WIDTH: Final = 560
HEIGHT: Final = 250
LEFT, RIGHT, TOP, BOTTOM = 52, 52, 18, 46


def curve_drawing(curve: Curve, units: Units) -> str:
    """SVG: x the setting, left scale m2 of dry ground (line), right scale share open to the wind
    (dashes), headroom by the height of the little peaks; circles are filled as many times as people
    sleep. Each circle carries its settings.
    """
    points = curve.points
    most_dry = max(0.1, *(p.dry_m2 for p in points)) * 1.1
    most_peak = max(0.1, *(p.peak_m for p in points)) * 1.1
    low, high = points[0].value, max(points[-1].value, points[0].value + 1e-6)

    def x(p: Point) -> float:
        return LEFT + (p.value - low) / (high - low) * (WIDTH - LEFT - RIGHT)

    def y(share: float) -> float:
        return HEIGHT - BOTTOM - share * (HEIGHT - TOP - BOTTOM)

    def path(shares: list[float], css: str) -> str:
        steps = " ".join(
            f"{x(p):.1f},{y(s):.1f}" for p, s in zip(points, shares, strict=True)
        )
        return f'<polyline class="{css}" points="{steps}"/>'

    parts = [
        f'<line class="s-base" x1="{LEFT}" y1="{y(0):.0f}" x2="{WIDTH - RIGHT}" y2="{y(0):.0f}"/>',
        path([p.open_to_wind for p in points], "c-open"),
        path([p.peak_m / most_peak for p in points], "c-peak"),
        path([p.dry_m2 / most_dry for p in points], "c-dry"),
        f'<text class="st" x="4" y="{y(points[0].dry_m2 / most_dry) + 5:.0f}">dry</text>',
        (
            f'<text class="st" x="{WIDTH - RIGHT + 4}" '
            f'y="{y(points[-1].open_to_wind) + 5:.0f}">open</text>'
        ),
        (
            f'<text class="st" x="{WIDTH - RIGHT + 4}" '
            f'y="{y(points[-1].peak_m / most_peak) - 6:.0f}">peak</text>'
        ),
    ]
    for i, p in enumerate(points):
        css = "c-point is-chosen" if i == curve.chosen else "c-point"
        at_x, at_y = x(p), y(p.dry_m2 / most_dry)
        words = escape(_words(p, curve, units))
        settings = escape(
            json.dumps({k: round(v, 4) for k, v in p.settings.items()}), quote=True
        )
        number = (
            f'<text class="st small" x="{at_x:.1f}" y="{at_y - 12:.1f}" '
            f'text-anchor="middle">{p.sleepers or ""}</text>'
        )
        parts.append(
            f'<g class="{css}" tabindex="0" role="button" data-settings="{settings}" '
            f'aria-label="{words}">'
            f"<title>{words}</title>"
            f'<circle cx="{at_x:.1f}" cy="{at_y:.1f}" '
            f'r="{9 if i == curve.chosen else 6}"/>{number}</g>'
        )
        if i in (curve.chosen, 0, len(points) - 1):
            shown = escape(curve.setting.shown(p.value, units))
            parts.append(
                f'<text class="st" x="{at_x:.1f}" y="{HEIGHT - 24}" '
                f'text-anchor="middle">{shown}</text>'
            )
    label = escape(curve.setting.label)
    parts.append(
        f'<text class="st soft" x="{WIDTH / 2}" y="{HEIGHT - 6}" '
        f'text-anchor="middle">{label}</text>'
    )
    head = f'<svg class="drawing strip curve" viewBox="0 0 {WIDTH} {HEIGHT}" role="group"'
    return f'{head} aria-label="Trade-off along the {label.lower()}">{"".join(parts)}</svg>'


def _words(p: Point, curve: Curve, units: Units) -> str:
    """What a point says when it is read or hovered over."""
    return (
        f"{curve.setting.shown(p.value, units)}: peak {format_length(p.peak_m, units)}, "
        f"{format_area(p.dry_m2, units)} dry, "
        f"{p.open_to_wind:.0%} open to the wind, {p.sleepers} "
        f"{'sleeps' if p.sleepers == 1 else 'sleep'}"
    )
