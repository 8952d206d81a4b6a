"""Main figures of many roofs at once, for the search over settings. Coarser headings, the same
rules.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.centres import entries
from tarvik.core.measure.kernel.general import MOST_FOUND, general_entries, shade
from tarvik.core.measure.kernel.level_lines import areas
from tarvik.core.measure.kernel.mats import (
    MOST_MATS,
    best_pair,
    best_triple,
    half_extents,
    most_in_stack,
    support_table,
)
from tarvik.core.measure.kernel.mirror import (
    NEITHER,
    headings_of,
    mirror_axis,
    mirrored,
    with_images,
)
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, area
from tarvik.core.measure.kernel.roof import area_above, dome, ground_above, planes
from tarvik.core.measure.kernel.rows import rows

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

STEPS = 180


@compiled
def _planes_under(
    plane: Floats, heights: Floats, rim: Floats, count: int
) -> tuple[Floats, Ints]:
    """Half-planes of the four mat rectangles under a convex lid, and which rectangle each is
    for.
    """
    faces = plane.shape[0]
    out, box = np.empty((4 * faces + count, 3)), np.zeros(4 * faces + count, dtype=np.int64)
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        dx, dy = rim[j, 0] - rim[i, 0], rim[j, 1] - rim[i, 1]
        size = max(np.hypot(dx, dy), 1e-12)
        out[i, 0], out[i, 1] = -dy / size, dx / size
        out[i, 2] = out[i, 0] * rim[i, 0] + out[i, 1] * rim[i, 1]
    for b in range(4):
        for f in range(faces):
            row = count + b * faces + f
            out[row, 0], out[row, 1], out[row, 2] = (
                plane[f, 0],
                plane[f, 1],
                heights[b] - plane[f, 2],
            )
            box[row] = b
    return out, box


@compiled
def most_of(
    polygons: Floats,
    sizes: Ints,
    heading: Ints,
    made: int,
    headings: Ints,
    length: float,
    width: float,
    stride: int,
    wanted: int,
    room: int,
    ground: Floats,
) -> int:
    """Most mats whose centres lie in these pieces: stacks, then a pair, then three parted one from
    two, then rows.
    """
    mat = length * width
    table = np.empty((made, STEPS))
    support_table(polygons, sizes, made, STEPS, stride, table)
    extents = half_extents(length, width, STEPS)
    best = most_in_stack(table, heading, made, extents, stride)
    kind, sides = np.zeros(made, dtype=np.int64), extents.reshape(1, STEPS)
    if (
        best == 1
        and room >= 2
        and best_pair(table, heading, kind, made, sides, stride, 0.0, 0, 0)[0] >= 0
    ):
        best = 2
    if best == 2 and room >= 3 and wanted > 2:
        people = np.zeros(3, dtype=np.int64)
        found = best_triple(
            polygons,
            sizes,
            heading,
            kind,
            made,
            table,
            sides,
            people,
            headings,
            stride,
            ground,
            2 * mat,
        )
        if found[0] >= 0:
            best = 3
    if 2 <= best < min(room, wanted):
        row_at = np.empty(MOST_MATS)
        row_entry, row_mats = (
            np.empty(MOST_MATS, dtype=np.int64),
            np.empty(MOST_MATS, dtype=np.int64),
        )
        best = max(
            best,
            rows(
                polygons,
                sizes,
                heading,
                made,
                table,
                width,
                length,
                best + 1,
                row_at,
                row_entry,
                row_mats,
            )[0],
        )
    return best


@compiled
def beside(wanted: int, width: float) -> float:
    """How far apart the centres of so many mats side by side lie: where one heading has room for
    them, no other is tried.
    """
    return (wanted - 1) * width * (1 + 1e-9)


@compiled
def quick_count(
    plane: Floats,
    rim: Floats,
    count: int,
    heights: Floats,
    boxes: Floats,
    length: float,
    width: float,
    headings: Ints,
    stride: int,
    inner: float,
    wanted: int,
    least: int,
    axis: int,
    middle: float,
) -> tuple[int, int]:
    """Mats under one convex lid: stacks, then a pair, then three parted one from two. `wanted` are
    enough, and fewer than `least` as good as none. Returns how many, and the heading of the first
    place found where one mat is enough. `headings`, multiples of `stride`, are tried in their
    order: one that suited the last roof often suits this one. `axis`, `middle`: how the roof is its
    own mirror image (see mirror.py); the headings are those of one side then.
    """
    ground = ground_above(rim, count, plane, heights[0])
    mat = length * width
    room = int(area(ground, ground.shape[0]) / mat + 1e-9) if ground.shape[0] else 0
    if room < least:
        return 0, headings[0]
    half_planes, box = _planes_under(plane, heights, rim, count)
    most = STEPS // stride
    polygons = np.empty((most, MOST_CORNERS, 2))
    sizes, heading = np.empty(most, dtype=np.int64), np.empty(most, dtype=np.int64)
    bounds = np.array(
        [
            rim[:count, 0].min() - 1,
            rim[:count, 0].max() + 1,
            rim[:count, 1].min() - 1,
            rim[:count, 1].max() + 1,
        ]
    )
    made = entries(
        bounds,
        half_planes,
        box,
        np.empty((0, 3, 2)),
        np.empty(0, dtype=np.int64),
        boxes,
        headings,
        STEPS,
        inner,
        np.empty((0, 0, 0, 2)),
        np.empty(0, dtype=np.int64),
        np.empty((0, 0)),
        beside(wanted, width),
        polygons,
        sizes,
        heading,
    )
    if made == 0 or wanted == 1:
        return min(made, 1), heading[0] if made else headings[0]
    if axis >= 0:
        made = with_images(polygons, sizes, heading, made, STEPS, axis, middle)
    return most_of(
        polygons,
        sizes,
        heading,
        made,
        headings,
        length,
        width,
        stride,
        wanted,
        room,
        ground,
    ), headings[0]


@compiled
def general_count(
    faces: Floats,
    corners: Ints,
    heights: Floats,
    boxes: Floats,
    length: float,
    width: float,
    falls: Floats,
    headings: Ints,
    stride: int,
    inner: float,
    wanted: int,
    least: int,
    axis: int,
    middle: float,
) -> tuple[int, int]:
    """Mats under any roof in any rain, as `quick_count`."""
    most = MOST_FOUND * (STEPS // stride)
    polygons = np.empty((most, MOST_CORNERS, 2))
    sizes, heading, ground = (
        np.empty(most, dtype=np.int64),
        np.empty(most, dtype=np.int64),
        np.empty((MOST_CORNERS, 2)),
    )
    made, edges = general_entries(
        faces,
        corners,
        heights,
        boxes,
        falls,
        headings,
        STEPS,
        inner,
        beside(wanted, width),
        polygons,
        sizes,
        heading,
        ground,
        least * length * width,
    )
    if made == 0 or wanted == 1:
        return min(made, 1), heading[0] if made else headings[0]
    if axis >= 0:
        made = with_images(polygons, sizes, heading, made, STEPS, axis, middle)
    room = int(area(ground, edges) / (length * width) + 1e-9)
    return most_of(
        polygons,
        sizes,
        heading,
        made,
        headings,
        length,
        width,
        stride,
        wanted,
        room,
        ground[:edges],
    ), headings[0]


@compiled
def quick_areas(
    faces: Floats,
    corners: Ints,
    sit: float,
    stand: float,
    falls: Floats,
    finest: float,
    out: Floats,
    lid: Ints,
) -> None:
    """Fill `out` (N, 4): peak, sheltered, sitting and standing ground; NaN where the faces are NaN.
    `lid` (N,) tells which roofs are one convex lid in calm air.

    `faces` (N, F, V, 3) of N roofs with the same convex faces; `falls` (K, 2) the rain's sideways
    travel per metre of fall, calm first.
    """
    plane, rim = np.empty((faces.shape[1], 3)), np.empty((MOST_CORNERS, 2))
    areas_of, levels = np.empty(3), np.array([sit, stand])
    shadows = np.zeros((falls.shape[0], faces.shape[1], faces.shape[2], 2))
    sizes = np.zeros((falls.shape[0], faces.shape[1]))
    twins = np.empty((faces.shape[1], faces.shape[2], 2), dtype=np.int64)
    alike, tried = NEITHER, False
    for n in range(faces.shape[0]):
        out[n], lid[n] = np.nan, 0
        if np.isnan(faces[n, 0, 0, 0]):
            continue
        peak = 0.0
        for f in range(faces.shape[1]):
            for i in range(corners[f]):
                peak = max(peak, faces[n, f, i, 2])
        out[n, 0] = peak
        count = dome(faces[n], corners, plane, rim) if falls.shape[0] == 1 else 0
        if count:
            lid[n] = 1
            out[n, 1] = area(rim, count)
            out[n, 2] = area_above(rim, count, plane, sit)
            out[n, 3] = area_above(rim, count, plane, stand)
        else:
            if not tried:
                alike, tried = mirror_axis(faces[n], corners, falls, falls, twins), True
            axis, middle = mirrored(faces[n], corners, twins, alike)
            planes(faces[n], corners, plane)
            shade(faces[n], corners, falls, shadows, sizes)
            areas(
                faces[n],
                corners,
                plane,
                shadows,
                sizes,
                levels,
                finest,
                axis == 1,
                middle,
                areas_of,
            )
            out[n, 1], out[n, 2], out[n, 3] = areas_of[0], areas_of[1], areas_of[2]


@compiled
def best_case(
    faces: Floats,
    corners: Ints,
    heights: Floats,
    boxes: Floats,
    size: Floats,
    stride: int,
    inner: float,
    wanted: int,
    falls: Floats,
    every_fall: Floats,
    lid: Ints,
    covered: Floats,
    worth: Floats,
    order: Ints,
    mat_worth: float,
    more_than: float,
) -> tuple[int, int]:
    """The case that is worth most, mats included, and its number of mats; (-1, 0) when none is
    worth more than `more_than`.

    `worth` (N,) is each case's worth without its mats. Cases are tried in `order`; one whose worth
    with all the mats that its sheltered ground could hold does not come up to the best so far is
    passed over. Mats are counted in the rain of some `falls` (K, 2), and of a case that would be
    the best in that of `every_fall`.
    """
    plane, rim = np.empty((faces.shape[1], 3)), np.empty((MOST_CORNERS, 2))
    mat = size[0] * size[1]
    best, found, mats, first = more_than, -1, 0, 0
    twins = np.empty((faces.shape[1], faces.shape[2], 2), dtype=np.int64)
    alike = NEITHER
    if order.size and STEPS // 2 % stride == 0:
        alike = mirror_axis(faces[order[0]], corners, falls, every_fall, twins)
    for n in order:
        if np.isnan(worth[n]) or worth[n] < -1e17:
            continue
        room = min(int(covered[n] / mat * 1.02 + 1e-9), wanted)
        if worth[n] + mat_worth * room <= best:
            continue
        least = max(
            1, int((best - worth[n]) / mat_worth) + 1
        )  # fewer would not be the best
        axis, middle = mirrored(faces[n], corners, twins, alike)
        headings = headings_of(STEPS, stride, first, axis)
        if room == 0:
            number = 0
        elif lid[n]:
            count = dome(faces[n], corners, plane, rim)
            number, first = quick_count(
                plane,
                rim,
                count,
                heights,
                boxes,
                size[0],
                size[1],
                headings,
                stride,
                inner,
                wanted,
                least,
                axis,
                middle,
            )
        else:
            number, first = general_count(
                faces[n],
                corners,
                heights,
                boxes,
                size[0],
                size[1],
                falls,
                headings,
                stride,
                inner,
                wanted,
                least,
                axis,
                middle,
            )
        total = worth[n] + mat_worth * min(number, wanted)
        if total > best and number > 0 and every_fall.shape[0] > falls.shape[0]:
            headings = headings_of(STEPS, stride, first, axis)
            number, first = general_count(
                faces[n],
                corners,
                heights,
                boxes,
                size[0],
                size[1],
                every_fall,
                headings,
                stride,
                inner,
                wanted,
                least,
                axis,
                middle,
            )
            total = worth[n] + mat_worth * min(number, wanted)
        if total > best:
            best, found, mats = total, n, number
    return found, mats
