"""A sheet of drawing paper in metres: world coordinates in, SVG out."""

from __future__ import annotations

import re
from html import escape
from typing import TYPE_CHECKING, Final

from tarvik.core.units import Units

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

PX_PER_M = 100.0
LETTER = 0.55
"""How wide letters are, as a share of their height."""
XY = tuple[float, float]
WORDS_PX: Final = 21.0
MARK_PX: Final = 20.0
"""Sizes of words, and of a mark's letter."""


class Paper:
    """Collects SVG elements. World y points up; `grow` takes every drawn place into the frame."""

    def __init__(self, title: str, css: str = "", margin: float = 0.35) -> None:
        self.title, self.css, self.margin = title, css, margin
        self.parts: list[str] = []
        self.low = [1e9, 1e9]
        self.high = [-1e9, -1e9]

    def grow(self, *points: XY) -> None:
        """Make room for places."""
        for p in points:
            for i in (0, 1):
                self.low[i], self.high[i] = min(self.low[i], p[i]), max(self.high[i], p[i])

    @staticmethod
    def _at(p: XY) -> str:
        return f"{p[0] * PX_PER_M:.1f},{-p[1] * PX_PER_M:.1f}"

    def polygon(self, points: Sequence[XY], css: str, title: str = "") -> None:
        """A closed shape."""
        self.grow(*points)
        inner = f"<title>{escape(title)}</title>" if title else ""
        self.parts.append(
            f'<polygon class="{css}" points="{" ".join(map(self._at, points))}">{inner}</polygon>'
        )

    def region(self, rings: Iterable[Sequence[XY]], css: str) -> None:
        """A shape of several rings (holes by even-odd)."""
        path = ""
        for ring in rings:
            self.grow(*ring)
            path += "M" + " L".join(map(self._at, ring)) + " Z "
        if path:
            self.parts.append(
                f'<path class="{css}" fill-rule="evenodd" d="{path.strip()}"/>'
            )

    def line(self, a: XY, b: XY, css: str) -> None:
        """A straight line."""
        self.grow(a, b)
        (x1, y1), (x2, y2) = ((p[0] * PX_PER_M, -p[1] * PX_PER_M) for p in (a, b))
        self.parts.append(
            f'<line class="{css}" x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}"/>'
        )

    def circle(self, p: XY, radius_m: float, css: str) -> None:
        """A circle, its radius in metres."""
        self.grow((p[0] - radius_m, p[1] - radius_m), (p[0] + radius_m, p[1] + radius_m))
        x, y = self._at(p).split(",")
        self.parts.append(
            f'<circle class="{css}" cx="{x}" cy="{y}" r="{radius_m * PX_PER_M:.1f}"/>'
        )

    def text(
        self, p: XY, words: str, css: str = "t", anchor: str = "middle", size: float = 21
    ) -> None:
        """Words centred on a place."""
        self.grow(p)
        x, y = p[0] * PX_PER_M, -p[1] * PX_PER_M + size * 0.35
        self.parts.append(
            f'<text class="{css}" x="{x:.1f}" y="{y:.1f}" font-size="{size:.0f}" '
            f'text-anchor="{anchor}">{escape(words)}</text>'
        )

    def words(
        self, p: XY, words: str, css: str = "t", anchor: str = "middle", size: float = 21
    ) -> None:
        """Words at a place, the drawing as large as they need: they are whole on paper too."""
        wide, tall = len(words) * size * LETTER / PX_PER_M, size / PX_PER_M
        left = {"start": 0.0, "middle": -wide / 2, "end": -wide}[anchor]
        self.grow((p[0] + left, p[1] - tall), (p[0] + left + wide, p[1] + tall))
        self.text(p, words, css, anchor, size)

    def mark(self, p: XY, name: str, css: str = "mark", size: float = MARK_PX) -> None:
        """A numbered or lettered mark: a disc with its name."""
        self.circle(p, 0.14 * size / MARK_PX, css)
        self.text(p, name, "mark-t", size=size)

    def handle(self, p: XY, css: str, data: Mapping[str, str], title: str) -> None:
        """Something to take hold of: a disc that keyboards reach too."""
        self.grow((p[0] - 0.1, p[1] - 0.1), (p[0] + 0.1, p[1] + 0.1))
        x, y = self._at(p).split(",")
        more = " ".join(f'{name}="{escape(value)}"' for name, value in data.items())
        self.parts.append(
            f'<g class="{css}" tabindex="0" role="button" aria-label="{escape(title)}" '
            f"{more}><title>{escape(title)}</title>"
            f'<circle cx="{x}" cy="{y}" r="10"/><path d="M{x},{y} l0,-26 m-6,8 l6,-8 l6,8"/></g>'
        )

    def path(self, points: Sequence[XY], css: str) -> None:
        """An open line through places."""
        self.grow(*points)
        self.parts.append(
            f'<polyline class="{css}" points="{" ".join(map(self._at, points))}"/>'
        )

    def raw(self, part: str) -> None:
        """A ready element."""
        self.parts.append(part)

    def svg(self, least: XY = (0.5, 0.5)) -> str:
        """The whole drawing, framed."""
        width = max(self.high[0] - self.low[0], least[0]) + 2 * self.margin
        height = max(self.high[1] - self.low[1], least[1]) + 2 * self.margin
        x = (self.low[0] - self.margin) * PX_PER_M
        y = (-self.high[1] - self.margin) * PX_PER_M
        box = f"{x:.0f} {y:.0f} {width * PX_PER_M:.0f} {height * PX_PER_M:.0f}"
        # A picture is one thing to a screen reader, unless there is something in it to go to.
        role = "group" if any('tabindex="0"' in part for part in self.parts) else "img"
        return (
            f'<svg class="drawing {self.css}" viewBox="{box}" role="{role}" '
            'xmlns="http://www.w3.org/2000/svg">'
            f"<title>{escape(self.title)}</title>{''.join(self.parts)}</svg>"
        )


def at_one_scale(drawings: Sequence[str]) -> list[str]:
    """The same drawings framed alike, so that a metre is as long in each: every frame grown, about
    its middle, to the widest and tallest of them.
    """
    frames = [
        [
            float(n)
            for n in re.search(r'viewBox="([^"]+)"', svg)[1].split()  # type: ignore[index]
        ]
        for svg in drawings
    ]
    if not frames:
        return []
    width, height = max(f[2] for f in frames), max(f[3] for f in frames)
    out = []
    for svg, (x, y, w, h) in zip(drawings, frames, strict=True):
        box = (
            f"{x - (width - w) / 2:.0f} {y - (height - h) / 2:.0f} {width:.0f} {height:.0f}"
        )
        out.append(re.sub(r'viewBox="[^"]+"', f'viewBox="{box}"', svg, count=1))
    return out


def scale_bar(paper: Paper, units: Units) -> None:
    """One metre, or three feet, under a drawing."""
    metres, words = (1.0, "1 m") if units is Units.METRIC else (0.9144, "3 ft")
    x, y = paper.low[0], paper.low[1] - 0.28
    paper.line((x, y), (x + metres, y), "bar")
    for end in (x, x + metres):
        paper.line((end, y - 0.05), (end, y + 0.05), "bar")
    paper.text((x + metres + 0.08, y), words, "t", "start", 20)
