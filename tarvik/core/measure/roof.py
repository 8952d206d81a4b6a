"""The roof over the ground: its faces as planes, the ground it covers, its height anywhere, the
ground under a height.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import MultiPolygon, Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.measure.kernel.level_lines import area_under
from tarvik.core.measure.kernel.mirror import mirror_of
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area
from tarvik.core.measure.kernel.roof import area_above, dome, ground_above, hollow, planes
from tarvik.core.plane import cross
from tarvik.core.shelter import MOST_KEPT, Shelter

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Face

GRID_M: Final = constant(
    "overlay_grid", 1e-10, "m", ENGINEERING, "grid to which overlays of regions are rounded"
)
Region = Polygon | MultiPolygon


@dataclass(frozen=True, eq=False)
class Roof:
    """All faces but floors.

    `faces` (F, V, 3), convex, padded, `corners` (F,), `plane` (F, 3) with z = gx x + gy y + c (NaN
    for a vertical face). `rim` (k, 2), anticlockwise, is the plan when the roof is one convex lid,
    else None.
    """

    faces: Floats
    corners: NDArray[np.int64]
    plane: Floats
    rim: Floats | None

    @classmethod
    def over(cls, faces: Sequence[Face]) -> Roof:
        """Roof of a shelter's faces; hollow ones are taken in triangles."""
        kept = [face.xyz for face in faces if face.role is not Role.FLOOR]
        packed, corners = pack(kept)
        if hollow(packed, corners) >= 0:
            kept = [part for face in kept for part in _convex(face)]
            packed, corners = pack(kept)
        plane = np.empty((len(kept), 3))
        rim = np.empty((MOST_CORNERS, 2))
        count = dome(packed, corners, plane, rim)
        if not count:
            planes(packed, corners, plane)
        return cls(packed, corners, plane, rim[:count].copy() if count else None)

    def mirror(self, falls: Floats) -> tuple[int, float]:
        """Whether the roof, and rain along `falls` (K, 2) on it, is its own mirror image: of its x
        (0), of its y (1) or neither (-1), and about what middle.
        """
        return mirror_of(self.faces, self.corners, falls)

    @property
    def peak_m(self) -> float:
        """Height of the highest point."""
        return max(
            (float(f[:n, 2].max()) for f, n in zip(self.faces, self.corners, strict=True)),
            default=0.0,
        )

    def plan(self) -> Region:
        """Ground covered: the union of the plan projections of all faces."""
        if self.rim is not None:
            return Polygon(self.rim)
        return joined([Polygon(f[:n, :2]).buffer(0) for f, n in self._level_faces()])

    def above(self, height: float) -> Region:
        """Ground over which the lowest face is at least `height` metres up, exactly (polygons, no
        grid).
        """
        if self.rim is not None:
            ring = self.ring_above(height)
            return Polygon(ring) if len(ring) >= 3 else Polygon()
        low = [
            _part_below(face[:n, :2], plane, height)
            for face, n, plane in zip(self.faces, self.corners, self.plane, strict=True)
            if not np.isnan(plane[0])
        ]
        return without(self.plan(), low)

    def area_above(self, height: float) -> float:
        """Area of `above(height)`."""
        if self.rim is not None:
            room = np.zeros((MOST_CORNERS, 2))
            room[: len(self.rim)] = self.rim
            return float(area_above(room, len(self.rim), self.plane, height))
        return (
            float(area_under(self.faces, self.corners, self.plane, height))
            if len(self.corners)
            else 0.0
        )

    @cached_property
    def covered_m2(self) -> float:
        """Area of `plan()`."""
        if self.rim is not None:
            return float(area(self.rim, len(self.rim)))
        return self.area_above(0.0)

    def ring_above(self, height: float) -> Floats:
        """Outline (k, 2), anticlockwise, of `above(height)` under a convex lid; empty when there is
        none.
        """
        if self.rim is None:
            raise ValueError("only a convex lid has one outline")
        room = np.zeros((MOST_CORNERS, 2))
        room[: len(self.rim)] = self.rim
        return ground_above(room, len(self.rim), self.plane, height)

    def height_at(self, xy: Floats) -> Floats:
        """Roof height (N,) over places `xy` (N, 2): the lowest face there, NaN where there is
        none.
        """
        lowest = np.full(len(xy), np.inf)
        for (face, n), plane in zip(
            self._level_faces(), self.plane[~np.isnan(self.plane[:, 0])], strict=True
        ):
            inside = _inside(face[:n, :2], xy)
            z = plane[0] * xy[:, 0] + plane[1] * xy[:, 1] + plane[2]
            lowest = np.where(inside & (z < lowest), z, lowest)
        return np.where(np.isfinite(lowest), lowest, np.nan)

    def _level_faces(self) -> list[tuple[Floats, int]]:
        return [
            (face, int(n))
            for face, n, plane in zip(self.faces, self.corners, self.plane, strict=True)
            if not np.isnan(plane[0])
        ]


