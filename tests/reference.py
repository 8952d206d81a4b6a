"""Slow, plain, independent ways to compute what Tarvik computes: ray casting, and exhaustive search
for mats.
"""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np
from shapely import Polygon

from tarvik.core.fitting import Misfit, fit
from tarvik.core.fold.pattern import Role
from tarvik.core.pitches import PITCHES
from tarvik.core.shelter import foldable, refusals

if TYPE_CHECKING:
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.mats import Mat
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Shelter


STANDING = tuple(slug for slug, pitch in PITCHES.items() if pitch.bed is None)
"""Pitches under which one lies with room overhead."""
OBLONGS = ("plow-point-awning",)
"""Pitches that take anything but a square."""


def some_settings(
    slug: str, sheet: Sheet, height: float | None = None
) -> dict[str, float] | None:
    """Settings at which the sheet forms: the height wanted, lowered until it does, else the first
    of 400 random ones.
    """
    fitting = fit(PITCHES[slug], sheet)
    if isinstance(fitting, Misfit):
        return None
    pitch = fitting.pitch
    named = {s.name for s in pitch.settings}
    for share in (1.0, 0.8, 0.64, 0.51):
        wanted = {
            "height": (height or 1.1) * share,
            "height_far": (height or 1.1) * share * 0.9,
        }
        settings = {n: v for n, v in wanted.items() if n in named}
        if all(pitch.setting(n).least <= v for n, v in settings.items()) and not refusals(
            pitch, fitting.box, settings
        ):
            return settings
    rng = np.random.default_rng(5)
    values = {
        s.name: np.full(400, s.default)
        if s.is_choice or not s.searched
        else rng.uniform(s.least, s.most, 400)
        for s in pitch.settings
    }
    good = np.flatnonzero(foldable(pitch, fitting.box, values))
    return {n: float(v[good[0]]) for n, v in values.items()} if len(good) else None


def triangles(shelter: Shelter) -> np.ndarray:
    """Every panel but floors as triangles (T, 3, 3), fanned from its first corner."""
    out = []
    for face in shelter.faces():
        if face.role is not Role.FLOOR:
            out += [
                [face.xyz[0], face.xyz[i], face.xyz[i + 1]]
                for i in range(1, len(face.xyz) - 1)
            ]
    return np.array(out)


def ray_heights(
    shelter: Shelter, ground: np.ndarray, way: np.ndarray | None = None
) -> np.ndarray:
    """Height (N,) of the lowest panel that a ray from each ground place hits on its way up along
    `way` (x, y per metre of rise); inf where it hits none. Moeller and Trumbore 1997.
    """
    direction = np.array([*(way if way is not None else (0.0, 0.0)), 1.0])
    origins = np.column_stack([ground, np.zeros(len(ground))])
    lowest = np.full(len(ground), np.inf)
    for a, b, c in triangles(shelter):
        e1, e2 = b - a, c - a
        p = np.cross(direction, e2)
        det = float(e1 @ p)
        if abs(det) < 1e-12:
            continue
        s = origins - a
        u = s @ p / det
        q = np.cross(s, e1)
        v = q @ direction / det
        t = q @ e2 / det
        hit = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (t >= -1e-9)
        lowest = np.where(hit & (t < lowest), t, lowest)
    return lowest


def mat_fits(
    shelter: Shelter, mat: Mat, room: Clearance, slack: float = 0.0, step: float = 0.02
) -> bool:
    """Whether a mat lies covered with its clearances, tried point by point; `slack` metres of
    height are forgiven.
    """
    return bool(_fit_at(shelter, mat, np.array([[mat.x, mat.y]]), room, slack, step)[0])


