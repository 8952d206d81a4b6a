"""Names on a map, placed so that none covers another. On the screen its script places them anew for
what is seen (`labels.js`); on paper they stay where they are put here.
"""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING, Final

from tarvik.web.drawing.svg import PX_PER_M

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from shapely.geometry.base import BaseGeometry

    from tarvik.web.drawing.svg import XY

NAME_PX: Final = 55
"""Size of names on a map that is printed."""
LETTER: Final = 0.55
"""How wide letters are, as a share of their height."""
LINE: Final = 1.15
GAP_PX: Final = 8
ON_A_SHELTER: Final = 4.0
"""A name over a shelter is as bad as one over so many points."""

_Box = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Name:
    """Words at a place (m), outside of a mark of that radius (m), centred where there is none.
    Those of a lower `rank` are placed first.
    """

    at: XY
    radius_m: float
    words: str
    css: str
    rank: int = 3


def slot(number: int) -> str:
    """What stands for a name, counted from 1, until all are known."""
    return f"<!--name {number}-->"


def lettered(svg: str, names: Sequence[Name], shelters: Sequence[BaseGeometry] = ()) -> str:
    """The drawing with its names in their slots, each where it covers no other name, and as few
    points and shelters as may be.
    """
    taken: list[_Box] = []
    marks = [_mark(name) for name in names if name.radius_m]
    cloths = [_cloth(one) for one in shelters]
    order = sorted(range(len(names)), key=lambda n: names[n].rank)
    for n in order:
        name = names[n]

        def cost(box: _Box) -> tuple[float, float]:
            over = sum(_overlap(box, one) for one in taken)
            beside = sum(_overlap(box, one) for one in marks)
            return over, beside + ON_A_SHELTER * sum(_overlap(box, one) for one in cloths)

        box = min(_places(name), key=cost)
        taken.append(box)
        svg = svg.replace(slot(n + 1), _text(name, box), 1)
    return svg


def alone(name: Name) -> str:
    """A name by itself, at its likeliest place."""
    return _text(name, next(_places(name)))


def _mark(name: Name) -> _Box:
    x, y, r = name.at[0] * PX_PER_M, -name.at[1] * PX_PER_M, name.radius_m * PX_PER_M
    return x - r, y - r, x + r, y + r


def _cloth(shape: BaseGeometry) -> _Box:
    x0, y0, x1, y1 = (v * PX_PER_M for v in shape.bounds)
    return x0, -y1, x1, -y0


def _overlap(a: _Box, b: _Box) -> float:
    wide = min(a[2], b[2]) - max(a[0], b[0])
    tall = min(a[3], b[3]) - max(a[1], b[1])
    return wide * tall if wide > 0 and tall > 0 else 0.0


def _places(name: Name) -> Iterator[_Box]:
    """Where a name may go, the likeliest first: right of its mark, left, below, above, at its
    corners, then farther off.
    """
    x, y = name.at[0] * PX_PER_M, -name.at[1] * PX_PER_M
    wide, tall = len(name.words) * NAME_PX * LETTER, NAME_PX * LINE
    if not name.radius_m:
        for step in (0.0, -1.0, 1.0, -2.0, 2.0):
            top = y - tall / 2 + step * tall * 0.6
            yield x - wide / 2, top, x + wide / 2, top + tall
        return
    for farther in (0.0, 0.6 * tall):
        far = name.radius_m * PX_PER_M + GAP_PX + farther
        near = far * 0.7
        for left, top in (
            (x + far, y - tall / 2),
            (x - far - wide, y - tall / 2),
            (x - wide / 2, y + far),
            (x - wide / 2, y - far - tall),
            (x + near, y + near),
            (x + near, y - near - tall),
            (x - near - wide, y + near),
            (x - near - wide, y - near - tall),
        ):
            yield left, top, left + wide, top + tall


def _text(name: Name, box: _Box) -> str:
    """The name where it goes, and where its mark is for the script that places it anew."""
    x, y, r = name.at[0] * PX_PER_M, -name.at[1] * PX_PER_M, name.radius_m * PX_PER_M
    middle = "" if name.radius_m else " data-middle"
    return (
        f'<text class="{name.css}" x="{box[0]:.1f}" y="{box[1] + NAME_PX * 0.9:.1f}" '
        f'font-size="{NAME_PX}" text-anchor="start" data-label="{x:.0f} {y:.0f} {r:.0f}" '
        f'data-rank="{name.rank}"{middle}>{escape(name.words)}</text>'
    )
