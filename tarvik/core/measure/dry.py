"""Dry ground: where no drop lands, by projecting every face along the fall of the rain. Exact polygons, no grid."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely

from tarvik.core.measure.kernel.level_lines import uncovered
from tarvik.core.measure.kernel.polygon import each_covers
from tarvik.core.measure.roof import GRID_M, Region, Roof, as_region, without
from tarvik.core.plane import signed_area
from tarvik.core.weather.rain import Weather, fall_directions, rain_slope

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

    Regions = NDArray[np.object_]

HEM_M: Final = 1e-7
"""An edge no higher than this lies on the ground."""
SLIVER_M2: Final = 1e-9
"""Shadows of faces seen edge-on: nothing."""
BARE_M2: Final = 1e-9
"""Ground so small is not looked at again."""
ONE_BY_ONE: Final = 24
"""Wet margins taken away one by one before the rest is united: where the wind meets an open side, many count."""


def shadows(roof: Roof, travels: Floats) -> Regions:
    """Ground (K,) sheltered when rain moves each of `travels` (K, 2) sideways per metre of fall: for each the union of
    all faces' shadows."""
    flat = _cast(roof, travels)
    for face, n in enumerate(roof.corners):  # padding repeats the last corner used
        flat[:, face, n:] = flat[:, face, n - 1 : n]
    parts: Regions = np.asarray(shapely.polygons(flat))
    parts[shapely.area(parts) < SLIVER_M2] = shapely.Polygon()
    crossed = ~shapely.is_valid(parts)
    parts[crossed] = shapely.buffer(parts[crossed], 0)
    return _regions(shapely.union_all(list(parts), grid_size=GRID_M, axis=1))


def _regions(shapes: object) -> Regions:
    """Any array of shapes as polygons."""
    out: Regions = np.array([as_region(shape) for shape in np.asarray(shapes)], dtype=np.object_)
    return out


def shadow(roof: Roof, travel: Floats) -> Region:
    """The shadow along one fall of the rain, or of light."""
    return as_region(shadows(roof, np.asarray(travel)[None, :])[0])


def dry_ground(roof: Roof, weather: Weather) -> Region:
    """Ground dry in calm air and under every wind of the spread. With no wind, the ground covered."""
    if rain_slope(weather) == 0:
        return roof.plan()
    if roof.rim is not None:
        return _outside(roof.plan(), _wet_margins(roof, fall_directions(weather)[1:]))
    dry: Region = roof.plan()
    falls = fall_directions(weather)[1:]
    cast, sizes = _cast_with_sizes(roof, falls)
    edges = _edges(dry) if not dry.is_empty else None
    for k in _outer_first(len(falls)):
        if edges is None:
            break
        if uncovered(edges, cast[k], sizes[k]) > BARE_M2:  # most falls wet nothing that others have left dry
            dry = as_region(shapely.intersection(dry, shadow(roof, falls[k]), grid_size=GRID_M))
            edges = _edges(dry) if not dry.is_empty else None
    return dry


def _cast(roof: Roof, travels: Floats) -> Floats:
    """Shadow (K, F, V, 2) of every face along each fall."""
    flat: Floats = roof.faces[None, :, :, :2] + roof.faces[None, :, :, 2:] * np.asarray(travels)[:, None, None, :]
    return flat


def _cast_with_sizes(roof: Roof, travels: Floats) -> tuple[Floats, NDArray[np.int64]]:
    """The shadows of `_cast`, and their corners (K, F): 0 for a face seen edge-on."""
    flat = _cast(roof, travels)
    sizes = np.zeros(flat.shape[:2], dtype=np.int64)
    for face, n in enumerate(roof.corners):
        sizes[:, face] = np.where(np.abs(signed_area(flat[:, face, :n])) > SLIVER_M2, n, 0)
    return flat, sizes


