"""Batched fold solver: rigid panels, some coordinates held, by damped Gauss-Newton
(Levenberg-Marquardt).

Unknowns are the coordinates that are not held. Residuals, in metres: for each pair of points within
a panel's frame triangle the difference between its length in the world and on the sheet; for each
further point of a panel its distance from the place the frame gives it (the same affine combination
as on the sheet), which keeps the panel flat.
Method: Levenberg 1944, Marquardt 1963, as in Nocedal and Wright, Numerical Optimization, chapter
10.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.kernel import worst_change

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Layout, Pattern

EXACT_M: Final = constant(
    "fold_exact",
    1e-7,
    "m",
    ENGINEERING,
    "a fold with a smaller residual is not iterated further",
)
RIGID_M: Final = constant(
    "fold_rigid",
    1e-4,
    "m",
    ENGINEERING,
    "largest change of any panel length in an accepted fold",
)
_STEPS: Final = 60


@dataclass(frozen=True, slots=True)
class Fold:
    """Solved batch: `xyz` (N, P, 3); `residual_m` (N,) largest change of a panel length; NaN where
    not foldable.
    """

    xyz: Floats
    residual_m: Floats

    @property
    def rigid(self) -> NDArray[np.bool_]:
        """Which of the batch kept every length within `fold_rigid`."""
        return np.asarray(self.residual_m <= RIGID_M)  # NaN is not


@dataclass(frozen=True, slots=True)
class _System:
    """Constraints of a pattern in index form."""

    pairs: NDArray[np.intp]  # (E, 2) frame triangle edges
    affine: NDArray[np.intp]  # (A, 4): three frame points, then the dependent point

    @classmethod
    def of(cls, pattern: Pattern) -> _System:
        pairs: set[tuple[int, int]] = set()
        affine: list[tuple[int, int, int, int]] = []
        for panel in pattern.panels:
            ids = [pattern.index(p) for p in panel.points]
            a, b, c = ids[:3]
            for i, j in ((a, b), (b, c), (a, c)):
                if frozenset((pattern.points[i], pattern.points[j])) not in pattern.give:
                    pairs.add((min(i, j), max(i, j)))
            affine += [(a, b, c, d) for d in ids[3:]]
        return cls(
            np.array(sorted(pairs), dtype=np.intp),
            np.array(affine, dtype=np.intp).reshape(-1, 4),
        )


def barycentric(uv: Floats, affine: NDArray[np.intp]) -> Floats:
    """Weights (N, A, 3) that give each dependent point from its frame triangle on the flat
    sheet.
    """
    a, b, c, d = (uv[:, affine[:, k]] for k in range(4))
    ab, ac, ad = b - a, c - a, d - a
    area = ab[..., 0] * ac[..., 1] - ab[..., 1] * ac[..., 0]
    area = np.where(
        area == 0, np.inf, area
    )  # a strip of no width: its points lie on each other
    wb = (ad[..., 0] * ac[..., 1] - ad[..., 1] * ac[..., 0]) / area
    wc = (ab[..., 0] * ad[..., 1] - ab[..., 1] * ad[..., 0]) / area
    return np.stack([1 - wb - wc, wb, wc], axis=-1)


def _residual(system: _System, xyz: Floats, lengths: Floats, weights: Floats) -> Floats:
    i, j = system.pairs.T
    stretch = np.linalg.norm(xyz[:, i] - xyz[:, j], axis=-1) - lengths
    frame = xyz[:, system.affine[:, :3]]
    off = xyz[:, system.affine[:, 3]] - np.einsum("nak,nakd->nad", weights, frame)
    return np.concatenate([stretch, off.reshape(len(xyz), -1)], axis=1)


def _jacobian(system: _System, xyz: Floats, weights: Floats) -> Floats:
    n, p, _ = xyz.shape
    i, j = system.pairs.T
    gap = xyz[:, i] - xyz[:, j]
    unit = gap / np.maximum(np.linalg.norm(gap, axis=-1, keepdims=True), 1e-12)
    e, a = len(i), len(system.affine)
    jac = np.zeros((n, e + 3 * a, p, 3))
    rows = np.arange(e)
    jac[:, rows, i] += unit
    jac[:, rows, j] -= unit
    for axis in range(3):
        rows = e + 3 * np.arange(a) + axis
        jac[:, rows, system.affine[:, 3], axis] += 1.0
        for k in range(3):
            jac[:, rows, system.affine[:, k], axis] -= weights[:, :, k]
    return jac.reshape(n, e + 3 * a, 3 * p)


def _plain(array: Floats) -> Floats:
    """The one kind of array for which the kernel is compiled."""
    flags = array.flags
    return array if flags.c_contiguous and flags.writeable else array.copy()


def length_residual(layout: Layout, xyz: Floats) -> Floats:
    """Largest absolute change (N,) of any edge or diagonal of any panel, in metres."""
    out = np.empty(len(xyz))
    worst_change(_plain(layout.uv), _plain(xyz), layout.pattern.rigid_pairs(), out)
    return out


def solve_fold(layout: Layout) -> Fold:
    """Fold a batch. Starts that are exact already cost one evaluation; the others are iterated
    until they are.

    A case that starts with NaN stays NaN. Never raises for a case that does not converge: its
    residual tells. Where nothing is iterated the start itself is returned.
    """
    xyz = layout.start
    residual = length_residual(layout, xyz)
    todo = np.flatnonzero(np.isfinite(residual) & (residual > EXACT_M))
    if todo.size:
        xyz = xyz.copy()
        xyz[todo] = _iterate(layout, todo)
        residual[todo] = length_residual(_subset(layout, todo), xyz[todo])
    return Fold(xyz, residual)


def _subset(layout: Layout, rows: NDArray[np.intp]) -> Layout:
    return type(layout)(layout.pattern, layout.uv[rows], layout.start[rows], layout.held)


def _iterate(layout: Layout, todo: NDArray[np.intp]) -> Floats:
    system = _System.of(layout.pattern)
    uv, xyz = layout.uv[todo], layout.start[todo].copy()
    free = np.flatnonzero(~layout.held.ravel())
    i, j = system.pairs.T
    lengths = np.linalg.norm(uv[:, i] - uv[:, j], axis=-1)
    weights = barycentric(uv, system.affine)
    damping = np.full(len(xyz), 1e-3)
    res = _residual(system, xyz, lengths, weights)
    cost = (res**2).sum(axis=1)
    live = np.arange(len(xyz))
    for _ in range(_STEPS):
        if not live.size:
            break
        jac = _jacobian(system, xyz[live], weights[live])[:, :, free]
        normal = jac.transpose(0, 2, 1) @ jac
        normal[:, np.arange(free.size), np.arange(free.size)] += damping[live, None]
        step = np.linalg.solve(normal, -(jac.transpose(0, 2, 1) @ res[live, :, None]))[
            ..., 0
        ]
        trial = xyz[live].copy()
        trial.reshape(len(live), -1)[:, free] += step
        new = _residual(system, trial, lengths[live], weights[live])
        new_cost = (new**2).sum(axis=1)
        better = new_cost < cost[live]
        took = live[better]
        xyz[took], res[took], cost[took] = trial[better], new[better], new_cost[better]
        damping[live] = np.where(
            better, np.maximum(damping[live] * 0.1, 1e-12), damping[live] * 10.0
        )
        live = live[(np.abs(res[live]).max(axis=1) > EXACT_M * 0.1) & (damping[live] < 1e8)]
    return xyz
