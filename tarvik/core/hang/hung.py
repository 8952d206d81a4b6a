"""A pitched sheet as it hangs: mesh, threads, ties and loads put together, brought to rest, and
read off.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import FoldError
from tarvik.core.fold.pattern import Role
from tarvik.core.hang.balance import (
    SHEET_STAGES,
    Members,
    Rest,
    System,
    come_to_rest,
    layout_of,
)
from tarvik.core.hang.cloth import hem, patched, threads, weights_n
from tarvik.core.hang.fabric import DEFAULT_FABRIC, Fabric, fabric_named
from tarvik.core.hang.mesh import Mesh, mesh_of
from tarvik.core.hang.ridge import ridge_line
from tarvik.core.hang.ties import CORD_N, TAUTNESS, Lift, Tie, cord_ends, ties_of
from tarvik.core.kept import keep_last
from tarvik.core.loads.pressure import panel_loads
from tarvik.core.loads.snow import snow_on_panels
from tarvik.core.plane import shares_in

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.rig.carried import Rig
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Shelter

MESH_LINES: Final = 17
"""Grid lines along a sheet's longer side."""
MOST_MESHES: Final = 16
"""Meshes that are kept: those of the sheet that is hung again and again."""
USUAL_LINES: Final = 11
"""Grid lines by which a shelter's room is judged, on pages and in answers."""
SLACK_N_M: Final = constant(
    "slack_pull",
    0.5,
    "N/m",
    ENGINEERING,
    "cloth that pulls less than this in a direction is slack there",
)
LIFT_LEAST_N: Final = constant(
    "stake_lift_least",
    5.0,
    "N",
    ENGINEERING,
    "a stake pulled up less than this stays by its own grip",
)


@dataclass(frozen=True, slots=True)
class Hanging:
    """How a sheet hangs: its fabric, how taut its stakes are pulled, wet or dry, wind pressure (Pa)
    from a bearing in the shelter's frame, snow on the ground (kg/m2), points lifted, stakes shifted
    (by their place among the rig's stakes, m), and how many grid lines its mesh has. `reached`: how
    many times as high as worked out shelters stand in practice, by what a provider's log teaches;
    room is measured under the cloth so.
    """

    fabric: Fabric = DEFAULT_FABRIC
    tautness: float = TAUTNESS
    wet: bool = False
    pressure_pa: float = 0.0
    wind_from_deg: float = 90.0
    snow_kg_m2: float = 0.0
    lifts: tuple[Lift, ...] = ()
    moved: tuple[tuple[int, tuple[float, float]], ...] = ()
    lines: int = MESH_LINES
    reached: float = 1.0


def usual_hanging(sheet: Sheet, reached: float = 1.0, drawn: float = 1.0) -> Hanging:
    """How a sheet is hung for boards, plans and answers: its own fabric, dry, as high as shelters
    are found to stand, its stakes pulled `drawn` times as far past taut as usual.
    """
    return Hanging(
        fabric=fabric_named(sheet.fabric),
        tautness=drawn * TAUTNESS,
        lines=USUAL_LINES,
        reached=reached,
    )


@dataclass(frozen=True, slots=True)
class TieForce:
    """What one tie holds, N: the sheet's pull on its holder as a vector (3,), in all, upwards, and
    along the ground.
    """

    tie: Tie
    pull: tuple[float, float, float]

    @property
    def newtons(self) -> float:
        """In all."""
        return math.hypot(*self.pull)

    @property
    def up_n(self) -> float:
        """Upwards; negative where the holder carries."""
        return self.pull[2]

    @property
    def along_n(self) -> float:
        """Along the ground."""
        return math.hypot(self.pull[0], self.pull[1])


