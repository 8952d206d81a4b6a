"""What holds a hanging sheet: stakes, supports, guys and cords, set as the card says and then
pulled taut.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import FoldError
from tarvik.core.fold.pattern import Role
from tarvik.core.pitches.base import Hold
from tarvik.core.rig.rigging import ON_GROUND_M

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.mesh import Mesh
    from tarvik.core.rig.carried import Line, Rig
    from tarvik.core.shelter import Shelter

TAUTNESS: Final = constant(
    "tautness",
    0.01,
    "1",
    COMMON_PRACTICE,
    "how far stakes are pulled past the place where the sheet is just taut",
)
CORD_N: Final = constant(
    "cord_stiffness",
    8_000.0,
    "N",
    ENGINEERING,
    "pull that would stretch a 3 mm polyester cord to twice its length",
)
RIDGE_PULL_N: Final = constant(
    "ridge_line_pull",
    250.0,
    "N",
    ENGINEERING,
    "pull of a ridge line drawn tight by hand with a tensioning hitch",
)
CLIP_REACH_M: Final = constant(
    "clip_reach",
    0.30,
    "m",
    ENGINEERING,
    "a door's corner this near to other cloth is clipped to it",
)
CLIP_M: Final = constant(
    "clip", 0.02, "m", ENGINEERING, "slack of a door's corner that is clipped shut"
)
LIFT_CORD_M: Final = constant(
    "lift_cord", 1.0, "m", ENGINEERING, "length of the cord that lifts a point from above"
)


@dataclass(frozen=True, slots=True)
class Tie:
    """One tie of the sheet: a node of the mesh, and where its holder stands (3,).

    `kind`: stake (the sheet itself staked), support (carried there), weight (a floor's corner
    weighted down), guy (a cord to a stake), cord (a cord to a tree, branch or bipod), clip (to the
    node `other`). `length_m`: of its cord; 0 for none.
    `number`: its stake among the rig's, or -1; `prop`: the foot (3,) of what it stands on; None
    where it is held in place.
    """

    name: str
    node: int
    kind: str
    at: tuple[float, float, float]
    length_m: float = 0.0
    other: int = -1
    number: int = -1
    prop: tuple[float, float, float] | None = None


@dataclass(frozen=True, slots=True)
class Lift:
    """A point of the sheet drawn by a cord: its name, its place on the flat sheet, how far up from
    the fold, and how far out from the middle of the shelter, as a wall is pulled out.
    """

    name: str
    uv: tuple[float, float]
    by_m: float
    out_m: float = 0.0


def ties_of(
    shelter: Shelter,
    rig: Rig,
    mesh: Mesh,
    tautness: float,
    moved: Mapping[int, tuple[float, float]],
    lifts: Sequence[Lift],
) -> list[Tie]:
    """Every tie of a rigged sheet, its stakes pulled out by `tautness` of their distance from the
    middle of all ties, and those in `moved` (by their place among the rig's stakes) shifted by (dx,
    dy) m more. Raises FoldError when nothing holds it.
    """
    supported = {s.point: s for s in rig.supports if s.point in mesh.named}
    pull = _Pull(shelter, rig, tautness, moved)
    out: list[Tie] = []
    for number, stake in enumerate(rig.stakes):
        if stake.purpose == "sheet" and stake.point in mesh.named and not stake.optional:
            node = mesh.named[stake.point]
            out.append(
                Tie(stake.point, node, "stake", (*pull.stake(number), 0.0), number=number)
            )
    out += _supported(shelter, rig, mesh, pull, supported)
    out += _guyed(shelter, rig, mesh, pull, supported)
    held = {tie.node for tie in out}
    out += weighted(shelter, mesh, held)
    out += clipped(shelter, mesh, held | {tie.node for tie in out})
    for lift in lifts:
        node = mesh.named[lift.name]
        out.append(
            Tie(
                lift.name,
                node,
                "cord",
                _lifted_to(lift, mesh.xyz[node], pull.middle),
                LIFT_CORD_M,
            )
        )
    require_ties(shelter, out, ("stake", "support", "guy"))
    return out


def require_ties(shelter: Shelter, ties: Sequence[Tie], kinds: Sequence[str]) -> None:
    """Raises FoldError where fewer than three ties of these kinds hold a sheet."""
    if sum(tie.kind in kinds for tie in ties) < 3:
        raise FoldError(
            f"{shelter.pitch.slug} is not hung from ties: it lies on the ground, or on who is in it"
        )


def stake_of(rig: Rig, line: Line) -> int:
    """The place among the rig's stakes of that at which a line ends; -1 where it ends at none."""
    return next(
        (
            k
            for k, s in enumerate(rig.stakes)
            if np.hypot(s.at[0] - line.to[0], s.at[1] - line.to[1]) < 1e-6
        ),
        -1,
    )


def cord_ends(cords: Sequence[Tie], first: int) -> tuple[NDArray[np.int64], Floats]:
    """The two nodes (k, 2) that each tie's cord joins, and where their far ends that are no nodes
    of the cloth are fixed (a, 3); those are numbered from `first`.
    """
    ends: list[tuple[int, int]] = []
    anchors: list[tuple[float, float, float]] = []
    for tie in cords:
        if tie.other >= 0:
            ends.append((tie.node, tie.other))
        else:
            ends.append((tie.node, first + len(anchors)))
            anchors.append(tie.at)
    return np.array(ends, dtype=np.int64).reshape(-1, 2), np.array(anchors).reshape(-1, 3)


