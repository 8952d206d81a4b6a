"""Energy, forces and stiffness of a hanging sheet, and Newton's method on them (Numba).

Everything that pulls is one kind of member: y = sum of `coef` times the places of up to three
nodes, with a rest length and a stiffness k; it stores k/2 (|y| - rest)^2 while |y| is over its rest
length and nothing otherwise. Over the first `toe` of strain the stiffness comes in evenly, as crimp
leaves the threads, so that the pull has no kink. A thread direction of a triangle has y = F d (F
the deformation gradient, d the direction on the flat sheet) and rest 1; a cord has y = the vector
from end to end. Such an energy is convex (Pipkin 1986, relaxed energy of a tension field), so the
balance is unique up to cloth that carries nothing.

What holds a point without a cord is a spring along one direction e: it stores k/2 (e . x - c)^2,
always or (a prop, which only pushes) while e . x is less than c. That is convex too.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.compiled import compiled, compiled_sums

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

    Ints = NDArray[np.int64]


TOE: Final = 1e-4
NET_LEFT: Final = 2e-4
"""A sheet is at rest when ties and ground balance the loads to this share of them,"""
EACH_LEFT: Final = 0.01
"""what is left over at all nodes together is less than this share of the loads,"""
CREEP_M: Final = 1e-6
"""and a step lowers the loads by less than this on average."""
CREEP_STEPS: Final = 8
"""A slack sheet creeps: its loose folds find new places while the rest no longer moves. It counts
as at rest when so many steps one after the other each lower the loads by next to nothing,
"""
CREEP_NET_LEFT: Final = 8e-4
"""and ties and ground balance the loads to this share of them."""
REST_N: Final = 1e-6
"""Or when no node feels more than this."""
LONGEST_STEP_M: Final = 0.25
MOST_HALVINGS: Final = 8
STIFFEST_DAMP: Final = 1e9


class Parts(NamedTuple):
    """All that stores energy in a sheet. Members: `nodes` (E, 3), `coef` (E, 3), `rest`
    and `stiff` (E,). `ground`: stiffness of the ground under a node, N/m. `pairs` (k,
    2): upper and lower nodes that press on each other with stiffness `press`. `sprung`
    (s,): nodes of springs, `spring` (s, 6): direction, k, c, and 1 where it only
    pushes. `toe`: strain over which a member's stiffness comes in.
    """

    nodes: Ints
    coef: Floats
    rest: Floats
    stiff: Floats
    ground: float
    pairs: Ints
    press: float
    sprung: Ints
    spring: Floats
    toe: float


class Layout(NamedTuple):
    """How the stiffness is laid out: `row` (n,) of each node among the `free` ones (f,),
    -1 where it is held; `width` of the band below the diagonal, in numbers.
    """

    row: Ints
    free: Ints
    width: int


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
def over_spring(x: Floats, parts: Parts, e: int) -> float:
    """How far along its way the node of a spring is from the place at which it does nothing."""
    n, s = parts.sprung[e], parts.spring
    along = s[e, 0] * x[n, 0] + s[e, 1] * x[n, 1] + s[e, 2] * x[n, 2]
    return float(along - s[e, 4])


@compiled
def energy(x: Floats, parts: Parts, load: Floats) -> float:
    """Stored energy less the work of the loads (n, 3), J, at places x (n, 3)."""
    total = 0.0
    for e in range(len(parts.sprung)):
        over = over_spring(x, parts, e)
        if over < 0.0 or parts.spring[e, 5] == 0.0:
            total += 0.5 * parts.spring[e, 3] * over * over
    for e in range(len(parts.rest)):
        i, j, k = parts.nodes[e]
        a, b, c = parts.coef[e]
        y0 = a * x[i, 0] + b * x[j, 0] + c * x[k, 0]
        y1 = a * x[i, 1] + b * x[j, 1] + c * x[k, 1]
        y2 = a * x[i, 2] + b * x[j, 2] + c * x[k, 2]
        over = np.sqrt(y0 * y0 + y1 * y1 + y2 * y2) - parts.rest[e]
        total += parts.stiff[e] * stored(over, parts.toe * parts.rest[e])
    for n in range(len(x)):
        total -= load[n, 0] * x[n, 0] + load[n, 1] * x[n, 1] + load[n, 2] * x[n, 2]
        if x[n, 2] < 0.0:
            total += 0.5 * parts.ground * x[n, 2] * x[n, 2]
    for e in range(len(parts.pairs)):
        sunk = x[parts.pairs[e, 1], 2] - x[parts.pairs[e, 0], 2]
        if sunk > 0.0:
            total += 0.5 * parts.press * sunk * sunk
    return total


@compiled
def forces(x: Floats, parts: Parts, load: Floats, out: Floats) -> None:
    """What pulls at every node (n, 3), held ones too: members, springs, ground and loads. Zero at a
    free node in balance.
    """
    out[:] = load
    for e in range(len(parts.sprung)):
        n = parts.sprung[e]
        over = over_spring(x, parts, e)
        if over < 0.0 or parts.spring[e, 5] == 0.0:
            for m in range(3):
                out[n, m] -= parts.spring[e, 3] * over * parts.spring[e, m]
    for e in range(len(parts.rest)):
        i, j, k = parts.nodes[e]
        a, b, c = parts.coef[e]
        y0 = a * x[i, 0] + b * x[j, 0] + c * x[k, 0]
        y1 = a * x[i, 1] + b * x[j, 1] + c * x[k, 1]
        y2 = a * x[i, 2] + b * x[j, 2] + c * x[k, 2]
        size = np.sqrt(y0 * y0 + y1 * y1 + y2 * y2)
        rest = parts.rest[e]
        if size > rest:
            pull = parts.stiff[e] * pull_of(size - rest, parts.toe * rest) / size
            for m in range(3):
                t = pull * parts.coef[e, m]
                out[parts.nodes[e, m], 0] -= t * y0
                out[parts.nodes[e, m], 1] -= t * y1
                out[parts.nodes[e, m], 2] -= t * y2
    for n in range(len(x)):
        if x[n, 2] < 0.0:
            out[n, 2] -= parts.ground * x[n, 2]
    for e in range(len(parts.pairs)):
        sunk = x[parts.pairs[e, 1], 2] - x[parts.pairs[e, 0], 2]
        if sunk > 0.0:
            out[parts.pairs[e, 0], 2] += parts.press * sunk
            out[parts.pairs[e, 1], 2] -= parts.press * sunk


PAIRS: Final = np.array([[0, 0], [1, 1], [2, 2], [1, 0], [2, 0], [2, 1]])
"""Pairs of a member's three nodes."""
PLACES: Final = np.array([[0, 0], [1, 1], [2, 2], [1, 0], [2, 0], [2, 1]])
"""Places of the six numbers of a symmetric block (3, 3)."""


