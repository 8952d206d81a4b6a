"""The room under a hung sheet: ground covered, dry, with sitting height, and where mats lie; as for
the fold, but over the hung shape. Exact polygons over the mesh, no grid.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.hang.sides import EDGE_ON_M2, Cloth, Side, united
from tarvik.core.measure.drips import splash_zones
from tarvik.core.measure.dry import outer_first
from tarvik.core.measure.figures import sitting_height, standing_height
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.mates import lay_people
from tarvik.core.measure.mats import Mat, lay_mats
from tarvik.core.measure.outline import hull_and_pockets, ring_of
from tarvik.core.measure.roof import GRID_M, Region, as_region, common, without
from tarvik.core.plane import shares_in, signed_area
from tarvik.core.weather.rain import SPREAD_STEP_DEG, Weather, fall_directions, rain_slope

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
FINE_M: Final = constant(
    "hung_dry_fine",
    0.001,
    "m",
    ENGINEERING,
    "to which the dry ground under a hung sheet is told",
)
STRAIGHT_DOWN: Final = np.zeros(2)
UPSIDE_DOWN: Final = np.array([1.0, 1.0, -1.0])
HAIRLINE_M: Final = 1e-5
"""A gap in a region narrower than twice this is rounding."""
HEADINGS_STRIDE: Final = 3
"""Headings tried for mats: every so many steps (6 degrees)."""


@dataclass(frozen=True, eq=False)
class HungRoom:
    """The roof of a hung sheet over the ground, floors left out."""

    cloth: Cloth

    @classmethod
    def under(cls, hung: Hung) -> HungRoom:
        """Room under a hung sheet."""
        mesh = hung.mesh
        # Of a quadrangle's two pairs of triangles, one after the other in the mesh, one is enough.
        rank = np.arange(len(mesh.cell)) - np.searchsorted(mesh.cell, mesh.cell)
        quad = np.array([len(ring) == 4 for ring in mesh.cells])[mesh.cell] & (
            np.bincount(mesh.cell)[mesh.cell] == 4
        )
        kept = hung.roof & ~(quad & (rank >= 2))
        stands = hung.xyz * np.array([1.0, 1.0, hung.hanging.reached])
        return cls(Cloth.of(stands, mesh.triangles[kept]))

    @cached_property
    def _triangles(self) -> Floats:
        """The cloth's triangles (m, 3, 3) as they hang."""
        return self.cloth.corners

    @cached_property
    def _sides(self) -> list[Side]:
        """The cloth as seen from straight above."""
        return self.cloth.sides(STRAIGHT_DOWN)

    @property
    def unlapped(self) -> bool:
        """Whether no cloth of it hangs over other cloth of it."""
        return len(self._sides) == 1 and self._sides[0].whole

    @property
    def peak_m(self) -> float:
        """Height of the highest point."""
        return float(self._triangles[..., 2].max(initial=0.0))

    @cached_property
    def plan(self) -> Region:
        """Ground covered."""
        return self.cloth.shadow(STRAIGHT_DOWN)

    def area_above(self, height: float) -> float:
        """Ground, m2, over which the lowest cloth is at least `height` metres up."""
        if self.peak_m < height:
            return 0.0
        if not self.unlapped:
            return float(self.above(height).area)
        over = np.sort(self._triangles[..., 2] - height, axis=1)
        area = np.abs(signed_area(self._triangles[..., :2]))
        low, middle, high = over.T
        with np.errstate(divide="ignore", invalid="ignore"):
            tip = high * high / ((high - middle) * (high - low))
            foot = low * low / ((middle - low) * (high - low))
        share = np.where(low >= 0, 1.0, np.where(middle >= 0, 1.0 - foot, tip))
        return float((area * np.where(high > 0, share, 0.0)).sum())

    def above(self, height: float) -> Region:
        """Ground over which the lowest cloth is at least `height` metres up."""
        z = self._triangles[..., 2]
        if z.max(initial=0.0) < height:
            return Polygon()
        if z.min() >= height:
            return self.plan
        if self.unlapped:
            # Turned upside down, what lies below is what hangs high enough.
            return _side_by_side(_parts_below(self._triangles * UPSIDE_DOWN, -height))
        return without(self.plan, [self._below(side, height) for side in self._sides])

    def _below(self, side: Side, height: float) -> Region:
        """Ground over which a side of the cloth hangs lower than `height` metres."""
        low = _parts_below(self._triangles[side.triangles], height)
        return _side_by_side(low) if side.whole else united(low)

    def dry(self, weather: Weather) -> Region:
        """Ground that no drop reaches, in calm air and under every wind of the spread."""
        region, slope = self.plan, rain_slope(weather)
        if slope == 0:
            return region
        falls = fall_directions(weather, _step_deg(slope * self.peak_m))
        for k in outer_first(len(falls) - 1):
            shadow = self.cloth.shadow(falls[k])
            shapely.prepare(shadow)
            if not shadow.covers(region):
                region = common(region, shadow)
        return region

    def height_at(self, xy: Floats) -> Floats:
        """Height of the lowest cloth over places (k, 2); NaN where there is none."""
        flat = self._triangles
        flat = flat[np.abs(signed_area(flat)) > EDGE_ON_M2]
        shares, inside = shares_in(flat, xy)
        z = np.where(inside, (shares * flat[:, :, 2]).sum(axis=-1), np.inf).min(
            axis=1, initial=np.inf
        )
        return np.where(np.isfinite(z), z, np.nan)


def _step_deg(travel_m: float) -> float:
    """How far apart winds may be taken so that drops which travel so far sideways are told to
    `FINE_M`: between two winds the place where a drop lands moves on an arc, and the chord of it is
    drawn.
    """
    return max(
        SPREAD_STEP_DEG,
        2 * math.degrees(math.acos(max(1.0 - FINE_M / max(travel_m, FINE_M), 0.0))),
    )


def _side_by_side(parts: NDArray[np.object_]) -> Region:
    """Union of polygons that lie side by side and share whole sides."""
    if not len(parts):
        return Polygon()
    try:
        return as_region(shapely.coverage_union_all(parts[shapely.area(parts) > GRID_M]))
    except shapely.errors.GEOSException:  # rounding put a corner beside a side, not on it
        return united(parts)


def _parts_below(triangles: Floats, height: float) -> NDArray[np.object_]:
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
    return np.concatenate(out)


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
        laid = lay_people(
            ground, [p.stature_m for p in people], clearance, headings=headings
        )
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