def _fit_at(
    shelter: Shelter,
    mat: Mat,
    places: np.ndarray,
    room: Clearance,
    slack: float,
    step: float,
) -> np.ndarray:
    """Which of the places (N, 2) this mat fits at, headed as it is: all of them tried at once."""
    half, side = mat.length_m / 2, mat.width_m / 2
    s = np.append(
        np.linspace(-half, half, int(2 * half / step) + 1),
        [half - room.head_length_m, -half + room.foot_length_m],
    )
    t = np.append(
        np.linspace(-side, side, int(2 * side / step) + 1),
        [-room.strip_m / 2, room.strip_m / 2],
    )
    along, across = (g.ravel() for g in np.meshgrid(s, t))
    need = np.full(along.size, room.edge_m)
    strip = np.abs(across) <= room.strip_m / 2 + 1e-9
    need[strip] = room.middle_m
    need[strip & (along >= half - room.head_length_m + 1e-9)] = room.head_m
    need[strip & (along <= -half + room.foot_length_m - 1e-9)] = room.foot_m
    a = math.radians(mat.heading_deg)
    offset = np.column_stack(
        [
            along * math.cos(a) - across * math.sin(a),
            along * math.sin(a) + across * math.cos(a),
        ]
    )
    height = _heights_at(shelter, places, offset)
    return np.all(np.isfinite(height) & (height >= need - slack - 1e-7), axis=1)


def _heights_at(shelter: Shelter, places: np.ndarray, offset: np.ndarray) -> np.ndarray:
    """Heights (N, K) over the points that lie off each place (N, 2) by each offset (K, 2)."""
    ground = (places[:, None, :] + offset[None, :, :]).reshape(-1, 2)
    return ray_heights(shelter, ground).reshape(len(places), len(offset))


def overlap_m2(a: Mat, b: Mat) -> float:
    """Area two mats share."""
    return float(Polygon(a.corners()).intersection(Polygon(b.corners())).area)


def exhaustive_count(
    shelter: Shelter,
    stature_m: float,
    room: Clearance,
    place_m: float = 0.1,
    turn_deg: float = 10.0,
    most: int = 3,
) -> int:
    """Most mats (up to `most`) found by trying every place of a grid at every heading, and every
    set of them.

    What it finds is there; what lies between its grid lines it misses, so it is a lower bound of
    the truth.
    """
    from tarvik.core.measure.mats import Mat

    low, high = shelter.xyz[:, :2].min(axis=0), shelter.xyz[:, :2].max(axis=0)
    xs, ys = (np.arange(a, b + 1e-9, place_m) for a, b in zip(low, high, strict=True))
    places = np.column_stack([g.ravel() for g in np.meshgrid(xs, ys, indexing="ij")])
    fits: list[Mat] = []
    for heading in np.arange(0, 360, turn_deg):
        mat = Mat(0.0, 0.0, float(heading), room.mat_length(stature_m), room.mat_width_m)
        heights = _heights_at(shelter, places, np.array(mat.corners()))
        roughly = places[np.all(heights >= room.edge_m - 1e-7, axis=1)]
        if len(roughly):
            near = roughly[_fit_at(shelter, mat, roughly, room, 0.0, 0.1)]
            fits += [replace(mat, x=float(x), y=float(y)) for x, y in near]
    return largest_apart(fits, most)


def largest_apart(fits: list[Mat], most: int) -> int:
    """Largest number, up to `most`, of mats that do not overlap pairwise."""
    if not fits:
        return 0
    apart = _apart(fits)
    if most < 2 or not apart.any():
        return 1
    if most < 3:
        return 2
    for i, j in zip(*np.nonzero(np.triu(apart)), strict=True):
        if (apart[i] & apart[j]).any():
            return 3
    return 2


def _apart(fits: list[Mat]) -> np.ndarray:
    """Which pairs of mats do not overlap (separating axes along the sides of both)."""
    corners = np.array([m.corners() for m in fits])
    turn = np.radians([m.heading_deg for m in fits])
    apart = np.zeros((len(fits), len(fits)), dtype=bool)
    for extra in (0.0, math.pi / 2):
        axes = np.column_stack([np.cos(turn + extra), np.sin(turn + extra)])
        spans = np.einsum("ncd,md->nmc", corners, axes)
        low, high = spans.min(axis=2), spans.max(axis=2)
        own_low, own_high = np.diagonal(low), np.diagonal(high)
        parted = (low >= own_high[None, :] - 1e-9) | (high <= own_low[None, :] + 1e-9)
        apart |= parted | parted.T
    return apart


def pairs_overlap(mats: list[Mat]) -> float:
    """Largest area any two mats share."""
    return max((overlap_m2(a, b) for a, b in combinations(mats, 2)), default=0.0)