@compiled
def _put(band: Floats, layout: Layout, nodes: Ints, blocks: Floats) -> None:
    """Add to the band the stiffness between three nodes: symmetric blocks (6, 6) of their PAIRS."""
    for k in range(6):
        rp, rq = layout.row[nodes[PAIRS[k, 0]]], layout.row[nodes[PAIRS[k, 1]]]
        if rp < 0 or rq < 0:
            continue
        high, low = 3 * max(rp, rq), 3 * min(rp, rq)
        for c in range(6):
            a, b = PLACES[c, 0], PLACES[c, 1]
            band[high + a, low + b - high - a + layout.width] += blocks[k, c]
            if a != b and high != low:
                band[high + b, low + a - high - b + layout.width] += blocks[k, c]


@compiled
def stiffness(x: Floats, parts: Parts, layout: Layout, damp: Floats, band: Floats) -> None:
    """Second derivative of the energy as a lower band by rows (3 f, width + 1), the diagonal last;
    `damp` (f,) is added to the diagonal of each free node.
    """
    band[:] = 0.0
    width = layout.width
    for n in range(len(x)):
        r = layout.row[n]
        if r >= 0:
            for m in range(3):
                band[3 * r + m, width] += damp[r]
            if x[n, 2] <= 0.0:
                band[3 * r + 2, width] += parts.ground
    for e in range(len(parts.sprung)):
        r = layout.row[parts.sprung[e]]
        if r >= 0 and (over_spring(x, parts, e) <= 0.0 or parts.spring[e, 5] == 0.0):
            for p in range(3):
                for q in range(p + 1):
                    both = parts.spring[e, p] * parts.spring[e, q]
                    band[3 * r + p, q - p + width] += parts.spring[e, 3] * both
    y = np.empty(3)
    blocks, weights, own = np.zeros((6, 6)), np.empty(6), np.empty(6)
    dirty = False
    for e in range(len(parts.rest)):
        size2 = 0.0
        for m in range(3):
            y[m] = (
                parts.coef[e, 0] * x[parts.nodes[e, 0], m]
                + parts.coef[e, 1] * x[parts.nodes[e, 1], m]
                + parts.coef[e, 2] * x[parts.nodes[e, 2], m]
            )
            size2 += y[m] * y[m]
        size = np.sqrt(size2)
        over, soft = size - parts.rest[e], parts.toe * parts.rest[e]
        if size > 0.0 and over > 0.0:
            along = parts.stiff[e] * min(over / soft, 1.0)
            across = parts.stiff[e] * pull_of(over, soft) / size
            stretch = (along - across) / size2
            for c in range(6):
                a, b = PLACES[c, 0], PLACES[c, 1]
                own[c] = stretch * y[a] * y[b]
                weights[c] = parts.coef[e, PAIRS[c, 0]] * parts.coef[e, PAIRS[c, 1]]
            for c in range(3):
                own[c] += across
            for k in range(6):
                for c in range(6):
                    blocks[k, c] += weights[k] * own[c]
            dirty = True
        last = e + 1 == len(parts.rest)
        if dirty and (
            last
            or parts.nodes[e + 1, 0] != parts.nodes[e, 0]
            or parts.nodes[e + 1, 1] != parts.nodes[e, 1]
            or parts.nodes[e + 1, 2] != parts.nodes[e, 2]
        ):
            _put(band, layout, parts.nodes[e], blocks)
            blocks[:] = 0.0
            dirty = False
    for e in range(len(parts.pairs)):
        up, low = parts.pairs[e, 0], parts.pairs[e, 1]
        if x[low, 2] >= x[up, 2]:
            ru, rl = layout.row[up], layout.row[low]
            if ru >= 0:
                band[3 * ru + 2, width] += parts.press
            if rl >= 0:
                band[3 * rl + 2, width] += parts.press
            if ru >= 0 and rl >= 0:
                i, j = max(3 * ru + 2, 3 * rl + 2), min(3 * ru + 2, 3 * rl + 2)
                band[i, j - i + width] -= parts.press