@dataclass(frozen=True, eq=False)
class Hung:
    """A sheet at rest. `x` (n, 3): where its nodes hang (those of the mesh first, then cord ends
    and a ridge line's).
    """

    shelter: Shelter
    rig: Rig
    hanging: Hanging
    mesh: Mesh
    ties: tuple[Tie, ...]
    system: System
    load: Floats
    rest: Rest

    @property
    def xyz(self) -> Floats:
        """Where the mesh's nodes hang (n, 3)."""
        return self.rest.x[: len(self.mesh.uv)]

    @property
    def settled(self) -> bool:
        """Whether it came to rest."""
        return self.rest.settled

    def at(self, uv: tuple[float, float]) -> Floats:
        """Where a place of the flat sheet hangs (3,): its nearest node."""
        return np.asarray(self.xyz[self.mesh.node_at(uv)])

    def place(self, u: float, v: float) -> Floats:
        """Where any place of the flat sheet hangs (3,), by its triangle; off the sheet, its nearest
        node.
        """
        shares, inside = shares_in(self.mesh.uv[self.mesh.triangles], np.array([[u, v]]))
        own = np.flatnonzero(inside[0])
        if not len(own):
            return self.at((u, v))
        return np.asarray(
            (shares[0, own, :, None] * self.xyz[self.mesh.triangles[own]])
            .sum(axis=1)
            .mean(axis=0)
        )

    @cached_property
    def roof(self) -> NDArray[np.bool_]:
        """Which triangles of the mesh are no floor."""
        floors = np.array([panel.role is Role.FLOOR for panel in self.shelter.panels])
        return np.asarray(~floors[self.mesh.panel])

    @property
    def why_loose(self) -> str:
        """Why the sheet did not come to rest; empty when it did."""
        if self.settled:
            return ""
        node = int(
            np.argmax(np.where(self.system.held, 0.0, np.abs(self.pulls).max(axis=1)))
        )
        near = min(
            self.ties,
            key=lambda tie: float(
                np.linalg.norm(self.rest.x[tie.node] - self.rest.x[node])
            ),
        )
        return (
            f"the cloth near {near.name} hangs too slack to come to rest: shorten its line or "
            "move its stake out"
        )

    @cached_property
    def lifting(self) -> tuple[TieForce, ...]:
        """Stakes that the sheet pulls upwards as hard as along the ground, or harder: they lift."""
        staked = (f for f in self.forces if f.tie.kind in ("stake", "guy"))
        return tuple(f for f in staked if f.newtons > LIFT_LEAST_N and f.up_n >= f.along_n)

    @cached_property
    def pulls(self) -> Floats:
        """What each node's holder takes (n, 3), N; zero at a free node."""
        return self.system.pulls(self.rest.x, self.load)

    @cached_property
    def forces(self) -> tuple[TieForce, ...]:
        """What each tie holds. A cord's pull is its stretch; a held node's what is left over
        there.
        """
        pulls = self.system.members.pulls(self.rest.x)
        out = []
        cord = len(self.system.members.rest) - sum(t.length_m > 0 for t in self.ties)
        for tie in self.ties:
            if tie.length_m > 0:
                size = float(pulls[cord])
                way = self.rest.x[tie.node] - self._end(cord)
                pull = size * way / max(float(np.linalg.norm(way)), 1e-12)
                cord += 1
            else:
                pull = self.pulls[tie.node]
            out.append(TieForce(tie, (float(pull[0]), float(pull[1]), float(pull[2]))))
        return tuple(out)

    def _end(self, member: int) -> Floats:
        return np.asarray(self.rest.x[self.system.members.nodes[member, 1]])

    @cached_property
    def strain_pull(self) -> Floats:
        """Pull of the cloth in each triangle (m, 4), N/m: across, along, and on both biases."""
        count = len(self.mesh.triangles) * 4
        return np.asarray(
            self.system.members.pulls(self.rest.x)[:count].reshape(-1, 4)
            / self.mesh.area[:, None]
        )

    @cached_property
    def slack(self) -> NDArray[np.bool_]:
        """Which cells of the mesh pull in no direction."""
        most = np.zeros(len(self.mesh.cells))
        np.maximum.at(most, self.mesh.cell, self.strain_pull.max(axis=1))
        return most < SLACK_N_M

    @cached_property
    def wrinkled(self) -> NDArray[np.bool_]:
        """Which cells pull one way and are slack square to it."""
        weft, warp, one, two = self.strain_pull.T
        # Stress (xx, yy, xy) summed over the triangles of each cell, then its smaller principal
        # value.
        parts = (
            np.stack(
                [weft + (one + two) / 2, warp + (one + two) / 2, (one - two) / 2], axis=1
            )
            * self.mesh.area[:, None]
        )
        stress, size = np.zeros((len(self.mesh.cells), 3)), np.zeros(len(self.mesh.cells))
        np.add.at(stress, self.mesh.cell, parts)
        np.add.at(size, self.mesh.cell, self.mesh.area)
        xx, yy, xy = (stress / np.maximum(size, 1e-12)[:, None]).T
        least = (xx + yy) / 2 - np.hypot((xx - yy) / 2, xy)
        return np.asarray((least < SLACK_N_M) & ~self.slack)

    @property
    def ridge_sag_m(self) -> float | None:
        """How far a ridge line under the sheet hangs below the straight between its ends; None
        where there is none.
        """
        own = self.system.pairs[:, 1]
        high = self.shelter.pitch.high_points()
        if not len(own) or len(high) != 2:
            return None
        a, b = (self.xyz[self.mesh.named[p]] for p in high)
        along = (b - a)[:2]
        share = ((self.rest.x[own][:, :2] - a[:2]) @ along) / max(
            float(along @ along), 1e-12
        )
        return float((a[2] + share * (b[2] - a[2]) - self.rest.x[own][:, 2]).max())

    @property
    def unbalanced(self) -> float:
        """What the ties and the ground do not balance of all loads, as a share of them."""
        total = self.load.sum(axis=0)
        held = self.system.held
        taken = self.pulls[held].sum(axis=0) + np.array([0.0, 0.0, self.ground_n])
        size = max(float(np.abs(self.load).sum()), 1e-12)
        return float(np.linalg.norm(total - taken) / size)

    @property
    def ground_n(self) -> float:
        """What the cloth that lies on the ground does to it, upwards positive: negative, as it
        presses down.
        """
        free = ~self.system.held
        return float(self.system.ground_n_m * np.minimum(self.rest.x[free, 2], 0.0).sum())


