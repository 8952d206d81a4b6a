"""The lie of the land from spot heights: slope, fall line, where water runs and where it stands.

Between the spots the surface is made of triangles (Delaunay), beyond them of the plane that fits
all. Water: hollows are filled from the rim inwards (priority-flood: Barnes, Lehman and Mulla 2014),
then each cell drains to its steepest neighbour (D8: O'Callaghan and Mark 1984).
"""

from __future__ import annotations

import heapq
import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
from scipy.ndimage import label
from scipy.spatial import Delaunay, QhullError

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.kept import keep_last

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.site.things import Place, SpotHeight

    Floats = NDArray[np.float64]

RUNOFF: Final = constant(
    "runoff_share",
    0.35,
    "1",
    ENGINEERING,
    "share of the rain that runs off wet ground into a hollow",
)
CHANNEL_M2: Final = constant(
    "channel_area", 60.0, "m2", ENGINEERING, "catchment from which on water runs in a line"
)
PUDDLE_LEAST_M: Final = constant(
    "puddle_least", 0.01, "m", ENGINEERING, "shallower water is a wet patch, no puddle"
)
IN_LINE: Final = 1e-9
"""Places whose spread across is so much less than along (squared) lie in a line."""
MOST_CELLS: Final = 160
"""Cells along the longer side of the height model."""
_ABOUT: Final = ((-1, -1), (-1, 0), (-1, 1), (0, -1), (0, 1), (1, -1), (1, 0), (1, 1))


class Bounds(NamedTuple):
    """Least x, least y, greatest x, greatest y, m."""

    west: float
    south: float
    east: float
    north: float


class Under(NamedTuple):
    """The height of a place, m, and the gradient of the ground under it."""

    height_m: float
    east: float
    north: float


@dataclass(frozen=True)
class Relief:
    """A surface through spot heights. Needs three that lie in no line."""

    spots: Floats  # (n, 3)
    plane: Floats  # (3,) z = p0 + p1 x + p2 y
    between: Delaunay | None  # triangles between the spots

    @classmethod
    def of(cls, heights: Sequence[SpotHeight]) -> Relief | None:
        """The surface; None where the heights do not tell one. The same heights give the same
        object.
        """
        return _relief(tuple((*h.at, h.height_m) for h in heights))

    @classmethod
    def _of(cls, rows: tuple[tuple[float, float, float], ...]) -> Relief | None:
        spots = np.array(rows, dtype=np.float64).reshape(-1, 3)
        if len(spots) < 3:
            return None
        middle = spots[:, :2].mean(axis=0)
        design = np.column_stack([np.ones(len(spots)), spots[:, :2] - middle])
        if (
            np.linalg.matrix_rank(design, tol=1e-6 * max(float(np.ptp(spots[:, :2])), 1e-9))
            < 3
        ):
            return None
        fit = np.linalg.lstsq(design, spots[:, 2], rcond=None)[0]
        plane = np.array([fit[0] - fit[1:] @ middle, fit[1], fit[2]])
        try:
            between = Delaunay(spots[:, :2])
        except QhullError:
            between = None
        return cls(spots, plane, between)

    def bounds(self) -> Bounds:
        """Least x, least y, greatest x, greatest y of the spots: beyond them nothing is known of
        the water.
        """
        (x0, y0), (x1, y1) = self.spots[:, :2].min(axis=0), self.spots[:, :2].max(axis=0)
        return Bounds(float(x0), float(y0), float(x1), float(y1))

    @cached_property
    def drainage(self) -> Water:
        """Where water goes within the bounds."""
        return water(self, self.bounds())

    def height_at(self, xy: Floats) -> Floats:
        """Heights (n,) of places (n, 2); beyond the spots on the plane."""
        xy = np.asarray(xy, dtype=np.float64)
        base = np.asarray(self.plane[0] + xy @ self.plane[1:])
        if self.between is None:
            return base
        triangle = self.between.find_simplex(xy)
        inside = np.flatnonzero(triangle >= 0)
        found = triangle[inside]
        turn = self.between.transform[found]
        shares = np.einsum("nij,nj->ni", turn[:, :2], xy[inside] - turn[:, 2])
        shares = np.column_stack([shares, 1 - shares.sum(axis=1)])
        base[inside] = (shares * self.spots[self.between.simplices[found], 2]).sum(axis=1)
        return base

    def gradient(self, xy: Floats) -> tuple[float, float]:
        """Slope (rise per metre east, rise per metre north) of the plane that lies best under
        places (n, 2).
        """
        return _steepness(xy, self.height_at(xy))

    def under(self, at: Place, xy: Floats) -> Under:
        """The height of a place, and the `gradient` under places (n, 2)."""
        z = self.height_at(np.vstack([xy, at]))
        return Under(float(z[-1]), *_steepness(xy, z[:-1]))

    def slope_at(self, at: Place, reach_m: float = 1.0) -> tuple[float, float]:
        """(slope in degrees, bearing downhill) about a place."""
        ring = (
            np.array(
                [[math.cos(a), math.sin(a)] for a in np.arange(0, 2 * math.pi, math.pi / 4)]
            )
            * reach_m
        )
        return slope_of(self.gradient(np.vstack([ring, ring / 2]) + np.array(at)))


