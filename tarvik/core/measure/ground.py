"""The ground on which mats may lie: dry, with the clearances over it, as half-planes and convex obstacles."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import MultiPolygon, Polygon

from tarvik.core.measure.kernel.general import (
    MOST_OBSTACLES,
    MOST_PLANES,
    ends_and_rings,
    limits_under,
    obstacles_under,
    shade,
)
from tarvik.core.measure.kernel.level_lines import upper_corners
from tarvik.core.measure.kernel.polygon import area
from tarvik.core.measure.kernel.polygon import hull as hull_of
from tarvik.core.measure.kernel.roof import ROOM
from tarvik.core.measure.roof import Region, Roof, common, without

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.clearance import Clearance


ANYWHERE: Final = (np.zeros((0, 0, 0, 2)), np.zeros(0, dtype=np.int64), np.zeros((0, 0)))
"""No shadow that a mat's centre must lie in."""


@dataclass(frozen=True, slots=True)
class Ground:
    """Where the four rectangles of a mat may lie, as half-planes and convex obstacles (see the kernel)."""

    bounds: Floats
    planes: Floats
    plane_box: NDArray[np.int64]
    triangles: Floats
    triangle_box: NDArray[np.int64]
    area_m2: float
    hull: Floats
    cover: tuple[Floats, NDArray[np.int64], Floats] = ANYWHERE  # shadows that a centre must lie in (see the kernel)

    @classmethod
    def under(cls, roof: Roof, dry: Region | None, clearance: Clearance) -> Ground | None:
        """Ground under a roof; `dry` None means all that is covered. None when there is no room for anything."""
        planes: list[Floats] = []
        boxes: list[NDArray[np.int64]] = []
        triangles: list[Floats] = []
        triangle_boxes: list[NDArray[np.int64]] = []

        def add(region: Region, box: int) -> None:
            hull, pockets = hull_and_pockets(region)
            planes.append(hull)
            boxes.append(np.full(len(hull), box))
            triangles.append(pockets)
            triangle_boxes.append(np.full(len(pockets), box))

        if roof.rim is not None:
            for box, height in enumerate(clearance.heights()):
                planes.append(np.column_stack([roof.plane[:, :2], height - roof.plane[:, 2]]))
                boxes.append(np.full(len(roof.plane), box))
            if dry is None:
                planes.append(half_planes(roof.rim))
                boxes.append(np.zeros(len(roof.rim), dtype=np.int64))
        else:
            return cls._hollow(roof, dry, clearance)
        floor = roof.plan() if dry is None else dry
        if floor.is_empty:
            return None
        if dry is not None:
            add(dry, 0)
        xmin, ymin, xmax, ymax = floor.bounds
        return cls(
            np.array([xmin - 1, xmax + 1, ymin - 1, ymax + 1]),
            np.concatenate(planes),
            np.concatenate(boxes).astype(np.int64),
            np.concatenate(triangles) if triangles else np.zeros((0, 3, 2)),
            np.concatenate(triangle_boxes).astype(np.int64) if triangle_boxes else np.zeros(0, dtype=np.int64),
            *_usable(roof, dry, clearance.edge_m),
        )

    @classmethod
    def _hollow(cls, roof: Roof, dry: Region | None, clearance: Clearance) -> Ground | None:
        """Under a roof that is no convex lid: what is too low and, in calm air, the edges of what is covered stand in the
        way; `dry` ground stands for the edges otherwise.
        """
        faces, corners, plane = roof.faces, roof.corners, roof.plane
        if not len(corners) or (dry is not None and dry.is_empty):
            return None
        calm = np.zeros((1, 2))
        shadows, sizes = np.zeros((1, *faces.shape[:2], 2)), np.zeros((1, len(corners)))
        shade(faces, corners, calm, shadows, sizes)
        limits, limit_box = np.empty((MOST_PLANES, 3)), np.zeros(MOST_PLANES, dtype=np.int64)
        blocks, block_box = np.empty((MOST_OBSTACLES, 3, 2)), np.zeros(MOST_OBSTACLES, dtype=np.int64)
        heights = np.array(clearance.heights())
        ends, rings, ring_sizes = ends_and_rings(len(heights) + len(calm), len(corners))
        made = limits_under(faces, corners, plane, heights, limits, limit_box, shadows, sizes, ends, rings, ring_sizes)
        if made < 0:
            return None
        blocked, rims = obstacles_under(faces, corners, plane, heights, limits, ends, blocks, block_box, shadows, sizes)
        planes, plane_box, triangles, triangle_box = limits[:made], limit_box[:made], blocks[:blocked], block_box[:blocked]
        if dry is not None:
            hull, pockets = hull_and_pockets(dry)
            planes, plane_box = np.concatenate([planes, hull]), np.append(plane_box, np.zeros(len(hull), dtype=np.int64))
            triangles = np.concatenate([triangles[rims:], pockets])
            triangle_box = np.append(triangle_box[rims:], np.zeros(len(pockets), dtype=np.int64))
        low, high = faces[..., :2].reshape(-1, 2).min(axis=0) - 1, faces[..., :2].reshape(-1, 2).max(axis=0) + 1
        points = np.empty((len(corners) * ROOM, 2))
        count = upper_corners(faces, corners, plane, clearance.edge_m, points)
        ring = np.empty((2 * count + 4, 2))
        around = hull_of(points, count, ring)
        usable = roof.area_above(clearance.edge_m)
        usable = usable if dry is None else min(usable, float(dry.area))
        cover = (shadows, corners, sizes) if dry is None else ANYWHERE
        return cls(np.array([low[0], high[0], low[1], high[1]]), planes, plane_box.astype(np.int64), triangles.copy(),
                   triangle_box.astype(np.int64), usable, ring[:around].copy(), cover)  # fmt: skip


def _usable(roof: Roof, dry: Region | None, height: float) -> tuple[float, Floats]:
    """Area of the dry ground with `height` over it, and its convex hull (k, 2), anticlockwise."""
    if roof.rim is not None and dry is None:
        ring = roof.ring_above(height)
        return (float(area(ring, len(ring))), ring) if len(ring) else (0.0, np.zeros((0, 2)))
    region = roof.above(height) if dry is None else common(roof.above(height), dry)
    hull = region.convex_hull
    if not isinstance(hull, Polygon):
        return 0.0, np.zeros((0, 2))
    return float(region.area), ring_of(hull)


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
    """Half-planes of the convex hull, and what the hull has more than the region, as triangles (T, 3, 2)."""
    hull = region.convex_hull
    if not isinstance(hull, Polygon):
        return np.array([[1.0, 0.0, 1e9]]), np.zeros((0, 3, 2))
    ring = ring_of(hull)
    gap = without(hull, [region])
    parts = [g for g in shapely.get_parts(gap) if isinstance(g, (Polygon, MultiPolygon)) and g.area > 1e-9]
    triangles = [
        np.asarray(shapely.get_coordinates(t))[:3]
        for part in parts
        for t in shapely.constrained_delaunay_triangles(part).geoms
    ]
    return half_planes(ring), np.array(triangles).reshape(-1, 3, 2)
