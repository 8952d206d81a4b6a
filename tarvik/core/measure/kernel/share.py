"""At what share of a mat's length and width, of many roofs, so many mats lie: what a climb to one
mat more goes by.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled
from tarvik.core.measure.kernel.mirror import NEITHER, headings_of, mirror_axis, mirrored
from tarvik.core.measure.kernel.polygon import MOST_CORNERS
from tarvik.core.measure.kernel.quick import STEPS, general_count, quick_count
from tarvik.core.measure.kernel.roof import dome

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]


@compiled
def _heading(
    faces: Floats,
    corners: Ints,
    heights: Floats,
    boxes: Floats,
    size: Floats,
    share: float,
    falls: Floats,
    first: int,
    stride: int,
    inner: float,
    mats: int,
    axis: int,
    middle: float,
) -> int:
    """The heading of a place where so many mats lie under one roof (F, V, 3), sought from `first`
    on; -1 where they do not.
    """
    headings = headings_of(STEPS, stride, first, axis)
    plane, rim, count = np.empty((faces.shape[0], 3)), np.empty((MOST_CORNERS, 2)), 0
    if falls.shape[0] == 1:
        count = dome(faces, corners, plane, rim)
    length, width = share * size[0], share * size[1]
    if count:
        number, heading = quick_count(
            plane,
            rim,
            count,
            heights,
            share * boxes,
            length,
            width,
            headings,
            stride,
            inner,
            mats,
            mats,
            axis,
            middle,
        )
    else:
        number, heading = general_count(
            faces,
            corners,
            heights,
            share * boxes,
            length,
            width,
            falls,
            headings,
            stride,
            inner,
            mats,
            mats,
            axis,
            middle,
        )
    return heading if number >= mats else -1


@compiled
def highest_share(
    faces: Floats,
    corners: Ints,
    heights: Floats,
    boxes: Floats,
    size: Floats,
    mats: int,
    order: Ints,
    stride: int,
    inner: float,
    little: Floats,
    most: Floats,
    every_fall: Floats,
    share: float,
    gain: float,
    halvings: int,
) -> tuple[int, float]:
    """Of roofs (N, F, V, 3) tried in `order` the one with the greatest share of a mat's length and
    width `size` (2,) at which all `mats` lie, and that share, to so many halvings; (-1, `share`)
    when none is greater by `gain`. The first that holds whole mats ends it. Every `stride`-th
    heading is tried: shares are told by `little` of the rain's falls (K, 2), with every heading by
    `most` of them; whole mats lie under `every_fall`.
    """
    best, found, first = share, -1, 0
    some = most if stride == 1 else little
    twins = np.empty((faces.shape[1], faces.shape[2], 2), dtype=np.int64)
    alike, told = NEITHER, False
    for n in order:
        if np.isnan(faces[n, 0, 0, 0]):
            continue
        if not told:
            alike, told = mirror_axis(faces[n], corners, little, every_fall, twins), True
        axis, middle = mirrored(faces[n], corners, twins, alike)
        low, high = min(best + gain, 1.0), 1.0
        at = _heading(
            faces[n],
            corners,
            heights,
            boxes,
            size,
            low,
            little,
            first,
            stride,
            inner,
            mats,
            axis,
            middle,
        )
        if at >= 0 and some.shape[0] > little.shape[0]:
            at = _heading(
                faces[n],
                corners,
                heights,
                boxes,
                size,
                low,
                some,
                at,
                stride,
                inner,
                mats,
                axis,
                middle,
            )
        if at < 0:
            continue
        first = at
        at = _heading(
            faces[n],
            corners,
            heights,
            boxes,
            size,
            high,
            little,
            first,
            stride,
            inner,
            mats,
            axis,
            middle,
        )
        if at >= 0 and most.shape[0] > little.shape[0]:
            at = _heading(
                faces[n],
                corners,
                heights,
                boxes,
                size,
                high,
                most,
                at,
                stride,
                inner,
                mats,
                axis,
                middle,
            )
        if at >= 0 and every_fall.shape[0] > most.shape[0]:
            at = _heading(
                faces[n],
                corners,
                heights,
                boxes,
                size,
                high,
                every_fall,
                at,
                stride,
                inner,
                mats,
                axis,
                middle,
            )
        if at >= 0:
            return n, 1.0
        if low == 1.0:
            continue
        for _ in range(halvings):
            between = (low + high) / 2
            at = _heading(
                faces[n],
                corners,
                heights,
                boxes,
                size,
                between,
                some,
                first,
                stride,
                inner,
                mats,
                axis,
                middle,
            )
            if at >= 0:
                low, first = between, at
            else:
                high = between
        best, found = low, n
    return found, best
