"""Cloth that gives on the bias: threads keep their length, the angle between them may change a
little.

Used only where a pitch says so (a lifted middle). Of all shapes in which every thread of the mesh
keeps its length, the one is taken that changes the bias lengths least and keeps the rim
straightest: least squares under equations, by Gauss-Newton steps on the Lagrangian (Nocedal and
Wright, Numerical Optimization, chapter 18), a whole batch at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.kernel import settle
from tarvik.core.kept import keep_last

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Pattern

SHEAR_MOST_DEG: Final = constant(
    "shear_most",
    5.0,
    "degrees",
    ENGINEERING,
    "largest change of the angle between threads where a pitch lifts the cloth",
)
_STRAIGHT_WEIGHT: Final = 0.3
_DAMPING: Final = 1e-6


@dataclass(frozen=True, slots=True)
class Mesh:
    """A mesh of threads in index form: `threads` (T, 2) and `bias` (B, 2) pairs; `straight` (R, 3):
    a point and the two ends of the rim it lies on.
    """

    threads: NDArray[np.intp]
    bias: NDArray[np.intp]
    straight: NDArray[np.intp]

    @classmethod
    def of(cls, pattern: Pattern, straight: tuple[tuple[str, str, str], ...]) -> Mesh:
        """The mesh of a pattern: its rigid pairs are threads, its `give` pairs bias."""
        index = pattern.index
        bias = sorted(tuple(sorted(index(p) for p in pair)) for pair in pattern.give)
        return cls(
            pattern.rigid_pairs(),
            np.array(bias, dtype=np.intp),
            np.array([[index(p) for p in row] for row in straight], dtype=np.intp).reshape(
                -1, 3
            ),
        )


def hang(mesh: Mesh, uv: Floats, start: Floats, held: NDArray[np.bool_]) -> Floats:
    """The shape (N, P, 3) nearest to unsheared in which all threads keep their length; `held` (P,
    3) coordinates stay.

    Rows that start with NaN stay NaN. Never raises for a case that does not come to rest: its
    thread lengths tell.
    """
    xyz = np.ascontiguousarray(start)
    free = np.flatnonzero(~held.ravel())
    flat = np.concatenate([uv, np.zeros((*uv.shape[:2], 1))], axis=-1)
    pairs = np.concatenate([mesh.threads, mesh.bias])
    lengths = np.linalg.norm(flat[:, pairs[:, 0]] - flat[:, pairs[:, 1]], axis=-1)
    point, a, b = mesh.straight.T
    share = np.linalg.norm(flat[:, point] - flat[:, a], axis=-1) / np.linalg.norm(
        flat[:, b] - flat[:, a], axis=-1
    )
    settle(
        xyz,
        pairs,
        len(mesh.threads),
        lengths,
        mesh.straight,
        share,
        free,
        _STRAIGHT_WEIGHT,
        _DAMPING,
    )
    return xyz


@keep_last(64)
def _right_angles(pattern: Pattern) -> NDArray[np.intp]:
    """Points (T, 3) of every triangle that may give: where its two threads meet, and their other
    ends.
    """
    rows = []
    for panel in pattern.panels:
        soft = [pair for pair in pattern.give if pair <= set(panel.points)]
        if soft and len(panel.points) == 3:
            corner = next(p for p in panel.points if p not in soft[0])
            rows.append([pattern.index(p) for p in (corner, *sorted(soft[0]))])
    return np.array(rows, dtype=np.intp).reshape(-1, 3)


def shear_deg(pattern: Pattern, uv: Floats, xyz: Floats) -> Floats:
    """Largest change (N,) of the angle between threads in any panel that may give, degrees; 0 where
    none may.

    Each panel is a triangle with its right angle where its two threads meet.
    """
    corner, one, two = _right_angles(pattern).T

    def between(at: Floats) -> Floats:
        p, q = at[:, one] - at[:, corner], at[:, two] - at[:, corner]
        with np.errstate(invalid="ignore", divide="ignore"):
            cos = (p * q).sum(axis=-1) / np.sqrt(
                (p * p).sum(axis=-1) * (q * q).sum(axis=-1)
            )
        return np.asarray(np.arccos(np.clip(cos, -1, 1)))

    return np.asarray(
        np.degrees(np.abs(between(xyz) - between(uv)).max(axis=1, initial=0.0))
    )
