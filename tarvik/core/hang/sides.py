"""A sheet's cloth seen along one direction, in sides: parts of it that show one face only.

Where a sheet laps over itself as seen from there, its outline is not that of its rim. But each
part of it that shows one face, and hangs together, is seen whole and but once: what its own rim
encloses. The sheet's outline is the union of those few rims, not of hundreds of cells.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
import shapely
from shapely import Polygon

from tarvik.core.compiled import compiled
from tarvik.core.measure.roof import GRID_M, Region, as_region, joined
from tarvik.core.plane import signed_area

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

    Ints = NDArray[np.int64]
    Flags = NDArray[np.bool_]

EDGE_ON_M2: Final = 5e-11
"""A triangle that covers less ground is seen edge-on: it shows no face of its own."""
HAIR_M2: Final = 2e-8
"""A hole that is smaller is where the mesh left out a sliver of cloth."""
NOTHING: Final = -1
"""No triangle beside this one; no side yet."""


@compiled
def _between(triangles: Ints, sides: Ints, end: int) -> tuple[int, int]:
    """The last triangle of which one of the `sides` that start at a node (three times its number,
    and the corner) leads to the node `end`, and how many do.
    """
    found, times = NOTHING, 0
    for one in sides:
        if triangles[one // 3, (one % 3 + 1) % 3] == end:
            found, times = one // 3, times + 1
    return found, times


@compiled
def neighbours(triangles: Ints) -> Ints:
    """The triangle (m, 3) across the side from corner k to the next of each triangle (m, 3), -1 on
    the rim. All turn the same way on the cloth. Where rounding has left more than two triangles on
    a side, none is beside another there.
    """
    count = triangles.shape[0]
    most = 0
    for i in range(count):
        for k in range(3):
            most = max(most, triangles[i, k])
    # The sides that start at each node, in a row.
    starts = np.zeros(most + 2, dtype=np.int64)
    for i in range(count):
        for k in range(3):
            starts[triangles[i, k] + 1] += 1
    for n in range(most + 1):
        starts[n + 1] += starts[n]
    filled, row = starts.copy(), np.empty(3 * count, dtype=np.int64)
    for i in range(count):
        for k in range(3):
            node = triangles[i, k]
            row[filled[node]] = 3 * i + k
            filled[node] += 1
    beside = np.full((count, 3), NOTHING, dtype=np.int64)
    for i in range(count):
        for k in range(3):
            a, b = triangles[i, k], triangles[i, (k + 1) % 3]
            if _between(triangles, row[starts[a] : starts[a + 1]], b)[1] == 1:
                other, times = _between(triangles, row[starts[b] : starts[b + 1]], a)
                if times == 1:
                    beside[i, k] = other
    return beside


@compiled
def _labelled(beside: Ints, up: Flags) -> tuple[Ints, int]:
    """The side (m,) that each triangle is on, and how many there are: those that hang together and
    show the same face, `up` or not.
    """
    count = len(beside)
    side, found = np.full(count, NOTHING, dtype=np.int64), 0
    waiting = np.empty(3 * count + 1, dtype=np.int64)
    for first in range(count):
        if side[first] != NOTHING:
            continue
        side[first], waiting[0], left = found, first, 1
        while left:
            left -= 1
            here = waiting[left]
            for k in range(3):
                there = beside[here, k]
                if there != NOTHING and side[there] == NOTHING and up[there] == up[here]:
                    side[there], waiting[left] = found, there
                    left += 1
        found += 1
    return side, found


@compiled
def _onward(
    triangles: Ints, beside: Ints, side: Ints, here: int, corner: int
) -> tuple[int, int]:
    """The next stretch of a side's rim after that from a corner of the triangle `here` on."""
    k = (corner + 1) % 3
    node = triangles[here, k]
    while True:
        there = beside[here, k]
        if there == NOTHING or side[there] != side[here]:
            return here, k
        here = there
        for other in range(3):
            if triangles[here, other] == node:
                k = other


class Rims(NamedTuple):
    """Sides of a cloth and the rings that bound them: the side of each triangle (m,), how
    many sides, the rings' nodes in a row, where each ring ends (r,), and whose it is
    (r,).
    """

    side: Ints
    sides: int
    nodes: Ints
    ends: Ints
    owner: Ints


