"""Compiled inner loops of the fold: whether lengths are kept and panels cross (see solve.py,
crossing.py), and cloth that gives on the bias (see bias.py), one Lagrangian step after the other,
case by case.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.compiled import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
    Ints = NDArray[np.int64]
    Bools = NDArray[np.bool_]

ITERATIONS = 30
HOPE = 10
HOPELESS_M = 1e-3
"""A case whose threads are still off by more than this after HOPE steps is given up: it is
stretched, not slow.
"""
AT_REST_M = 1e-4
LONGEST_STEP_M = 0.2


@compiled
def worst_change(uv: Floats, xyz: Floats, pairs: Ints, out: Floats) -> None:
    """Largest absolute difference between the length of any of `pairs` (E, 2) in the world (N, P,
    3) and on the sheet (N, P, 2), into `out` (N,); NaN where a point is.
    """
    for n in range(xyz.shape[0]):
        worst = 0.0
        for e in range(pairs.shape[0]):
            i, j = pairs[e]
            du, dv = uv[n, i, 0] - uv[n, j, 0], uv[n, i, 1] - uv[n, j, 1]
            dx, dy, dz = (
                xyz[n, i, 0] - xyz[n, j, 0],
                xyz[n, i, 1] - xyz[n, j, 1],
                xyz[n, i, 2] - xyz[n, j, 2],
            )
            change = abs(np.sqrt(dx * dx + dy * dy + dz * dz) - np.sqrt(du * du + dv * dv))
            if not change <= worst:  # also when it isn't a number
                worst = change
                if np.isnan(change):
                    break
        out[n] = worst


@compiled
def crossing(
    xyz: Floats, edges: Ints, triangles: Ints, touch: float, inside: float, out: Bools
) -> None:
    """Which of a batch of folds (N, P, 3) have a segment that goes through a triangle, into `out`
    (N,). A segment runs between the middles of two pairs of points (T, 4); it is tried against the
    triangle (T, 3) of its row.

    `touch` (m): how far either end must lie beyond the triangle's plane; `inside`: the share of the
    triangle's width within which a point is on its edge. NaN crosses nothing. Method: Moeller and
    Trumbore 1997.
    """
    for n in range(xyz.shape[0]):
        at = xyz[n]
        for t in range(edges.shape[0]):
            a, b, c = at[triangles[t, 0]], at[triangles[t, 1]], at[triangles[t, 2]]
            ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
            vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            size = max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-12)
            p0, p1, q0, q1 = (
                at[edges[t, 0]],
                at[edges[t, 1]],
                at[edges[t, 2]],
                at[edges[t, 3]],
            )
            px, py, pz = (p0[0] + p1[0]) / 2, (p0[1] + p1[1]) / 2, (p0[2] + p1[2]) / 2
            qx, qy, qz = (q0[0] + q1[0]) / 2, (q0[1] + q1[1]) / 2, (q0[2] + q1[2]) / 2
            dp = ((px - a[0]) * nx + (py - a[1]) * ny + (pz - a[2]) * nz) / size
            dq = ((qx - a[0]) * nx + (qy - a[1]) * ny + (qz - a[2]) * nz) / size
            if not (min(dp, dq) < -touch and max(dp, dq) > touch):
                continue
            share = dp / (dp - dq)
            hx, hy, hz = (
                px + share * (qx - px),
                py + share * (qy - py),
                pz + share * (qz - pz),
            )
            least = 1e18
            for k in range(3):
                r, s = at[triangles[t, k]], at[triangles[t, k + 1 if k < 2 else 0]]
                ex, ey, ez = s[0] - r[0], s[1] - r[1], s[2] - r[2]
                fx, fy, fz = hx - r[0], hy - r[1], hz - r[2]
                turn = (
                    (ey * fz - ez * fy) * nx
                    + (ez * fx - ex * fz) * ny
                    + (ex * fy - ey * fx) * nz
                )
                least = min(least, turn / (size * size))
            if least > inside:
                out[n] = True
                break


@compiled
def _lay_pairs(
    at: Floats,
    pairs: Ints,
    threads: int,
    lengths: Floats,
    place: Ints,
    size: int,
    whole: Floats,
    aim: Floats,
) -> float:
    """Rows of the threads, which keep their length, and the share of the others, which are to
    change least, into the system; returns how far the worst thread is off. `at` (P, 3), `lengths`
    (E,).
    """
    worst = 0.0
    slots, slopes = np.empty(6, dtype=np.int64), np.empty(6)
    for e in range(pairs.shape[0]):
        i, j = pairs[e, 0], pairs[e, 1]
        dx, dy, dz = at[i, 0] - at[j, 0], at[i, 1] - at[j, 1], at[i, 2] - at[j, 2]
        far = max(np.sqrt(dx * dx + dy * dy + dz * dz), 1e-12)
        used = 0
        for axis in range(3):
            slope = (dx if axis == 0 else dy if axis == 1 else dz) / far
            if place[3 * i + axis] >= 0:
                slots[used], slopes[used] = place[3 * i + axis], slope
                used += 1
            if place[3 * j + axis] >= 0:
                slots[used], slopes[used] = place[3 * j + axis], -slope
                used += 1
        off = lengths[e] - far
        if e < threads:
            for a in range(used):
                whole[slots[a], size + e] = slopes[a]
                whole[size + e, slots[a]] = slopes[a]
            aim[size + e] = off
            worst = max(worst, abs(off))
        else:
            _add_row(slots, slopes, used, -off, whole, aim)
    return worst


@compiled
def _add_row(
    slots: Ints, slopes: Floats, used: int, value: float, whole: Floats, aim: Floats
) -> None:
    """Add one equation of least squares, slopes . step = -value, to the normal equations."""
    for a in range(used):
        aim[slots[a]] -= slopes[a] * value
        for b in range(used):
            whole[slots[a], slots[b]] += slopes[a] * slopes[b]


@compiled
def _lay_straight(
    at: Floats,
    straight: Ints,
    share: Floats,
    place: Ints,
    weight: float,
    whole: Floats,
    aim: Floats,
) -> None:
    """The wish of the points of `straight` (R, 3) to lie `share` (R,) of the way between two
    others, into the system.
    """
    slots, slopes = np.empty(3, dtype=np.int64), np.empty(3)
    for r in range(straight.shape[0]):
        p, a, b, t = straight[r, 0], straight[r, 1], straight[r, 2], share[r]
        for axis in range(3):
            used = 0
            for n in range(3):
                slot = place[3 * straight[r, n] + axis]
                if slot >= 0:
                    slots[used], slopes[used] = (
                        slot,
                        weight * (1.0 if n == 0 else t - 1.0 if n == 1 else -t),
                    )
                    used += 1
            off = at[p, axis] - (1 - t) * at[a, axis] - t * at[b, axis]
            _add_row(slots, slopes, used, weight * off, whole, aim)


@compiled
def solve_quasi_definite(whole: Floats, aim: Floats) -> None:
    """Put the solution of `whole` (n, n) x = `aim` (n,) in place of `aim`; of `whole`, symmetric,
    the upper half is used up.

    The factors L D L' without exchanges exist for a quasi-definite matrix, one of a positive
    definite and a negative definite block (Vanderbei 1995, Symmetric quasidefinite matrices); what
    is zero is passed over.
    """
    n = aim.size
    for k in range(n):
        pivot = 1.0 / whole[k, k]
        for i in range(k + 1, n):
            if whole[k, i] != 0.0:
                share = whole[k, i] * pivot
                for j in range(i, n):
                    whole[i, j] -= share * whole[k, j]
                aim[i] -= share * aim[k]
    for k in range(n - 1, -1, -1):
        value = aim[k]
        for j in range(k + 1, n):
            value -= whole[k, j] * aim[j]
        aim[k] = value / whole[k, k]


@compiled
def settle(
    xyz: Floats,
    pairs: Ints,
    threads: int,
    lengths: Floats,
    straight: Ints,
    share: Floats,
    free: Ints,
    weight: float,
    damping: float,
) -> None:
    """Move each case of `xyz` (N, P, 3), its `free` coordinates only, to rest. The first `threads`
    of `pairs` (E, 2) keep their `lengths` (N, E), the others are to change least; `straight` (R, 3)
    points are to stay near their place, `share` (N, R) of the way between two others.
    """
    size = free.size
    place = np.full(xyz.shape[1] * 3, -1)
    for k in range(size):
        place[free[k]] = k
    whole, aim = np.zeros((size + threads, size + threads)), np.zeros(size + threads)
    for n in range(xyz.shape[0]):
        if np.isnan(xyz[n]).any():
            continue
        for turn in range(ITERATIONS):
            whole[:] = 0.0
            aim[:] = 0.0
            worst = _lay_pairs(xyz[n], pairs, threads, lengths[n], place, size, whole, aim)
            if turn >= HOPE and worst > HOPELESS_M:
                break
            _lay_straight(xyz[n], straight, share[n], place, weight, whole, aim)
            for k in range(size):
                whole[k, k] += damping
            for e in range(threads):
                whole[size + e, size + e] = -damping * damping
            solve_quasi_definite(whole, aim)
            most = 0.0
            for k in range(size):
                move = min(max(aim[k], -LONGEST_STEP_M), LONGEST_STEP_M)
                xyz[n, free[k] // 3, free[k] % 3] += move
                most = max(most, abs(move))
            if most < AT_REST_M:
                break
