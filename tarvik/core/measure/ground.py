"""The ground on which mats may lie: dry, with the clearances over it, as half-planes and convex
obstacles.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.measure.kernel.extent import regions
from tarvik.core.measure.kernel.general import (
    MOST_OBSTACLES,
    MOST_PLANES,
    OBSTACLE_CORNERS,
    ends_and_rings,
    limits_under,
    obstacles_under,
    shade,
)
from tarvik.core.measure.kernel.level_lines import upper_corners
from tarvik.core.measure.kernel.mirror import NEITHER
from tarvik.core.measure.kernel.polygon import area
from tarvik.core.measure.kernel.polygon import hull as hull_of
from tarvik.core.measure.kernel.roof import ROOM
from tarvik.core.measure.outline import half_planes

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.dry import DryGround
    from tarvik.core.measure.roof import Roof


ANYWHERE: Final = (np.zeros((0, 0, 0, 2)), np.zeros(0, dtype=np.int64), np.zeros((0, 0)))
"""No shadow that a mat's centre must lie in."""
CALM_FALL: Final = np.zeros((1, 2))
"""Rain that falls straight down."""


@dataclass(frozen=True, slots=True)
class Ground:
    """Where the four rectangles of a mat may lie, as half-planes and convex obstacles (see the
    kernel).
    """

    bounds: Floats
    planes: Floats
    plane_box: NDArray[np.int64]
    obstacles: Floats  # (T, P, 2), of fewer corners: the last one again
    obstacle_box: NDArray[np.int64]
    area_m2: float
    hull: Floats
    cover: tuple[Floats, NDArray[np.int64], Floats] = (
        ANYWHERE  # shadows that a centre must lie in (see the kernel)
    )
    mirror: tuple[int, float] = (NEITHER, 0.0)  # see `Roof.mirror`

    @classmethod
    def under(
        cls, roof: Roof, dry: DryGround | None, clearance: Clearance
    ) -> Ground | None:
        """Ground under a roof; `dry` None means all that is covered. None when there is no room for
        anything.
        """
        if roof.rim is None:
            return cls._hollow(roof, dry, clearance)
        if dry is not None and not dry.area_m2:
            return None
        planes = [
            np.column_stack([roof.plane[:, :2], height - roof.plane[:, 2]])
            for height in clearance.heights()
        ]
        boxes = np.repeat(np.arange(len(planes)), len(roof.plane))
        limits, pockets = (
            (half_planes(roof.rim), np.zeros((0, 3, 2)))
            if dry is None
            else dry.hull_and_pockets
        )
        every, box = (
            np.concatenate([*planes, limits]),
            np.append(boxes, np.zeros(len(limits), dtype=np.int64)),
        )
        bounds = _about(roof.rim)
        outline, corners, _ = regions(
            bounds, every, box, 1
        )  # of a mat's edge, and so of the whole mat
        hull = outline[0, : corners[0]].copy()
        usable = float(area(hull, len(hull)))
        return cls(
            bounds,
            every,
            box,
            pockets,
            np.zeros(len(pockets), dtype=np.int64),
            usable if dry is None else min(usable, dry.area_m2),
            hull,
            ANYWHERE,
            _mirror(roof, dry),
        )

    @classmethod
    def _hollow(
        cls, roof: Roof, dry: DryGround | None, clearance: Clearance
    ) -> Ground | None:
        """Under a roof that is no convex lid: what is too low and, in calm air, the edges of what
        is covered stand in the way; `dry` ground stands for the edges otherwise.
        """
        faces, corners, plane = roof.faces, roof.corners, roof.plane
        if not len(corners) or (dry is not None and not dry.area_m2):
            return None
        shadows, sizes = np.zeros((1, *faces.shape[:2], 2)), np.zeros((1, len(corners)))
        shade(faces, corners, CALM_FALL, shadows, sizes)
        limits, limit_box = (
            np.empty((MOST_PLANES, 3)),
            np.zeros(MOST_PLANES, dtype=np.int64),
        )
        blocks = np.empty((MOST_OBSTACLES, OBSTACLE_CORNERS, 2))
        block_box = np.zeros(MOST_OBSTACLES, dtype=np.int64)
        heights = np.array(clearance.heights())
        ends, rings, ring_sizes = ends_and_rings(
            len(heights) + len(CALM_FALL), len(corners)
        )
        made = limits_under(
            faces,
            corners,
            plane,
            heights,
            limits,
            limit_box,
            shadows,
            sizes,
            ends,
            rings,
            ring_sizes,
        )
        if made < 0:
            return None
        blocked, rims = obstacles_under(
            faces, corners, plane, heights, limits, ends, blocks, block_box, shadows, sizes
        )
        planes, plane_box, obstacles, obstacle_box = (
            limits[:made],
            limit_box[:made],
            blocks[:blocked],
            block_box[:blocked],
        )
        if dry is not None:
            hull, pockets = dry.hull_and_pockets
            planes = np.concatenate([planes, hull])
            plane_box = np.append(plane_box, np.zeros(len(hull), dtype=np.int64))
            pockets = np.concatenate(
                [pockets, np.repeat(pockets[:, -1:], OBSTACLE_CORNERS - 3, axis=1)], axis=1
            )
            obstacles = np.concatenate([obstacles[rims:], pockets])
            obstacle_box = np.append(
                obstacle_box[rims:], np.zeros(len(pockets), dtype=np.int64)
            )
        points = np.empty((len(corners) * ROOM, 2))
        count = upper_corners(faces, corners, plane, clearance.edge_m, points)
        ring = np.empty((2 * count + 4, 2))
        around = hull_of(points, count, ring)
        usable = roof.area_above(clearance.edge_m)
        usable = usable if dry is None else min(usable, dry.area_m2)
        cover = (shadows, corners, sizes) if dry is None else ANYWHERE
        return cls(
            _about(faces[..., :2].reshape(-1, 2)),
            planes,
            plane_box.astype(np.int64),
            obstacles.copy(),
            obstacle_box.astype(np.int64),
            usable,
            ring[:around].copy(),
            cover,
            _mirror(roof, dry),
        )


def _mirror(roof: Roof, dry: DryGround | None) -> tuple[int, float]:
    return roof.mirror(CALM_FALL) if dry is None else dry.mirror


def _about(points: Floats) -> Floats:
    """Bounds (x from, to, y from, to) with a metre round all points (k, 2)."""
    low, high = points.min(axis=0) - 1, points.max(axis=0) + 1
    return np.array([low[0], high[0], low[1], high[1]])
