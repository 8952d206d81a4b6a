"""Plane geometry that folds share: circles that meet, mirror images, and points laid out by
name.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fold.pattern import Layout, stacked
from tarvik.core.pitches.base import Limit, SheetBox, Values, root
from tarvik.core.plane import cross

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Pattern, Place


def circles(
    ax: Floats, ay: Floats, ra: Floats, bx: Floats, by: Floats, rb: Floats, hand: float
) -> tuple[Floats, Floats]:
    """Where circles about a and b meet, on the left (+1) or right (-1) hand going from a to b; NaN
    where they do not.
    """
    dx, dy = bx - ax, by - ay
    gap = np.hypot(dx, dy)
    along = (ra**2 - rb**2 + gap**2) / (2 * gap)
    off = root(ra**2 - along**2)
    return ax + (along * dx - hand * off * dy) / gap, ay + (
        along * dy + hand * off * dx
    ) / gap


def furthest_meeting(
    ax: Floats,
    ay: Floats,
    ra: Floats,
    bx: Floats,
    by: Floats,
    rb: Floats,
    way: tuple[float, float],
) -> tuple[Floats, Floats]:
    """Of the two places where circles about a and b meet, the one further along `way`; NaN where
    they do not.
    """
    one, two = (circles(ax, ay, ra, bx, by, rb, hand) for hand in (1.0, -1.0))
    first = one[0] * way[0] + one[1] * way[1] >= two[0] * way[0] + two[1] * way[1]
    return np.where(first, one[0], two[0]), np.where(first, one[1], two[1])


def mirrored(
    x: Floats, y: Floats, px: Floats, py: Floats, dx: Floats, dy: Floats
) -> tuple[Floats, Floats]:
    """Mirror image of (x, y) in the line through p along d: folding flat about a crease on the
    ground.
    """
    size2 = dx**2 + dy**2
    along = ((x - px) * dx + (y - py) * dy) / size2
    return 2 * (px + along * dx) - x, 2 * (py + along * dy) - y


def turned_about(point: Floats, a: Floats, b: Floats, angle: Floats) -> Floats:
    """Points (N, 3) turned about the axis from a to b by `angle` (N,), right-handed (Rodrigues)."""
    axis = b - a
    axis = axis / np.linalg.norm(axis, axis=1, keepdims=True)
    arm = point - a
    cos, sin = np.cos(angle)[:, None], np.sin(angle)[:, None]
    along = (arm * axis).sum(axis=1, keepdims=True) * axis
    return np.asarray(a + along + (arm - along) * cos + cross(axis, arm) * sin)


def point(x: Floats, y: Floats, z: Floats) -> Floats:
    """Points (N, 3) of three arrays (N,)."""
    out = np.empty((*np.broadcast_shapes(np.shape(x), np.shape(y), np.shape(z)), 3))
    out[..., 0], out[..., 1], out[..., 2] = x, y, z
    return out


def across(values: Values, places: Mapping[str, Place]) -> dict[str, Place]:
    """Flat places (across, along) of every point, with `turn` undone."""
    turn = values["turn"] > 0.5
    return {
        name: (np.where(turn, v, u), np.where(turn, u, v))
        for name, (u, v) in places.items()
    }


def laid_out(
    pattern: Pattern,
    size: int,
    flat: Mapping[str, Place],
    world: Mapping[str, Place],
    ok: NDArray[np.bool_] | None = None,
) -> Layout:
    """An exact layout from the places of every point by name. NaN where `ok` (N,) is false or any
    place is NaN.
    """
    start = stacked([world[p] for p in pattern.points], size)
    if ok is not None:
        start[~np.asarray(ok, dtype=bool)] = np.nan
    start[np.isnan(start.reshape(size, -1).sum(axis=1))] = np.nan
    held = np.zeros((len(pattern.points), 3), dtype=bool)
    held[:, 2] = True
    return Layout(pattern, stacked([flat[p] for p in pattern.points], size), start, held)


TRIES: Final = 33
"""Values tried at once when the end of what folds is looked for; three rounds come to a thirtieth
of a millimetre a metre.
"""


def stretch_that_folds(
    layout: Callable[[SheetBox, Values], Layout],
    box: SheetBox,
    values: Values,
    name: str,
    low: float,
    high: float,
) -> tuple[float, float]:
    """Least and most value of one setting, between low and high, with which the sheet folds, the
    others as they are (their first case); NaN where no value tried does. The stretch that holds the
    largest value found is taken.
    """

    def folds(tried: Floats) -> NDArray[np.bool_]:
        every = {k: np.full(len(tried), v[0]) for k, v in values.items()} | {name: tried}
        return np.asarray(np.isfinite(layout(box, every).start).all(axis=(1, 2)))

    grid = np.linspace(low, high, TRIES)
    good = np.flatnonzero(folds(grid))
    if not len(good):
        return np.nan, np.nan
    last = good[-1]
    first = last
    while first > 0 and first - 1 in good:
        first -= 1

    def edge(inside: float, outside: float) -> float:
        for _ in range(3):
            some = np.linspace(inside, outside, TRIES)
            ok = folds(some)
            k = int(np.argmin(ok)) if not ok.all() else TRIES
            if k == TRIES:
                return outside
            inside, outside = float(some[max(k - 1, 0)]), float(some[k])
        return inside

    most = (
        float(grid[last])
        if last == TRIES - 1
        else edge(float(grid[last]), float(grid[last + 1]))
    )
    least = (
        float(grid[first])
        if first == 0
        else edge(float(grid[first]), float(grid[first - 1]))
    )
    return least, most


def limit_by_trying(
    layout: Callable[[SheetBox, Values], Layout],
    box: SheetBox,
    values: Values,
    name: str,
    low: float,
    high: float,
    why: str,
) -> Limit:
    """The stretch of one setting within which the sheet folds, found by trying."""
    least, most = stretch_that_folds(layout, box, values, name, low, high)
    size = values[name].shape
    return Limit(name, np.full(size, most), why, np.full(size, least))
