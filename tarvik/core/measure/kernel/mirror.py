"""Roofs that are their own mirror image: what is found on one side holds for the other, so half is
worked out.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.measure.kernel import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

SAME_PLACE_M = 1e-9
"""Corners nearer to each other's image than this mirror each other."""
NEITHER = -1
"""The roof is no mirror image of itself. Else 0: that of its x, 1: that of its y, about their
middle.
"""


@compiled
def middle_of(faces: Floats, corners: Ints, axis: int) -> float:
    """The middle between the least and the greatest x (`axis` 0) or y (1) of a roof."""
    low, high = 1e18, -1e18
    for f in range(corners.size):
        for i in range(corners[f]):
            low, high = min(low, faces[f, i, axis]), max(high, faces[f, i, axis])
    return (low + high) / 2


@compiled
def _images(one: Floats, two: Floats, axis: int, middle: float) -> bool:
    """Whether two corners are each other's image."""
    other = 1 - axis
    return bool(
        abs(one[axis] + two[axis] - 2 * middle) <= SAME_PLACE_M
        and abs(one[other] - two[other]) <= SAME_PLACE_M
        and abs(one[2] - two[2]) <= SAME_PLACE_M
    )


@compiled
def _twins(faces: Floats, corners: Ints, axis: int, twins: Ints) -> bool:
    """Find for every face the face that is its image: the number of the corner's image into `twins`
    (F, V, 2).
    """
    middle = middle_of(faces, corners, axis)
    for f in range(corners.size):
        found = False
        for g in range(corners.size):
            if found or corners[g] != corners[f]:
                continue
            found = True
            for i in range(corners[f]):
                twins[f, i, 0], twins[f, i, 1] = g, -1
                for j in range(corners[g]):
                    if _images(faces[f, i], faces[g, j], axis, middle):
                        twins[f, i, 1] = j
                if twins[f, i, 1] < 0:
                    found = False
                    break
        if not found:
            return False
    return True


@compiled
def _falls_alike(falls: Floats, axis: int) -> bool:
    """Whether the rain's falls (K, 2), mirrored, are the same falls."""
    for k in range(falls.shape[0]):
        found = False
        for j in range(falls.shape[0]):
            if (
                abs(falls[k, axis] + falls[j, axis]) <= SAME_PLACE_M
                and abs(falls[k, 1 - axis] - falls[j, 1 - axis]) <= SAME_PLACE_M
            ):
                found = True
        if not found:
            return False
    return True


@compiled
def mirror_axis(
    faces: Floats, corners: Ints, falls: Floats, every_fall: Floats, twins: Ints
) -> int:
    """Which way a roof, and all rain on it, is its own mirror image, y before x; which corner
    mirrors which into `twins` (F, V, 2). Other settings of the same pitch are tried by `mirrored`.
    """
    for axis in (1, 0):
        if (
            _falls_alike(falls, axis)
            and _falls_alike(every_fall, axis)
            and _twins(faces, corners, axis, twins)
        ):
            return axis
    return NEITHER


@compiled
def mirror_of(faces: Floats, corners: Ints, falls: Floats) -> tuple[int, float]:
    """Which way one roof, and all rain on it, is its own mirror image, and about what middle."""
    axis = mirror_axis(
        faces,
        corners,
        falls,
        falls,
        np.empty((faces.shape[0], faces.shape[1], 2), dtype=np.int64),
    )
    return axis, middle_of(faces, corners, axis) if axis >= 0 else 0.0


@compiled
def mirrored(faces: Floats, corners: Ints, twins: Ints, axis: int) -> tuple[int, float]:
    """The axis, and the middle, about which the corners mirror each other as told; NEITHER where
    they do not.
    """
    if axis == NEITHER:
        return NEITHER, 0.0
    middle = middle_of(faces, corners, axis)
    for f in range(corners.size):
        for i in range(corners[f]):
            if not _images(
                faces[f, i], faces[twins[f, i, 0], twins[f, i, 1]], axis, middle
            ):
                return NEITHER, 0.0
    return axis, middle


@compiled
def headings_of(steps: int, stride: int, first: int, axis: int) -> Ints:
    """Every `stride`-th of `steps` headings round, from `first` on; of a mirrored roof those of one
    side.
    """
    half = steps // 2
    if axis < 0 or half % stride:
        out = np.arange(0, steps, stride)
        for k in range(out.size):
            out[k] = (out[k] + first) % steps
        return out
    start = _start(steps, axis)
    offset = (first - start) % steps
    offset = steps - offset if offset > half else offset
    out = np.arange(0, half + 1, stride)
    for k in range(out.size):
        out[k] = (start + (out[k] + offset) % (half + stride)) % steps
    return out


@compiled
def _start(steps: int, axis: int) -> int:
    """The first of the headings of one side: those from +x on round to -x, or from +y on round to
    -y.
    """
    return 0 if axis == 1 else steps // 4


@compiled
def with_images(
    polygons: Floats,
    sizes: Ints,
    heading: Ints,
    made: int,
    steps: int,
    axis: int,
    middle: float,
) -> int:
    """Add the images of convex pieces of centres found for the headings of one side; returns how
    many there are then.
    """
    count, twice = made, 2 * _start(steps, axis)
    for e in range(made):
        image = (twice - heading[e]) % steps
        if image == heading[e] or count == sizes.size:
            continue
        n = sizes[e]
        for i in range(n):  # backwards, to go round anticlockwise again
            j = n - 1 - i
            polygons[count, i, axis] = 2 * middle - polygons[e, j, axis]
            polygons[count, i, 1 - axis] = polygons[e, j, 1 - axis]
        sizes[count], heading[count] = n, image
        count += 1
    return count