def _outer_first(count: int) -> list[int]:
    """Numbers to `count`, the ends first, then ever finer between them: the outer falls wet most."""
    step, out = 1 << max(count - 1, 1).bit_length(), dict.fromkeys((0, count - 1))
    while step > 1:
        step //= 2
        out |= dict.fromkeys(range(0, count, step))
    return list(out)


def _rings(region: Region) -> tuple[Floats, NDArray[np.int64]]:
    """Corners (n, 2) of all rings, outer ones anticlockwise, holes clockwise, and the ring (n,) of each."""
    parts = shapely.orient_polygons(shapely.get_parts(region))
    corners, ring = shapely.get_coordinates(shapely.get_rings(parts), return_index=True)
    again = np.append(ring[1:] != ring[:-1], True)  # the last of a ring is its first once more
    return corners[~again], ring[~again]


def _edges(region: Region) -> Floats:
    """Edges (k, 4) of all rings."""
    corners, ring = _rings(region)
    starts = np.flatnonzero(np.append(True, ring[1:] != ring[:-1]))
    after = np.arange(1, len(corners) + 1)
    after[np.append(starts[1:], len(corners)) - 1] = starts
    return np.hstack([corners, corners[after]])


def _outside(region: Region, quads: Floats) -> Region:
    """What is left of a region outside convex quadrilaterals (M, 4, 2). The largest share is taken away first, for most of
    the many that neighbouring falls cast lie in others, or off the region; those still left after ONE_BY_ONE together.
    """
    for _ in range(ONE_BY_ONE):
        if not len(quads) or region.is_empty:
            break
        cover = np.empty(len(quads))
        each_covers(*_rings(region), quads, cover)
        region = as_region(shapely.difference(region, shapely.Polygon(quads[np.argmax(cover)]), grid_size=GRID_M))
        quads = quads[cover > BARE_M2]
    return without(region, [shapely.Polygon(q) for q in quads])


def _wet_margins(roof: Roof, travels: Floats) -> Floats:
    """Quadrilaterals (M, 4, 2) where rain comes in under a convex lid's upwind edges: for each edge and fall a quadrilateral.

    Under a concave roof on a convex plan a ray against the rain is stopped unless it leaves the plan below the edge it
    passes; so exactly the ground within (height of the edge) x (travel per metre) downwind of an edge is wet.
    """
    edges = roof.rim_edges
    along = edges[:, 1, :2] - edges[:, 0, :2]
    inward = np.stack([-along[:, 1], along[:, 0]], axis=1)
    e, k = np.nonzero((inward @ travels.T > 0) & (edges[:, :, 2].max(axis=1) > HEM_M)[:, None])
    feet = edges[e, :, :2]
    heads = feet + edges[e, :, 2:] * travels[k][:, None, :]
    quads = np.concatenate([feet, heads[:, ::-1]], axis=1)
    return np.asarray(quads[np.abs(signed_area(quads)) > SLIVER_M2])


def dry_round(roof: Roof, weather: Weather, bearings_deg: Floats) -> Floats:
    """Area (N,) of the dry ground with the wind from each of these bearings, neighbours sharing their shadows."""
    if rain_slope(weather) == 0:
        return np.full(len(bearings_deg), roof.plan().area)
    if roof.rim is not None:
        return np.array([dry_ground(roof, replace(weather, wind_from_deg=float(b))).area for b in bearings_deg])
    falls = np.stack([fall_directions(replace(weather, wind_from_deg=float(b)))[1:] for b in bearings_deg])
    distinct, place = np.unique(np.round(falls.reshape(-1, 2), 9), axis=0, return_inverse=True)
    every = shadows(roof, distinct)[place.reshape(falls.shape[:2])]
    dry: Regions = np.full(len(bearings_deg), roof.plan(), dtype=np.object_)
    for column in every.T:
        dry = _regions(shapely.intersection(dry, column, grid_size=GRID_M))
    return np.asarray(shapely.area(dry))
