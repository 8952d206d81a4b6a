"""Who hears whom at night, against every pair looked at by itself; who excludes whom, likewise."""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
import shapely
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.plan.apart import cliques, conflicting
from tarvik.core.plan.earshot import heard
from tarvik.core.plan.offers import Offer

PLACES = st.lists(
    st.tuples(st.integers(-12, 12), st.integers(-12, 12)), min_size=1, max_size=25
)


@given(places=PLACES, reach=st.sampled_from([3.0, 8.0, 20.0]), thicket=st.booleans())
def test_each_place_hears_those_near_and_in_sight(
    places: list[tuple[int, int]], reach: float, thicket: bool
) -> None:
    """Distances by the book, sight by Shapely, pair by pair; places may stand on each other."""
    at = np.array(places, dtype=float)
    blinds = shapely.box(-1.5, -20, 1.5, 6) if thicket else None
    told = heard(at, reach, blinds)
    for i, here in enumerate(places):
        whole, single = told.hears[told.kind[i]]
        kinds = {k for cell in whole for k in told.cells[cell]} | set(single)
        hears = {j for j in range(len(places)) if told.kind[j] in kinds}
        plain = {
            j
            for j, there in enumerate(places)
            if math.dist(here, there) <= reach
            and (
                here == there
                or blinds is None
                or not shapely.LineString([here, there]).intersects(blinds)
            )
        }
        assert hears == plain


def offer(sheet: int, x: float, y: float, tree: str | None) -> Offer:
    """A square metre and a line at a place."""
    ground = shapely.GeometryCollection(
        [shapely.box(x, y, x + 1, y + 1), shapely.LineString([(x, y), (x - 1, y)])]
    )
    trees = () if tree is None else (tree,)
    return Offer(
        sheets=(sheet,),
        pitch="lean-to",
        settings=(),
        beds=((1.8, 1),),
        ground=ground,
        trees=trees,
    )


@given(
    some=st.lists(
        st.tuples(
            st.integers(1, 4),
            st.integers(0, 6),
            st.integers(0, 6),
            st.sampled_from([None, "t1", "t2"]),
        ),
        max_size=20,
    ),
    gap=st.sampled_from([0.0, 0.8, 1.5]),
)
def test_cliques_hold_every_pair_that_excludes_each_other_and_no_other(
    some: list[tuple[int, int, int, str | None]], gap: float
) -> None:
    """Two offers are in one clique just when they share a sheet or a tree or stand nearer than the
    gap.
    """
    offers = tuple(offer(sheet, 1.3 * x, 1.3 * y, tree) for sheet, x, y, tree in some)
    told = {pair for clique in cliques(offers, gap) for pair in combinations(clique, 2)}
    close = {tuple(sorted(pair)) for pair in conflicting(offers, gap).tolist()}
    for a, b in combinations(range(len(offers)), 2):
        one, two = offers[a], offers[b]
        near = one.ground.distance(two.ground) < gap - 1e-6 or (
            gap == 0.0 and one.ground.intersects(two.ground)
        )
        far = one.ground.distance(two.ground) > gap + 1e-6
        apart = one.sheets != two.sheets
        if apart and (near or far):
            assert ((a, b) in close) == near
        excludes = not apart or bool(set(one.trees) & set(two.trees)) or (a, b) in close
        assert ((a, b) in told) == excludes
