"""The self-check that no panel passes through another: every edge of each against the inside of
every other.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.kernel import crossing
from tarvik.core.kept import keep_last

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Pattern

TOUCH_M: Final = constant(
    "panels_touch",
    1e-5,
    "m",
    ENGINEERING,
    "panels that reach no further through each other than this touch, or lie on each other",
)
INSIDE: Final = 1e-4
"""Share of a triangle's width within which a point counts as on its edge, not inside it."""


@keep_last(256)
def _tests(pattern: Pattern) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Segments (T, 4), each between the middles of two pairs of points, and the triangles (T, 3) of
    other panels to try them against; those that share a corner are left out, since an edge from a
    corner cannot cross the panel there.
    """
    index = pattern.index
    edges, triangles = [], []
    fans = {
        p.id: [
            (index(p.points[0]), index(p.points[i]), index(p.points[i + 1]))
            for i in range(1, len(p.points) - 1)
        ]
        for p in pattern.panels
    }
    for one in pattern.panels:
        rim = [
            (index(a), index(b))
            for a, b in zip(one.points, (*one.points[1:], one.points[0]), strict=True)
        ]
        segments = [(a, a, b, b) for a, b in rim]
        # Lines between the middles of a triangle's sides: two mirrored panels may cross edge on
        # edge.
        segments += [
            (i, j, j, k)
            for fan in fans[one.id]
            for i, j, k in (fan, fan[1:] + fan[:1], fan[2:] + fan[:2])
        ]
        for other in pattern.panels:
            for fan in fans[other.id] if other is not one else ():
                for segment in segments:
                    ends = {segment[0]} & {segment[1]} | {segment[2]} & {
                        segment[3]
                    }  # corners it ends at
                    if not ends & set(fan):
                        edges.append(segment)
                        triangles.append(fan)
    return np.array(edges, dtype=np.intp).reshape(-1, 4), np.array(
        triangles, dtype=np.intp
    ).reshape(-1, 3)


def panels_cross(pattern: Pattern, xyz: Floats) -> NDArray[np.bool_]:
    """Which of a batch (N, P, 3) have a panel that passes through another (Moeller and Trumbore
    1997 for each edge).

    Panels may touch, share an edge or lie on each other. NaN rows do not cross.
    """
    edges, triangles = _tests(pattern)
    out = np.zeros(len(xyz), dtype=np.bool_)
    crossing(np.ascontiguousarray(xyz), edges, triangles, TOUCH_M, INSIDE, out)
    return out
