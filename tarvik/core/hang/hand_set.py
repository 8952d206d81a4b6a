"""A sheet set by hand: every stake and guy drawn as hard as a hand draws it, then standing fast.

First each stake and guy gives softly, so that its pull is the hand's whatever the cloth does, and
the sheet comes to rest under its own weight. There the stakes are driven: from then on each gives
as little as ground and cord do, and pulls as hard as it did. Trees hold a point in place, props
push along themselves, guys and cords pull.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.hang.balance import (
    Members,
    Rest,
    Springs,
    Stage,
    System,
    come_to_rest,
    layout_of,
)
from tarvik.core.hang.cloth import hem, patched, threads, weights_n
from tarvik.core.hang.hung import in_steps, kept_mesh, masses
from tarvik.core.hang.ridge import ridge_line
from tarvik.core.hang.ties import (
    CORD_N,
    Tie,
    clipped,
    cord_ends,
    require_ties,
    stake_of,
    weighted,
)
from tarvik.core.pitches.base import Hold
from tarvik.core.rig.rigging import ON_GROUND_M, mid_edge_places

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.fabric import Fabric
    from tarvik.core.hang.mesh import Mesh
    from tarvik.core.rig.carried import Line, Rig, Support
    from tarvik.core.shelter import Shelter

HAND_N: Final = constant(
    "hand_set_pull",
    50.0,
    "N",
    COMMON_PRACTICE,
    "pull with which a stake or guy is set by hand",
)
HAND_SHARE: Final = constant(
    "hand_set_share",
    0.5,
    "of what a stake holds",
    ENGINEERING,
    "most with which a hand draws at a stake, lest it come out",
)
HAND_TRAVEL_M: Final = constant(
    "hand_travel", 0.05, "m", ENGINEERING, "how far a hand follows the cloth while it draws"
)
STAKE_N_M: Final = constant(
    "stake_stiffness", 1e4, "N/m", ENGINEERING, "how little a driven stake gives"
)
FIRM_N_M: Final = constant(
    "firm_stiffness",
    1e5,
    "N/m",
    ENGINEERING,
    "how little a tree, pole, boat or weight gives",
)
FIRM_KINDS: Final = ("tree", "tripod", "boat", "vehicle", "fence")
"""Kinds of support that hold a point in place by themselves."""
HOLDING_KINDS: Final = ("stake", "support", "guy", "cord")
AXES: Final = np.eye(3)
QUICK: Final = (Stage(1e-3, 300, 30.0),)
"""One stage: threads that take up their pull a little softly move no point by a centimetre."""


def hand_pull_n(stake_n: float, drawn: float = 1.0) -> float:
    """Pull at each stake and guy when set by hand, N, where a stake holds `stake_n` and the group
    draws `drawn` times as hard as usual.
    """
    return min(drawn * HAND_N, HAND_SHARE * stake_n)


def set_ties(shelter: Shelter, rig: Rig, mesh: Mesh) -> list[Tie]:
    """Every tie of a rigged sheet where the card puts it. Raises FoldError when too little holds
    it.
    """
    out = [
        Tie(s.point, mesh.named[s.point], "stake", (*s.at, 0.0), number=number)
        for number, s in enumerate(rig.stakes)
        if s.purpose in ("sheet", "mid-edge") and s.point in mesh.named and not s.optional
    ]
    supported = {s.point: s for s in rig.supports if s.point in mesh.named}
    for support in supported.values():
        out += _carried(shelter, rig, mesh, support)
    out += [
        _guy(rig, mesh, line)
        for line in rig.lines
        if line.start not in supported
        and line.start in mesh.named
        and line.to[2] <= ON_GROUND_M
    ]
    held = {tie.node for tie in out}
    out += weighted(shelter, mesh, held)
    out += clipped(shelter, mesh, held | {tie.node for tie in out})
    require_ties(shelter, out, HOLDING_KINDS)
    return out


def _carried(shelter: Shelter, rig: Rig, mesh: Mesh, support: Support) -> list[Tie]:
    """A supported point: on a cord from above, held in place, or on a prop with its guys."""
    point, node = support.point, mesh.named[support.point]
    lines = [line for line in rig.lines if line.start == point]
    hold = next((a.hold for a in shelter.pitch.anchors if a.point == point), Hold.FREE)
    if hold is Hold.LIFTED or support.kind == "branch":
        for line in lines:
            if line.to[2] > ON_GROUND_M:
                return [Tie(point, node, "cord", line.to, line.span_m)]
    x, y, z = (float(c) for c in shelter.at(point))
    prop = None if support.kind in FIRM_KINDS else (*support.at, 0.0)
    guys = [_guy(rig, mesh, line) for line in lines if line.to[2] <= ON_GROUND_M]
    return [Tie(point, node, "support", (x, y, z), prop=prop), *guys]


def _guy(rig: Rig, mesh: Mesh, line: Line) -> Tie:
    foot = (line.to[0], line.to[1], 0.0)
    node = mesh.named[line.start]
    return Tie(line.start, node, "guy", foot, line.span_m, number=stake_of(rig, line))


class HandSet:
    """A sheet that stands as it was set by hand; loads can then be put on it. Raises FoldError when
    nothing holds it.

    Nodes: those of the `mesh`, those of a ridge line under the cloth with its two ends, and the far
    ends of cords.
    """

    def __init__(
        self, shelter: Shelter, rig: Rig, fabric: Fabric, pull_n: float, lines: int
    ) -> None:
        self.shelter, self.rig = shelter, rig
        edges = {s.point for s in rig.stakes if s.purpose == "mid-edge" and not s.optional}
        further = [
            (name, uv)
            for name, (uv, _) in mid_edge_places(shelter).items()
            if name in edges
        ]
        self.mesh = kept_mesh(shelter, lines, tuple(further))
        self.ties = tuple(set_ties(shelter, rig, self.mesh))
        self.cords = [tie for tie in self.ties if tie.length_m]
        nodes = sorted({tie.node for tie in self.ties})
        cloth = patched(self.mesh, threads(self.mesh, fabric), nodes)
        self._put_together(cloth, hem(self.mesh, fabric, 0.0))
        self.mass = masses(self.mesh, len(self._start))
        self.weight = np.zeros_like(self._start)
        self.weight[: len(self.mesh.uv), 2] = -weights_n(self.mesh, fabric)
        self._set(pull_n)

    def _put_together(self, cloth: Members, hems: Members) -> None:
        """Members without the cords, where all nodes start, which are held."""
        count = len(self.mesh.uv)
        start = self.mesh.xyz.copy()
        held = np.ones(count, dtype=bool)
        held[self.mesh.triangles] = (
            False  # a node that only slivers touch stays where it is
        )
        high = [self.mesh.named[p] for p in self.shelter.pitch.high_points()]
        line, places, pairs = ridge_line(
            self.shelter, self.rig, self.mesh, start, count + 2, (count, count + 1)
        )
        parts = [cloth, hems]
        if len(places):
            parts.append(line)
            start = np.concatenate([start, start[high], places])
            held = np.concatenate([held, [True, True], np.zeros(len(places), dtype=bool)])
        self.line_ends = (count, count + 1) if len(places) else None
        self._ends, anchors = cord_ends(self.cords, len(start))
        self._fixed = Members.joined(*parts)
        self._start = np.concatenate([start, anchors])
        self._held = np.concatenate([held, np.ones(len(anchors), dtype=bool)])
        self._pairs = pairs

    def _system(self, springs: Springs, cords: Members) -> System:
        members = Members.joined(self._fixed, cords)
        return System(members, self._held, self._pairs, springs=springs)

    def _cord_spans(self, x: Floats) -> Floats:
        """How far apart the ends of each cord are (k,), m."""
        return np.asarray(np.linalg.norm(x[self._ends[:, 0]] - x[self._ends[:, 1]], axis=1))

    def _set(self, pull_n: float) -> None:
        """Draw by hand, come to rest, drive the stakes there."""
        drawn = np.array([tie.kind == "guy" for tie in self.cords], dtype=bool)
        length = self._cord_spans(self._start)
        own = np.array([tie.length_m for tie in self.cords])
        soft = pull_n / HAND_TRAVEL_M
        firm = CORD_N / np.maximum(own, 1e-6)
        rest = np.where(drawn, np.maximum(length - HAND_TRAVEL_M, 1e-3), own)
        cords = Members.cords(self._ends, rest, np.where(drawn, soft, firm))
        system = self._system(self._springs(soft), cords)
        self.toe = QUICK[-1].toe
        steps = in_steps(self.mesh, len(self._start), self._pairs)
        self.layout = layout_of(system, len(self._start), steps)
        self.set = come_to_rest(
            system,
            self._start,
            self.weight,
            self.mass,
            QUICK,
            self.layout,
            pull_n * len(self.ties),
        )
        x = self.set.x
        stands = 1 / (1 / firm + 1 / STAKE_N_M)
        rest = np.where(drawn, self._cord_spans(x) - cords.pulls(x, self.toe) / stands, own)
        self._cords = Members.cords(
            self._ends, np.maximum(rest, 1e-3), np.where(drawn, stands, firm)
        )
        self.system = self._system(self._driven(system.springs, x), self._cords)

    def _springs(self, soft: float) -> Springs:
        """What holds points without a cord, stakes giving softly as they are drawn outwards."""
        staked = [tie for tie in self.ties if tie.kind in ("stake", "support", "weight")]
        middle = np.mean([tie.at[:2] for tie in staked], axis=0) if staked else np.zeros(2)
        rows: list[tuple[int, Floats, float, float, bool]] = []
        for tie in self.ties:
            if tie.length_m:
                continue
            at = np.array(tie.at)
            if tie.prop is not None:
                along = at - np.array(tie.prop)
                along = along / max(float(np.linalg.norm(along)), 1e-9)
                rows.append((tie.node, along, FIRM_N_M, float(along @ at), True))
                continue
            if tie.kind == "stake":
                out = at[:2] - middle
                at[:2] += HAND_TRAVEL_M * out / max(float(np.hypot(*out)), 1e-9)
            for axis in range(3):
                stiff = soft if tie.kind == "stake" and axis < 2 else FIRM_N_M
                rows.append((tie.node, AXES[axis], stiff, float(at[axis]), False))
        return Springs(
            np.array([r[0] for r in rows], dtype=np.int64),
            np.array([r[1] for r in rows]).reshape(-1, 3),
            np.array([r[2] for r in rows]),
            np.array([r[3] for r in rows]),
            np.array([r[4] for r in rows], dtype=np.bool_),
        )

    def _driven(self, springs: Springs, x: Floats) -> Springs:
        """The same as stiff as ground and trees, each pulling as hard as it does at x (n, 3)."""
        given = (springs.forces(x) * springs.way).sum(axis=1)
        stakes = {tie.node for tie in self.ties if tie.kind == "stake"}
        stiff = np.where([int(n) in stakes for n in springs.nodes], STAKE_N_M, FIRM_N_M)
        now = (springs.way * x[springs.nodes]).sum(axis=1)
        at = np.where(springs.pushes, springs.at, now + given / stiff)
        return replace(springs, stiff=stiff, at=at)

    def cord_pulls(self, x: Floats) -> Floats:
        """Pull (k,) of each of `cords` at places x (n, 3), N."""
        return self._cords.pulls(x, self.toe)

    def ridge_line_ends(self, x: Floats) -> list[tuple[str, int, Floats]]:
        """What the trees at the two ends of a ridge line give it: point, node, force (3,)."""
        if self.line_ends is None:
            return []
        pulls = self.system.pulls(x, np.zeros_like(x), self.toe)
        points = self.shelter.pitch.high_points()
        return [(p, n, -pulls[n]) for p, n in zip(points, self.line_ends, strict=True)]

    def ground(self, x: Floats) -> tuple[float, Floats]:
        """How hard the ground pushes up under cloth that lies on it, N, and where (3,)."""
        push = -self.system.ground_n_m * np.minimum(x[~self._held, 2], 0.0)
        whole = float(push.sum())
        at = (push[:, None] * x[~self._held]).sum(axis=0) / max(whole, 1e-12)
        return whole, np.asarray(at)

    def under(self, load: Floats, start: Floats | None = None) -> Rest:
        """Where it comes to rest under loads on the mesh's nodes besides its weight (n, 3), N."""
        whole = self.weight.copy()
        whole[: len(load)] += load
        begin = self.set.x if start is None else start
        scale = float(np.abs(load).sum())
        return come_to_rest(self.system, begin, whole, self.mass, QUICK, self.layout, scale)
