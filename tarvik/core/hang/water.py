"""Where water gathers on a hung sheet, and whether its weight makes the hollow grow or drain.

A hollow is found by flooding from the rim inwards over the mesh (priority flood, Barnes, Lehman and
Mulla 2014): the level at which water at a node would run over. A hollow that is filled hangs lower;
filled again and again it comes to a pool that stays, drains over an edge that went down with it, or
feeds itself.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import ENGINEERING, EXACT, constant
from tarvik.core.hang.balance import SHEET_STAGES, come_to_rest
from tarvik.core.plane import signed_area
from tarvik.core.rig.rigging import ON_GROUND_M
from tarvik.core.units import GRAVITY

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.hung import Hung
    from tarvik.core.hang.mesh import Mesh

WATER_KG_M3: Final = constant(
    "water_density", 1000.0, "kg/m3", EXACT, "weight of a cubic metre of rain, rounded"
)
POOL_LEAST_L: Final = constant(
    "pool_least",
    0.1,
    "l",
    ENGINEERING,
    "less water than this is no pool: it wets the cloth",
)
POOL_MOST_L: Final = constant(
    "pool_most",
    60.0,
    "l",
    ENGINEERING,
    "a pool that grows past this is said to feed itself",
)
STEADY: Final = constant(
    "pool_steady",
    0.03,
    "1",
    ENGINEERING,
    "a pool that grows by less than this share a filling is full",
)
FILM_M: Final = 0.002
"""Water no deeper than this is a film."""
FILLINGS: Final = 12
"""Fillings after which a pool that still grows is said to feed itself."""


class Grows(StrEnum):
    """What becomes of a pool as it fills."""

    HOLDS = "holds"  # comes to rest with so much water
    DRAINS = "drains"  # its weight lowers the edge: it runs out
    FEEDS_ITSELF = "feeds itself"  # its weight makes room for more, without end


@dataclass(frozen=True, slots=True)
class Pool:
    """Water that gathers at `at` (3,), its deepest point: litres in the dry-hung hollow, litres
    once it is full and the sheet has sunk under it, its greatest depth then, its outline's nodes,
    and what becomes of it.
    """

    at: tuple[float, float, float]
    litres_first: float
    litres: float
    depth_m: float
    nodes: tuple[int, ...]
    grows: Grows


def pools(hung: Hung) -> list[Pool]:
    """Every pool on a hung sheet, the largest first."""
    roof = hung.mesh.triangles[hung.roof]
    first = depths(hung.mesh, hung.xyz, roof)
    hollows = [
        h
        for h in _hollows(first, roof)
        if _litres(hung, hung.xyz, first, h) >= POOL_LEAST_L
    ]
    if not hollows:
        return []
    xyz, depth, grows = _filled(hung, first, roof)
    fuller = _hollows(depth, roof)
    run_together: dict[tuple[int, ...], list[int]] = {}
    for hollow in hollows:
        now = tuple(
            sorted({n for other in fuller if set(other) & set(hollow) for n in other})
        )
        run_together.setdefault(now or hollow, []).extend(hollow)
    out = []
    for nodes, before in run_together.items():
        litres_first, litres = (
            _litres(hung, hung.xyz, first, before),
            _litres(hung, xyz, depth, nodes),
        )
        drained = litres < POOL_LEAST_L
        at, deep = (hung.xyz, first) if drained else (xyz, depth)
        deepest = max(nodes, key=lambda n: float(deep[n]))
        x, y, z = (float(v) for v in at[deepest])
        out.append(
            Pool(
                (x, y, z),
                litres_first,
                litres,
                float(depth[deepest]),
                nodes,
                Grows.DRAINS if drained else grows,
            )
        )
    return sorted(out, key=lambda p: -max(p.litres, p.litres_first))


class Filled(NamedTuple):
    """A sheet with its pools: where its nodes end (n, 3), the depths there, and what
    becomes of it.
    """

    x: Floats
    depth: Floats
    grows: Grows


def _filled(hung: Hung, depth: Floats, roof: NDArray[np.int64]) -> Filled:
    """Fill all hollows, let the sheet sink, fill again: where its nodes end, the depths there, and
    what becomes of it all.
    """
    x, held, n = hung.rest.x, hung.system.held, len(hung.mesh.uv)
    mass = np.full(len(x), float(hung.mesh.node_area.mean()))
    litres = _all_litres(hung, x[:n], depth)
    grows = Grows.HOLDS
    for _ in range(FILLINGS):
        load = hung.load.copy()
        load[:n, 2] -= GRAVITY * WATER_KG_M3 * depth * _plan_areas(hung, x[:n])
        load[held] = hung.load[held]
        x = come_to_rest(hung.system, x, load, mass, SHEET_STAGES).x
        depth = depths(hung.mesh, x[:n], roof)
        before, litres = litres, _all_litres(hung, x[:n], depth)
        if litres < POOL_LEAST_L:
            return Filled(x[:n], depth, Grows.DRAINS)
        if litres > POOL_MOST_L:
            return Filled(x[:n], depth, Grows.FEEDS_ITSELF)
        grows = Grows.HOLDS if litres <= before * (1 + STEADY) else Grows.FEEDS_ITSELF
        if abs(litres - before) <= STEADY * before:
            break
    return Filled(x[:n], depth, grows)


def depths(mesh: Mesh, xyz: Floats, roof: NDArray[np.int64]) -> Floats:
    """How deep water could stand on each node (n,), m; 0 where it runs off. `roof` (k, 3): the
    triangles that catch rain.
    """
    if not _hollow(mesh, xyz[:, 2], roof):
        return np.zeros(len(xyz))
    near: dict[int, set[int]] = {int(n): set() for n in np.unique(roof)}
    for a, b, c in roof.tolist():
        near[a] |= {b, c}
        near[b] |= {a, c}
        near[c] |= {a, b}
    z = xyz[:, 2].tolist()
    outlets = {n for n in np.unique(mesh.rim).tolist() if n in near} | {
        n for n in near if z[n] <= ON_GROUND_M
    }
    level = {n: z[n] for n in outlets}
    heap = [(z[n], n) for n in outlets]
    heapq.heapify(heap)
    while heap:
        height, n = heapq.heappop(heap)
        if height > level[n]:
            continue
        for m in near[n]:
            over = max(height, z[m])
            if over < level.get(m, np.inf):
                level[m] = over
                heapq.heappush(heap, (over, m))
    out = np.zeros(len(xyz))
    for n, height in level.items():
        out[n] = height - z[n]
    return out


def _hollow(mesh: Mesh, z: Floats, roof: NDArray[np.int64]) -> bool:
    """Whether any node of the roof, off its rim and above the ground, has no lower neighbour: else
    all water runs off.
    """
    lowest = np.full(len(z), np.inf)
    for turn in (1, 2):
        np.minimum.at(lowest, roof.ravel(), z[np.roll(roof, turn, axis=1)].ravel())
    within = np.zeros(len(z), dtype=bool)
    within[roof] = True
    within[mesh.rim] = False
    return bool((within & (z > ON_GROUND_M) & (lowest >= z)).any())


def _hollows(depth: Floats, roof: NDArray[np.int64]) -> list[tuple[int, ...]]:
    """Nodes under water, grouped by the water they lie in."""
    wet = set(np.flatnonzero(depth > FILM_M).tolist())
    parent = {n: n for n in wet}

    def root(n: int) -> int:
        while parent[n] != n:
            parent[n] = parent[parent[n]]
            n = parent[n]
        return n

    for tri in roof.tolist():
        under = [n for n in tri if n in wet]
        for n in under[1:]:
            parent[root(n)] = root(under[0])
    groups: dict[int, list[int]] = {}
    for n in sorted(wet):
        groups.setdefault(root(n), []).append(n)
    return [tuple(g) for g in groups.values()]


def _plan_areas(hung: Hung, xyz: Floats) -> Floats:
    """Ground under each node's share of the cloth (n,), m2."""
    mesh = hung.mesh
    flat, plan = (np.abs(signed_area(at[mesh.triangles])) for at in (mesh.uv, xyz))
    return mesh.on_nodes(plan * mesh.area / np.maximum(flat, 1e-12))


def _litres(hung: Hung, xyz: Floats, depth: Floats, nodes: Sequence[int]) -> float:
    some = list(nodes)
    return float((_plan_areas(hung, xyz)[some] * depth[some]).sum() * 1000.0)


def _all_litres(hung: Hung, xyz: Floats, depth: Floats) -> float:
    return _litres(hung, xyz, depth, range(len(depth)))
