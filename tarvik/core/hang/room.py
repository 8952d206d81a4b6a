"""The room under a hung sheet: ground covered, dry, with sitting height, and where mats lie; as for
the fold, but over the hung shape. Exact polygons over the mesh, no grid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.drips import splash_zones
from tarvik.core.measure.figures import sitting_height, standing_height
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.mates import lay_people
from tarvik.core.measure.mats import Mat, lay_mats
from tarvik.core.measure.outline import hull_and_pockets, ring_of
from tarvik.core.measure.roof import GRID_M, Region, as_region, common, joined, without
from tarvik.core.plane import shares_in, signed_area
from tarvik.core.weather.rain import Weather, fall_directions, rain_slope

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.body import Body
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.hung import Hung
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.lying import Lying

EASE_M: Final = constant(
    "hung_ease",
    0.005,
    "m",
    ENGINEERING,
    "outlines of ground under a hung sheet are drawn in by this and made of fewer corners",
)
EDGE_ON_M2: Final = 5e-11
"""A triangle that covers less ground is seen edge-on."""
UPSIDE_DOWN: Final = np.array([1.0, 1.0, -1.0])
HAIRLINE_M: Final = 1e-5
"""A gap in a region narrower than twice this is rounding."""
HEADINGS_STRIDE: Final = 3
"""Headings tried for mats: every so many steps (6 degrees)."""


@dataclass(frozen=True, eq=False)
class Layer:
    """Some of a hung sheet's cells: those of equally many corners together (k, c, 3), triangles (m,
    3, 3), and their rims (k, 3), the outer one first; no rims where they are not plain rings.
    """

    cells: tuple[Floats, ...]
    triangles: Floats
    rims: tuple[Floats, ...]

    @classmethod
    def of(cls, hung: Hung, kept: NDArray[np.bool_], whole: NDArray[np.bool_]) -> Layer:
        """Those cells of which triangles are in the `whole` (m,), drawn by the triangles `kept`
        (m,).
        """
        mesh, xyz = hung.mesh, hung.xyz
        rings = [mesh.cells[cell] for cell in np.unique(mesh.cell[whole])]
        by_size: dict[int, list[tuple[int, ...]]] = {}
        for ring in rings:
            by_size.setdefault(len(ring), []).append(ring)
        return cls(
            tuple(xyz[np.array(some)] for some in by_size.values()),
            xyz[mesh.triangles[kept & whole]],
            tuple(xyz[ring] for ring in _rims(rings)),
        )

    def outline(self, travel: Floats) -> Region | None:
        """Ground that it shelters when rain moves `travel` (2,) sideways per metre of fall, where
        no part of it laps over another as seen along the rain: then all of it is seen from one
        side, and what its rims enclose is sheltered. None where it laps.
        """
        if not self.rims:
            return None
        area = signed_area(self.triangles[..., :2] + self.triangles[..., 2:] * travel)
        if (area * np.sign(area.sum())).min(initial=0.0) < -EDGE_ON_M2:
            return None
        outer, *holes = (ring[:, :2] + ring[:, 2:] * travel for ring in self.rims)
        region = Polygon(outer, holes)
        return region if region.is_valid else None

    def shadow(self, travel: Floats) -> Region:
        """The same, lapped or not."""
        plain = self.outline(travel)
        if plain is not None:
            return plain
        rings = [rings[..., :2] + rings[..., 2:] * travel for rings in self.cells]
        return _united([np.asarray(shapely.polygons(some)) for some in rings])

    @cached_property
    def unlapped(self) -> bool:
        """Whether no cloth of it hangs over other cloth of it."""
        return self.outline(np.zeros(2)) is not None

    def below(self, height: float) -> Region:
        """Ground over which its lowest cloth is lower than `height` metres."""
        low = _parts_below(self.triangles, height)
        return _side_by_side(low) if self.unlapped else _united(low)

    def above(self, height: float) -> Region:
        """Ground over which it hangs at least `height` metres up, where no cloth of it laps."""
        # Turned upside down, what lies below is what hangs high enough.
        return _side_by_side(_parts_below(self.triangles * UPSIDE_DOWN, -height))


@dataclass(frozen=True, eq=False)
class HungRoom:
    """The roof of a hung sheet over the ground, floors left out: the `whole` of it, and its
    `panels`.
    """

    whole: Layer
    panels: tuple[Layer, ...]

    @classmethod
    def under(cls, hung: Hung) -> HungRoom:
        """Room under a hung sheet."""
        mesh = hung.mesh
        # Of a quadrangle's two pairs of triangles, one after the other in the mesh, one is enough.
        rank = np.arange(len(mesh.cell)) - np.searchsorted(mesh.cell, mesh.cell)
        quad = np.array([len(ring) == 4 for ring in mesh.cells])[mesh.cell] & (
            np.bincount(mesh.cell)[mesh.cell] == 4
        )
        kept = ~(quad & (rank >= 2))
        whole = Layer.of(hung, kept, hung.roof)
        if whole.unlapped:
            return cls(whole, (whole,))
        own = (hung.roof & (mesh.panel == panel) for panel in np.unique(mesh.panel[hung.roof]))
        return cls(whole, tuple(Layer.of(hung, kept, one) for one in own))

    @property
    def peak_m(self) -> float:
        """Height of the highest point."""
        return float(self.whole.triangles[..., 2].max(initial=0.0))

    @cached_property
    def plan(self) -> Region:
        """Ground covered."""
        return self._shadow(np.zeros(2))

    def _shadow(self, travel: Floats) -> Region:
        """Ground sheltered when rain moves `travel` (2,) sideways per metre of fall."""
        plain = self.whole.outline(travel)
        return plain if plain is not None else joined([p.shadow(travel) for p in self.panels])

    def area_above(self, height: float) -> float:
        """Ground, m2, over which the lowest cloth is at least `height` metres up."""
        if self.peak_m < height:
            return 0.0
        if not self.whole.unlapped:
            return float(self.above(height).area)
        over = np.sort(self.whole.triangles[..., 2] - height, axis=1)
        area = np.abs(signed_area(self.whole.triangles[..., :2]))
        low, middle, high = over.T
        with np.errstate(divide="ignore", invalid="ignore"):
            tip = high * high / ((high - middle) * (high - low))
            foot = low * low / ((middle - low) * (high - low))
        share = np.where(low >= 0, 1.0, np.where(middle >= 0, 1.0 - foot, tip))
        return float((area * np.where(high > 0, share, 0.0)).sum())

    def above(self, height: float) -> Region:
        """Ground over which the lowest cloth is at least `height` metres up."""
        z = self.whole.triangles[..., 2]
        if z.max(initial=0.0) < height:
            return Polygon()
        if z.min() >= height:
            return self.plan
        if self.whole.unlapped:
            return self.whole.above(height)
        return without(self.plan, [panel.below(height) for panel in self.panels])

    def dry(self, weather: Weather) -> Region:
        """Ground that no drop reaches, in calm air and under every wind of the spread."""
        region = self.plan
        if rain_slope(weather) > 0:
            for travel in fall_directions(weather)[1:]:
                region = common(region, self._shadow(travel))
        return region

    def height_at(self, xy: Floats) -> Floats:
        """Height of the lowest cloth over places (k, 2); NaN where there is none."""
        flat = self.whole.triangles
        flat = flat[np.abs(signed_area(flat)) > EDGE_ON_M2]
        shares, inside = shares_in(flat, xy)
        z = np.where(inside, (shares * flat[:, :, 2]).sum(axis=-1), np.inf).min(
            axis=1, initial=np.inf
        )
        return np.where(np.isfinite(z), z, np.nan)


def _rims(cells: Sequence[tuple[int, ...]]) -> list[list[int]]:
    """The rims of cells that all turn the same way, each as a ring of nodes, the outer one first;
    none where two of them touch or the cells lie in several parts.
    """
    sides = {side for ring in cells for side in zip(ring, (*ring[1:], ring[0]), strict=True)}
    rim = [(a, b) for a, b in sides if (b, a) not in sides]
    onward = dict(rim)
    if len(onward) < len(rim):
        return []
    rings: list[list[int]] = []
    while onward:
        start, ring = next(iter(onward)), []
        at = start
        while at in onward:
            ring.append(at)
            at = onward.pop(at)
        if at != start:
            return []
        rings.append(ring)
    # A sheet in one part has one rim more than it has holes: nodes - sides + cells tells which.
    nodes = {node for ring in cells for node in ring}
    pairs = {frozenset(side) for side in sides}
    if len(nodes) - len(pairs) + len(cells) != 2 - len(rings):
        return []
    return sorted(rings, key=len, reverse=True)


def _side_by_side(shapes: Sequence[NDArray[np.object_]]) -> Region:
    """Union of polygons that lie side by side and share whole sides."""
    if not shapes:
        return Polygon()
    parts = np.concatenate(shapes)
    try:
        return as_region(shapely.coverage_union_all(parts[shapely.area(parts) > GRID_M]))
    except shapely.errors.GEOSException:  # rounding put a corner beside a side, not on it
        return _united(shapes)


def _united(shapes: Sequence[NDArray[np.object_]]) -> Region:
    """Union of polygons; quickly when, as mostly, none laps over another."""
    parts = (
        np.concatenate([np.atleast_1d(s) for s in shapes])
        if shapes
        else np.zeros(0, dtype=np.object_)
    )
    parts = parts[shapely.area(parts) > GRID_M]
    crossed = ~shapely.is_valid(parts)
    parts[crossed] = shapely.buffer(parts[crossed], 0)
    if not len(parts):
        return Polygon()
    if not crossed.any() and shapely.coverage_is_valid(parts):
        return as_region(shapely.coverage_union_all(parts))
    return as_region(shapely.union_all(parts, grid_size=GRID_M))


def _parts_below(triangles: Floats, height: float) -> list[NDArray[np.object_]]:
    """The parts of triangles (m, 3, 3) below a height, in plan: whole, with one corner and with two
    corners below it.
    """
    under = height - triangles[..., 2]
    count = (under > 0).sum(axis=1)
    out = [shapely.polygons(triangles[count == 3][..., :2])]
    for corners in (1, 2):
        some, depth = triangles[count == corners], under[count == corners]
        # Turned so that the corner that differs from the two others comes first.
        first = np.argmax((depth > 0) == (corners == 1), axis=1)
        turn = (first[:, None] + np.arange(3)) % 3
        rows = np.arange(len(some))[:, None]
        xy, depth = some[rows, turn][..., :2], depth[rows, turn]
        # From the lower end of each edge, so that both triangles on it get the same point.
        cut = []
        for k in (1, 2):
            low, high = (0, k) if corners == 1 else (k, 0)
            share = (depth[:, low] / (depth[:, low] - depth[:, high]))[:, None]
            cut.append(xy[:, low] + share * (xy[:, high] - xy[:, low]))
        ring = [xy[:, 0], *cut] if corners == 1 else [cut[0], xy[:, 1], xy[:, 2], cut[1]]
        out.append(shapely.polygons(np.stack(ring, axis=1)))
    return [part for part in out if len(part)]


@dataclass(frozen=True, eq=False)
class HungFigures:
    """What a hung sheet gives these people on one kind of night. Metres, square metres.

    `who`: which of the named people lies on each mat.
    """

    peak_m: float
    covered_area_m2: float
    dry_area_m2: float
    sit_area_m2: float
    stand_area_m2: float
    mats: tuple[Mat, ...]
    who: tuple[int, ...]
    room: HungRoom

    @property
    def sleepers(self) -> int:
        """Largest number of mats that lie dry with their clearances."""
        return len(self.mats)


# Where sides fall together the overlays of GEOS divide by zero and go on; NumPy would warn of it.
@np.errstate(divide="ignore", invalid="ignore")
def measure_hung(
    hung: Hung,
    body: Body,
    weather: Weather,
    clearance: Clearance,
    lying: Lying,
    people: Sequence[Body] = (),
) -> HungFigures:
    """Measure a hung sheet for as many sleepers of one stature as fit, or for the named
    `people`.
    """
    room = HungRoom.under(hung)
    dry = room.dry(weather)
    splashed = splash_zones(hung.shelter, weather.splash_m) if weather.splash_m else ()
    beds = without(dry, [Polygon(zone) for zone in splashed])
    ground = _ground(room, beds, clearance)
    headings = lying.headings(hung.shelter)
    if people:
        laid = lay_people(ground, [p.stature_m for p in people], clearance, headings=headings)
    else:
        mats = lay_mats(
            ground, body.stature_m, clearance, stride=HEADINGS_STRIDE, headings=headings
        )
        laid = list(enumerate(mats))
    return HungFigures(
        room.peak_m,
        float(room.plan.area),
        float(dry.area),
        room.area_above(sitting_height(body)),
        room.area_above(standing_height(body)),
        tuple(mat for _, mat in laid),
        tuple(person for person, _ in laid) if people else (),
        room,
    )


def _ground(room: HungRoom, dry: Region, clearance: Clearance) -> Ground | None:
    """Where mats may lie: on dry ground, and with each clearance over its part of the mat."""
    planes: list[Floats] = []
    plane_box: list[NDArray[np.int64]] = []
    triangles: list[Floats] = []
    triangle_box: list[NDArray[np.int64]] = []
    usable: Region = dry
    for box, height in enumerate(clearance.heights()):
        region = room.above(height)
        if box == 0:
            region = common(region, dry)
            usable = region
        region = _eased(region)
        if region.is_empty:
            return None
        hull, pockets = hull_and_pockets(region)
        planes.append(hull)
        plane_box.append(np.full(len(hull), box, dtype=np.int64))
        triangles.append(pockets)
        triangle_box.append(np.full(len(pockets), box, dtype=np.int64))
    around = usable.convex_hull
    if not isinstance(around, Polygon):
        return None
    low_x, low_y, high_x, high_y = usable.bounds
    return Ground(
        np.array([low_x - 1, high_x + 1, low_y - 1, high_y + 1]),
        np.concatenate(planes),
        np.concatenate(plane_box),
        np.concatenate(triangles),
        np.concatenate(triangle_box),
        float(usable.area),
        ring_of(around),
    )


def _eased(region: Region) -> Region:
    """A little smaller than a region and with fewer corners, so that what fits in it fits in the
    region.

    First its hairlines are closed: rounding leaves some where many cells meet, and each would
    become a gap that no mat may lie over.
    """
    whole = region.buffer(HAIRLINE_M, join_style="mitre")
    inner = as_region(whole.buffer(-EASE_M - HAIRLINE_M, join_style="mitre"))
    eased = as_region(inner.simplify(0.8 * EASE_M))
    return eased if eased.is_valid else as_region(eased.buffer(0))
