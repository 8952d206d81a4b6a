"""A shelter's ground seen from above, on which wet places are tapped, and later shown."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import shapely

from tarvik.web.drawing.svg import Paper

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.measure.figures import Figures
    from tarvik.web.drawing.svg import XY

TIDY_M: Final = 0.02
"""Corners of the outline nearer to a straight side than this are left out."""
MOST_CORNERS: Final = 60
DROP_M: Final = 0.12
"""Radius of a wet place as it is drawn."""


def footprint(figures: Figures) -> tuple[XY, ...]:
    """Outline of the ground under a sheet, to the centimetre: of its largest part."""
    parts = shapely.get_parts(figures.roof.plan())
    whole = max(parts, key=lambda part: part.area, default=None)
    if whole is None or whole.is_empty:
        return ()
    ring = shapely.get_coordinates(whole.simplify(TIDY_M).exterior)[:-1][:MOST_CORNERS]
    return tuple((round(float(x), 2), round(float(y), 2)) for x, y in ring)


def beds(figures: Figures) -> tuple[tuple[XY, ...], ...]:
    """Corners of every mat, to the centimetre."""
    return tuple(
        tuple((round(float(x), 2), round(float(y), 2)) for x, y in mat.corners())
        for mat in figures.mats
    )


def wet_map(
    ground: Sequence[XY], mats: Sequence[Sequence[XY]], wet: Sequence[XY], title: str
) -> str:
    """The ground with its mats, numbered, and the wet places; the front to the left."""
    paper = Paper(title, css="wet-map", margin=0.2)
    if ground:
        paper.polygon(ground, "covered")
    for number, corners in enumerate(mats, start=1):
        paper.polygon(corners, "mat")
        middle = (sum(x for x, _ in corners) / 4, sum(y for _, y in corners) / 4)
        paper.text(middle, str(number), "t", size=26)
    for place in wet:
        paper.circle(place, DROP_M, "wet-place")
    return paper.svg()