@compiled_sums
def dot(one: Floats, other: Floats) -> float:
    """Sum of products of two rows of the same length."""
    total = 0.0
    for k in range(len(one)):
        total += one[k] * other[k]
    return total


@compiled_sums
def factored(band: Floats, width: int) -> bool:
    """Cholesky's factor of a lower band by rows, in its place; False where it is not positive."""
    for i in range(len(band)):
        first = max(0, i - width)
        row = band[i]
        for j in range(first, i):
            other = band[j]
            start = max(first, j - width)
            a, b, count = start - i + width, start - j + width, j - start
            total = row[a + count] - dot(row[a : a + count], other[b : b + count])
            row[a + count] = total / other[width]
        own = row[first - i + width : width]
        total = row[width] - dot(own, own)
        if not total > 0.0:
            return False
        row[width] = np.sqrt(total)
    return True


@compiled_sums
def solved(band: Floats, width: int, right: Floats) -> None:
    """Solve with the factor, in the place of the right side (3 f,)."""
    count = len(band)
    for i in range(count):
        first = max(0, i - width)
        row = band[i, first - i + width : width]
        right[i] = (right[i] - dot(row, right[first:i])) / band[i, width]
    for i in range(count - 1, -1, -1):
        right[i] /= band[i, width]
        first = max(0, i - width)
        row, above = band[i, first - i + width : width], right[first:i]
        for k in range(len(row)):
            above[k] -= row[k] * right[i]


