"""Polygons in the plane, as arrays of corners in order."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]


def signed_area(xy: Floats) -> Floats:
    """Area (...) of polygons (..., k, 2 or more), positive when anticlockwise (the shoelace formula); of points in space
    that of their plan.
    """
    nxt = np.roll(xy, -1, axis=-2)
    return np.asarray((xy[..., 0] * nxt[..., 1] - nxt[..., 0] * xy[..., 1]).sum(axis=-1) / 2)