def hang(shelter: Shelter, rig: Rig, hanging: Hanging) -> Hung:
    """Hang a folded and rigged sheet. Raises FoldError for one that hangs from nothing."""
    mesh, ties, system, start, load = _ready(shelter, rig, hanging)
    return Hung(
        shelter,
        rig,
        hanging,
        mesh,
        ties,
        system,
        load,
        come_to_rest(
            system,
            start,
            load,
            masses(mesh, len(start)),
            SHEET_STAGES,
            layout_of(system, len(start), in_steps(mesh, len(start), system.pairs)),
        ),
    )


def in_steps(mesh: Mesh, count: int, pairs: NDArray[np.int64]) -> Floats:
    """Places of all nodes on the flat sheet in steps of the mesh (count, 2); a ridge line's nodes
    are where the cloth over them is (`pairs`: upper and lower nodes).
    """
    out = np.zeros((count, 2))
    out[: len(mesh.uv)] = (mesh.uv - mesh.uv.min(axis=0)) / mesh.step_m
    out[pairs[:, 1]] = out[pairs[:, 0]]
    return out


def masses(mesh: Mesh, count: int) -> Floats:
    """Relative weights of `count` nodes: those of the mesh by their cloth, cord ends and a ridge
    line's like the mean one.
    """
    out = np.full(count, float(mesh.node_area.mean()))
    out[: len(mesh.uv)] = mesh.node_area
    return out


def hung_as(
    shelter: Shelter, rig: Rig, hanging: Hanging, x: Floats, *, settled: bool = True
) -> Hung:
    """A sheet that was hung before, from where its nodes (n, 3) were then. Raises FoldError when
    that was another mesh.
    """
    mesh, ties, system, start, load = _ready(shelter, rig, hanging)
    if x.shape != start.shape:
        raise FoldError("this hung shape was of another mesh")
    x = np.where(system.held[:, None], start, x)
    left = system.pulls(x, load)[~system.held]
    return Hung(
        shelter,
        rig,
        hanging,
        mesh,
        ties,
        system,
        load,
        Rest(x, settled, 0, float(np.abs(left).max(initial=0.0))),
    )


