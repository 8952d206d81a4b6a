"""The hung sheet laid over its fold: plan, section, and as a body. Slack cloth is hatched, not only
coloured.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.cards import marks
from tarvik.core.fold.pattern import Role
from tarvik.core.hang.advice import handles
from tarvik.core.measure.mats import Mat
from tarvik.core.measure.section import section
from tarvik.core.plain import JsonObject
from tarvik.core.shelter import Face
from tarvik.core.units import Units, format_force, format_length, format_litres
from tarvik.web.drawing.solid import AZIMUTH_DEG, ELEVATION_DEG, fine, view_of
from tarvik.web.drawing.svg import Paper, scale_bar
from tarvik.web.drawing.views import room_wanted

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.hang.hung import Hung
    from tarvik.core.hang.tell import Told
    from tarvik.core.measure.figures import Figures

HATCH_M: Final = 0.07
"""Distance between the strokes of a hatching."""


def _state(hung: Hung, cell: int) -> str:
    return "slack" if hung.slack[cell] else "wrinkled" if hung.wrinkled[cell] else "taut"


def _roof_cells(hung: Hung) -> list[tuple[int, tuple[int, ...]]]:
    """Cells of the mesh that are no floor, lowest first, so that what lies above is drawn over
    it.
    """
    some = [(int(k), hung.mesh.cells[k]) for k in np.unique(hung.mesh.cell[hung.roof])]
    return sorted(some, key=lambda c: float(hung.xyz[list(c[1]), 2].mean()))


def plan(
    hung: Hung, told: Told, figures: Figures, units: Units, lift: str | None = None
) -> str:
    """Seen from above: cells by tautness, the fold's outline dashed, pools, ties with their pull,
    handles to lift by.
    """
    paper = Paper("The hung sheet from above", "plan hung")
    for cell, ring in _roof_cells(hung):
        at = [(float(x), float(y)) for x, y, _ in hung.xyz[list(ring)]]
        state = _state(hung, cell)
        paper.polygon(at, f"h-{state}")
        if state != "taut":
            _hatch(paper, at, state)
    for face in hung.shelter.faces():
        if face.role is not Role.FLOOR:
            paper.polygon([(float(x), float(y)) for x, y, _ in face.xyz], "h-fold")
    for mat in told.mats:
        paper.polygon([(float(x), float(y)) for x, y in Mat(*mat).corners()], "mat")
    for pool in told.pools:
        radius = max(
            0.06,
            min(
                0.4,
                (
                    max(pool.litres, pool.litres_first)
                    / 1000
                    / max(pool.depth_m, 0.01)
                    / np.pi
                )
                ** 0.5,
            ),
        )
        paper.circle((pool.at[0], pool.at[1]), float(radius), "h-pool")
        paper.text(
            (pool.at[0], pool.at[1]),
            format_litres(max(pool.litres, pool.litres_first), units),
            "t",
        )
    names = marks(hung.shelter)
    for force in told.forces:
        if force.name in hung.mesh.named and force.kind != "clip":
            x, y = (float(v) for v in hung.xyz[hung.mesh.named[force.name]][:2])
            paper.mark(
                (x, y),
                names.get(force.name, force.name),
                "mark high" if force.kind in ("support", "cord") else "mark",
            )
            paper.text((x, y - 0.24), format_force(force.newtons, units), "t h-n", size=17)
    for name, uv in handles(hung).items():
        node = hung.mesh.node_at(uv)
        x, y, z = (float(v) for v in hung.xyz[node])
        chosen = " is-chosen" if name == lift else ""
        paper.handle(
            (x, y),
            f"h-handle{chosen}",
            {"data-lift": name, "data-height": f"{z:.2f}"},
            f"Lift {names.get(name, name)}: now {format_length(z, units)} up",
        )
    scale_bar(paper, units)
    return paper.svg()


def _hatch(paper: Paper, ring: Sequence[tuple[float, float]], state: str) -> None:
    """Strokes over a cell: one way for wrinkled cloth, both ways for slack."""
    for lean in (1.0,) if state == "wrinkled" else (1.0, -1.0):
        value = [p[1] - lean * p[0] for p in ring]
        first = np.ceil(min(value) / HATCH_M) * HATCH_M
        for c in np.arange(first, max(value), HATCH_M if state == "slack" else 2 * HATCH_M):
            cut = []
            for (p, q), (a, b) in zip(
                zip(ring, (*ring[1:], ring[0]), strict=True),
                zip(value, (*value[1:], value[0]), strict=True),
                strict=True,
            ):
                if (a > c) != (b > c):
                    t = (c - a) / (b - a)
                    cut.append((p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1])))
            if len(cut) == 2:
                paper.line(cut[0], cut[1], f"h-hatch-{state}")


def cut(hung: Hung, figures: Figures, units: Units) -> str:
    """Along the first mat, or the middle: the hung cloth drawn full, the taut fold dashed, room
    wanted over the sleeper.
    """
    paper = Paper("Section: hung and taut", "section hung")
    mat = figures.mats[0] if figures.mats else None
    middle = hung.shelter.xyz[:, :2].mean(axis=0)
    at = (mat.x, mat.y) if mat else (float(middle[0]), float(middle[1]))
    heading = mat.heading_deg if mat else 180.0
    for piece in section(hung.shelter.faces(), at, heading):
        if piece.role != "floor":
            paper.path([piece.start, piece.end], "h-fold-cut")
    lowest: list[float] = []
    for piece in section(cells_as_faces(hung), at, heading):
        paper.path([piece.start, piece.end], "cut")
        lowest += [piece.start[1], piece.end[1]]
    if mat is not None:
        half = mat.length_m / 2
        paper.line((-half, 0.0), (half, 0.0), "mat-edge")
        paper.path(room_wanted(mat, figures.clearance), "room")
    low, high = (paper.low[0], paper.high[0]) if paper.parts else (-1.0, 1.0)
    paper.line((low - 0.25, 0), (high + 0.25, 0), "ground")
    if lowest:
        paper.text(
            (low, max(lowest) + 0.14),
            f"top {format_length(max(lowest), units)}",
            "t",
            "start",
        )
    return paper.svg((2, 1))


def cells_as_faces(hung: Hung) -> list[Face]:
    """The hung cells as faces; a quadrangle as two triangles, since it is not flat."""
    out = []
    for k, ring in _roof_cells(hung):
        xyz = hung.xyz[list(ring)]
        out += [
            Face(f"cell {k}", Role.ROOF, xyz[[0, j, j + 1]])
            for j in range(1, len(ring) - 1)
        ]
    return out


def body(hung: Hung, told: Told) -> JsonObject:
    """What the turning view draws: cells by tautness, the fold as a ghost, ties, pools."""
    ghosts = []
    for face in hung.shelter.faces():
        if face.role is not Role.FLOOR:
            ring = [fine(p) for p in face.xyz]
            ghosts += [[a, b] for a, b in zip(ring, (*ring[1:], ring[0]), strict=True)]
    supports = [tie for tie in hung.ties if tie.kind == "support"]
    return {
        "faces": [
            {"role": _state(hung, k), "at": [fine(p) for p in hung.xyz[list(ring)]]}
            for k, ring in _roof_cells(hung)
        ],
        "mats": [],
        "ghosts": ghosts,
        "lines": [
            [fine(hung.xyz[t.node]), fine(np.array(t.at))]
            for t in hung.ties
            if t.kind in ("guy", "cord")
        ],
        "supports": [fine(hung.xyz[t.node]) for t in supports],
        "stakes": [
            fine(np.array(t.at[:2])) for t in hung.ties if t.kind in ("stake", "guy")
        ],
        "pools": [fine(np.array(p.at)) for p in told.pools],
        "rain": {"fall": [0.0, 0.0], "on": False},
        "wind_from_deg": None,
        "azimuth_deg": AZIMUTH_DEG,
        "elevation_deg": ELEVATION_DEG,
    }


def oblique(hung: Hung) -> str:
    """The hung sheet seen obliquely; what a browser without scripts shows."""
    right, up, eye = view_of(AZIMUTH_DEG, ELEVATION_DEG)
    paper = Paper("The hung sheet seen from the front left", "solid hung")
    for k, ring in sorted(
        _roof_cells(hung), key=lambda c: float((hung.xyz[list(c[1])] @ eye).mean())
    ):
        paper.polygon(
            [(float(p @ right), float(p @ up)) for p in hung.xyz[list(ring)]],
            f"h-{_state(hung, k)}",
        )
    return paper.svg()
