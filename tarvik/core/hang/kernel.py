"""Energy, forces and stiffness of a hanging sheet (Numba).

Everything that pulls is one kind of member: y = sum of `coef` times the places of up to three
nodes, with a rest length and a stiffness k; it stores k/2 (|y| - rest)^2 while |y| is over its rest
length and nothing otherwise. Over the first TOE of strain the stiffness comes in evenly, as crimp
leaves the threads, so that the pull has no kink. A thread direction of a triangle has y = F d (F
the deformation gradient, d the direction on the flat sheet) and rest 1; a cord has y = the vector
from end to end. Such an energy is convex (Pipkin 1986, relaxed energy of a tension field), so the
balance is unique up to cloth that carries nothing.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.compiled import compiled

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

    Ints = NDArray[np.int64]


TOE = 1e-4


@compiled
def stored(over: float, toe: float) -> float:
    """Energy of a member `over` its rest length, for a stiffness of 1."""
    if over <= 0.0:
        return 0.0
    if over < toe:
        return over * over * over / (6.0 * toe)
    return 0.5 * over * over - 0.5 * toe * over + toe * toe / 6.0


@compiled
def pull_of(over: float, toe: float) -> float:
    """Pull of a member `over` its rest length, for a stiffness of 1."""
    if over <= 0.0:
        return 0.0
    return over * over / (2.0 * toe) if over < toe else over - 0.5 * toe


@compiled
def energy(
    x: Floats,
    nodes: Ints,
    coef: Floats,
    rest: Floats,
    stiff: Floats,
    load: Floats,
    ground: float,
    pairs: Ints,
    press: float,
    toe: float,
) -> float:
    """Stored energy less the work of the loads, J. `ground`: stiffness of the ground under a node,
    N/m; `pairs` (k, 2): upper and lower nodes that press on each other with stiffness `press`.
    """
    total = 0.0
    for e in range(len(rest)):
        i, j, k = nodes[e]
        a, b, c = coef[e]
        y0 = a * x[i, 0] + b * x[j, 0] + c * x[k, 0]
        y1 = a * x[i, 1] + b * x[j, 1] + c * x[k, 1]
        y2 = a * x[i, 2] + b * x[j, 2] + c * x[k, 2]
        over = np.sqrt(y0 * y0 + y1 * y1 + y2 * y2) - rest[e]
        total += stiff[e] * stored(over, toe * rest[e])
    for n in range(len(x)):
        total -= load[n, 0] * x[n, 0] + load[n, 1] * x[n, 1] + load[n, 2] * x[n, 2]
        if x[n, 2] < 0.0:
            total += 0.5 * ground * x[n, 2] * x[n, 2]
    for e in range(len(pairs)):
        sunk = x[pairs[e, 1], 2] - x[pairs[e, 0], 2]
        if sunk > 0.0:
            total += 0.5 * press * sunk * sunk
    return total


@compiled
def forces(
    x: Floats,
    nodes: Ints,
    coef: Floats,
    rest: Floats,
    stiff: Floats,
    load: Floats,
    ground: float,
    pairs: Ints,
    press: float,
    toe: float,
    out: Floats,
) -> None:
    """What pulls at every node (n, 3), held ones too: members, ground and loads. Zero at a free
    node in balance.
    """
    out[:] = load
    for e in range(len(rest)):
        i, j, k = nodes[e]
        a, b, c = coef[e]
        y0 = a * x[i, 0] + b * x[j, 0] + c * x[k, 0]
        y1 = a * x[i, 1] + b * x[j, 1] + c * x[k, 1]
        y2 = a * x[i, 2] + b * x[j, 2] + c * x[k, 2]
        size = np.sqrt(y0 * y0 + y1 * y1 + y2 * y2)
        if size > rest[e]:
            pull = stiff[e] * pull_of(size - rest[e], toe * rest[e]) / size
            for m in range(3):
                t = pull * coef[e, m]
                out[nodes[e, m], 0] -= t * y0
                out[nodes[e, m], 1] -= t * y1
                out[nodes[e, m], 2] -= t * y2
    for n in range(len(x)):
        if x[n, 2] < 0.0:
            out[n, 2] -= ground * x[n, 2]
    for e in range(len(pairs)):
        sunk = x[pairs[e, 1], 2] - x[pairs[e, 0], 2]
        if sunk > 0.0:
            out[pairs[e, 0], 2] += press * sunk
            out[pairs[e, 1], 2] -= press * sunk


@compiled
def stiffness(
    x: Floats,
    nodes: Ints,
    coef: Floats,
    rest: Floats,
    stiff: Floats,
    ground: float,
    pairs: Ints,
    press: float,
    toe: float,
    row: Ints,
    damp: Floats,
    band: Floats,
) -> None:
    """Second derivative of the energy as a lower band (width + 1, 3 f), for nodes with a `row` >= 0
    among the f free ones.

    `damp` (f,) is added to the diagonal of each free node.
    """
    band[:] = 0.0
    for n in range(len(x)):
        r = row[n]
        if r >= 0:
            for m in range(3):
                band[0, 3 * r + m] += damp[r]
            if x[n, 2] <= 0.0:
                band[0, 3 * r + 2] += ground
    y = np.empty(3)
    for e in range(len(rest)):
        size2 = 0.0
        for m in range(3):
            y[m] = (
                coef[e, 0] * x[nodes[e, 0], m]
                + coef[e, 1] * x[nodes[e, 1], m]
                + coef[e, 2] * x[nodes[e, 2], m]
            )
            size2 += y[m] * y[m]
        size = np.sqrt(size2)
        if size <= 0.0:
            continue
        over, soft = size - rest[e], toe * rest[e]
        if over <= 0.0:
            continue
        along = stiff[e] * min(over / soft, 1.0)
        across = stiff[e] * pull_of(over, soft) / size
        for m in range(3):
            y[m] /= size
        for p in range(3):
            rp = row[nodes[e, p]]
            if rp < 0 or coef[e, p] == 0.0:
                continue
            for q in range(3):
                rq = row[nodes[e, q]]
                if rq < 0 or coef[e, q] == 0.0 or rp < rq:
                    continue
                both = coef[e, p] * coef[e, q]
                for a in range(3):
                    for b in range(3):
                        i, j = 3 * rp + a, 3 * rq + b
                        if i >= j:
                            value = (along - across) * y[a] * y[b]
                            if a == b:
                                value += across
                            band[i - j, j] += both * value
    for e in range(len(pairs)):
        up, low = pairs[e, 0], pairs[e, 1]
        if x[low, 2] >= x[up, 2]:
            ru, rl = row[up], row[low]
            if ru >= 0:
                band[0, 3 * ru + 2] += press
            if rl >= 0:
                band[0, 3 * rl + 2] += press
            if ru >= 0 and rl >= 0:
                i, j = max(3 * ru + 2, 3 * rl + 2), min(3 * ru + 2, 3 * rl + 2)
                band[i - j, j] -= press
