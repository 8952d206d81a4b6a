"""Names on a map, placed so that none covers another. On the screen its script places them anew for
what is seen (`labels.js`); on paper they stay where they are put here.
"""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING, Final

import shapely
import shapely.affinity

from tarvik.web.drawing.boxes import LINE, overlap
from tarvik.web.drawing.svg import LETTER, PX_PER_M

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from shapely.geometry.base import BaseGeometry

    from tarvik.web.drawing.boxes import Box
    from tarvik.web.drawing.svg import XY

NAME_PX: Final = 55
"""Size of names on a map that is printed."""
GAP_PX: Final = 8
ON_A_SHELTER: Final = 4.0
"""A name over a shelter is as bad as one over so many points."""


@dataclass(frozen=True, slots=True)
class Name:
    """Words at a place (m), outside of a mark of that radius (m), centred where there is none.
    Those of a lower `rank` are placed first. `size`: of the letters, in pixels of the drawing.
    """

    at: XY
    radius_m: float
    words: str
    css: str
    rank: int = 3
    size: float = NAME_PX


def slot(number: int) -> str:
    """What stands for a name, counted from 1, until all are known."""
    return f"<!--name {number}-->"


def lettered(
    svg: str,
    names: Sequence[Name],
    shelters: Sequence[BaseGeometry] = (),
    needed: int | None = None,
    within: tuple[XY, XY] | None = None,
) -> str:
    """The drawing with its names in their slots, each where it covers no other name, and as few
    points and shelters as may be, and `within` two corners (m). Those of a rank above `needed` are
    left out where they find no room.
    """
    taken: list[Box] = []
    marks = [_mark(name) for name in names if name.radius_m]
    cloths = [
        shapely.affinity.scale(s, PX_PER_M, -PX_PER_M, origin=(0, 0)) for s in shelters
    ]
    shapely.prepare(cloths)
    frame = None if within is None else _frame(*within)
    order = sorted(range(len(names)), key=lambda n: names[n].rank)
    for n in order:
        name = names[n]

        def cost(box: Box) -> tuple[float, float]:
            over = sum(overlap(box, one) for one in taken)
            if frame is not None:
                over += (box[2] - box[0]) * (box[3] - box[1]) - overlap(box, frame)
            beside = sum(overlap(box, one) for one in marks)
            covered = shapely.area(shapely.intersection(shapely.box(*box), cloths)).sum()
            return over, beside + ON_A_SHELTER * float(covered)

        box = min(_places(name, frame), key=cost)
        spare = needed is not None and name.rank > needed and sum(cost(box)) > 0
        if not spare:
            taken.append(box)
        svg = svg.replace(slot(n + 1), "" if spare else _text(name, box), 1)
    return svg


def alone(name: Name) -> str:
    """A name by itself, at its likeliest place."""
    return _text(name, next(_places(name)))


def _mark(name: Name) -> Box:
    x, y, r = name.at[0] * PX_PER_M, -name.at[1] * PX_PER_M, name.radius_m * PX_PER_M
    return x - r, y - r, x + r, y + r


def _frame(low: XY, high: XY) -> Box:
    return low[0] * PX_PER_M, -high[1] * PX_PER_M, high[0] * PX_PER_M, -low[1] * PX_PER_M


def _places(name: Name, frame: Box | None = None) -> Iterator[Box]:
    """Where a name may go, the likeliest first: right of its mark, left, below, above, at its
    corners, then farther off; about its middle, inside of the frame, where it has no mark.
    """
    x, y = name.at[0] * PX_PER_M, -name.at[1] * PX_PER_M
    wide, tall = len(name.words) * name.size * LETTER, name.size * LINE
    if not name.radius_m:
        for aside in (0.0, -0.6, 0.6):
            left = x - wide / 2 + aside * wide
            if frame is not None:
                left = min(max(left, frame[0]), frame[2] - wide)
            for step in (0.0, -1.0, 1.0, -2.0, 2.0):
                top = y - tall / 2 + step * tall * 0.6
                yield left, top, left + wide, top + tall
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


def _text(name: Name, box: Box) -> str:
    """The name where it goes, and where its mark is for the script that places it anew."""
    x, y, r = name.at[0] * PX_PER_M, -name.at[1] * PX_PER_M, name.radius_m * PX_PER_M
    middle = "" if name.radius_m else ' data-middle="yes"'
    return (
        f'<text class="{name.css}" x="{box[0]:.1f}" y="{box[1] + name.size * 0.9:.1f}" '
        f'font-size="{name.size:.0f}" text-anchor="start" data-label="{x:.0f} {y:.0f} {r:.0f}" '
        f'data-rank="{name.rank}"{middle}>{escape(name.words)}</text>'
    )
