"""The sheet as a mesh that follows its creases and tie-outs.

Grid lines along warp and weft run through every point of the crease pattern; grid nodes next to a
slanting crease are moved onto it, and the cells that it crosses are cut. What is left are
quadrangles, taken as both pairs of triangles with half their cloth each (so that a mirrored sheet
gives the mirrored mesh), triangles, and fans about a middle.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import LineString, Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.pitches.base import Hold
from tarvik.core.plane import signed_area

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Panel
    from tarvik.core.shelter import Shelter

NEAR_CREASE: Final = constant(
    "mesh_near_crease",
    0.25,
    "1",
    ENGINEERING,
    "nodes this near to a crease move onto it, in cells",
)
SAME_M: Final = 1e-3
"""Points of the pattern nearer than this share a grid line."""
ROUND_M: Final = 1e-7
"""Grid to which crossings of creases and grid lines are rounded."""
MOST_LINED: Final = 24
"""Most places that each have grid lines of their own, and most creases that the mesh follows; of
more, FEW are taken.
"""
FEW: Final = 12
SLIVER_M2: Final = 1e-8
"""Triangles smaller than this carry nothing."""


@dataclass(frozen=True, eq=False)
class Mesh:
    """Nodes `uv` (n, 2) on the flat sheet, where the fold puts them `xyz` (n, 3), `triangles` (m,
    3) with the `area` of cloth each stands for (m,), `panel` (m,): its panel's place in the
    shelter, `cell` (m,): which triangles share a cell, the `cells` as rings of nodes, and `named`:
    nodes of the pattern's points and of further ties. `step_m`: between grid lines, about.
    """

    uv: Floats
    xyz: Floats
    triangles: NDArray[np.int64]
    area: Floats
    panel: NDArray[np.int64]
    cell: NDArray[np.int64]
    cells: tuple[tuple[int, ...], ...]
    named: dict[str, int]
    step_m: float

    @cached_property
    def rim(self) -> NDArray[np.int64]:
        """Ends (k, 2) of the edges along the rim of the cloth: those of one cell only."""
        edges = np.array(
            [
                sorted(e)
                for ring in self.cells
                for e in zip(ring, (*ring[1:], ring[0]), strict=True)
            ]
        )
        unique, times = np.unique(edges, axis=0, return_counts=True)
        return np.asarray(unique[times == 1], dtype=np.int64)

    @cached_property
    def node_area(self) -> Floats:
        """Cloth that hangs on each node (n,), m2."""
        return self.on_nodes(self.area)

    def on_nodes(self, amounts: Floats) -> Floats:
        """Amounts (m, ...) of the triangles handed to their corners evenly (n, ...)."""
        out = np.zeros((len(self.uv), *amounts.shape[1:]))
        np.add.at(out, self.triangles, amounts[:, None] / 3)
        return out

    def node_at(self, uv: tuple[float, float]) -> int:
        """The node nearest to a place on the sheet."""
        return int(np.argmin(((self.uv - np.array(uv)) ** 2).sum(axis=1)))


def mesh_of(
    shelter: Shelter, lines: int, further: Iterable[tuple[str, tuple[float, float]]] = ()
) -> Mesh:
    """Mesh of a folded sheet with about `lines` grid lines along its longer side; nodes at all
    `further` named places too.
    """
    places = {
        name: (float(u), float(v))
        for name, (u, v) in zip(shelter.pattern.points, shelter.uv, strict=True)
    }
    on_cloth = {point for panel in shelter.panels for point in panel.points}
    places = {name: at for name, at in places.items() if name in on_cloth} | dict(further)
    outline = Polygon(shelter.sheet.outline)
    low_u, low_v, high_u, high_v = outline.bounds
    step = max(high_u - low_u, high_v - low_v) / (lines - 1)
    lined = _lined(shelter, places)
    us = _lines([low_u, high_u, *(p[0] for p in lined)], step)
    vs = _lines([low_v, high_v, *(p[1] for p in lined)], step)
    creases = _creases(shelter)
    grid = np.stack(np.meshgrid(us, vs, indexing="ij"), axis=-1)
    _onto_creases(grid, creases, step, outline)
    pieces = _pieces(grid, creases, outline)
    return _meshed(shelter, pieces, places, step)


def _lined(
    shelter: Shelter, places: dict[str, tuple[float, float]]
) -> list[tuple[float, float]]:
    """Places through which grid lines run: all, or of a many-cornered outline those that are tied
    (the rest lie on the rim).
    """
    if len(places) <= MOST_LINED:
        return list(places.values())
    pattern = set(shelter.pattern.points)
    tied = {a.point for a in shelter.pitch.anchors if a.hold is not Hold.FREE}
    some = [at for name, at in places.items() if name in tied or name not in pattern]
    return some[:: math.ceil(len(some) / FEW)]


def _lines(wanted: Sequence[float], step: float) -> Floats:
    """Grid lines at the wanted places, with even ones between them at most about a step apart."""
    kept: list[float] = []
    for value in sorted(wanted):
        if not kept or value - kept[-1] > SAME_M:
            kept.append(value)
    out = [kept[0]]
    for a, b in pairwise(kept):
        out += np.linspace(a, b, max(1, round((b - a) / step)) + 1)[1:].tolist()
    return np.array(out)


def _creases(shelter: Shelter) -> list[LineString]:
    """Every crease between two panels, on the flat sheet; of the many gores of a curved edge only
    every so many.
    """
    owners: dict[frozenset[str], int] = {}
    for p in shelter.panels:
        for pair in zip(p.points, (*p.points[1:], p.points[0]), strict=True):
            owners[frozenset(pair)] = owners.get(frozenset(pair), 0) + 1
    found = [sorted(pair) for pair, panels in owners.items() if panels > 1]
    if len(found) > MOST_LINED:
        found = found[:: math.ceil(len(found) / FEW)]
    return [LineString([shelter.sheet_at(a), shelter.sheet_at(b)]) for a, b in found]


def _onto_creases(
    grid: Floats, creases: Sequence[LineString], step: float, outline: Polygon
) -> None:
    """Move grid nodes that lie near a slanting crease onto it; those on the rim stay."""
    nodes = grid.reshape(-1, 2)
    inside = shapely.distance(shapely.points(nodes), outline.exterior) > ROUND_M
    nearest = np.full(len(nodes), NEAR_CREASE * step)
    fixed = np.zeros(len(nodes), dtype=bool)
    moved = nodes.copy()
    for crease in creases:
        a, b = np.array(crease.coords)
        along = b - a
        share = np.clip(((nodes - a) @ along) / max(float(along @ along), 1e-12), 0, 1)
        on = a + share[:, None] * along
        off = np.hypot(*(nodes - on).T)
        fixed |= off < ROUND_M
        if np.abs(along).min() > SAME_M:
            near = (off < nearest) & inside & (share > 0) & (share < 1)
            nearest[near], moved[near] = off[near], on[near]
    nodes[~fixed] = moved[~fixed]


def _pieces(grid: Floats, creases: Sequence[LineString], outline: Polygon) -> list[Polygon]:
    """The cells of the grid, cut by the creases and the outline."""
    rows = [LineString(row) for row in grid] + [
        LineString(row) for row in grid.transpose(1, 0, 2)
    ]
    noded = shapely.union_all([*rows, *creases, outline.exterior], grid_size=ROUND_M)
    found = shapely.get_parts(shapely.polygonize(shapely.get_parts(noded)))
    middles = shapely.point_on_surface(found)
    return [
        piece
        for piece, inside in zip(found, shapely.covers(outline, middles), strict=True)
        if inside
    ]


def _meshed(
    shelter: Shelter,
    pieces: Sequence[Polygon],
    places: dict[str, tuple[float, float]],
    step_m: float,
) -> Mesh:
    uv: list[tuple[float, float]] = []
    known: dict[tuple[int, int], int] = {}

    def node(u: float, v: float) -> int:
        key = (round(u / ROUND_M / 10), round(v / ROUND_M / 10))
        for du, dv in (
            (0, 0),
            (0, 1),
            (1, 0),
            (0, -1),
            (-1, 0),
            (1, 1),
            (-1, -1),
            (1, -1),
            (-1, 1),
        ):
            if (key[0] + du, key[1] + dv) in known:
                return known[key[0] + du, key[1] + dv]
        known[key] = len(uv)
        uv.append((u, v))
        return known[key]

    owner = _owners(shelter, pieces)
    triangles: list[tuple[int, int, int]] = []
    share: list[float] = []
    panel: list[int] = []
    cell: list[int] = []
    cells: list[tuple[int, ...]] = []
    for corners, own in zip(_rings(pieces), owner, strict=True):
        ring = tuple(dict.fromkeys(node(u, v) for u, v in corners))
        if len(ring) < 3:
            continue
        made, each = _split(ring, uv)
        triangles += made
        share += [each] * len(made)
        panel += [own] * len(made)
        cell += [len(cells)] * len(made)
        cells.append(ring)
    flat, tri = np.array(uv), np.array(triangles, dtype=np.int64)
    area = np.array(share) * np.abs(signed_area(flat[tri]))
    thick = area > SLIVER_M2
    named = {
        name: int(np.argmin(((flat - np.array(at)) ** 2).sum(axis=1)))
        for name, at in places.items()
    }
    return Mesh(
        flat,
        _folded(shelter, flat, tri, np.array(panel)),
        tri[thick],
        area[thick],
        np.array(panel, dtype=np.int64)[thick],
        np.array(cell, dtype=np.int64)[thick],
        tuple(cells),
        named,
        step_m,
    )


def _rings(pieces: Sequence[Polygon]) -> list[list[list[float]]]:
    """Corners of every piece, all turning the same way, the first not repeated."""
    coordinates, owner = shapely.get_coordinates(
        shapely.orient_polygons(np.asarray(pieces)), return_index=True
    )
    starts = np.flatnonzero(np.diff(owner, prepend=-1, append=len(pieces)))
    whole = coordinates.tolist()
    return [whole[a : b - 1] for a, b in pairwise(starts)]


def _split(
    ring: tuple[int, ...], uv: list[tuple[float, float]]
) -> tuple[list[tuple[int, int, int]], float]:
    """Triangles of a cell and the share of its cloth that each takes; a fan adds a node in the
    middle.
    """
    if len(ring) == 3:
        return [ring], 1.0
    if len(ring) == 4:
        a, b, c, d = ring
        return [(a, b, c), (a, c, d), (a, b, d), (b, c, d)], 0.5
    uv.append(tuple(np.mean([uv[n] for n in ring], axis=0).tolist()))
    middle = len(uv) - 1
    return [(a, b, middle) for a, b in zip(ring, (*ring[1:], ring[0]), strict=True)], 1.0


def _owners(shelter: Shelter, pieces: Sequence[Polygon]) -> list[int]:
    """The panel that each piece lies on."""
    outlines = [Polygon(_flat(shelter, p)) for p in shelter.panels]
    middles = shapely.point_on_surface(pieces)
    off = np.array([shapely.distance(o, middles) for o in outlines])
    return [int(k) for k in off.argmin(axis=0)]


def _flat(shelter: Shelter, panel: Panel) -> Floats:
    return np.array([shelter.sheet_at(p) for p in panel.points])


def _folded(
    shelter: Shelter, uv: Floats, triangles: NDArray[np.int64], panel: Floats
) -> Floats:
    """Where the fold puts each node (n, 3): a flat panel is an affine image of its part of the
    sheet.
    """
    out, count = np.zeros((len(uv), 3)), np.zeros(len(uv))
    for k, one in enumerate(shelter.panels):
        flat = np.column_stack([_flat(shelter, one), np.ones(len(one.points))])
        image = np.linalg.lstsq(flat, shelter.at_all(one.points), rcond=None)[0]
        own = np.unique(triangles[panel == k])
        out[own] += np.column_stack([uv[own], np.ones(len(own))]) @ image
        count[own] += 1
    return out / np.maximum(count, 1)[:, None]
