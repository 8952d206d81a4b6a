"""Sleepers: the most mats that lie dry and with their clearances under a roof, and where they lie.

Headings are tried every 2 degrees, places continuously: for one heading the allowed centres of a mat are an exact
polygon. One mat: any centre. Two: exact for every pair of headings. Three: exact for every arrangement in which a
straight line parts one mat from the other two. More: rows and stacks. A mat is never claimed that does not fit.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import MultiPolygon, Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.kernel import mats as kernel
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area, centroid, chord, clip
from tarvik.core.measure.roof import Region, Roof, common, without

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.clearance import Clearance

STEPS: Final = 180
"""Headings in a full turn: every 2 degrees."""
INNER_M: Final = constant("mat_inner", 1e-5, "m", ENGINEERING, "play kept to every limit, so that rounding never breaks one")
ROW_STEP_M: Final = constant("mat_row_step", 0.02, "m", ENGINEERING, "step of the places tried for a row of mats")
_MOST_ENTRIES: Final = 1600
_COARSE: Final = 3
_HOPEFUL_M: Final = 0.15
_FEW: Final = 3


@dataclass(frozen=True, slots=True)
class Mat:
    """A mat on the ground: centre (m) and heading, degrees anticlockwise from +x, pointing to the head end."""

    x: float
    y: float
    heading_deg: float
    length_m: float
    width_m: float

    def corners(self) -> Floats:
        """Corners (4, 2): head left, head right, foot right, foot left (seen looking towards the head)."""
        angle = np.radians(self.heading_deg)
        ahead = np.array([np.cos(angle), np.sin(angle)]) * self.length_m / 2
        left = np.array([-np.sin(angle), np.cos(angle)]) * self.width_m / 2
        centre = np.array([self.x, self.y])
        return np.array([centre + ahead + left, centre + ahead - left, centre - ahead - left, centre - ahead + left])

    def head(self) -> tuple[float, float]:
        """Middle of the head end."""
        angle = np.radians(self.heading_deg)
        return float(self.x + np.cos(angle) * self.length_m / 2), float(self.y + np.sin(angle) * self.length_m / 2)


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
            for box, height in enumerate(clearance.heights()):
                region = roof.above(height)
                if region.is_empty:
                    return None
                add(region, box)
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


def _usable(roof: Roof, dry: Region | None, height: float) -> tuple[float, Floats]:
    """Area of the dry ground with `height` over it, and its convex hull (k, 2), anticlockwise."""
    if roof.rim is not None and dry is None:
        ring = roof.ring_above(height)
        return (float(area(ring, len(ring))), ring) if len(ring) else (0.0, np.zeros((0, 2)))
    region = roof.above(height) if dry is None else common(roof.above(height), dry)
    hull = region.convex_hull
    if not isinstance(hull, Polygon):
        return 0.0, np.zeros((0, 2))
    return float(region.area), np.asarray(shapely.orient_polygons(hull).exterior.coords)[:-1].copy()


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
    ring = np.asarray(shapely.orient_polygons(hull).exterior.coords)[:-1]
    gap = without(hull, [region])
    parts = [g for g in shapely.get_parts(gap) if isinstance(g, (Polygon, MultiPolygon)) and g.area > 1e-9]
    triangles = [
        np.asarray(shapely.get_coordinates(t))[:3]
        for part in parts
        for t in shapely.constrained_delaunay_triangles(part).geoms
    ]
    return half_planes(ring), np.array(triangles).reshape(-1, 3, 2)


@dataclass(frozen=True, slots=True)
class _Entries:
    """Allowed centres by heading, and their support table."""

    polygons: Floats
    sizes: NDArray[np.int64]
    heading: NDArray[np.int64]
    table: Floats
    stride: int

    @property
    def count(self) -> int:
        return len(self.sizes)

    def pick(self, rows: NDArray[np.intp], stride: int) -> _Entries:
        return _Entries(self.polygons[rows], self.sizes[rows], self.heading[rows], self.table[rows], stride)


def fits_one(ground: Ground | None, stature_m: float, clearance: Clearance, *, stride: int = 1) -> bool:
    """Whether one mat fits: the same answer as `lay_mats`, sooner."""
    return ground is not None and _entries(ground, clearance.boxes(stature_m), stride, enough=1).count > 0


def _entries(ground: Ground, boxes: Floats, stride: int, enough: int = _MOST_ENTRIES) -> _Entries:
    polygons = np.empty((_MOST_ENTRIES, MOST_CORNERS, 2))
    sizes, heading = np.empty(_MOST_ENTRIES, dtype=np.int64), np.empty(_MOST_ENTRIES, dtype=np.int64)
    count = kernel.entries(
        ground.bounds, ground.planes, ground.plane_box, ground.triangles, ground.triangle_box, boxes,
        np.arange(0, STEPS, stride, dtype=np.int64), STEPS, INNER_M, enough, polygons, sizes, heading,
    )  # fmt: skip
    table = np.full((count, STEPS), -1e18)
    kernel.support_table(polygons, sizes, count, STEPS, stride, table)
    return _Entries(polygons[:count], sizes[:count], heading[:count], table, stride)


def lay_mats(ground: Ground | None, stature_m: float, clearance: Clearance, *, stride: int = 1) -> list[Mat]:
    """The most mats for equal sleepers of one stature, with places that fit.

    `stride` > 1 tries fewer headings (3: every 6 degrees), for searches over many settings.
    """
    if ground is None:
        return []
    boxes = clearance.boxes(stature_m)
    entries = _entries(ground, boxes, stride)
    if not entries.count:
        return []
    size = (clearance.mat_length(stature_m), clearance.mat_width_m)
    extents = kernel.half_extents(*size, STEPS)
    best = kernel.most_in_stack(entries.table, entries.heading, entries.count, extents, stride)
    bound = int(ground.area_m2 / (size[0] * size[1]) + 1e-9)
    places = _tidy(entries, extents, best)
    if len(places) < 2 <= bound:
        places = _pair(entries, extents) or places
    if len(places) == 2 and bound >= 3:
        places = _triple(ground, entries, extents, 2 * size[0] * size[1]) or places
    if 2 <= len(places) < bound:
        coarse = entries.pick(np.flatnonzero(entries.heading % _COARSE == 0), _COARSE)
        more = _rows(coarse if len(places) > _FEW else entries, size)
        places = more if len(more) > len(places) else places
    return [Mat(float(x), float(y), h * 360 / STEPS, *size) for x, y, h in places]


Place = tuple[float, float, int]


def _tidy(entries: _Entries, extents: Floats, wanted: int) -> list[Place]:
    """A stack of `wanted` mats: all heads one way if that holds as many, else either way, else any headings.

    Of equally tidy stacks the one with most play is laid. One mat lies where its polygon of centres is largest.
    """
    if wanted == 1:
        areas = [abs(area(entries.polygons[e], entries.sizes[e])) for e in range(entries.count)]
        widest = int(np.argmax(areas))
        x, y = centroid(entries.polygons[widest], entries.sizes[widest])
        return [(x, y, int(entries.heading[widest]))]
    which, place = np.empty(kernel.MOST_MATS, dtype=np.int64), np.empty(kernel.MOST_MATS)
    for tidy in range(3):
        k = kernel.best_stack(
            entries.table, entries.heading, entries.count, extents, entries.stride, wanted, tidy, which, place
        )
        if k >= 0:
            return [_in_stack(entries, int(e), k, float(t)) for e, t in zip(which[:wanted], place[:wanted], strict=True)]
    return []


def _in_stack(entries: _Entries, e: int, k: int, t: float) -> Place:
    """The middle of the stretch on which a centre may lie at `t` along direction k."""
    n = np.array([np.cos(2 * np.pi * k / STEPS), np.sin(2 * np.pi * k / STEPS)])
    low, high = chord(entries.polygons[e], entries.sizes[e], n[0], n[1], t)
    s = (low + high) / 2
    return n[0] * t - n[1] * s, n[1] * t + n[0] * s, int(entries.heading[e])


def _extreme(entries: _Entries, e: int, k: int) -> Floats:
    """Centre of entry `e` that lies furthest in direction k."""
    n = np.array([np.cos(2 * np.pi * k / STEPS), np.sin(2 * np.pi * k / STEPS)])
    corners = entries.polygons[e, : entries.sizes[e]]
    return np.asarray(corners[np.argmax(corners @ n)])


def _pair(entries: _Entries, extents: Floats) -> list[Place]:
    play, i, j, k = kernel.best_pair(entries.table, entries.heading, entries.count, extents, entries.stride, 0.30)
    if play < 0:
        return []
    half = STEPS // 2
    return [
        (*_extreme(entries, i, (k + half) % STEPS), int(entries.heading[i])),
        (*_extreme(entries, j, k), int(entries.heading[j])),
    ]


def _triple(ground: Ground, entries: _Entries, extents: Floats, pair_m2: float) -> list[Place]:
    """Three mats parted one from two: every 6 degrees first, then every 2 degrees about the most hopeful."""
    stride = max(entries.stride, _COARSE)
    rows = np.flatnonzero(entries.heading % stride == 0)
    coarse = entries.pick(rows, stride)
    found = _best_triple(coarse, extents, np.arange(0, STEPS, stride), ground, pair_m2)
    if found[0] < -_HOPEFUL_M or found[1] < 0:
        return []
    chosen = coarse
    if found[0] < 0:
        near = np.zeros(STEPS, dtype=bool)
        for e in found[2:5]:
            near[(coarse.heading[e] + np.arange(-_COARSE, _COARSE + 1)) % STEPS] = True
        near |= np.roll(near, STEPS // 2)
        chosen = entries.pick(np.flatnonzero(near[entries.heading]), entries.stride)
        directions = (found[1] + np.arange(-2 * _COARSE, 2 * _COARSE + 1)) % STEPS
        found = _best_triple(chosen, extents, directions[directions % entries.stride == 0], ground, pair_m2)
        if found[0] < 0:
            return []
    _, k, first, i, j, d = found
    half = STEPS // 2
    alone = _extreme(chosen, first, (k + half) % STEPS)
    edge = -chosen.table[first, (k + half) % STEPS] + 2 * extents[(chosen.heading[first] - k) % STEPS]
    places: list[Place] = [(float(alone[0]), float(alone[1]), int(chosen.heading[first]))]
    n = np.array([np.cos(2 * np.pi * k / STEPS), np.sin(2 * np.pi * k / STEPS)])
    for e, direction in ((i, (d + half) % STEPS), (j, d)):
        cut = np.empty((MOST_CORNERS, 2))
        b = edge + extents[(chosen.heading[e] - k) % STEPS]
        count = clip(chosen.polygons[e], chosen.sizes[e], n[0], n[1], b, cut)
        m = np.array([np.cos(2 * np.pi * direction / STEPS), np.sin(2 * np.pi * direction / STEPS)])
        x, y = cut[:count][np.argmax(cut[:count] @ m)]
        places.append((float(x), float(y), int(chosen.heading[e])))
    return places


def _best_triple(
    entries: _Entries, extents: Floats, directions: NDArray[np.int64], ground: Ground, pair_m2: float
) -> tuple[float, int, int, int, int, int]:
    return kernel.best_triple(
        entries.polygons, entries.sizes, entries.heading, entries.count, entries.table, extents,
        directions.astype(np.int64), entries.stride, ground.hull, pair_m2,
    )  # fmt: skip


def _rows(entries: _Entries, size: tuple[float, float]) -> list[Place]:
    row_at, row_entry = np.empty(16), np.empty(16, dtype=np.int64)
    total, made, h = kernel.rows(
        entries.polygons, entries.sizes, entries.heading, entries.count, entries.table, size[1], size[0], STEPS,
        ROW_STEP_M, 16, row_at, row_entry,
    )  # fmt: skip
    n = np.array([np.cos(2 * np.pi * h / STEPS), np.sin(2 * np.pi * h / STEPS)])
    places: list[Place] = []
    for r in range(made):
        e = int(row_entry[r])
        low, high = chord(entries.polygons[e], entries.sizes[e], n[0], n[1], row_at[r])
        fit = int((high - low) / size[1]) + 1
        gap = (high - low) / (fit - 1) if fit > 1 else 0.0
        gap = min(gap, size[1] * 1.2) if fit > 1 else 0.0
        first = (low + high) / 2 - gap * (fit - 1) / 2
        for i in range(fit):
            s = first + i * gap
            places.append((n[0] * row_at[r] - n[1] * s, n[1] * row_at[r] + n[0] * s, int(entries.heading[e])))
    return places if len(places) == total else []