def _lifted_to(lift: Lift, at: Floats, middle: Floats) -> Place:
    """Where the far end of a lifting cord is tied: in the line in which it draws, a cord's length
    beyond where the point is to come.
    """
    away = at[:2] - middle
    size = float(np.hypot(*away))
    away = away / size if size > 1e-9 else np.zeros(2)
    draw = np.array([*(away * lift.out_m), lift.by_m])
    length = float(np.linalg.norm(draw))
    way = draw / length if lift.out_m and length > 1e-9 else np.array([0.0, 0.0, 1.0])
    return _place(at + draw + way * LIFT_CORD_M)


class Place(NamedTuple):
    """A place in space, m."""

    x: float
    y: float
    z: float


def _place(at: Sequence[float] | Floats) -> Place:
    x, y, z = at
    return Place(float(x), float(y), float(z))


class _Pull:
    """Where stakes and supports stand once the sheet is pulled taut."""

    def __init__(
        self,
        shelter: Shelter,
        rig: Rig,
        tautness: float,
        moved: Mapping[int, tuple[float, float]],
    ) -> None:
        self.rig, self.tautness, self.moved = rig, tautness, moved
        points = {s.point for s in rig.supports} | {s.point for s in rig.stakes}
        known = [p for p in points if p in shelter.pattern.points]
        self.middle = shelter.at_all(known)[:, :2].mean(axis=0) if known else np.zeros(2)

    def stake(self, number: int) -> tuple[float, float]:
        """Where one of the rig's stakes is driven."""
        stake = np.array(self.rig.stakes[number].at)
        x, y = (
            stake
            + self.tautness * (stake - self.middle)
            + np.array(self.moved.get(number, (0.0, 0.0)))
        )
        return float(x), float(y)

    def out(self, top: Floats) -> Floats:
        """A carried point (3,) drawn outwards."""
        return np.array([*(top[:2] + self.tautness * (top[:2] - self.middle)), top[2]])


def _supported(
    shelter: Shelter, rig: Rig, mesh: Mesh, pull: _Pull, supported: Mapping[str, object]
) -> list[Tie]:
    """Points that a pole, tree or boat carries, two of a ridge drawn apart; lifted ones hang from
    their cord.
    """
    holds = {a.point: a.hold for a in shelter.pitch.anchors}
    high = [p for p in shelter.pitch.high_points() if p in supported]
    out = []
    for point in supported:
        top = shelter.at(point)
        cord = next(
            (
                line
                for line in rig.lines
                if line.start == point and line.purpose != "pole guy"
            ),
            None,
        )
        if holds.get(point) is Hold.LIFTED and cord is not None:
            out.append(Tie(point, mesh.named[point], "cord", _place(cord.to), cord.span_m))
            continue
        if len(high) == 2 and point in high:
            along = shelter.at(high[1])[:2] - shelter.at(high[0])[:2]
            way = along if point == high[1] else -along
            top = np.array([*(top[:2] + way * pull.tautness / 2), top[2]])
        elif point not in high:
            top = pull.out(top)
        out.append(Tie(point, mesh.named[point], "support", _place(top)))
    return out


def _guyed(
    shelter: Shelter, rig: Rig, mesh: Mesh, pull: _Pull, supported: Mapping[str, object]
) -> list[Tie]:
    """Points held off the ground by a guy alone: the cord keeps its length, its stake is drawn
    out.
    """
    out = []
    for line in rig.lines:
        if (
            line.start in supported
            or line.start not in mesh.named
            or line.to[2] > ON_GROUND_M
        ):
            continue
        number = stake_of(rig, line)
        foot = pull.stake(number) if number >= 0 else (line.to[0], line.to[1])
        out.append(
            Tie(
                line.start,
                mesh.named[line.start],
                "guy",
                (*foot, 0.0),
                line.span_m,
                number=number,
            )
        )
    return out


def weighted(shelter: Shelter, mesh: Mesh, held: set[int]) -> list[Tie]:
    """Corners of a floor that nothing else holds: gear lies on them."""
    points = {
        p for panel in shelter.panels if panel.role is Role.FLOOR for p in panel.points
    }
    return [
        Tie(
            p,
            mesh.named[p],
            "weight",
            (float(shelter.at(p)[0]), float(shelter.at(p)[1]), 0.0),
        )
        for p in sorted(points)
        if mesh.named[p] not in held and shelter.at(p)[2] <= ON_GROUND_M
    ]


def clipped(shelter: Shelter, mesh: Mesh, held: set[int]) -> list[Tie]:
    """Corners of shut doors that stand off the ground, clipped to the cloth beside them."""
    doors = {p for panel in shelter.panels if panel.role is Role.DOOR for p in panel.points}
    if shelter.settings.get("doors", 0.0) != 0:
        return []
    out = []
    for point in sorted(doors):
        node = mesh.named[point]
        if node in held or shelter.at(point)[2] <= ON_GROUND_M:
            continue
        own = {k for k, panel in enumerate(shelter.panels) if point in panel.points}
        others = np.unique(mesh.triangles[~np.isin(mesh.panel, list(own))])
        others = others[others != node]
        if not len(others):
            continue
        away = np.linalg.norm(mesh.xyz[others] - mesh.xyz[node], axis=1)
        k = int(np.argmin(away))
        if away[k] <= CLIP_REACH_M:
            length = max(float(away[k]), CLIP_M)
            out.append(
                Tie(
                    point,
                    node,
                    "clip",
                    _place(mesh.xyz[others[k]]),
                    length,
                    other=int(others[k]),
                )
            )
    return out
