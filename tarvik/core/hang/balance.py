"""Find where a hanging sheet comes to rest: Newton's method on its energy, damped while it is far
from rest.

Each step solves (H + D) dx = f with the stiffness H as a band (reverse Cuthill-McKee order, banded
Cholesky): the backward Euler step of a sheet in thick air (Baraff and Witkin 1998, Large steps in
cloth simulation; Kelley and Keyes 1998, pseudo-transient continuation), its time step growing as it
settles. The energy is convex, so the rest is its least.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import reverse_cuthill_mckee

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.hang.kernel import TOE, Layout, Parts, energy, forces, newton

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

GROUND_N_M: Final = constant(
    "ground_stiffness",
    2e4,
    "N/m",
    ENGINEERING,
    "how hard the ground under a node of the mesh is",
)
PRESS_N_M: Final = constant(
    "cord_contact",
    2e4,
    "N/m",
    ENGINEERING,
    "how hard cloth presses on a cord under it, a node",
)
MOST_STEPS: Final = 1500
"""Steps after which a sheet that has not come to rest is said to hang loose."""
CREEP_M: Final = constant(
    "cloth_creep",
    2e-5,
    "m",
    ENGINEERING,
    "loads sink by less a step once only loose folds of a slack sheet still move",
)


class Stage(NamedTuple):
    """Softness of the threads, most steps, how many times more may be left over, and how little a
    step lowers the loads once only loose folds still move, m (0: all is to be in balance).
    """

    toe: float
    most: int
    ease: float
    creep_m: float = 0.0


STAGES: Final = (Stage(3e-3, 100, 30.0), Stage(TOE, MOST_STEPS, 1.0))
"""Until every node is in balance."""
SHEET_STAGES: Final = (
    Stage(3e-3, 100, 30.0, CREEP_M),
    Stage(TOE, MOST_STEPS, 1.0, CREEP_M),
)
"""Until only loose folds still move, which lie another way each time the sheet is pitched."""
LIGHTEST: Final = 0.02
"""Least weight of a node, over the mean, in the damping: none may move without bounds."""
FIRST_DAMP: Final = 20.0
"""Damping to begin with, over the mean load on a node, 1/m."""


@dataclass(frozen=True, eq=False)
class Members:
    """Members that only pull: up to three nodes each (E, 3), their coefficients (E, 3), rest
    lengths and stiffnesses (E,).
    """

    nodes: NDArray[np.int64]
    coef: Floats
    rest: Floats
    stiff: Floats

    @classmethod
    def joined(cls, *several: Members) -> Members:
        """All together, in order."""
        return cls(
            *(
                np.concatenate([getattr(m, name) for m in several])
                for name in ("nodes", "coef", "rest", "stiff")
            )
        )

    @classmethod
    def cords(cls, ends: NDArray[np.int64], rest: Floats, stiff: Floats) -> Members:
        """Cords between nodes `ends` (k, 2) with rest lengths (m) and stiffnesses (N/m)."""
        k = len(ends)
        nodes = np.column_stack([ends, ends[:, 1]]).astype(np.int64).reshape(k, 3)
        return cls(nodes, np.tile([1.0, -1.0, 0.0], (k, 1)), rest, stiff)

    def pulls(self, x: Floats, toe: float = TOE) -> Floats:
        """Pull (E,) in each member times its unit (N for cords, N m for threads), at places x (n,
        3).
        """
        over, soft = self.spans(x) - self.rest, toe * self.rest
        return np.asarray(
            self.stiff
            * np.where(
                over < soft, np.maximum(over, 0.0) ** 2 / (2 * soft), over - soft / 2
            )
        )

    def spans(self, x: Floats) -> Floats:
        """Length (E,) of each member at places x (n, 3)."""
        return np.asarray(
            np.linalg.norm(np.einsum("ep,epm->em", self.coef, x[self.nodes]), axis=1)
        )


@dataclass(frozen=True, eq=False)
class Springs:
    """Springs at nodes (s,), each along a unit vector `way` (s, 3): stiffness (s,), N/m; the place
    along its way (s,), m, at which it does nothing; and whether it only pushes (s,).
    """

    nodes: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    way: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    stiff: Floats = field(default_factory=lambda: np.zeros(0))
    at: Floats = field(default_factory=lambda: np.zeros(0))
    pushes: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, dtype=np.bool_))

    @cached_property
    def table(self) -> Floats:
        """As the kernel takes them (s, 6)."""
        return np.column_stack(
            [self.way, self.stiff, self.at, self.pushes.astype(np.float64)]
        )

    def forces(self, x: Floats) -> Floats:
        """What each gives to its node (s, 3), N."""
        over = (self.way * x[self.nodes]).sum(axis=1) - self.at
        over = np.where(self.pushes, np.minimum(over, 0.0), over)
        return np.asarray(-(self.stiff * over)[:, None] * self.way)


@dataclass(frozen=True, eq=False)
class System:
    """A sheet with what holds it: members, held nodes (n,), pairs of nodes that press on each
    other, and springs.
    """

    members: Members
    held: NDArray[np.bool_]
    pairs: NDArray[np.int64] = field(
        default_factory=lambda: np.zeros((0, 2), dtype=np.int64)
    )
    ground_n_m: float = GROUND_N_M
    springs: Springs = field(default_factory=Springs)

    def parts(self, toe: float = TOE) -> Parts:
        """As the kernel takes it."""
        m, s = self.members, self.springs
        return Parts(
            m.nodes,
            m.coef,
            m.rest,
            m.stiff,
            self.ground_n_m,
            self.pairs,
            PRESS_N_M,
            s.nodes,
            s.table,
            toe,
        )

    def pulls(self, x: Floats, load: Floats, toe: float = TOE) -> Floats:
        """What is left over at each node (n, 3), N: zero where it rests; at a held one, what its
        holder takes.
        """
        out = np.empty_like(x)
        forces(x, self.parts(toe), load, out)
        return out

    def energy(self, x: Floats, load: Floats, toe: float = TOE) -> float:
        """Stored energy less the work of the loads, J."""
        return float(energy(x, self.parts(toe), load))


@dataclass(frozen=True, eq=False)
class Rest:
    """Where a sheet rests: places (n, 3), whether it came to rest, steps taken, and the largest
    pull left over, N.
    """

    x: Floats
    settled: bool
    steps: int
    left_n: float


def layout_of(system: System, count: int, places: Floats | None = None) -> Layout:
    """How the stiffness of a system of `count` nodes is laid out, its free nodes numbered so that
    the band is narrow: in the order of Cuthill and McKee reversed, or along the grid where their
    `places` (n, 2) in steps of the mesh are known and that is narrower.
    """
    free = np.flatnonzero(~system.held)
    m = system.members
    links = np.concatenate([m.nodes[:, [0, 1]], m.nodes[:, [1, 2]], m.nodes[:, [0, 2]]])
    links = np.concatenate([links, system.pairs])
    place = np.full(count, -1)
    place[free] = np.arange(len(free))
    links = place[links]
    links = links[(links >= 0).all(axis=1)]
    shape = (len(free), len(free))
    graph = coo_array(
        (np.ones(len(links)), (links[:, 0], links[:, 1])), shape=shape
    ).tocsr()
    orders = [reverse_cuthill_mckee(graph + graph.T, symmetric_mode=True).astype(np.int64)]
    if places is not None:
        u, v = places[free].T
        orders += [np.lexsort((v, np.round(u))), np.lexsort((u, np.round(v)))]
    order = min(orders, key=lambda order: _width(order, links))
    row = np.full(count, -1, dtype=np.int64)
    row[free[order]] = np.arange(len(free))
    return Layout(row, free[order], 3 * _width(order, links) + 2)


def _width(order: NDArray[np.int64], links: NDArray[np.int64]) -> int:
    """How far apart linked nodes (k, 2) stand at the most in an order (f,) of the free ones."""
    row = np.empty_like(order)
    row[order] = np.arange(len(order))
    return int(np.abs(np.diff(row[links], axis=1)).max(initial=0))


def come_to_rest(
    system: System,
    start: Floats,
    load: Floats,
    mass: Floats,
    stages: Sequence[Stage] = STAGES,
    layout: Layout | None = None,
    drawn_n: float = 0.0,
) -> Rest:
    """Let a sheet come to rest from `start` (n, 3) under loads (n, 3), N. `mass` (n,): relative
    weights of the nodes, which say how slowly each moves while it is far from rest. `layout`: that
    of a system with the same nodes and members; `drawn_n`: the pull of hands, which counts as a
    load.

    First with threads that take up their pull softly, then as they are: so slack cloth does not
    stop every step short.
    """
    x, layout, steps = start.copy(), layout or layout_of(system, len(start)), 0
    free = layout.free
    if not len(free):
        return Rest(x, True, 0, 0.0)
    settled, left_n = False, 0.0
    slow = np.maximum(mass[free] / mass[free].mean(), LIGHTEST)
    whole = float(np.abs(load[free]).sum()) + drawn_n
    damp = FIRST_DAMP * max(whole / len(free), 1e-3)
    for stage in stages:
        parts, until = system.parts(stage.toe), (stage.most, stage.ease, stage.creep_m)
        taken, settled, left_n = newton(x, parts, layout, load, slow, whole, damp, until)
        steps += taken
    return Rest(x, settled, steps, left_n)
