"""Sleepers: the most mats that lie dry and with their clearances under a roof, and where they lie.

Headings are tried every 2 degrees, places continuously: for one heading the allowed centres of a
mat are an exact polygon. One mat: any centre. Two: exact for every pair of headings. Three: exact
for every arrangement in which a straight line parts one mat from the other two. More: rows and
stacks. A mat is never claimed that does not fit.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.kernel import centres
from tarvik.core.measure.kernel import mats as kernel
from tarvik.core.measure.kernel.mirror import NEITHER, headings_of, with_images
from tarvik.core.measure.kernel.polygon import MOST_CORNERS, centroid, chord, clip
from tarvik.core.measure.kernel.rows import rows

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.ground import Ground

    Steps = NDArray[np.int64]

STEPS: Final = 180
"""Headings in a full turn: every 2 degrees."""
INNER_M: Final = constant(
    "mat_inner",
    -1e-10,
    "m",
    ENGINEERING,
    "play kept to every limit; a hair below nothing, so that an exact fit counts as one",
)
ROW_GAP: Final = constant(
    "mat_row_gap",
    1.2,
    "1",
    ENGINEERING,
    "mat widths between middles at most in a row, where there is room",
)
_MOST_ENTRIES: Final = 5000
_COARSE: Final = 3
_HOPEFUL_M: Final = 0.15
"""Overlap, with headings every 6 degrees, that finer headings can still take away."""
_PLAY_ENOUGH_M: Final = 0.30
_SURELY_ONE: Final = 1.8
"""Ground for fewer mats than this holds one at most, however finely it was measured."""


@dataclass(frozen=True, slots=True)
class Mat:
    """A mat on the ground: centre (m) and heading, degrees anticlockwise from +x, pointing to the
    head end.
    """

    x: float
    y: float
    heading_deg: float
    length_m: float
    width_m: float

    def corners(self) -> Floats:
        """Corners (4, 2): head left, head right, foot right, foot left (seen looking towards the
        head).
        """
        angle = np.radians(self.heading_deg)
        ahead = np.array([np.cos(angle), np.sin(angle)]) * self.length_m / 2
        left = np.array([-np.sin(angle), np.cos(angle)]) * self.width_m / 2
        centre = np.array([self.x, self.y])
        return np.array(
            [
                centre + ahead + left,
                centre + ahead - left,
                centre - ahead - left,
                centre - ahead + left,
            ]
        )

    def head(self) -> tuple[float, float]:
        """Middle of the head end."""
        angle = np.radians(self.heading_deg)
        return float(self.x + np.cos(angle) * self.length_m / 2), float(
            self.y + np.sin(angle) * self.length_m / 2
        )


ALL_HEADINGS: Final = np.arange(STEPS, dtype=np.int64)
"""Steps of every heading a head end may point to."""


@dataclass(frozen=True, slots=True)
class Entries:
    """Allowed centres by heading, of one or more kinds of mat, and their support table."""

    polygons: Floats
    sizes: Steps
    heading: Steps
    kind: Steps
    table: Floats
    stride: int

    @property
    def count(self) -> int:
        """How many convex pieces there are."""
        return len(self.sizes)

    def pick(self, rows: NDArray[np.intp], stride: int) -> Entries:
        """Some of the pieces."""
        return Entries(
            self.polygons[rows],
            self.sizes[rows],
            self.heading[rows],
            self.kind[rows],
            self.table[rows],
            stride,
        )


def joined_entries(parts: Sequence[Entries]) -> Entries:
    """The pieces of several kinds of mat together."""
    return Entries(
        np.concatenate([p.polygons for p in parts]),
        np.concatenate([p.sizes for p in parts]),
        np.concatenate([p.heading for p in parts]),
        np.concatenate([p.kind for p in parts]),
        np.concatenate([p.table for p in parts]),
        parts[0].stride,
    )


def fits_one(
    ground: Ground | None,
    stature_m: float,
    clearance: Clearance,
    *,
    stride: int = 1,
    headings: Steps = ALL_HEADINGS,
) -> bool:
    """Whether one mat fits: the same answer as `lay_mats`, sooner."""
    if ground is None:
        return False
    boxes = clearance.boxes(stature_m)
    return len(_pieces(ground, boxes, stride, headings, 0.0)[1]) > 0


class CentrePieces(NamedTuple):
    """Convex pieces of allowed centres: corners, their number, and the heading of each."""

    polygons: Floats
    sizes: Steps
    heading: Steps


def _pieces(
    ground: Ground, boxes: Floats, stride: int, headings: Steps, enough: float
) -> CentrePieces:
    """Convex pieces of allowed centres for every `stride`-th of the headings: corners, their
    number, the heading. Of ground that is its own mirror image one side is tried.
    """
    axis, middle = ground.mirror if len(headings) == STEPS else (NEITHER, 0.0)
    tried = (
        headings[headings % stride == 0]
        if axis == NEITHER
        else headings_of(STEPS, stride, 0, axis)
    )
    most = _MOST_ENTRIES if enough > 0 else centres.MOST_PIECES
    polygons = np.empty((most, MOST_CORNERS, 2))
    sizes, heading = np.empty(most, dtype=np.int64), np.empty(most, dtype=np.int64)
    count = centres.entries(
        ground.bounds,
        ground.planes,
        ground.plane_box,
        ground.obstacles,
        ground.obstacle_box,
        boxes,
        tried,
        STEPS,
        INNER_M,
        *ground.cover,
        enough,
        polygons,
        sizes,
        heading,
    )
    if axis != NEITHER:
        count = with_images(polygons, sizes, heading, count, STEPS, axis, middle)
    return CentrePieces(polygons[:count], sizes[:count], heading[:count])


def entries_of(
    ground: Ground,
    boxes: Floats,
    stride: int,
    headings: Steps = ALL_HEADINGS,
    *,
    kind: int = 0,
) -> Entries:
    """Allowed centres of one kind of mat for every `stride`-th of the headings."""
    polygons, sizes, heading = _pieces(ground, boxes, stride, headings, np.inf)
    count = len(sizes)
    table = np.full((count, STEPS), -1e18)
    kernel.support_table(polygons, sizes, count, STEPS, stride, table)
    return Entries(
        polygons, sizes, heading, np.full(count, kind, dtype=np.int64), table, stride
    )


def lay_mats(
    ground: Ground | None,
    stature_m: float,
    clearance: Clearance,
    *,
    stride: int = 1,
    headings: Steps = ALL_HEADINGS,
) -> list[Mat]:
    """The most mats for equal sleepers of one stature, with places that fit.

    `stride` > 1 tries fewer headings (3: every 6 degrees), for searches over many settings;
    `headings` are the steps to which head ends may point.
    """
    if ground is None:
        return []
    boxes, size = (
        clearance.boxes(stature_m),
        (clearance.mat_length(stature_m), clearance.mat_width_m),
    )
    held = ground.area_m2 / (size[0] * size[1])
    if held <= _SURELY_ONE:
        places = _widest(*_pieces(ground, boxes, stride, headings, np.inf))
    else:
        places = _laid(
            ground, entries_of(ground, boxes, stride, headings), size, int(held + 1e-9)
        )
    return [Mat(p.x, p.y, p.step * 360 / STEPS, *size) for p in places]


def _laid(
    ground: Ground, entries: Entries, size: tuple[float, float], bound: int
) -> list[Place]:
    """The most mats of one length and width, `bound` at most, whose centres lie in these pieces."""
    if not entries.count:
        return []
    extents = kernel.half_extents(*size, STEPS)
    sides = extents.reshape(1, STEPS)
    best = kernel.most_in_stack(
        entries.table, entries.heading, entries.count, extents, entries.stride
    )
    places = _tidy(entries, extents, best)
    if len(places) < 2 <= bound:
        places = pair(entries, sides, (0, 0)) or places
    if len(places) == 2 and bound >= 3:
        places = triple(ground, entries, sides, (0, 0, 0), 2 * size[0] * size[1]) or places
    if 2 <= len(places) < bound:
        places = _rows(entries, size, len(places) + 1) or places
    return places


@dataclass(frozen=True, slots=True)
class Place:
    """A mat's centre, the step of its heading, and its kind."""

    x: float
    y: float
    step: int
    kind: int = 0


