"""Compiled inner loop of cloth that gives on the bias (see bias.py): one Lagrangian step after the other, case by case."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.compiled import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]

ITERATIONS = 30
HOPE = 10
HOPELESS_M = 1e-3
"""A case whose threads are still off by more than this after HOPE steps is given up: it is stretched, not slow."""
AT_REST_M = 1e-4
LONGEST_STEP_M = 0.2


@compiled
def worst_change(uv: Floats, xyz: Floats, pairs: Ints, out: Floats) -> None:
    """Largest absolute difference between the length of any of `pairs` (E, 2) in the world (N, P, 3) and on the sheet
    (N, P, 2), into `out` (N,); NaN where a point is.
    """
    for n in range(xyz.shape[0]):
        worst = 0.0
        for e in range(pairs.shape[0]):
            i, j = pairs[e]
            flat = np.hypot(uv[n, i, 0] - uv[n, j, 0], uv[n, i, 1] - uv[n, j, 1])
            dx, dy, dz = xyz[n, i, 0] - xyz[n, j, 0], xyz[n, i, 1] - xyz[n, j, 1], xyz[n, i, 2] - xyz[n, j, 2]
            change = abs(np.sqrt(dx * dx + dy * dy + dz * dz) - flat)
            if not change <= worst:  # also when it is no number
                worst = change
        out[n] = worst


@compiled
def settle(
    xyz: Floats, pairs: Ints, threads: int, lengths: Floats, straight: Ints, share: Floats, free: Ints, weight: float,
    damping: float,
) -> None:  # fmt: skip
    """Move each case of `xyz` (N, P, 3), its `free` coordinates only, to rest. The first `threads` of `pairs` (E, 2) keep
    their `lengths` (N, E), the others are to change least; `straight` (R, 3) points are to stay near their place, `share`
    (N, R) of the way between two others.
    """
    size = free.size
    place = np.full(xyz.shape[1] * 3, -1)
    for k in range(size):
        place[free[k]] = k
    soft_count = pairs.shape[0] - threads + 3 * straight.shape[0]
    rows, values = np.zeros((soft_count, size)), np.zeros(soft_count)
    whole, aim = np.zeros((size + threads, size + threads)), np.zeros(size + threads)
    for n in range(xyz.shape[0]):
        if np.isnan(xyz[n]).any():
            continue
        for turn in range(ITERATIONS):
            whole[:] = 0.0
            worst = 0.0
            rows[:] = 0.0
            for e in range(pairs.shape[0]):
                i, j = pairs[e]
                gap = xyz[n, i] - xyz[n, j]
                far = max(np.sqrt((gap * gap).sum()), 1e-12)
                soft = e - threads
                for axis in range(3):
                    for point, sign in ((i, 1.0), (j, -1.0)):
                        at = place[3 * point + axis]
                        if at >= 0:
                            slope = sign * gap[axis] / far
                            if soft < 0:
                                whole[at, size + e] = slope
                                whole[size + e, at] = slope
                            else:
                                rows[soft, at] = slope
                if soft < 0:
                    aim[size + e] = lengths[n, e] - far
                    worst = max(worst, abs(lengths[n, e] - far))
                else:
                    values[soft] = far - lengths[n, e]
            if turn >= HOPE and worst > HOPELESS_M:
                break
            at_row = pairs.shape[0] - threads
            for r in range(straight.shape[0]):
                point, a, b = straight[r]
                t = share[n, r]
                for axis in range(3):
                    for which, part in ((point, 1.0), (a, t - 1.0), (b, -t)):
                        at = place[3 * which + axis]
                        if at >= 0:
                            rows[at_row, at] += weight * part
                    values[at_row] = weight * (xyz[n, point, axis] - (1 - t) * xyz[n, a, axis] - t * xyz[n, b, axis])
                    at_row += 1
            whole[:size, :size] = rows.T @ rows
            aim[:size] = -(rows.T @ values)
            for k in range(size):
                whole[k, k] += damping
            for e in range(threads):
                whole[size + e, size + e] = -damping * damping
            step = np.linalg.solve(whole, aim)
            most = 0.0
            for k in range(size):
                move = min(max(step[k], -LONGEST_STEP_M), LONGEST_STEP_M)
                xyz[n, free[k] // 3, free[k] % 3] += move
                most = max(most, abs(move))
            if most < AT_REST_M:
                break
