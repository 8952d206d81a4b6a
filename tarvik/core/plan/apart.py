"""Which offers exclude each other: by the ground they take, by a sheet, by a tree."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import shapely
from shapely import STRtree

from tarvik.core.kept import keep_last

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.plan.offers import Offer


def conflicting(offers: Sequence[Offer], gap_m: float) -> NDArray[np.intp]:
    """Pairs (n, 2) of offers of different sheets that stand nearer to each other than the walking
    gap.
    """
    placed = np.array(
        [n for n, o in enumerate(offers) if o.ground is not None], dtype=np.intp
    )
    if not placed.size:
        return np.zeros((0, 2), dtype=np.intp)
    shapes = np.array([offers[n].ground for n in placed], dtype=object)
    shapely.prepare(shapes)
    reach = max(gap_m - 1e-9, 0.0)
    low_x, low_y, high_x, high_y = shapely.bounds(shapes).T
    near = STRtree(shapes).query(
        shapely.box(low_x - reach, low_y - reach, high_x + reach, high_y + reach)
    )
    unit = np.unique([str(offers[n].sheets) for n in placed], return_inverse=True)[1]
    one, two = near[:, (near[0] < near[1]) & (unit[near[0]] != unit[near[1]])]
    at, inside = _cores(shapes)
    close = (
        np.hypot(*(at[one] - at[two]).T) <= inside[one] + inside[two] + reach
    )  # most that are close overlap by far
    apart = np.flatnonzero(~close)
    close[apart] = shapely.dwithin(shapes[one[apart]], shapes[two[apart]], reach)
    return np.asarray(placed[np.column_stack([one[close], two[close]])])


def _cores(shapes: NDArray[np.object_]) -> tuple[Floats, Floats]:
    """For each ground a disc in its cloth, its first part: centres (n, 2) and radii (n,)."""
    cloths = shapely.get_geometry(shapes, 0)
    middles = shapely.centroid(cloths)
    radii = np.where(
        shapely.contains(cloths, middles),
        shapely.distance(shapely.boundary(cloths), middles),
        0.0,
    )
    return shapely.get_coordinates(middles), np.nan_to_num(radii)


@keep_last(4)
def cliques(offers: tuple[Offer, ...], gap_m: float) -> list[list[int]]:
    """Sets of offers of which at most one can be taken, that together hold every pair that excludes
    each other: by the ground, by a sheet, by a tree. Each is grown as large as it goes, for a few
    large sets tell a solver more than many pairs.
    """
    size = len(offers)
    bars = np.zeros((size, size), dtype=np.bool_)
    one, two = conflicting(offers, gap_m).T
    bars[one, two] = bars[two, one] = True
    kin: dict[object, list[int]] = {}
    for n, offer in enumerate(offers):
        for key in (*offer.sheets, *offer.trees):
            kin.setdefault(key, []).append(n)
    for alike in kin.values():
        bars[np.ix_(alike, alike)] = True
    np.fill_diagonal(bars, False)
    # Numbered anew by how many they exclude, so that the lowest bit of a set is the one that
    # excludes most.
    order = np.argsort(-bars.sum(axis=1), kind="stable")
    packed = np.packbits(bars[order][:, order], axis=1, bitorder="little")
    ranked = [int.from_bytes(row.tobytes(), "little") for row in packed]
    left = list(ranked)
    out = []
    for first in range(size):
        while left[first]:
            clique, free = [first], ranked[first]
            while free:
                some = free & left[first] or free
                lowest = (some & -some).bit_length() - 1
                clique.append(lowest)
                free &= ranked[lowest]
            whole = sum(1 << n for n in clique)
            for n in clique:
                left[n] &= ~whole
            out.append(sorted(order[clique].tolist()))
    return out