@compiled
def at_rest(left: Floats, free: Ints, whole: float, gained: float, ease: float) -> bool:
    """Whether what is left over (n, 3) at the free nodes is next to nothing beside the `whole` of
    the loads, N.
    """
    most = each = 0.0
    net = np.zeros(3)
    for n in free:
        for m in range(3):
            size = abs(left[n, m])
            most = max(most, size)
            each += size
            net[m] += left[n, m]
    if most <= REST_N:
        return True
    off = np.sqrt(net[0] * net[0] + net[1] * net[1] + net[2] * net[2])
    return (
        off <= ease * NET_LEFT * whole
        and each <= ease * EACH_LEFT * whole
        and gained <= ease * CREEP_M * whole
    )


@compiled
def creeps(left: Floats, free: Ints, whole: float, quiet: int) -> bool:
    """Whether a sheet that is not in balance everywhere has only loose folds left to lay, after
    `quiet` steps that hardly moved it.
    """
    if quiet < CREEP_STEPS:
        return False
    net = np.zeros(3)
    for n in free:
        for m in range(3):
            net[m] += left[n, m]
    return bool(np.sqrt((net * net).sum()) <= CREEP_NET_LEFT * whole)


class Settling(NamedTuple):
    """How a sheet came to rest: steps taken, whether it did, and the largest pull left
    over, N.
    """

    steps: int
    settled: bool
    left_n: float


@compiled
def newton(
    x: Floats,
    parts: Parts,
    layout: Layout,
    load: Floats,
    slow: Floats,
    whole: float,
    first_damp: float,
    until: tuple[int, float, float],
) -> Settling:
    """Newton's method from places x (n, 3), which it moves: steps, whether at rest, and the largest
    pull left over, N. `slow` (f,): relative damping of the free nodes; `whole`: size of the loads,
    N; `until`: most steps, how many times more may be left over, and by how much a step that hardly
    moves the sheet lowers the loads, m (0: it is to be in balance everywhere).
    """
    most, ease, creep_m = until
    free, width = layout.free, layout.width
    left = np.empty_like(x)
    trial = x.copy()
    band = np.zeros((3 * len(free), width + 1))
    move = np.empty(3 * len(free))
    damp, now, gained = first_damp, energy(x, parts, load), np.inf
    forces(x, parts, load, left)
    steps, quiet, settled = 0, 0, False
    while True:
        quiet = quiet + 1 if creep_m > 0.0 and gained <= creep_m * whole else 0
        settled = at_rest(left, free, whole, gained, ease) or creeps(
            left, free, whole, quiet
        )
        if settled or steps == most or damp > STIFFEST_DAMP:
            break
        steps += 1
        stiffness(x, parts, layout, damp * slow, band)
        if not factored(band, width):
            damp *= 10.0
            continue
        for r in range(len(free)):
            for m in range(3):
                move[3 * r + m] = left[free[r], m]
        solved(band, width, move)
        longest, gain = 1e-300, 0.0
        for r in range(len(free)):
            for m in range(3):
                longest = max(longest, abs(move[3 * r + m]))
                gain += left[free[r], m] * move[3 * r + m]
        share, tries, then = min(1.0, LONGEST_STEP_M / longest), 0, 0.0
        while True:
            for r in range(len(free)):
                for m in range(3):
                    trial[free[r], m] = x[free[r], m] + share * move[3 * r + m]
            then = energy(trial, parts, load)
            if then <= now - 1e-4 * share * gain or tries > MOST_HALVINGS:
                break
            share, tries = share / 2, tries + 1
        if then >= now + 1e-12 * abs(now) and tries > MOST_HALVINGS:
            damp *= 4.0
            continue
        gained, now = now - then, then
        x[:] = trial
        forces(x, parts, load, left)
        damp = max(damp * (0.35 if share == 1.0 else 1.0 if tries == 0 else 2.0), 1e-9)
    return Settling(steps, settled, np.abs(left[free]).max())
