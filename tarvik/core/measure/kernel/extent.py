"""Where a mat's centre may be by its extent along and across its heading alone, and by all
half-planes then. Under most roofs that hold nobody the first already tells that most headings are
too long or too wide.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area, clip

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

AREA_LEAST = 1e-12
SURELY_M = 1e-8
"""A mat longer than its room by no more than this may be so by rounding."""


@compiled
def slab(n: float, m: float, box: Floats) -> float:
    """Least value of n x + m y over the rectangle (x0, x1, y0, y1)."""
    return float(min(n * box[0], n * box[1]) + min(m * box[2], m * box[3]))


@compiled
def eased(planes: Floats, inner: float) -> Floats:
    """Half-planes (M, 3) nx, ny, b moved inwards by `inner` metres."""
    out = planes.copy()
    for m in range(planes.shape[0]):
        out[m, 2] += inner * np.hypot(planes[m, 0], planes[m, 1])
    return out


class Regions(NamedTuple):
    """Ground left to each rectangle: its corners, their number (0 where nothing is left),
    and which rectangle.
    """

    corners: Floats
    sizes: Ints
    rectangles: Ints


@compiled
def regions(bounds: Floats, planes: Floats, plane_box: Ints, rectangles: int) -> Regions:
    """The ground (`rectangles`, MOST_CORNERS, 2) that the half-planes leave to each of a mat's
    rectangles, the numbers of its corners (0 where they leave none), and the rectangles. `bounds`
    and the rest as for `entries`.
    """
    out, sizes = (
        np.empty((rectangles, MOST_CORNERS, 2)),
        np.zeros(rectangles, dtype=np.int64),
    )
    one, two = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    for b in range(rectangles):
        one[0, 0], one[0, 1], one[1, 0], one[1, 1] = (
            bounds[0],
            bounds[2],
            bounds[1],
            bounds[2],
        )
        one[2, 0], one[2, 1], one[3, 0], one[3, 1] = (
            bounds[1],
            bounds[3],
            bounds[0],
            bounds[3],
        )
        n = 4
        for m in range(planes.shape[0]):
            # With so many corners that one more could be left out, the rest of the half-planes is
            # let be.
            if plane_box[m] == b and n < MOST_CORNERS:
                n = clip(one, n, planes[m, 0], planes[m, 1], planes[m, 2], two)
                one, two = two, one
                if n == 0:
                    break
        out[b, :n], sizes[b] = one[:n], n
    return Regions(out, sizes, np.arange(rectangles))


@compiled
def extent(
    region: Floats,
    sizes: Ints,
    region_box: Ints,
    boxes: Floats,
    c: float,
    s: float,
    out: Floats,
) -> bool:
    """Where the centre may be, headed (c, s): least and greatest along and across the heading into
    `out` (4,), each rectangle (`boxes` (B, 4) along and across) within the extent of its convex
    regions; False when nowhere.
    """
    for across in range(2):
        ax, ay = (-s, c) if across else (c, s)
        low, high = -1e18, 1e18
        for r in range(sizes.size):
            if sizes[r] == 0:
                return False
            least, most = 1e18, -1e18
            for i in range(sizes[r]):
                at = ax * region[r, i, 0] + ay * region[r, i, 1]
                least, most = min(least, at), max(most, at)
            box = boxes[region_box[r]]
            low, high = (
                max(low, least - box[2 * across]),
                min(high, most - box[2 * across + 1]),
            )
        if low > high + SURELY_M:
            return False
        out[2 * across], out[2 * across + 1] = low - SURELY_M, high + SURELY_M
    return True


class Within(NamedTuple):
    """A polygon between half-planes, room to work in, and its corners (0 for none)."""

    polygon: Floats
    scratch: Floats
    corners: int


@compiled
def within_planes(
    reach: Floats,
    planes: Floats,
    plane_box: Ints,
    boxes: Floats,
    c: float,
    s: float,
    order: Ints,
    one: Floats,
    two: Floats,
) -> Within:
    """Centres at which, headed (c, s), every rectangle keeps its half-planes: (polygon, scratch,
    corners), 0 for none. `reach` (4,) is its `extent`, `planes` (M, 3) are `eased`. They are tried
    in `order` (M,), in which the one that leaves nothing moves to the front: at the next heading it
    mostly leaves nothing again.
    """
    for i in range(4):
        along, across = reach[1 if 0 < i < 3 else 0], reach[3 if i > 1 else 2]
        one[i, 0], one[i, 1] = c * along - s * across, s * along + c * across
    n = 4
    for place in range(order.size):
        m = order[place]
        nx, ny = planes[m, 0], planes[m, 1]
        b = planes[m, 2] - slab(nx * c + ny * s, -nx * s + ny * c, boxes[plane_box[m]])
        least, most = 1e18, -1e18
        for i in range(n):
            at = nx * one[i, 0] + ny * one[i, 1]
            least, most = min(least, at), max(most, at)
        if most < b:
            n = 0
        elif least < b:
            n = clip(one, n, nx, ny, b, two)
            one, two = two, one
        if n < 3:
            for k in range(place, 0, -1):
                order[k] = order[k - 1]
            order[0] = m
            return Within(one, two, 0)
    return Within(one, two, n if area(one, n) > AREA_LEAST else 0)
