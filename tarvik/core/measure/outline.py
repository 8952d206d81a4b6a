"""Regions as a convex hull and what the hull has more than they: how the kernels take ground of any
shape.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import shapely
from shapely import MultiPolygon, Polygon

from tarvik.core.measure.roof import Region, without

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats


def ring_of(polygon: Polygon) -> Floats:
    """Corners (k, 2) of a polygon's outline, anticlockwise, none twice."""
    return np.asarray(shapely.orient_polygons(polygon).exterior.coords)[:-1].copy()


def half_planes(ring: Floats) -> Floats:
    """Rows nx, ny, b with n . q >= b inside an anticlockwise convex ring (k, 2)."""
    along = np.roll(ring, -1, axis=0) - ring
    size = np.hypot(along[:, 0], along[:, 1])
    keep = size > 1e-12
    normal = np.column_stack([-along[:, 1], along[:, 0]])[keep] / size[keep, None]
    return np.column_stack([normal, (normal * ring[keep]).sum(axis=1)])


def hull_and_pockets(region: Region) -> tuple[Floats, Floats]:
    """Half-planes of the convex hull, and what the hull has more than the region, as triangles (T,
    3, 2).
    """
    hull = region.convex_hull
    if not isinstance(hull, Polygon):
        return np.array([[1.0, 0.0, 1e9]]), np.zeros((0, 3, 2))
    ring = ring_of(hull)
    gap = without(hull, [region])
    parts = [
        g
        for g in shapely.get_parts(gap)
        if isinstance(g, (Polygon, MultiPolygon)) and g.area > 1e-9
    ]
    triangles = [
        np.asarray(shapely.get_coordinates(t))[:3]
        for part in parts
        for t in shapely.constrained_delaunay_triangles(part).geoms
    ]
    return half_planes(ring), np.array(triangles).reshape(-1, 3, 2)
