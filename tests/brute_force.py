"""Compiled brute force: rays cast from every cell of a grid, and every mat of a grid laid against
every other.

Independent of what it checks: triangles and rays, places and corners; no polygons are cut or
joined.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from tarvik.core.fold.pattern import Role
from tarvik.core.measure.roof import Roof
from tarvik.core.weather.rain import Weather, median_drop_mm, rain_slope, terminal_speed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.shelter import Face


def ears(polygon: np.ndarray) -> list[np.ndarray]:
    """Triangles of a flat simple polygon (k, 3) in space, by cutting ears; right for hollow
    outlines too.
    """
    normal = np.cross(polygon, np.roll(polygon, -1, axis=0)).sum(axis=0)
    left = list(range(len(polygon)))
    out = []
    while len(left) > 3:
        for n in range(len(left)):
            a, b, c = (polygon[left[(n + d) % len(left)]] for d in (-1, 0, 1))
            corner = np.cross(b - a, c - b) @ normal
            others = (
                polygon[i]
                for i in left
                if not any(np.array_equal(polygon[i], q) for q in (a, b, c))
            )
            if corner > 0 and not any(_in_triangle(p, a, b, c, normal) for p in others):
                out.append(np.array([a, b, c]))
                left.pop(n)
                break
        else:
            break
    return [*out, np.array([polygon[i] for i in left])]


def _in_triangle(
    p: np.ndarray, a: np.ndarray, b: np.ndarray, c: np.ndarray, normal: np.ndarray
) -> bool:
    return all(
        np.cross(e - s, p - s) @ normal >= -1e-12 for s, e in ((a, b), (b, c), (c, a))
    )


def cloth(faces: Sequence[Face]) -> np.ndarray:
    """Every face but floors as triangles (T, 3, 3)."""
    return np.array(
        [t for face in faces if face.role is not Role.FLOOR for t in ears(face.xyz)]
    )


@njit(cache=True)
def _blocked(triangles: np.ndarray, x: float, y: float, wx: float, wy: float) -> float:
    """Height of the lowest hit of a ray from the ground along (wx, wy, 1); -1 for none (Moeller and
    Trumbore 1997).
    """
    lowest = -1.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        e1x, e1y, e1z = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        e2x, e2y, e2z = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        px, py, pz = wy * e2z - e2y, e2x - wx * e2z, wx * e2y - wy * e2x
        det = e1x * px + e1y * py + e1z * pz
        if abs(det) < 1e-12:
            continue
        sx, sy, sz = x - a[0], y - a[1], -a[2]
        u = (sx * px + sy * py + sz * pz) / det
        qx, qy, qz = sy * e1z - sz * e1y, sz * e1x - sx * e1z, sx * e1y - sy * e1x
        v = (wx * qx + wy * qy + qz) / det
        h = (e2x * qx + e2y * qy + e2z * qz) / det
        if (
            u >= -1e-9
            and v >= -1e-9
            and u + v <= 1 + 1e-9
            and h >= -1e-9
            and (lowest < 0 or h < lowest)
        ):
            lowest = max(h, 0.0)
    return lowest


@njit(cache=True)
def _dry_cells(
    triangles: np.ndarray, low: np.ndarray, high: np.ndarray, step: float, ways: np.ndarray
) -> int:
    count = 0
    for i in range(int((high[0] - low[0]) / step) + 1):
        for j in range(int((high[1] - low[1]) / step) + 1):
            x, y = low[0] + (i + 0.5) * step, low[1] + (j + 0.5) * step
            dry = True
            for k in range(ways.shape[0]):
                if _blocked(triangles, x, y, ways[k, 0], ways[k, 1]) < 0:
                    dry = False
                    break
            if dry:
                count += 1
    return count


def rain_ways(weather: Weather, samples: int = 25) -> np.ndarray:
    """Ways (K, 2) a ray goes per metre upwards, against the fall of the rain: straight up, and
    winds all over the spread.
    """
    slope = weather.wind_m_s / terminal_speed(median_drop_mm(weather.rain_mm_h))
    bearings = np.radians(
        weather.wind_from_deg
        + np.linspace(-weather.spread_deg, weather.spread_deg, samples)
    )
    return np.vstack(
        [[[0.0, 0.0]], slope * np.column_stack([np.sin(bearings), np.cos(bearings)])]
    )


def dry_area(faces: Sequence[Face], weather: Weather, step: float = 0.01) -> float:
    """Dry ground by casting rays from every cell. The grid lies askew, so that no edge runs along
    its rows.
    """
    askew = np.array([[math.cos(0.3), -math.sin(0.3)], [math.sin(0.3), math.cos(0.3)]])
    triangles = cloth(faces)
    triangles[..., :2] = triangles[..., :2] @ askew.T
    flat = triangles[..., :2].reshape(-1, 2)
    step = min(
        step, 0.004 * float(np.sqrt(Roof.over(faces).plan().area))
    )  # as fine for a small one as for a large one
    ways = (rain_ways(weather) if rain_slope(weather) > 0 else np.zeros((1, 2))) @ askew.T
    return (
        _dry_cells(triangles, flat.min(axis=0), flat.max(axis=0), step, ways) * step * step
    )


@njit(cache=True)
def _fitting(
    triangles: np.ndarray,
    ways: np.ndarray,
    low: np.ndarray,
    high: np.ndarray,
    step: float,
    turns: int,
    spots: np.ndarray,
    need: np.ndarray,
    out: np.ndarray,
) -> int:
    made = 0
    nx, ny = int((high[0] - low[0]) / step) + 1, int((high[1] - low[1]) / step) + 1
    for h in range(turns):
        c, s = math.cos(2 * math.pi * h / turns), math.sin(2 * math.pi * h / turns)
        for i in range(nx):
            for j in range(ny):
                x, y = low[0] + i * step, low[1] + j * step
                fits = True
                for p in range(spots.shape[0]):
                    px, py = (
                        x + spots[p, 0] * c - spots[p, 1] * s,
                        y + spots[p, 0] * s + spots[p, 1] * c,
                    )
                    over = _blocked(triangles, px, py, 0.0, 0.0)
                    if over < need[p]:
                        fits = False
                        break
                if fits:
                    for p in range(spots.shape[0]):
                        px, py = (
                            x + spots[p, 0] * c - spots[p, 1] * s,
                            y + spots[p, 0] * s + spots[p, 1] * c,
                        )
                        for k in range(ways.shape[0]):
                            if _blocked(triangles, px, py, ways[k, 0], ways[k, 1]) < 0:
                                fits = False
                                break
                        if not fits:
                            break
                if fits and made < out.shape[0]:
                    out[made, 0], out[made, 1], out[made, 2] = x, y, h
                    made += 1
    return made


def _mat_spots(stature_m: float, room: Clearance) -> tuple[np.ndarray, np.ndarray]:
    """Places on a mat and the roof height each wants; corners first, where a mat fails soonest."""
    half, side = room.mat_length(stature_m) / 2, room.mat_width_m / 2
    strip = room.strip_m / 2
    s = np.unique(
        np.concatenate(
            [
                np.linspace(-half, half, 13),
                [half - room.head_length_m, -half + room.foot_length_m],
            ]
        )
    )
    t = np.unique(np.concatenate([np.linspace(-side, side, 5), [-strip, strip]]))
    along, across = (g.ravel() for g in np.meshgrid(s, t))
    need = np.full(along.size, room.edge_m)
    inner = np.abs(across) <= strip + 1e-9
    need[inner] = room.middle_m
    need[inner & (along >= half - room.head_length_m - 1e-9)] = room.head_m
    need[inner & (along < -half + room.foot_length_m - 1e-9)] = room.foot_m
    order = np.argsort(-np.hypot(along, across))
    return np.column_stack([along, across])[order], need[order]


def fitting_mats(
    faces: Sequence[Face],
    stature_m: float,
    room: Clearance,
    weather: Weather,
    step: float = 0.1,
    turns: int = 36,
) -> np.ndarray:
    """All mats (M, 3: x, y, heading in radians) of a grid that lie dry with their clearances."""
    triangles = cloth(faces)
    flat = triangles[..., :2].reshape(-1, 2)
    ways = rain_ways(weather, 7)[1:] if rain_slope(weather) > 0 else np.zeros((0, 2))
    out = np.empty((6000, 3))
    spots, need = _mat_spots(stature_m, room)
    made = _fitting(
        triangles, ways, flat.min(axis=0), flat.max(axis=0), step, turns, spots, need, out
    )
    found = out[:made].copy()
    found[:, 2] *= 2 * math.pi / turns
    return found


@njit(cache=True)
def _apart(one: np.ndarray, two: np.ndarray, la: float, lb: float, width: float) -> bool:
    """Whether two mats do not overlap: a side of one of them parts them."""
    for turn in (one[2], two[2]):
        for extra in (0.0, math.pi / 2):
            cx, cy = math.cos(turn + extra), math.sin(turn + extra)
            gap = abs((two[0] - one[0]) * cx + (two[1] - one[1]) * cy)
            reach = 0.0
            for mat, length in ((one, la), (two, lb)):
                d = mat[2] - turn - extra
                reach += (length * abs(math.cos(d)) + width * abs(math.sin(d))) / 2
            if gap >= reach - 1e-9:
                return True
    return False


@njit(cache=True)
def _most(mats: np.ndarray, length: float, width: float) -> int:
    n = mats.shape[0]
    if n == 0:
        return 0
    words = (n + 63) // 64
    free = np.zeros((n, words), dtype=np.uint64)
    any_pair = False
    for i in range(n):
        for j in range(i + 1, n):
            if _apart(mats[i], mats[j], length, length, width):
                free[i, j // 64] |= np.uint64(1) << np.uint64(j % 64)
                free[j, i // 64] |= np.uint64(1) << np.uint64(i % 64)
                any_pair = True
    if not any_pair:
        return 1
    for i in range(n):
        for j in range(i + 1, n):
            if (free[i, j // 64] >> np.uint64(j % 64)) & np.uint64(1):
                for w in range(words):
                    if free[i, w] & free[j, w]:
                        return 3
    return 2


def most_apart(mats: np.ndarray, length_m: float, width_m: float) -> int:
    """Largest number, up to three, of equal mats of which no two overlap, over every set of
    them.
    """
    return int(_most(mats, length_m, width_m))


@njit(cache=True)
def _two(one: np.ndarray, two: np.ndarray, la: float, lb: float, width: float) -> bool:
    for i in range(one.shape[0]):
        for j in range(two.shape[0]):
            if _apart(one[i], two[j], la, lb, width):
                return True
    return False


def two_apart(
    one: np.ndarray, two: np.ndarray, lengths_m: tuple[float, float], width_m: float
) -> bool:
    """Whether a mat of each of two kinds can lie without overlap."""
    return bool(_two(one, two, lengths_m[0], lengths_m[1], width_m))
