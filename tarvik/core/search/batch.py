"""Many settings of one pitch folded at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.measure.rim import free_edges
from tarvik.core.measure.runoff import least_slopes_deg
from tarvik.core.plane import signed_area
from tarvik.core.shelter import fold_batch

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Pattern
    from tarvik.core.pitches.base import Pitch


class Faces(NamedTuple):
    """Points of the roof's faces (F, V), the last one repeated, their corners (F,), and
    the points of each floor.
    """

    points: NDArray[np.intp]
    corners: NDArray[np.int64]
    floors: list[list[int]]


@keep_last(256)
def _faces_of(
    pattern: Pattern,
) -> Faces:
    """Points of the roof's faces (F, V), the last one repeated, their corners (F,), and the points
    of each floor.
    """
    index = pattern.index
    roofs = [
        [index(q) for q in p.points] for p in pattern.panels if p.role is not Role.FLOOR
    ]
    floors = [[index(q) for q in p.points] for p in pattern.panels if p.role is Role.FLOOR]
    most = max((len(r) for r in roofs), default=3)
    padded = np.array(
        [r + [r[-1]] * (most - len(r)) for r in roofs], dtype=np.intp
    ).reshape(-1, most)
    return Faces(padded, np.array([len(r) for r in roofs], dtype=np.int64), floors)


@keep_last(256)
def _edges_of(pitch: Pitch) -> tuple[NDArray[np.intp], NDArray[np.bool_]]:
    """Points (E, 2) of the roof's free edges, and which of them open nothing while the doors are
    shut.
    """
    index, laps = pitch.pattern.index, {frozenset(edge) for edge in pitch.laps}
    edges = [(a, b) for _, a, b in free_edges(pitch.pattern.panels)]
    ends = np.array([(index(a), index(b)) for a, b in edges], dtype=np.intp).reshape(-1, 2)
    return ends, np.array([frozenset(edge) in laps for edge in edges], dtype=np.bool_)


def open_area(pitch: Pitch, xyz: Floats, values: Mapping[str, Floats]) -> Floats:
    """Area (N,) of all gaps between the free edges of folded sheets (N, P, 3) and the ground."""
    ends, lapped = _edges_of(pitch)
    a, b = xyz[:, ends[:, 0]], xyz[:, ends[:, 1]]
    gaps = (
        np.hypot(b[..., 0] - a[..., 0], b[..., 1] - a[..., 1]) * (a[..., 2] + b[..., 2]) / 2
    )
    if lapped.any():
        gaps = np.where(lapped & pitch.doors_shut(values, len(xyz))[:, None], 0.0, gaps)
    return np.asarray(gaps.sum(axis=1))


@dataclass(frozen=True, slots=True)
class FoldedBatch:
    """Many settings of one pitch, folded: the roof faces (N, F, V, 3), their corners (F,), and the
    area of floors and of openings and the slope of the flattest face (N,), these two 0 and 90
    where nobody weighs them.
    """

    faces: Floats
    corners: np.ndarray
    floor: Floats
    peak: Floats
    open_m2: Floats
    slope_deg: Floats

    @classmethod
    def folded(
        cls,
        pitch: Pitch,
        box: tuple[float, float],
        values: Mapping[str, Floats],
        *,
        airy: bool,
        sloped: bool,
        named: bool = False,
    ) -> FoldedBatch:
        """Fold every case; with `named` those only that are what the pitch's name says."""
        _, xyz = fold_batch(pitch, box, values)
        if named and pitch.named is not None:
            xyz[~pitch.named(box, values)] = np.nan
        padded, corners, floors = _faces_of(pitch.pattern)
        floor = np.zeros(len(xyz))
        for points in floors:
            floor += np.abs(signed_area(xyz[:, points]))
        open_m2 = open_area(pitch, xyz, values) if airy else np.zeros(len(xyz))
        faces = np.take(xyz, padded, axis=1)
        slope_deg = least_slopes_deg(faces) if sloped else np.full(len(xyz), 90.0)
        return cls(faces, corners, floor, xyz[..., 2].max(axis=1), open_m2, slope_deg)


def values_of(
    names: Sequence[str], cases: Floats, still: Mapping[str, float]
) -> dict[str, Floats]:
    """Every setting (N,): those of the cases (N, names), and those that are the same in all of
    them.
    """
    out = {name: np.full(len(cases), value) for name, value in still.items()}
    return out | {name: cases[:, column].copy() for column, name in enumerate(names)}