@compiled
def rims(triangles: Ints, beside: Ints, up: Flags) -> Rims:
    """The sides of triangles (m, 3) of which some face `up` (m,): each one's side (m,), how many
    sides, and the rings of nodes that bound them: `nodes` in a row, where each ring ends
    (r,), and whose it is (r,). A rim that comes back to a node is two rings from there on.
    """
    count = len(triangles)
    side, sides = _labelled(beside, up)
    nodes, ends = np.empty(3 * count, dtype=np.int64), np.empty(3 * count, dtype=np.int64)
    owner = np.empty(3 * count, dtype=np.int64)
    seen = np.zeros((count, 3), dtype=np.bool_)
    path, place = np.empty(3 * count, dtype=np.int64), np.full(triangles.max() + 1, NOTHING)
    written, rings = 0, 0
    for i in range(count):
        for k in range(3):
            there = beside[i, k]
            if seen[i, k] or (there != NOTHING and side[there] == side[i]):
                continue
            here, corner, length = i, k, 0
            while True:
                node = triangles[here, corner]
                back = place[node] if not seen[here, corner] else 0
                if back != NOTHING:
                    for n in range(back, length):
                        nodes[written] = path[n]
                        place[path[n]] = NOTHING
                        written += 1
                    length = back
                    ends[rings], owner[rings] = written, side[i]
                    rings += 1
                if seen[here, corner]:
                    break
                path[length], place[node] = node, length
                length += 1
                seen[here, corner] = True
                here, corner = _onward(triangles, beside, side, here, corner)
    return Rims(side, sides, nodes[:written], ends[:rings], owner[:rings])


@dataclass(frozen=True, slots=True)
class Side:
    """A part of the cloth that shows one face: the ground behind it, and its triangles (k,).
    `whole`: no part of it laps over another one.
    """

    region: Region
    triangles: Ints
    whole: bool


@dataclass(frozen=True, eq=False)
class Cloth:
    """Cloth in triangles (m, 3) of the nodes `xyz` (n, 3), and what lies `beside` each (m, 3)."""

    xyz: Floats
    triangles: Ints
    beside: Ints

    @classmethod
    def of(cls, xyz: Floats, triangles: Ints) -> Cloth:
        """Cloth of triangles that all turn the same way on the flat sheet."""
        return cls(xyz, triangles, neighbours(triangles) if len(triangles) else triangles)

    @property
    def corners(self) -> Floats:
        """Where the corners of each triangle hang (m, 3, 3)."""
        return self.xyz[self.triangles]

    def sides(self, travel: Floats) -> list[Side]:
        """Its sides as seen along rain that moves `travel` (2,) sideways per metre of fall."""
        if not len(self.triangles):
            return []
        xy = self.xyz[:, :2] + self.xyz[:, 2:] * travel
        area = signed_area(xy[self.triangles])
        up = np.where(np.abs(area) <= EDGE_ON_M2, area.sum() > 0, area > 0)
        side, count, nodes, ends, owner = rims(self.triangles, self.beside, up)
        rings = [xy[ring] for ring in np.split(nodes, ends[:-1])]
        if count == 1:
            every = np.arange(len(side))
            return [_side(rings, every, xy[self.triangles])]
        return [
            _side(
                [rings[r] for r in np.flatnonzero(owner == k)],
                np.flatnonzero(side == k),
                xy[self.triangles],
            )
            for k in range(count)
        ]

    def shadow(self, travel: Floats) -> Region:
        """Ground that it shelters from rain that moves `travel` (2,) sideways per metre of fall."""
        regions = [side.region for side in self.sides(travel)]
        if not regions:
            return Polygon()
        most = max(regions, key=lambda region: region.area)
        shapely.prepare(most)
        outside = [region for region in regions if not most.covers(region)]
        return joined([most, *outside]) if outside else most


def _side(rings: Sequence[Floats], triangles: Ints, corners: Floats) -> Side:
    """A side from its rings, drawn by its triangles where those are no plain outline. `corners`: of
    all triangles, as seen (m, 3, 2).
    """
    areas = [float(signed_area(ring)) if len(ring) > 2 else 0.0 for ring in rings]
    facing = 1.0 if sum(areas) > 0 else -1.0
    outer = [ring for ring, area in zip(rings, areas, strict=True) if area * facing > 0]
    holes = [
        ring for ring, area in zip(rings, areas, strict=True) if area * facing < -HAIR_M2
    ]
    if len(outer) == 1 or not holes:
        drawn = [Polygon(ring, holes) for ring in outer]
        plain = len(drawn) == 1 and bool(drawn[0].is_valid)
        # Where a rim crosses itself the cloth laps over itself without showing its other face, as
        # a door's two flaps do: a buffer of nothing keeps all that the rim goes round.
        region = drawn[0] if plain else joined([one.buffer(0) for one in drawn])
        return Side(region, triangles, whole=plain)
    return Side(
        united(np.asarray(shapely.polygons(corners[triangles]))), triangles, whole=False
    )


def united(parts: NDArray[np.object_]) -> Region:
    """Union of plain polygons; quickly when, as mostly, none laps over another."""
    parts = parts[shapely.area(parts) > GRID_M]
    if not len(parts):
        return Polygon()
    crossed = ~shapely.is_valid(parts)
    parts[crossed] = shapely.buffer(parts[crossed], 0)
    if not crossed.any() and shapely.coverage_is_valid(parts):
        return as_region(shapely.coverage_union_all(parts))
    return as_region(shapely.union_all(parts, grid_size=GRID_M))