def _steepness(xy: Floats, z: Floats) -> tuple[float, float]:
    """Slope (east, north) of the plane that lies best through points (n, 2), (n,), by least squares
    about their middle; the least steep one where they lie in a line.
    """
    off = xy - xy.mean(axis=0)
    x, y = off.T
    xx, xy_, yy, xz, yz = (
        float(x @ x),
        float(x @ y),
        float(y @ y),
        float(x @ z),
        float(y @ z),
    )
    turn = xx * yy - xy_ * xy_
    if turn <= IN_LINE * (xx + yy) ** 2:
        fit = np.linalg.lstsq(off, z - z.mean(), rcond=None)[0]
        return float(fit[0]), float(fit[1])
    return (yy * xz - xy_ * yz) / turn, (xx * yz - xy_ * xz) / turn


@keep_last(16)
def _relief(rows: tuple[tuple[float, float, float], ...]) -> Relief | None:
    return Relief._of(rows)


def slope_of(gradient: tuple[float, float]) -> tuple[float, float]:
    """(degrees, bearing downhill) of a gradient: (0.1, 0), rising eastwards, is 5.7 degrees and
    falls to 270.
    """
    steep = math.degrees(math.atan(math.hypot(*gradient)))
    return steep, math.degrees(math.atan2(-gradient[0], -gradient[1])) % 360


@dataclass(frozen=True)
class Water:
    """Where water goes: a grid whose cell (row, column) lies at `low` + (column, row) * `cell_m`.

    `depth_m`: of each hollow when it is full; `catchment_m2`: what drains through each cell.
    """

    low: Place
    cell_m: float
    height_m: Floats
    depth_m: Floats
    catchment_m2: Floats
    hollow: NDArray[np.int32]

    def place(self, row: int, column: int) -> Place:
        """Middle of a cell."""
        return self.low[0] + column * self.cell_m, self.low[1] + row * self.cell_m

    def puddles(self, rain_mm: float) -> list[Puddle]:
        """Standing water after so much rain, the deepest first."""
        out = []
        cell = self.cell_m**2
        for number in range(1, int(self.hollow.max(initial=0)) + 1):
            inside = self.hollow == number
            comes = RUNOFF * rain_mm / 1000 * float(self.catchment_m2[inside].max())
            floor = np.sort(self.height_m[inside])
            # Water level: the floor's cells are under water one after the other, from the lowest.
            volumes = (np.arange(1, len(floor) + 1) * floor - np.cumsum(floor)) * cell
            under = int(np.searchsorted(volumes, comes, side="right"))
            full = float((self.depth_m[inside]).sum() * cell)
            held = min(comes, full)
            level = (held / cell + float(floor[:under].sum())) / max(under, 1)
            level = min(level, float((self.height_m + self.depth_m)[inside].max()))
            deepest = level - float(floor[0])
            if deepest < PUDDLE_LEAST_M:
                continue
            wet = inside & (self.height_m < level)
            rows, columns = np.nonzero(wet)
            cells = tuple(
                self.place(int(r), int(c)) for r, c in zip(rows, columns, strict=True)
            )
            out.append(Puddle(cells, self.cell_m, deepest, held * 1000, comes > full))
        return sorted(out, key=lambda p: -p.deepest_m)

    def channels(self) -> list[Place]:
        """Cells through which so much drains that water runs in a line."""
        runs = (self.catchment_m2 >= CHANNEL_M2) & (self.hollow == 0)
        runs[[0, -1], :] = runs[:, [0, -1]] = (
            False  # along the rim it is the model that ends, not the water that runs
        )
        rows, columns = np.nonzero(runs)
        return [self.place(int(r), int(c)) for r, c in zip(rows, columns, strict=True)]


