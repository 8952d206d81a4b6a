"""Find where a hanging sheet comes to rest: Newton's method on its energy, damped while it is far
from rest.

Each step solves (H + D) dx = f with the stiffness H as a band (reverse Cuthill-McKee order, banded
Cholesky): the backward Euler step of a sheet in thick air (Baraff and Witkin 1998, Large steps in
cloth simulation; Kelley and Keyes 1998, pseudo-transient continuation), its time step growing as it
settles. The energy is convex, so the rest is its least.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import numpy as np
from scipy.linalg import LinAlgError, cho_solve_banded, cholesky_banded
from scipy.sparse import coo_array
from scipy.sparse.csgraph import reverse_cuthill_mckee

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.hang.kernel import TOE, energy, forces, stiffness

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats

GROUND_N_M: Final = constant(
    "ground_stiffness", 2e4, "N/m", ENGINEERING, "how hard the ground under a node of the mesh is"
)
PRESS_N_M: Final = constant(
    "cord_contact", 2e4, "N/m", ENGINEERING, "how hard cloth presses on a cord under it, a node"
)
MOST_STEPS: Final = 1500
"""Steps after which a sheet that has not come to rest is said to hang loose."""
NET_LEFT: Final = 2e-4
"""A sheet is at rest when ties and ground balance the loads to this share of them,"""
EACH_LEFT: Final = 0.01
"""what is left over at all nodes together is less than this share of the loads,"""
CREEP_M: Final = 1e-6
"""and a step lowers the loads by less than this on average."""
REST_N: Final = 1e-6
"""Or when no node feels more than this."""
LONGEST_STEP_M: Final = 0.25
STAGES: Final = ((3e-3, 100, 30.0), (TOE, MOST_STEPS, 1.0))
"""Softness of the threads, most steps, and how many times more may be left over, of each stage."""
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

    def pulls(self, x: Floats) -> Floats:
        """Pull (E,) in each member times its unit (N for cords, N m for threads), at places x (n,
        3).
        """
        over, toe = self.spans(x) - self.rest, TOE * self.rest
        return np.asarray(
            self.stiff
            * np.where(over < toe, np.maximum(over, 0.0) ** 2 / (2 * toe), over - toe / 2)
        )

    def spans(self, x: Floats) -> Floats:
        """Length (E,) of each member at places x (n, 3)."""
        return np.asarray(np.linalg.norm(np.einsum("ep,epm->em", self.coef, x[self.nodes]), axis=1))


@dataclass(frozen=True, eq=False)
class System:
    """A sheet with what holds it: members, held nodes (n,), and pairs of nodes that press on each
    other.
    """

    members: Members
    held: NDArray[np.bool_]
    pairs: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 2), dtype=np.int64))
    ground_n_m: float = GROUND_N_M

    def pulls(self, x: Floats, load: Floats, toe: float = TOE) -> Floats:
        """What is left over at each node (n, 3), N: zero where it rests; at a held one, what its
        holder takes.
        """
        m, out = self.members, np.empty_like(x)
        forces(
            x,
            m.nodes,
            m.coef,
            m.rest,
            m.stiff,
            load,
            self.ground_n_m,
            self.pairs,
            PRESS_N_M,
            toe,
            out,
        )
        return out

    def energy(self, x: Floats, load: Floats, toe: float = TOE) -> float:
        """Stored energy less the work of the loads, J."""
        m = self.members
        return float(
            energy(
                x,
                m.nodes,
                m.coef,
                m.rest,
                m.stiff,
                load,
                self.ground_n_m,
                self.pairs,
                PRESS_N_M,
                toe,
            )
        )


@dataclass(frozen=True, eq=False)
class Rest:
    """Where a sheet rests: places (n, 3), whether it came to rest, steps taken, and the largest
    pull left over, N.
    """

    x: Floats
    settled: bool
    steps: int
    left_n: float


class Band:
    """The stiffness of a system in banded form, its free nodes numbered so that the band is
    narrow.
    """

    def __init__(self, system: System, count: int) -> None:
        self.system = system
        free = np.flatnonzero(~system.held)
        m = system.members
        links = np.concatenate(
            [m.nodes[:, [0, 1]], m.nodes[:, [1, 2]], m.nodes[:, [0, 2]], system.pairs]
        )
        place = np.full(count, -1)
        place[free] = np.arange(len(free))
        links = place[links]
        links = links[(links >= 0).all(axis=1)]
        graph = coo_array(
            (np.ones(len(links)), (links[:, 0], links[:, 1])), shape=(len(free), len(free))
        ).tocsr()
        order = reverse_cuthill_mckee(graph + graph.T, symmetric_mode=True)
        self.row = np.full(count, -1, dtype=np.int64)
        self.row[free[order]] = np.arange(len(free))
        self.free = free[order]
        rows = self.row[free[links]]
        width = int(np.abs(rows[:, 0] - rows[:, 1]).max()) if len(rows) else 0
        self.band = np.zeros((3 * width + 3, 3 * len(free)))

    def filled(self, x: Floats, damp: Floats, toe: float) -> Floats:
        """The band at places x, with `damp` on the diagonal of each free node."""
        s, m = self.system, self.system.members
        stiffness(
            x,
            m.nodes,
            m.coef,
            m.rest,
            m.stiff,
            s.ground_n_m,
            s.pairs,
            PRESS_N_M,
            toe,
            self.row,
            damp,
            self.band,
        )
        return self.band


def come_to_rest(system: System, start: Floats, load: Floats, mass: Floats) -> Rest:
    """Let a sheet come to rest from `start` (n, 3) under loads (n, 3), N. `mass` (n,): relative
    weights of the nodes, which say how slowly each moves while it is far from rest.

    First with threads that take up their pull softly, then as they are: so slack cloth does not
    stop every step short.
    """
    x, band, steps = start.copy(), Band(system, len(start)), 0
    if not len(band.free):
        return Rest(x, True, 0, 0.0)
    settled, left_n = False, 0.0
    slow = np.maximum(mass[band.free] / mass[band.free].mean(), LIGHTEST)
    for toe, most, ease in STAGES:
        x, settled, taken, left_n = _stage(system, band, x, load, slow, toe, most, ease)
        steps += taken
    return Rest(x, settled, steps, left_n)


def _stage(
    system: System,
    band: Band,
    x: Floats,
    load: Floats,
    slow: Floats,
    toe: float,
    most: int,
    ease: float,
) -> tuple[Floats, bool, int, float]:
    """Newton's method with one softness of the threads: places, whether at rest, steps, the largest
    pull left over.
    """
    whole = float(np.abs(load[band.free]).sum())
    damp, now = FIRST_DAMP * max(whole / len(band.free), 1e-3), system.energy(x, load, toe)
    left, gained = system.pulls(x, load, toe)[band.free], np.inf
    for step in range(most):
        if _at_rest(left, whole, gained, ease):
            return x, True, step, float(np.abs(left).max())
        try:
            factor = cholesky_banded(
                band.filled(x, damp * slow, toe), lower=True, overwrite_ab=True, check_finite=False
            )
        except LinAlgError:
            damp *= 10.0
            continue
        move = cho_solve_banded((factor, True), left.ravel(), check_finite=False).reshape(-1, 3)
        share, gain, tries = (
            min(1.0, LONGEST_STEP_M / max(float(np.abs(move).max()), 1e-300)),
            float((left * move).sum()),
            0,
        )
        while True:
            trial = x.copy()
            trial[band.free] += share * move
            then = system.energy(trial, load, toe)
            if then <= now - 1e-4 * share * gain or tries > 8:
                break
            share, tries = share / 2, tries + 1
        if then >= now + 1e-12 * abs(now) and tries > 8:
            damp *= 4.0
            if damp > 1e9:
                break
            continue
        x, now, gained = trial, then, now - then
        left = system.pulls(x, load, toe)[band.free]
        damp = max(damp * (0.35 if share == 1.0 else 1.0 if tries == 0 else 2.0), 1e-9)
    return x, _at_rest(left, whole, 0.0, ease), most, float(np.abs(left).max())


def _at_rest(left: Floats, whole: float, gained: float, ease: float) -> bool:
    """Whether what is left over at the free nodes (f, 3) is next to nothing beside the `whole` of
    the loads, N.
    """
    if float(np.abs(left).max()) <= REST_N:
        return True
    net, each = float(np.linalg.norm(left.sum(axis=0))), float(np.abs(left).sum())
    return (
        net <= ease * NET_LEFT * whole
        and each <= ease * EACH_LEFT * whole
        and gained <= ease * CREEP_M * whole
    )