def _widest(polygons: Floats, sizes: Steps, heading: Steps) -> list[Place]:
    """One mat where its polygon of centres is largest; nothing when there is none."""
    e = kernel.widest(polygons, sizes)
    if e < 0:
        return []
    x, y = centroid(polygons[e], sizes[e])
    return [Place(float(x), float(y), int(heading[e]))]


def _tidy(entries: Entries, extents: Floats, wanted: int) -> list[Place]:
    """A stack of `wanted` mats: all heads one way if that holds as many, else either way, else any
    headings.

    Of equally tidy stacks the one with most play is laid.
    """
    if wanted == 1:
        return _widest(entries.polygons, entries.sizes, entries.heading)
    which, place = np.empty(kernel.MOST_MATS, dtype=np.int64), np.empty(kernel.MOST_MATS)
    for tidy in range(3):
        k = kernel.best_stack(
            entries.table,
            entries.heading,
            entries.count,
            extents,
            entries.stride,
            wanted,
            tidy,
            which,
            place,
        )
        if k >= 0:
            return [
                in_stack(entries, int(e), k, float(t))
                for e, t in zip(which[:wanted], place[:wanted], strict=True)
            ]
    return []


def _unit(k: int) -> tuple[float, float]:
    """Direction of k steps."""
    return float(np.cos(2 * np.pi * k / STEPS)), float(np.sin(2 * np.pi * k / STEPS))


