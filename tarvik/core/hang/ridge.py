"""A taut line under the ridge of a hanging sheet, of nodes of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.hang.balance import Members
from tarvik.core.hang.ties import CORD_N, RIDGE_PULL_N

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.mesh import Mesh
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter


class RidgeParts(NamedTuple):
    """A ridge line under the cloth: its members, where its nodes start (k, 3), and which
    nodes of the cloth lie on which of them (k, 2).
    """

    line: Members
    places: Floats
    pairs: NDArray[np.int64]


def ridge_line(
    shelter: Shelter,
    rig: Rig,
    mesh: Mesh,
    start: Floats,
    first: int,
    between: tuple[int, int] | None = None,
) -> RidgeParts:
    """A taut line under the ridge, of nodes of its own under those of the cloth, from one high
    point to the other (`between`: or between two other nodes, which start there). Its own nodes
    are numbered from `first`. The line as members, where its nodes start (k, 3), and which nodes of
    the cloth lie on which of them (k, 2).
    """
    high = shelter.pitch.high_points()
    none = Members.cords(np.zeros((0, 2), dtype=np.int64), np.zeros(0), np.zeros(0))
    if not rig.through_line or len(high) != 2:
        return RidgeParts(none, np.zeros((0, 3)), np.zeros((0, 2), dtype=np.int64))
    a, b = (mesh.named[p] for p in high)
    flat_a, flat_b = mesh.uv[a], mesh.uv[b]
    along = flat_b - flat_a
    share = ((mesh.uv - flat_a) @ along) / float(along @ along)
    off = np.linalg.norm(mesh.uv - flat_a - share[:, None] * along, axis=1)
    over = np.flatnonzero((off < 1e-6) & (share > 1e-6) & (share < 1 - 1e-6))
    over = over[np.argsort(share[over])]
    places = start[a] + share[over, None] * (start[b] - start[a])
    own = first + np.arange(len(over))
    first_end, last_end = between or (a, b)
    chain = np.concatenate([[first_end], own, [last_end]])
    ends = np.column_stack([chain[:-1], chain[1:]])
    spots = np.concatenate([[start[a]], places, [start[b]]])
    spans = np.linalg.norm(np.diff(spots, axis=0), axis=1)
    rest = spans / (1 + RIDGE_PULL_N / CORD_N)
    return RidgeParts(
        Members.cords(ends, rest, CORD_N / rest), places, np.column_stack([over, own])
    )
