"""Dry ground: where no drop lands, by projecting every face along the fall of the rain. Exact
polygons, no grid.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import shapely

from tarvik.core.measure.kernel.general import shade
from tarvik.core.measure.kernel.mirror import NEITHER
from tarvik.core.measure.kernel.pieces import (
    BARE_M2,
    dry_under,
    dry_under_lid,
    hull_and_gaps,
    pieces_area,
    without_any,
)
from tarvik.core.measure.kernel.polygon import FLAT_M2
from tarvik.core.measure.outline import half_planes, hull_and_pockets
from tarvik.core.measure.roof import Region, Roof, as_region, common, joined, without
from tarvik.core.weather.rain import Weather, fall_directions, rain_slope

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

    Ints = NDArray[np.int64]


def shadow(roof: Roof, travel: Floats) -> Region:
    """Ground sheltered when rain, or light, moves `travel` (2,) sideways per metre of fall: all
    faces' shadows united.
    """
    shadows, sizes = _cast(roof, np.asarray(travel, dtype=float)[None, :])
    return _united(shadows[0], roof.corners, sizes[0])


@dataclass(frozen=True, eq=False)
class DryGround:
    """Ground that stays dry, in convex pieces that do not overlap: `points` (P, 2) and `ends` (N +
    1,), see the kernel.

    What its outline is drawn from: each of `taken` (M, V, 2) has been taken away from the roof's
    plan, and it lies in each of the `shades`: the faces' shadows (F, V, 2) and their areas (F,)
    along a fall of the rain. `mirror`: whether it is its own mirror image (see `Roof.mirror`).
    `outline`: the ground itself, where that is known already.
    """

    area_m2: float
    points: Floats
    ends: Ints
    roof: Roof
    taken: tuple[Floats, ...] = ()
    shades: tuple[tuple[Floats, Floats], ...] = ()
    mirror: tuple[int, float] = (NEITHER, 0.0)
    outline: Region | None = None

    @cached_property
    def hull_and_pockets(self) -> tuple[Floats, Floats]:
        """Half-planes (H, 3) of its convex hull, and what that has more than the ground, as
        triangles (T, 3, 2).
        """
        ring, gaps = hull_and_gaps(self.points, self.ends)
        return (half_planes(ring), gaps) if len(ring) else hull_and_pockets(self.region)

    @cached_property
    def region(self) -> Region:
        """The ground itself. Of the many margins and falls only those are overlaid that wet
        anything.
        """
        if self.outline is not None:
            return self.outline
        dry = without(
            self.roof.plan(),
            [shapely.Polygon(zone) for zones in self.taken for zone in zones],
        )
        for shadow, sizes in self.shades:
            dry = common(dry, _united(shadow, self.roof.corners, sizes))
        parts = shapely.get_parts(dry)
        return as_region(
            shapely.MultiPolygon([part for part in parts if part.area > BARE_M2])
        )  # rounding leaves crumbs

    def less(self, zones: Floats) -> DryGround:
        """This ground without convex zones (Z, V, 2)."""
        had_room, points, ends = without_any(self.points, self.ends, zones)
        size = float(pieces_area(points, ends, len(ends) - 1)) if had_room else -1.0
        return _settled(
            DryGround(size, points, ends, self.roof, (*self.taken, zones), self.shades)
        )


def _settled(dry: DryGround) -> DryGround:
    """The ground, or, when the kernel had no room for its pieces (area under 0), the same from its
    outline, in triangles.
    """
    if dry.area_m2 >= 0:
        return dry
    parts = shapely.constrained_delaunay_triangles(shapely.get_parts(dry.region))
    triangles = shapely.orient_polygons(shapely.get_parts(parts))
    points = np.array([shapely.get_coordinates(t)[:3] for t in triangles]).reshape(-1, 2)
    return replace(
        dry,
        area_m2=float(dry.region.area),
        points=points,
        ends=np.arange(0, len(points) + 1, 3),
        outline=dry.region,
    )


def dry_ground(roof: Roof, weather: Weather) -> DryGround:
    """Ground dry in calm air and under every wind of the spread. With no wind, the ground
    covered.
    """
    falls = fall_directions(weather)
    mirror = roof.mirror(falls)
    if roof.rim is not None:
        size, points, ends, margins = dry_under_lid(
            roof.rim, roof.faces, roof.corners, falls[1:]
        )
        return _settled(DryGround(size, points, ends, roof, (margins,), (), mirror))
    shadows, sizes = _cast(roof, falls)
    wets = np.zeros(len(shadows), dtype=np.bool_)
    size, points, ends = dry_under(
        shadows, roof.corners, sizes, outer_first(len(shadows) - 1), wets
    )
    if size < 0:
        wets[1:] = True  # the kernel had no room to tell which of them matter
    shades = tuple((shadows[k], sizes[k]) for k in np.flatnonzero(wets))
    return _settled(DryGround(size, points, ends, roof, (), shades, mirror))


def dry_round(roof: Roof, weather: Weather, bearings_deg: Floats) -> Floats:
    """Area (N,) of the dry ground with the wind from each of these bearings."""
    if rain_slope(weather) == 0:
        return np.full(len(bearings_deg), roof.covered_m2)
    return np.array(
        [
            dry_ground(roof, replace(weather, wind_from_deg=float(b))).area_m2
            for b in bearings_deg
        ]
    )


def _cast(roof: Roof, travels: Floats) -> tuple[Floats, Floats]:
    """Shadow (K, F, V, 2) of every face along each fall, and their areas (K, F)."""
    shadows = np.zeros((len(travels), *roof.faces.shape[:2], 2))
    sizes = np.zeros(shadows.shape[:2])
    shade(roof.faces, roof.corners, travels, shadows, sizes)
    return shadows, sizes


def _united(shadow: Floats, corners: Ints, sizes: Floats) -> Region:
    """Union of the shadows (F, V, 2) of faces, those seen edge-on apart."""
    return joined(
        [shapely.Polygon(shadow[f, : corners[f]]) for f in np.flatnonzero(sizes > FLAT_M2)]
    )


def outer_first(count: int) -> Ints:
    """Numbers from 1 to `count`, the ends first, then ever finer between them: the outer falls wet
    most.
    """
    if not count:
        return np.zeros(0, dtype=np.int64)
    step, out = 1 << max(count - 1, 1).bit_length(), dict.fromkeys((1, count))
    while step > 1:
        step //= 2
        out |= dict.fromkeys(range(1, count + 1, step))
    return np.array(list(out), dtype=np.int64)
