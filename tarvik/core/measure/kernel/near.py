"""Which rectangles come near to segments in the plane."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.polygon import stretch_inside

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Bools = NDArray[np.bool_]


@compiled
def _off_rectangle(x: float, y: float, half_x: float, half_y: float) -> float:
    """Distance from a place to the rectangle."""
    return float(np.hypot(max(abs(x) - half_x, 0.0), max(abs(y) - half_y, 0.0)))


@compiled
def _off_segment(x: float, y: float, ax: float, ay: float, bx: float, by: float) -> float:
    """Distance from a place to a segment."""
    dx, dy = bx - ax, by - ay
    size2 = dx * dx + dy * dy
    t = min(max(((x - ax) * dx + (y - ay) * dy) / size2, 0.0), 1.0) if size2 > 0.0 else 0.0
    return float(np.hypot(x - ax - t * dx, y - ay - t * dy))


@compiled
def near_any(rectangles: Floats, segments: Floats, reach: float, out: Bools) -> None:
    """Which rectangles (M, 5) - middle, half length, half width, heading in radians - lie nearer
    than `reach` to any segment (D, 4); a segment may be a point.
    """
    corners = np.empty((4, 2))
    for m in range(rectangles.shape[0]):
        x, y, half_x, half_y, heading = rectangles[m]
        for i in range(4):  # anticlockwise
            corners[i, 0], corners[i, 1] = (
                half_x if 0 < i < 3 else -half_x,
                half_y if i > 1 else -half_y,
            )
        c, s = np.cos(heading), np.sin(heading)
        out[m] = False
        for d in range(segments.shape[0]):
            px, py, qx, qy = (
                segments[d, 0] - x,
                segments[d, 1] - y,
                segments[d, 2] - x,
                segments[d, 3] - y,
            )
            ax, ay, bx, by = (
                c * px + s * py,
                c * py - s * px,
                c * qx + s * qy,
                c * qy - s * qx,
            )
            off = min(
                _off_rectangle(ax, ay, half_x, half_y),
                _off_rectangle(bx, by, half_x, half_y),
            )
            for i in range(4):
                off = min(off, _off_segment(corners[i, 0], corners[i, 1], ax, ay, bx, by))
            low, high = stretch_inside(corners, 4, ax, ay, bx, by)
            if off < reach or low <= high:
                out[m] = True
                break
