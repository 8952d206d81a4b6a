"""Dry ground: where no drop lands, by projecting every face along the fall of the rain. Exact polygons, no grid."""

from __future__ import annotations

from typing import TYPE_CHECKING

from shapely import Polygon

from tarvik.core.measure.roof import Region, Roof, common, joined
from tarvik.core.weather.rain import Weather, fall_directions, rain_slope

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats


def shadow(roof: Roof, travel: Floats) -> Region:
    """Ground sheltered when rain moves `travel` (2,) sideways per metre of fall: the union of all faces' shadows."""
    parts = []
    for face, n in zip(roof.faces, roof.corners, strict=True):
        flat = Polygon(face[:n, :2] + face[:n, 2:] * travel)
        parts.append(flat if flat.is_valid else flat.buffer(0))
    return joined(parts)


def dry_ground(roof: Roof, weather: Weather) -> Region:
    """Ground dry in calm air and under every wind of the spread. With no wind, the ground covered."""
    if rain_slope(weather) == 0:
        return roof.plan()
    dry: Region = roof.plan()
    for travel in fall_directions(weather)[1:]:
        dry = common(dry, shadow(roof, travel))
        if dry.is_empty:
            break
    return dry