@keep_last(MOST_KEPT)
def roof_of(shelter: Shelter) -> Roof:
    """The roof of a shelter, worked out once."""
    return Roof.over(shelter.faces())


def joined(parts: Sequence[Region]) -> Region:
    """Union of regions.

    Here and below all overlays are rounded to `overlay_grid`: without a grid, GEOS 3.14 gave a
    wrong difference from a region of several parts in about one case of fifty, silently.
    """
    return as_region(
        shapely.union_all([p for p in parts if not p.is_empty], grid_size=GRID_M)
    )


def without(region: Region, parts: Sequence[Region]) -> Region:
    """What is left of a region when the parts are taken away."""
    return (
        as_region(shapely.difference(region, joined(parts), grid_size=GRID_M))
        if parts
        else region
    )


def common(one: Region, two: Region) -> Region:
    """What two regions share."""
    return as_region(shapely.intersection(one, two, grid_size=GRID_M))


def pack(polygons: Sequence[Floats]) -> tuple[Floats, NDArray[np.int64]]:
    """Pad polygons (k, 3) of various lengths into (F, V, 3) with their lengths (F,)."""
    most = max((len(p) for p in polygons), default=3)
    packed = np.zeros((len(polygons), most, 3))
    for i, polygon in enumerate(polygons):
        packed[i, : len(polygon)] = polygon
    return packed, np.array([len(p) for p in polygons], dtype=np.int64)


def as_region(shape: object) -> Region:
    """The polygons of any Shapely result; stray lines and points are dropped."""
    if isinstance(shape, (Polygon, MultiPolygon)):
        return shape
    parts = [
        g for g in getattr(shape, "geoms", ()) if isinstance(g, (Polygon, MultiPolygon))
    ]
    return as_region(shapely.union_all(parts, grid_size=GRID_M)) if parts else Polygon()


def _convex(face: Floats) -> list[Floats]:
    """A face (k, 3), or its triangles when it is not convex."""
    if hollow(face[None], np.array([len(face)])) < 0:
        return [face]
    after = np.roll(face, -1, axis=0) - face
    normal = cross(np.roll(after, 1, axis=0), after).sum(axis=0)
    seen = np.delete(
        face, int(np.abs(normal).argmax()), axis=1
    )  # from the side that shows most of it
    at = {tuple(place): corner for place, corner in zip(seen.tolist(), face, strict=True)}
    triangles = shapely.get_parts(shapely.constrained_delaunay_triangles(Polygon(seen)))
    return [
        np.array([at[tuple(place)] for place in shapely.get_coordinates(t)[:3].tolist()])
        for t in triangles
    ]


def _part_below(xy: Floats, plane: Floats, height: float) -> Polygon:
    """Part of a plane's plan polygon that is below a height."""
    under = height - (xy @ plane[:2] + plane[2])
    out = []
    for i in range(len(xy)):
        j = (i + 1) % len(xy)
        if under[i] >= 0:
            out.append(xy[i])
        if (
            (under[i] > 0) != (under[j] > 0)
            and under[i] != under[j]
            and under[i] * under[j] < 0
        ):
            out.append(xy[i] + under[i] / (under[i] - under[j]) * (xy[j] - xy[i]))
    return Polygon(out).buffer(0) if len(out) >= 3 else Polygon()


def _inside(polygon: Floats, xy: Floats) -> NDArray[np.bool_]:
    """Which places lie in a simple polygon, its edge included to 1e-9 m (even-odd rule, plus the
    edges themselves).
    """
    inside = np.zeros(len(xy), dtype=bool)
    edge = np.zeros(len(xy), dtype=bool)
    for a, b in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        crosses = (a[1] > xy[:, 1]) != (b[1] > xy[:, 1])
        with np.errstate(divide="ignore", invalid="ignore"):
            at = a[0] + (xy[:, 1] - a[1]) * (b[0] - a[0]) / (b[1] - a[1])
        inside ^= crosses & (xy[:, 0] < at)
        along = b - a
        size2 = float(along @ along)
        if size2 > 0:
            t = np.clip(((xy - a) @ along) / size2, 0, 1)
            edge |= np.hypot(*(xy - a - t[:, None] * along).T) < 1e-9
    return np.asarray(inside | edge)
