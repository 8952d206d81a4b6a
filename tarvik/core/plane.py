"""Polygons in the plane, as arrays of corners in order, and the products their normals need."""

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
    x, y = xy[..., 0], xy[..., 1]
    inner = (x[..., :-1] * y[..., 1:] - x[..., 1:] * y[..., :-1]).sum(axis=-1)
    return np.asarray((inner + x[..., -1] * y[..., 0] - x[..., 0] * y[..., -1]) / 2)


def cross(a: Floats, b: Floats) -> Floats:
    """Cross product (..., 3) of vectors (..., 3): what `numpy.cross` gives, several times sooner for few vectors."""
    x, y, z = a[..., 0], a[..., 1], a[..., 2]
    u, v, w = b[..., 0], b[..., 1], b[..., 2]
    return np.stack((y * w - z * v, z * u - x * w, x * v - y * u), axis=-1)
