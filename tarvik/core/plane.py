"""Polygons in the plane, as arrays of corners in order, and the products their normals need."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

ON_EDGE: Final = 1e-9
"""A share this little under none still counts as in the triangle."""

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]


def signed_area(xy: Floats) -> Floats:
    """Area (...) of polygons (..., k, 2 or more), positive when anticlockwise (the shoelace
    formula); of points in space that of their plan.
    """
    x, y = xy[..., 0], xy[..., 1]
    inner = (x[..., :-1] * y[..., 1:] - x[..., 1:] * y[..., :-1]).sum(axis=-1)
    return np.asarray((inner + x[..., -1] * y[..., 0] - x[..., 0] * y[..., -1]) / 2)


def cross(a: Floats, b: Floats) -> Floats:
    """Cross product (..., 3) of vectors (..., 3): what `numpy.cross` gives, several times sooner
    for few vectors.
    """
    x, y, z = a[..., 0], a[..., 1], a[..., 2]
    u, v, w = b[..., 0], b[..., 1], b[..., 2]
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0], out[..., 1], out[..., 2] = y * w - z * v, z * u - x * w, x * v - y * u
    return out


def shares_in(triangles: Floats, places: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Barycentric shares (k, m, 3) of places (k, 2) in triangles (m, 3, 2 or more) seen in plan,
    and which place lies in which triangle (k, m), its edges included. No triangle may be seen
    edge-on.
    """
    a, b, c = (triangles[:, i, :2] for i in range(3))
    double = 2 * signed_area(triangles)
    px, py = places[:, 0, None], places[:, 1, None]
    t = (
        (px - a[:, 0]) * (c[:, 1] - a[:, 1]) - (py - a[:, 1]) * (c[:, 0] - a[:, 0])
    ) / double
    s = (
        (b[:, 0] - a[:, 0]) * (py - a[:, 1]) - (b[:, 1] - a[:, 1]) * (px - a[:, 0])
    ) / double
    inside = (t >= -ON_EDGE) & (s >= -ON_EDGE) & (t + s <= 1 + ON_EDGE)
    return np.stack([1 - t - s, t, s], axis=-1), inside
