"""Sleepers: nothing claimed that does not fit, nothing missed that an exhaustive search finds, and
the trade's own facts.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import Polygon

from tarvik.core.body import Body
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.figures import measure, tallest_sleeper_m
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.mats import lay_mats
from tarvik.core.measure.outline import hull_and_pockets
from tarvik.core.measure.roof import Roof
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.units import FOOT_M
from tarvik.core.weather.rain import Weather
from tests.core.test_measures import SHELTERS
from tests.reference import exhaustive_count, mat_fits, pairs_overlap

ROOM = Clearance()


def most_sleepers(slug: str, side_m: float, stature_m: float) -> int:
    """Best of all heights for as many as fit."""
    question = Question(Sheet.rectangle(side_m, side_m), PITCHES[slug], {}, Body(stature_m))
    found = solve(question).figures
    return found.sleepers if found else 0


@pytest.mark.parametrize(
    ("slug", "side_m", "stature_m", "least", "most"),
    [
        ("plow-point", 7 * FOOT_M, 1.73, 1, 1),
        ("plow-point", 7 * FOOT_M, 1.83, 0, 0),
        ("plow-point", 8 * FOOT_M, 1.88, 1, 9),
        ("plow-point", 9.5 * FOOT_M, 1.73, 2, 9),
        ("plow-point", 10 * FOOT_M, 1.75, 3, 9),
        ("a-frame", 2.9, 1.75, 2, 9),
    ],
)
def test_facts_of_the_trade(
    slug: str, side_m: float, stature_m: float, least: int, most: int
) -> None:
    """Common practice: who fits under which square sheet in calm rain."""
    assert least <= most_sleepers(slug, side_m, stature_m) <= most


@given(shelter=SHELTERS, stature=st.floats(1.2, 2.0))
def test_every_mat_claimed_fits(shelter: Shelter, stature: float) -> None:
    """Each mat lies covered with its clearances (point by point, by ray casting), and no two
    overlap.
    """
    mats = lay_mats(Ground.under(Roof.over(shelter.faces()), None, ROOM), stature, ROOM)
    assert pairs_overlap(mats) < 1e-6
    assert all(mat_fits(shelter, mat, ROOM) for mat in mats)
    assert all(mat.length_m == pytest.approx(stature + ROOM.mat_extra_m) for mat in mats)


@settings(max_examples=12)
@given(shelter=SHELTERS, stature=st.floats(1.5, 1.9))
def test_count_against_exhaustive_search(shelter: Shelter, stature: float) -> None:
    """What trying every place and heading of a grid finds, up to three mats, is never missed."""
    mats = lay_mats(Ground.under(Roof.over(shelter.faces()), None, ROOM), stature, ROOM)
    assume(len(mats) < 3)
    assert len(mats) >= exhaustive_count(shelter, stature, ROOM, 0.15, 15.0)


@settings(max_examples=25)
@given(shelter=SHELTERS, wind=st.floats(3, 12), bearing=st.floats(0, 360))
def test_mats_on_slanted_rain_are_dry(
    shelter: Shelter, wind: float, bearing: float
) -> None:
    """Every mat lies wholly on the dry ground, whatever its shape."""
    figures = measure(shelter, Body(1.7), Weather(6, wind, bearing))
    for mat in figures.mats:
        assert figures.dry.buffer(1e-6).covers(Polygon(mat.corners()))
        assert mat_fits(shelter, mat, ROOM)


def test_ground_of_any_shape() -> None:
    """An L of two 0.7 m wide, 2.6 m long legs takes a mat in each leg, and none across the
    notch.
    """
    shape = Polygon([(0, 0), (2.6, 0), (2.6, 0.7), (0.7, 0.7), (0.7, 2.6), (0, 2.6)])
    hull, pockets = hull_and_pockets(shape)
    assert len(pockets) == 1
    ground = Ground(
        np.array([-1, 4, -1, 4.0]),
        hull,
        np.zeros(len(hull), dtype=np.int64),
        pockets,
        np.zeros(1, dtype=np.int64),
        shape.area,
        np.asarray(shape.convex_hull.exterior.coords)[:-1],
    )
    mats = lay_mats(ground, 1.7, ROOM)
    assert len(mats) == 2
    assert all(shape.buffer(1e-6).covers(Polygon(m.corners())) for m in mats)
    assert pairs_overlap(mats) < 1e-6


def test_a_box_takes_exactly_what_fits() -> None:
    """A room of 1.8 m by 1.85 m, high everywhere, takes three mats of 0.6 m by 1.85 m; a centimetre
    less takes two.
    """
    for width, count in ((1.801, 3), (1.79, 2)):
        outline = np.array([(0, 0), (width, 0), (width, 1.852), (0, 1.852)])
        hull, pockets = hull_and_pockets(Polygon(outline))
        ground = Ground(
            np.array([-1, 3, -1, 3.0]),
            hull,
            np.zeros(4, dtype=np.int64),
            pockets,
            np.zeros(0, dtype=np.int64),
            width * 1.852,
            outline,
        )
        assert len(lay_mats(ground, 1.75, ROOM)) == count


def test_a_t_of_three_needs_mixed_headings() -> None:
    """Two mats end to end beside none, and one across: only a mix of headings lays three here."""
    shape = Polygon(
        [
            (0, 0),
            (0.62, 0),
            (0.62, 1.3),
            (2.5, 1.3),
            (2.5, 0),
            (3.12, 0),
            (3.12, 1.95),
            (0, 1.95),
        ]
    )
    hull, pockets = hull_and_pockets(shape)
    ground = Ground(
        np.array([-1, 5, -1, 4.0]),
        hull,
        np.zeros(len(hull), dtype=np.int64),
        pockets,
        np.zeros(len(pockets), dtype=np.int64),
        shape.area,
        np.asarray(shape.convex_hull.exterior.coords)[:-1],
    )
    mats = lay_mats(ground, 1.75, ROOM)
    assert len(mats) == 3
    assert pairs_overlap(mats) < 1e-6
    assert all(shape.buffer(1e-6).covers(Polygon(m.corners())) for m in mats)


@given(shelter=SHELTERS)
def test_shorter_people_are_never_fewer(shelter: Shelter) -> None:
    ground = Ground.under(Roof.over(shelter.faces()), None, ROOM)
    counts = [len(lay_mats(ground, s, ROOM)) for s in (1.95, 1.75, 1.55)]
    assert min(counts[1], 3) >= min(counts[0], 3)
    assert min(counts[2], 3) >= min(counts[1], 3)


def test_tallest_sleeper_is_the_edge_of_fitting() -> None:
    shelter = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2.4, 2.4), {"height": 1.2})
    tallest = tallest_sleeper_m(measure(shelter, Body(1.75)))
    assert tallest is not None
    assert measure(shelter, Body(tallest - 0.01)).sleepers >= 1
    assert measure(shelter, Body(tallest + 0.03)).sleepers == 0


def test_turning_the_roof_turns_the_mats() -> None:
    """Turned by a multiple of the heading step, the same roof takes as many."""
    shelter = fold_sheet(
        PITCHES["plow-point"], Sheet.rectangle(3.05, 3.05), {"height": 1.4}
    )
    for degrees in (30, 90, 146):
        a = math.radians(degrees)
        turn = np.array(
            [[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]]
        )
        turned = Shelter(
            shelter.pitch,
            shelter.sheet,
            shelter.settings,
            shelter.uv,
            shelter.xyz @ turn.T,
            shelter.whole,
        )
        assert measure(turned, Body(1.75)).sleepers == measure(shelter, Body(1.75)).sleepers
