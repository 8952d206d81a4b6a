"""Self-checks of a folded sheet: panels tile the cloth, nothing is below the ground."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from shapely import Polygon, unary_union

from tarvik.core.constant import ENGINEERING, constant

if TYPE_CHECKING:
    from collections.abc import Mapping

    import numpy as np

    from tarvik.core.fold.pattern import Floats, Panel
    from tarvik.core.sheet import Point2, Sheet

GROUND_M: Final = constant(
    "below_ground",
    1e-6,
    "m",
    ENGINEERING,
    "a point lower than this counts as below the ground",
)


def tiling_fault_m2(
    sheet: Sheet, uv: Mapping[str, Point2], panels: tuple[Panel, ...]
) -> float:
    """Cloth not covered by the panels, covered by none of the sheet, or covered twice, in square
    metres (0 is right).
    """
    cloth = Polygon(sheet.outline)
    flats = [Polygon([uv[p] for p in panel.points]) for panel in panels]
    union = unary_union(flats)
    twice = sum(flat.area for flat in flats) - union.area
    return float(cloth.symmetric_difference(union).area + twice)


def lowest_m(xyz: Floats) -> np.float64:
    """Height of the lowest point (negative: below the ground)."""
    return xyz[..., 2].min()  # type: ignore[no-any-return]
