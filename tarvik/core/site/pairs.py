"""Supports found on a site: pairs of trees that carry a ridge, single trees that carry a corner."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
from scipy.spatial import cKDTree

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.kept import keep_last
from tarvik.core.rig.lines import through_line_m
from tarvik.core.rig.supports import TRUNK_LEAST_M
from tarvik.core.site.things import CARRIES, SOLID, Health

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.site.things import Ground, Thing

    Floats = NDArray[np.float64]

REACH_M: Final = constant(
    "tie_reach",
    2.0,
    "m",
    COMMON_PRACTICE,
    "height at which a line is tied without a stick or a climb",
)
FARTHEST_PAIR_M: Final = constant(
    "pair_farthest", 15.0, "m", ENGINEERING, "trees further apart than this carry no ridge"
)
ROOM_M: Final = constant(
    "between_clear",
    0.3,
    "m",
    ENGINEERING,
    "room on either side of a ridge line between two trees",
)


@dataclass(frozen=True, slots=True)
class TreePair:
    """Two trees that can carry a ridge. `clear_m`: between the trunks; `line_m`: cord of one line
    through both, knots in.
    """

    one: Thing
    two: Thing
    clear_m: float
    error_m: float
    line_m: float


def carriers(ground: Ground) -> list[Thing]:
    """Sound trees and posts thick enough to tie to."""
    return [
        t
        for t in ground.of(*CARRIES)
        if t.health is not Health.DEAD and t.across_m >= TRUNK_LEAST_M
    ]


def tree_pairs(
    ground: Ground,
    ridge_m: float,
    gap_m: float,
    longest_line_m: float | None = None,
    most_gap_m: float = 4.0,
) -> list[TreePair]:
    """Every pair of trees between which a ridge of `ridge_m` hangs with at least `gap_m` to spare
    at each end, and with at most `most_gap_m`; clear between; within one line of `longest_line_m`
    when that is given. The tightest first.
    """
    known = _pairs_of(ground)
    if known is None:
        return []
    trees, i, j, between, radius = known
    fits = (between >= ridge_m + 2 * gap_m - 1e-9) & (
        between <= ridge_m + 2 * most_gap_m + 1e-9
    )
    i, j, clear = i[fits], j[fits], between[fits]
    cords = [
        through_line_m(ridge_m, float(c) - ridge_m, 2 * float(radius[a] + radius[b]))
        for a, b, c in zip(i, j, clear, strict=True)
    ]
    found = [
        TreePair(
            trees[a],
            trees[b],
            float(c),
            float(np.hypot(trees[a].error_m, trees[b].error_m)),
            cord,
        )
        for a, b, c, cord in zip(i, j, clear, cords, strict=True)
        if longest_line_m is None or cord <= longest_line_m + 1e-9
    ]
    return sorted(found, key=lambda p: p.clear_m)


Known = tuple[list["Thing"], "NDArray[np.intp]", "NDArray[np.intp]", "Floats", "Floats"]


@keep_last(8)
def _pairs_of(ground: Ground) -> Known | None:
    """Every pair of trees with nothing solid between, whatever is to hang there: (trees, ones,
    others, metres between the trunks, every trunk's radius); None when there are no two.
    """
    trees = carriers(ground)
    if len(trees) < 2:
        return None
    xy = np.array([t.at for t in trees])
    radius = np.array([t.across_m for t in trees]) / 2
    pairs = cKDTree(xy).query_pairs(FARTHEST_PAIR_M, output_type="ndarray")
    i, j = pairs.T
    free = _clear_between(ground, xy, i, j)
    i, j = i[free], j[free]
    return (
        trees,
        i,
        j,
        np.asarray(np.hypot(*(xy[i] - xy[j]).T) - radius[i] - radius[j]),
        radius,
    )


def forget_pairs() -> None:
    """Forget the pairs of the grounds seen last (for benchmarks)."""
    _pairs_of.cache_clear()


def _clear_between(
    ground: Ground, xy: Floats, i: NDArray[np.intp], j: NDArray[np.intp]
) -> NDArray[np.bool_]:
    """Whether nothing solid stands within ROOM_M of the line between each pair of places."""
    solid = ground.of(*SOLID)
    out = np.ones(len(i), dtype=bool)
    if not solid or not len(i):
        return out
    places = np.array([t.at for t in solid])
    radius = np.array([t.across_m for t in solid]) / 2
    tree = cKDTree(places)
    middle, reach = (xy[i] + xy[j]) / 2, np.hypot(*(xy[i] - xy[j]).T) / 2
    near = tree.query_ball_point(middle, reach + ROOM_M + float(radius.max()))
    which = np.repeat(np.arange(len(i)), [len(some) for some in near])
    some = np.concatenate([np.asarray(n, dtype=np.intp) for n in near])
    a, b = xy[i[which]], xy[j[which]]
    way = (b - a) / np.maximum(2 * reach[which], 1e-9)[:, None]
    away = places[some] - a
    along = (away * way).sum(axis=1)
    off = np.abs(away[:, 1] * way[:, 0] - away[:, 0] * way[:, 1]) - radius[some]
    own = np.minimum(np.hypot(*away.T), np.hypot(*(places[some] - b).T)) < 1e-6
    bars = (along > 0) & (along < 2 * reach[which]) & (off < ROOM_M) & ~own
    out[which[bars]] = False
    return out
