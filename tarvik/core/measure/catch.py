"""Rain water caught at the roof's low points: the ground plan that drains to each, and what a pot
there collects.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.measure.runoff import downhill, low_points
from tarvik.core.shelter import MOST_KEPT, Shelter

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats

CAUGHT: Final = constant(
    "rain_caught",
    0.8,
    "1",
    ENGINEERING,
    "share of the rain on the cloth that reaches the low point",
)
HEM_SLOPE: Final = constant(
    "hem_slope",
    0.05,
    "1",
    ENGINEERING,
    "an edge steeper than this leads water along it; a leveller one drips",
)
_SPOTS: Final = 12
_TURNS: Final = 12


@dataclass(frozen=True, slots=True)
class Catch:
    """A low point, its height, the plan area that drains to it, litres an hour, minutes to fill a
    litre (None: no rain).
    """

    point: str
    height_m: float
    drains_m2: float
    litres_h: float
    minutes_a_litre: float | None


def catches(shelter: Shelter, rain_mm_h: float) -> list[Catch]:
    """What each low point collects, the most first. Water that drips from level edges is caught by
    nobody.
    """
    drained = dict.fromkeys(low_points(shelter), 0.0)
    for face, names in _roof(shelter):
        for share, spot in _spots(face):
            end = _follow(shelter, face, names, spot)
            if end in drained:
                drained[end] += share
    found = []
    for point, area in drained.items():
        litres = area * rain_mm_h * CAUGHT
        found.append(
            Catch(
                point,
                float(shelter.at(point)[2]),
                area,
                litres,
                60 / litres if litres > 1e-6 else None,
            )
        )
    return sorted(found, key=lambda c: -c.drains_m2)


@keep_last(MOST_KEPT)
def _roof(shelter: Shelter) -> tuple[tuple[Floats, tuple[str, ...]], ...]:
    """Every panel but floors, its places and its points."""
    return tuple(
        (shelter.at_all(p.points), p.points)
        for p in shelter.panels
        if p.role is not Role.FLOOR
    )


def _spots(face: Floats) -> list[tuple[float, Floats]]:
    """Evenly spread places of a panel's plan, each with the plan area it stands for."""
    flat = Polygon(face[:, :2])
    if not flat.is_valid or flat.area < 1e-6:
        return []
    low, high = face[:, :2].min(axis=0), face[:, :2].max(axis=0)
    x, y = (
        a + (b - a) * (np.arange(_SPOTS) + 0.5) / _SPOTS
        for a, b in zip(low, high, strict=True)
    )
    grid = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    inside = grid[shapely.contains_xy(flat, grid[:, 0], grid[:, 1])]
    return [(flat.area / len(inside), spot) for spot in inside] if len(inside) else []


def _follow(
    shelter: Shelter, face: Floats, names: tuple[str, ...], spot: Floats
) -> str | None:
    """The low point at which water from `spot` leaves, following panels, creases and hems; None
    when it drips before.
    """
    for _ in range(_TURNS):
        down = downhill(face)
        if down is None or float(np.hypot(*down)) < 1e-6:
            return None
        found = _exit(face, spot, down)
        if found is None:
            return None
        edge, spot = found
        a, b = names[edge], names[(edge + 1) % len(names)]
        nxt = [(f, n) for f, n in _roof(shelter) if {a, b} <= set(n) and n != names]
        if nxt:
            way = downhill(nxt[0][0])
            middle = nxt[0][0][:, :2].mean(axis=0)
            if way is not None and way @ (middle - spot) > 1e-9:
                face, names = nxt[0]
                spot = spot + 1e-6 * (middle - spot)
                continue
        return _along(shelter, a, b)
    return None


def _exit(face: Floats, spot: Floats, down: Floats) -> tuple[int, Floats] | None:
    """The edge at which a line from `spot` along `down` leaves a panel's plan, and the place."""
    best: tuple[float, int] | None = None
    for i in range(len(face)):
        p, q = face[i, :2], face[(i + 1) % len(face), :2]
        along = q - p
        cross = down[0] * along[1] - down[1] * along[0]
        if abs(cross) < 1e-12:
            continue
        off = p - spot
        t = (off[0] * along[1] - off[1] * along[0]) / cross
        s = (off[0] * down[1] - off[1] * down[0]) / cross
        if t > 1e-9 and -1e-9 <= s <= 1 + 1e-9 and (best is None or t < best[0]):
            best = (t, i)
    return None if best is None else (best[1], np.asarray(spot + best[0] * down))


def _along(shelter: Shelter, a: str, b: str) -> str | None:
    """Down along edges to a low point; None where the edge is too level to lead water."""
    start, end = shelter.at(a), shelter.at(b)
    run = float(np.hypot(*(end - start)[:2]))
    if abs(float(end[2] - start[2])) < HEM_SLOPE * max(run, 1e-9):
        return None
    return _down_edges(shelter, a if start[2] < end[2] else b)


def _down_edges(shelter: Shelter, point: str) -> str | None:
    """From a corner down the steepest edge, again and again, to a low point."""
    for _ in range(_TURNS):
        near = {
            q
            for _, n in _roof(shelter)
            if point in n
            for q in (n[n.index(point) - 1], n[(n.index(point) + 1) % len(n)])
        }
        lower = [q for q in near if shelter.at(q)[2] < shelter.at(point)[2] - 1e-9]
        if not lower:
            return point
        point = min(
            lower,
            key=lambda q: float(
                (shelter.at(q)[2] - shelter.at(point)[2])
                / max(float(np.hypot(*(shelter.at(q) - shelter.at(point))[:2])), 1e-9)
            ),
        )
    return point
