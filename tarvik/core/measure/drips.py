"""Drips: the low edges and points at which the roof's water leaves, and the mats that lie too near
to them.

Rain drips straight down here; the wind that carries drops sideways is counted in the dry ground.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.measure.kernel.near import near_any
from tarvik.core.measure.rim import rim_edges
from tarvik.core.measure.runoff import downhill, low_points
from tarvik.core.shelter import MOST_KEPT, RECENT, Shelter

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.mats import Mat

DRIP_REACH_M: Final = constant(
    "drip_reach",
    0.10,
    "m",
    COMMON_PRACTICE,
    "a mat nearer than this to a drip line is wetted by splash",
)
_ROUND: Final = 4
"""Straight pieces that stand for a quarter of a circle."""
SOAKS_M: Final = constant(
    "drip_soaks",
    0.05,
    "m",
    COMMON_PRACTICE,
    "water from a lower edge soaks in",
)
LEVEL: Final = 1e-6
"""A slope no greater than this is none."""
RUNS_OVER: Final = constant(
    "runs_over_edge",
    0.02,
    "1",
    ENGINEERING,
    "downhill part across an edge from which water leaves over it",
)


@dataclass(frozen=True, slots=True)
class Drip:
    """An edge (two points) or a corner (one) at which water leaves; `xyz` (1 or 2, 3) its place."""

    points: tuple[str, ...]
    xyz: Floats


@keep_last(RECENT)
def drips(shelter: Shelter) -> tuple[Drip, ...]:
    """Every drip line and the low points, edges first."""
    faces = shelter.faces()
    falls = [None if f.role is Role.FLOOR else downhill(f.xyz) for f in faces]
    found = []
    for edge in rim_edges(shelter):
        fall, face = falls[edge.panel], faces[edge.panel]
        if fall is None:  # an upright wall drips from its lower edges
            leaves = (edge.a[2] + edge.b[2]) / 2 < face.xyz[
                :, 2
            ].mean() - 1e-6 and np.hypot(*(edge.b - edge.a)[:2]) > 1e-6
        else:
            steep = float(np.hypot(*fall))
            leaves = steep <= LEVEL or edge.outward @ fall > RUNS_OVER * steep
        if leaves:
            found.append(Drip(edge.points, np.array([edge.a, edge.b])))
    return (
        *found,
        *(Drip((p,), shelter.at(p)[None, :].copy()) for p in low_points(shelter)),
    )


@keep_last(MOST_KEPT)
def _in_plan(shelter: Shelter) -> Floats:
    """Every drip in plan (D, 4): from, to; a point has no length."""
    return np.array([[*d.xyz[0, :2], *d.xyz[-1, :2]] for d in drips(shelter)]).reshape(
        -1, 4
    )


def drip_zones(shelter: Shelter) -> Floats:
    """Convex outlines (D, 2 x half a round, 2), anticlockwise, that hold all ground nearer than
    DRIP_REACH_M to a drip each; their round ends have few corners, which stand 2 mm out.
    """
    return _about(_in_plan(shelter), DRIP_REACH_M)


def splash_zones(shelter: Shelter, reach_m: float) -> Floats:
    """Convex outlines (D, V, 2) of the ground nearer than that to a drip which falls through the
    air; none for edges that lie on the ground.
    """
    high = np.array([d.xyz[:, 2].max() > SOAKS_M for d in drips(shelter)], dtype=bool)
    return _about(_in_plan(shelter)[high], reach_m)


def _about(lines: Floats, reach_m: float) -> Floats:
    """Outlines of all ground nearer than `reach_m` to each line in plan (D, 4)."""
    reach = reach_m / math.cos(math.pi / 4 / _ROUND)
    ahead = np.arctan2(lines[:, 3] - lines[:, 1], lines[:, 2] - lines[:, 0])
    turn = ahead[:, None] + np.linspace(-np.pi / 2, np.pi / 2, 2 * _ROUND + 1)
    about = reach * np.stack([np.cos(turn), np.sin(turn)], axis=-1)
    return np.concatenate([lines[:, None, 2:] + about, lines[:, None, :2] - about], axis=1)


def under_drips(mats: Sequence[Mat], shelter: Shelter) -> tuple[int, ...]:
    """Numbers of the mats that lie within DRIP_REACH_M of a drip."""
    if not mats:
        return ()
    laid = np.array(
        [
            [m.x, m.y, m.length_m / 2, m.width_m / 2, math.radians(m.heading_deg)]
            for m in mats
        ]
    )
    near = np.zeros(len(mats), dtype=np.bool_)
    near_any(laid, _in_plan(shelter), DRIP_REACH_M - 1e-6, near)
    return tuple(np.flatnonzero(near).tolist())