def in_stack(entries: Entries, e: int, k: int, t: float) -> Place:
    """The middle of the stretch on which a centre may lie at `t` along direction k."""
    nx, ny = _unit(k)
    low, high = chord(entries.polygons[e], entries.sizes[e], nx, ny, t)
    s = (low + high) / 2
    return Place(
        nx * t - ny * s, ny * t + nx * s, int(entries.heading[e]), int(entries.kind[e])
    )


def _extreme(entries: Entries, e: int, k: int, corners: Floats | None = None) -> Place:
    """Centre of entry `e` (or of its part `corners`) that lies furthest in direction k."""
    some = entries.polygons[e, : entries.sizes[e]] if corners is None else corners
    x, y = some[np.argmax(some @ np.array(_unit(k)))]
    return Place(float(x), float(y), int(entries.heading[e]), int(entries.kind[e]))


def pair(entries: Entries, extents: Floats, people: tuple[int, int]) -> list[Place]:
    """Two mats of the kinds `people`, furthest apart; nothing when there is no room. `extents`
    (kinds, steps).
    """
    stride = max(entries.stride, _COARSE)
    coarse = entries.pick(np.flatnonzero(entries.heading % stride == 0), stride)
    mark = np.zeros(STEPS, dtype=np.int64)
    kernel.hopeful(
        coarse.table,
        coarse.heading,
        coarse.kind,
        coarse.count,
        extents,
        coarse.stride,
        -_HOPEFUL_M,
        *people,
        mark,
    )
    if not mark.any():
        return []
    near = np.zeros(STEPS, dtype=bool)
    for shift in range(-_COARSE + 1, _COARSE):
        near |= np.roll(mark, shift) > 0
    entries = entries.pick(np.flatnonzero(near[entries.heading]), entries.stride)
    play, i, j, k = _best_pair(entries, extents, people)
    if play < 0:
        return []
    return [_extreme(entries, i, (k + STEPS // 2) % STEPS), _extreme(entries, j, k)]


def _best_pair(
    entries: Entries, extents: Floats, people: tuple[int, int]
) -> kernel.BestPair:
    return kernel.best_pair(
        entries.table,
        entries.heading,
        entries.kind,
        entries.count,
        extents,
        entries.stride,
        _PLAY_ENOUGH_M,
        *people,
    )


def triple(
    ground: Ground,
    entries: Entries,
    extents: Floats,
    people: tuple[int, int, int],
    pair_m2: float,
) -> list[Place]:
    """Three mats parted one from two: every 6 degrees first, then every 2 degrees about the most
    hopeful.
    """
    stride = max(entries.stride, _COARSE)
    coarse = entries.pick(np.flatnonzero(entries.heading % stride == 0), stride)
    found = _best_triple(
        coarse, extents, people, np.arange(0, STEPS, stride), ground, pair_m2
    )
    if found[0] < -_HOPEFUL_M or found[1] < 0:
        return []
    chosen = coarse
    if found[0] < 0:
        near = np.zeros(STEPS, dtype=bool)
        for e in found[2:5]:
            near[(coarse.heading[e] + np.arange(-_COARSE, _COARSE + 1)) % STEPS] = True
        near |= np.roll(near, STEPS // 2)
        chosen = entries.pick(np.flatnonzero(near[entries.heading]), entries.stride)
        directions = (found[1] + np.arange(-2 * _COARSE, 2 * _COARSE + 1)) % STEPS
        found = _best_triple(
            chosen,
            extents,
            people,
            directions[directions % entries.stride == 0],
            ground,
            pair_m2,
        )
        if found[0] < 0:
            return []
    return _placed_triple(chosen, extents, found)


def _placed_triple(
    chosen: Entries, extents: Floats, found: tuple[float, int, int, int, int, int]
) -> list[Place]:
    """The places of a triple: one mat pushed out, the two others in what is left."""
    _, k, first, i, j, d = found
    half = STEPS // 2

    def extent(e: int) -> float:
        return float(extents[chosen.kind[e], (chosen.heading[e] - k) % STEPS])

    edge = -chosen.table[first, (k + half) % STEPS] + 2 * extent(first)
    places = [_extreme(chosen, first, (k + half) % STEPS)]
    for e, direction in ((i, (d + half) % STEPS), (j, d)):
        cut = np.empty((MOST_CORNERS, 2))
        count = clip(chosen.polygons[e], chosen.sizes[e], *_unit(k), edge + extent(e), cut)
        places.append(_extreme(chosen, e, direction, cut[:count]))
    return places


def _best_triple(
    entries: Entries,
    extents: Floats,
    people: tuple[int, int, int],
    directions: Steps,
    ground: Ground,
    pair_m2: float,
) -> kernel.BestTriple:
    return kernel.best_triple(
        entries.polygons,
        entries.sizes,
        entries.heading,
        entries.kind,
        entries.count,
        entries.table,
        extents,
        np.array(people, dtype=np.int64),
        directions.astype(np.int64),
        entries.stride,
        ground.hull,
        pair_m2,
    )


def _rows(entries: Entries, size: tuple[float, float], least: int) -> list[Place]:
    """At least so many mats in two rows or more; nothing when there is no room."""
    row_at = np.empty(kernel.MOST_MATS)
    row_entry, row_mats = (
        np.empty(kernel.MOST_MATS, dtype=np.int64),
        np.empty(kernel.MOST_MATS, dtype=np.int64),
    )
    _, made, h = rows(
        entries.polygons,
        entries.sizes,
        entries.heading,
        entries.count,
        entries.table,
        size[1],
        size[0],
        least,
        row_at,
        row_entry,
        row_mats,
    )
    nx, ny = _unit(h)
    places: list[Place] = []
    for at, e, mats in zip(row_at[:made], row_entry[:made], row_mats[:made], strict=True):
        low, high = chord(entries.polygons[e], entries.sizes[e], nx, ny, at)
        gap = min((high - low) / (mats - 1), size[1] * ROW_GAP) if mats > 1 else 0.0
        for i in range(mats):
            s = (low + high) / 2 + gap * (i - (mats - 1) / 2)
            places.append(
                Place(
                    float(nx * at - ny * s),
                    float(ny * at + nx * s),
                    int(entries.heading[e]),
                )
            )
    return places
