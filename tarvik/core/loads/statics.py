"""Statics of a rigged shelter: the wind on each panel, handed to its held points, balanced by
lines, poles and stakes.

A panel's force goes to those of its points that something holds, so that force and moment balance
(the least unequal shares that do). At every point above the ground the pull of the cloth towards
its neighbours, the lines and the pole then balance the load: a truss whose members only pull, poles
only push. Of all such states the one with the least squared forces is taken (lower-bound theorem of
plasticity: any balanced state is a safe estimate of what the members can carry).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
from scipy.optimize import nnls

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.pitches.base import Hold

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.loads.pressure import PanelLoad
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter

GROUND_M: Final = 0.02
"""A point this low stands on the ground."""
EVEN: Final = constant(
    "force_evenness", 1e-4, "1", ENGINEERING, "weight of small forces against exact balance"
)
UNBALANCED: Final = constant(
    "unbalanced_share",
    0.02,
    "1",
    ENGINEERING,
    "share of the wind that may stay unbalanced at a point",
)


@dataclass(frozen=True, slots=True)
class LineForce:
    """Pull in one line of the rig, by its place among `rig.lines`."""

    line: int
    newtons: float


@dataclass(frozen=True, slots=True)
class StakeForce:
    """What one stake of the rig holds, by its place among `rig.stakes`: in all, upwards, and along
    the ground.
    """

    stake: int
    newtons: float
    up_n: float
    along_n: float


@dataclass(frozen=True, slots=True)
class SupportForce:
    """What the support of a high point takes: `push_n` down a pole, or `pull` (3,) on the line to a
    tree.
    """

    point: str
    kind: str
    push_n: float
    pull_n: float
    pull: Floats


@dataclass(frozen=True, slots=True)
class Statics:
    """All forces of one wind, in newtons. `loose` names points, flown corners aside, at which the
    lines there are cannot balance the wind.
    """

    lines: tuple[LineForce, ...]
    stakes: tuple[StakeForce, ...]
    supports: tuple[SupportForce, ...]
    total: Floats
    reaction: Floats
    loose: tuple[str, ...]


def point_loads(shelter: Shelter, loads: Sequence[PanelLoad]) -> dict[str, Floats]:
    """The wind handed to held points (3,), so that the sum and the moment of each panel's force are
    kept.
    """
    held = [a.point for a in shelter.pitch.anchors if a.hold is not Hold.FREE]
    out = {p: np.zeros(3) for p in held}
    by_id = {panel.id: panel for panel in shelter.panels}
    for load in loads:
        points = [p for p in by_id[load.id].points if p in out] or held
        if not points:  # a bag: who lies in it holds it
            continue
        shares = _shares(np.array([shelter.at(p) for p in points]), load.centre)
        for point, share in zip(points, shares, strict=True):
            out[point] += share * load.force_n
    return out


def _shares(places: Floats, centre: Floats) -> Floats:
    """Shares (k,), none negative, summing to 1, whose mean place is the centre as nearly as can be;
    the most even ones.
    """
    k = len(places)
    rows = np.vstack([np.ones(k), places.T - centre[:, None], np.eye(k) * EVEN])
    shares, _ = nnls(rows, np.concatenate([[1.0], np.zeros(3), np.full(k, EVEN / k)]))
    return np.asarray(shares / max(float(shares.sum()), 1e-12))


FIRM: Final = ("tree", "tripod", "boat", "vehicle", "fence")
"""Kinds of support that take a pull from any side by themselves."""


class _Truss:
    """Unknown forces, as columns: cloth between points, lines, poles."""

    def __init__(self, shelter: Shelter, rig: Rig) -> None:
        self.shelter, self.rig = shelter, rig
        self.trees = {s.point for s in rig.supports if s.kind in FIRM}
        self.poles = [s.point for s in rig.supports if s.kind not in FIRM]
        points = shelter.pattern.points
        self.free = [p for p in points if shelter.at(p)[2] > GROUND_M and p not in self.trees]
        self.row = {p: 3 * i for i, p in enumerate(self.free)}
        staked = {s.point for s in rig.stakes if s.purpose == "sheet"}
        self.holds = staked | self.trees | set(self.row)
        self.columns: list[Floats] = []
        self.cloth: list[tuple[str, str]] = []
        self._cloth()
        self.first_line = len(self.columns)
        self.lines = [i for i, line in enumerate(rig.lines) if line.start in self.row]
        for i in self.lines:
            line = rig.lines[i]
            self._add([(line.start, np.array(line.to) - shelter.at(line.start))])
        self.first_pole = len(self.columns)
        for point in self.poles:
            if point in self.row:
                self._add([(point, np.array([0.0, 0.0, 1.0]))])

    def _cloth(self) -> None:
        seen = set()
        for panel in self.shelter.panels:
            if panel.role is Role.FLOOR:
                continue
            for i, a in enumerate(panel.points):
                for b in panel.points[i + 1 :]:
                    key = frozenset((a, b))
                    on_ground = a not in self.row and b not in self.row
                    if key in seen or on_ground or not {a, b} <= self.holds:
                        continue
                    seen.add(key)
                    way = self.shelter.at(b) - self.shelter.at(a)
                    self.cloth.append((a, b))
                    self._add([(a, way), (b, -way)])

    def _add(self, ends: list[tuple[str, Floats]]) -> None:
        column = np.zeros(3 * len(self.free))
        for point, way in ends:
            if point in self.row:
                column[self.row[point] : self.row[point] + 3] = way / max(
                    float(np.linalg.norm(way)), 1e-12
                )
        self.columns.append(column)

    def solve(self, loads: dict[str, Floats]) -> tuple[Floats, Floats]:
        """Forces of all members, and what stays unbalanced (points, 3)."""
        wanted = np.zeros(3 * len(self.free))
        for point, load in loads.items():
            if point in self.row:
                wanted[self.row[point] : self.row[point] + 3] = -load
        if not self.columns or not len(wanted):
            return np.zeros(len(self.columns)), -wanted.reshape(-1, 3)
        matrix = np.array(self.columns).T
        scale = max(float(np.abs(wanted).max()), 1e-12)
        stacked = np.vstack([matrix, EVEN * np.eye(matrix.shape[1])])
        forces, _ = nnls(stacked, np.concatenate([wanted / scale, np.zeros(matrix.shape[1])]))
        forces = forces * scale
        return forces, (matrix @ forces - wanted).reshape(-1, 3)


def balance(shelter: Shelter, rig: Rig, loads: Sequence[PanelLoad]) -> Statics:
    """Balance the wind on a rigged shelter."""
    at_points = point_loads(shelter, loads)
    truss = _Truss(shelter, rig)
    forces, rest = truss.solve(at_points)
    total = sum((load.force_n for load in loads), np.zeros(3))
    size = max(
        float(np.linalg.norm(total)),
        float(sum(np.linalg.norm(load.force_n) for load in loads)),
        1e-12,
    )
    flown = {
        a.point for a in shelter.pitch.anchors if a.hold is Hold.FLOWN
    }  # these give with every gust, and are meant to
    loose = tuple(
        p
        for p, r in zip(truss.free, rest, strict=True)
        if p not in flown and np.linalg.norm(r) > UNBALANCED * size
    )
    cloth = {p: np.zeros(3) for p in shelter.pattern.points}
    for (a, b), force in zip(truss.cloth, forces, strict=False):
        way = shelter.at(b) - shelter.at(a)
        way = way / max(float(np.linalg.norm(way)), 1e-12)
        cloth[a] += force * way
        cloth[b] -= force * way
    pulls = dict(zip(truss.lines, forces[truss.first_line : truss.first_pole], strict=True))
    poles = dict(
        zip([p for p in truss.poles if p in truss.row], forces[truss.first_pole :], strict=True)
    )
    stakes, reaction = _stakes(shelter, rig, at_points, cloth, pulls)
    supports = []
    for support in rig.supports:
        pull = at_points.get(support.point, np.zeros(3)) + cloth[support.point]
        if support.kind == "tree":
            reaction = reaction - pull
            supports.append(
                SupportForce(support.point, "tree", 0.0, float(np.linalg.norm(pull)), pull)
            )
        else:
            push = float(poles.get(support.point, 0.0))
            reaction = reaction + np.array([0.0, 0.0, push])
            supports.append(SupportForce(support.point, support.kind, push, 0.0, np.zeros(3)))
    lines = tuple(LineForce(line, float(pull)) for line, pull in pulls.items())
    return Statics(lines, tuple(stakes), tuple(supports), total, reaction, loose)


def _stakes(
    shelter: Shelter,
    rig: Rig,
    at_points: dict[str, Floats],
    cloth: dict[str, Floats],
    pulls: dict[int, float],
) -> tuple[list[StakeForce], Floats]:
    """What each stake holds, and the sum (3,) of what the ground gives back."""
    out = []
    reaction = np.zeros(3)
    for number, stake in enumerate(rig.stakes):
        pull = np.zeros(3)
        if stake.purpose == "sheet":
            pull = at_points.get(stake.point, np.zeros(3)) + cloth[stake.point]
        elif stake.purpose != "mid-edge":
            for i, line in enumerate(rig.lines):
                ends_here = (
                    line.start == stake.point
                    and np.hypot(line.to[0] - stake.at[0], line.to[1] - stake.at[1]) < 1e-6
                )
                if ends_here and i in pulls:
                    way = shelter.at(line.start) - np.array(line.to)
                    pull = pull + pulls[i] * way / max(float(np.linalg.norm(way)), 1e-12)
        reaction = reaction - pull
        up, along = max(float(pull[2]), 0.0), float(np.hypot(pull[0], pull[1]))
        out.append(StakeForce(number, float(np.hypot(up, along)), up, along))
    return out, reaction