@dataclass(frozen=True, slots=True)
class Puddle:
    """Standing water: the cells it covers, its depth at the deepest, its litres, and whether it
    runs over.
    """

    cells: tuple[Place, ...]
    cell_m: float
    deepest_m: float
    litres: float
    runs_over: bool


def water(
    relief: Relief, bounds: tuple[float, float, float, float], least_cell_m: float = 0.5
) -> Water:
    """Drainage of a rectangle (least x, least y, greatest x, greatest y)."""
    x0, y0, x1, y1 = bounds
    cell = max(least_cell_m, max(x1 - x0, y1 - y0) / MOST_CELLS)
    x, y = np.arange(x0, x1 + cell / 2, cell), np.arange(y0, y1 + cell / 2, cell)
    xy = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    z = relief.height_at(xy).reshape(len(y), len(x))
    filled, order, goes = _filled(z)
    depth = filled - z
    catchment = np.full(z.shape, cell**2)
    for at in reversed(
        order
    ):  # the farthest from the rim first: each hands on what it has gathered
        to = goes[at]
        if to is not None:
            catchment[to] += catchment[at]
    hollow, _ = label(depth > PUDDLE_LEAST_M / 2, structure=np.ones((3, 3)))
    return Water(
        (float(x[0]), float(y[0])), cell, z, depth, catchment, hollow.astype(np.int32)
    )


Cell = tuple[int, int]


class FilledGround(NamedTuple):
    """Ground with its hollows filled: heights, the order in which cells were reached from
    the rim, and where each drains to.
    """

    heights: Floats
    order: list[Cell]
    drains_to: dict[Cell, Cell | None]


def _filled(z: Floats) -> FilledGround:
    """Heights with every hollow filled to its rim, the order in which cells were reached from the
    rim, and where each drains to: the lowest of its neighbours reached before it.
    """
    rows, columns = z.shape
    filled = z.copy()
    heap: list[tuple[float, int, int]] = []
    goes: dict[Cell, Cell | None] = {}
    reached = np.zeros(z.shape, dtype=bool)
    for r in range(rows):
        for c in range(columns):
            if r in (0, rows - 1) or c in (0, columns - 1):
                heapq.heappush(heap, (float(z[r, c]), r, c))
                reached[r, c] = True
                goes[r, c] = None
    order: list[Cell] = []
    done = np.zeros(z.shape, dtype=bool)
    while heap:
        height, r, c = heapq.heappop(heap)
        order.append((r, c))
        done[r, c] = True
        goes[r, c] = _steepest(filled, done, r, c) or goes[r, c]
        for dr, dc in _ABOUT:
            i, j = r + dr, c + dc
            if 0 <= i < rows and 0 <= j < columns and not reached[i, j]:
                reached[i, j] = True
                filled[i, j] = max(z[i, j], height)
                goes[i, j] = (r, c)
                heapq.heappush(heap, (float(filled[i, j]), i, j))
    return FilledGround(filled, order, goes)


def _steepest(filled: Floats, done: NDArray[np.bool_], r: int, c: int) -> Cell | None:
    """The neighbour, of those already drained, that falls away most; None when none is lower."""
    best, where = 0.0, None
    for dr, dc in _ABOUT:
        i, j = r + dr, c + dc
        if 0 <= i < filled.shape[0] and 0 <= j < filled.shape[1] and done[i, j]:
            fall = (filled[r, c] - filled[i, j]) / math.hypot(dr, dc)
            if fall > best:
                best, where = float(fall), (i, j)
    return where