class Ready(NamedTuple):
    """What is hung: mesh, ties, the system of all parts, where its nodes start (n, 3), and
    their loads (n, 3), N.
    """

    mesh: Mesh
    ties: tuple[Tie, ...]
    system: System
    start: Floats
    load: Floats


def _ready(shelter: Shelter, rig: Rig, hanging: Hanging) -> Ready:
    """Mesh, ties, system, where its nodes start and their loads."""
    mesh = kept_mesh(
        shelter, hanging.lines, tuple((lift.name, lift.uv) for lift in hanging.lifts)
    )
    ties = tuple(
        ties_of(shelter, rig, mesh, hanging.tautness, dict(hanging.moved), hanging.lifts)
    )
    system, start = _put_together(shelter, rig, hanging, mesh, list(ties))
    load = np.zeros_like(start)
    load[: len(mesh.uv)] = loads_of(shelter, mesh, hanging)
    return Ready(mesh, ties, system, start, load)


@keep_last(MOST_MESHES)
def kept_mesh(
    shelter: Shelter, lines: int, further: tuple[tuple[str, tuple[float, float]], ...]
) -> Mesh:
    """The mesh of a sheet, worked out once however it is held and blown upon."""
    return mesh_of(shelter, lines, further)


def loads_of(shelter: Shelter, mesh: Mesh, hanging: Hanging) -> Floats:
    """Weight, wind and snow on every node of the mesh (n, 3), N."""
    out = np.zeros((len(mesh.uv), 3))
    out[:, 2] -= weights_n(mesh, hanging.fabric, wet=hanging.wet)
    per_m2 = np.zeros((len(shelter.panels), 3))
    if hanging.pressure_pa:
        place = {panel.id: k for k, panel in enumerate(shelter.panels)}
        for wind in panel_loads(shelter, hanging.wind_from_deg, hanging.pressure_pa):
            per_m2[place[wind.id]] += wind.force_n / wind.area_m2
    if hanging.snow_kg_m2:
        per_m2[:, 2] -= snow_on_panels(shelter, hanging.snow_kg_m2)
    if per_m2.any():
        out += mesh.on_nodes(mesh.area[:, None] * per_m2[mesh.panel])
    return out


def _put_together(
    shelter: Shelter, rig: Rig, hanging: Hanging, mesh: Mesh, ties: list[Tie]
) -> tuple[System, Floats]:
    """The members, what is held, and where all nodes start. Members: threads, hem, ridge line, then
    the ties' cords.
    """
    start = [mesh.xyz.copy()]
    held = np.ones(len(mesh.uv), dtype=bool)
    held[mesh.triangles] = False  # a node that only slivers touch stays where it is
    for tie in ties:
        if not tie.length_m:
            held[tie.node] = True
            start[0][tie.node] = tie.at
    fabric = hanging.fabric.in_rain() if hanging.wet else hanging.fabric
    stretch = fabric.wet_stretch if hanging.wet else 0.0
    cloth = patched(
        mesh, threads(mesh, fabric, stretch), sorted({tie.node for tie in ties})
    )
    members = [cloth, hem(mesh, fabric, stretch)]
    line, places, pairs = ridge_line(shelter, rig, mesh, start[0], len(mesh.uv))
    members.append(line)
    start.append(places)
    held = np.append(held, np.zeros(len(places), dtype=bool))
    cords = [tie for tie in ties if tie.length_m]
    ends, anchors = cord_ends(cords, len(held))
    rest = np.array([tie.length_m for tie in cords])
    members.append(Members.cords(ends, rest, CORD_N / np.maximum(rest, 1e-6)))
    start.append(anchors)
    held = np.append(held, np.ones(len(anchors), dtype=bool))
    return System(Members.joined(*members), held, pairs), np.concatenate(start)
