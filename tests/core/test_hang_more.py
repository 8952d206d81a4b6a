"""What is told of a hung sheet: pools, advice, and every pitch on random sheets (TARVIK_HANG=50 for
all of them).
"""

from __future__ import annotations

import os
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy.optimize import nnls
from shapely import MultiPolygon, Polygon, box

from tarvik.core.errors import FoldError, InputError
from tarvik.core.hang.advice import (
    HAND_PULL_N,
    LIFT_TRIED_M,
    gains,
    go_round,
    headroom_m,
    heads_of,
    lifted,
    loose_stakes,
    sensitivity,
    tautness_to_aim_for,
)
from tarvik.core.hang.fabric import fabric_named
from tarvik.core.hang.hung import Hanging, hang
from tarvik.core.hang.lines import _least_pulls, line_pulls
from tarvik.core.hang.mesh import mesh_of
from tarvik.core.hang.room import EASE_M, HungRoom, _eased, measure_hung
from tarvik.core.hang.ties import Lift
from tarvik.core.hang.water import POOL_MOST_L, Grows, depths, pools
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import UNLIMITED, Supports
from tarvik.core.rig.verdict import assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.core.solve import ADULT, DEFAULT_CLEARANCE, DEFAULT_LYING
from tarvik.core.weather.rain import CALM
from tests.core.test_folds import cases_that_fold
from tests.core.test_hang import flat_sheet, hung

RANDOM = int(os.environ.get("TARVIK_HANG", "3"))
SQUARE = Sheet.rectangle(3.0, 3.0)


@pytest.mark.parametrize("slug", [s for s in PITCHES if s not in ("bag", "net-only")])
def test_every_pitch_hangs_on_random_sheets(slug: str) -> None:
    """Or says why not: a line too slack to hold it."""
    rng = np.random.default_rng(len(slug))
    for sheet, settings in cases_that_fold(slug, rng, RANDOM):
        shelter = fold_sheet(PITCHES[slug], sheet, settings)
        rig = assess(shelter, UNLIMITED).rig
        assert rig is not None
        found = hang(shelter, rig, Hanging(lines=9))
        assert np.isfinite(found.xyz).all()
        assert found.settled or found.why_loose
        if found.settled:
            assert found.unbalanced < 1e-3


@pytest.mark.parametrize("slug", ["bag", "net-only"])
def test_what_hangs_from_nothing_says_so(slug: str) -> None:
    shelter = fold_sheet(PITCHES[slug], SQUARE, {})
    rig = assess(shelter, UNLIMITED).rig
    assert rig is not None
    with pytest.raises(FoldError, match="not hung from ties"):
        hang(shelter, rig, Hanging(lines=5))


def test_lifting_the_middle_gains_sitting_ground() -> None:
    """By a quarter of a metre above the fold: more ground to sit on (common practice: lift the
    middle of a corner pitch).
    """
    plain = hung("plow-point", SQUARE, {"height": 1.2})
    raised = lifted(plain, "K", (1.5, 1.5), 0.25)
    before, after = (
        measure_hung(h, ADULT, CALM, DEFAULT_CLEARANCE, DEFAULT_LYING)
        for h in (plain, raised)
    )
    assert raised.at((1.5, 1.5))[2] > 0.75
    assert after.sit_area_m2 > before.sit_area_m2 * 1.3
    assert after.sleepers >= before.sleepers


def test_mats_under_a_hung_sheet_keep_their_clearance() -> None:
    found = hung("plow-point", Sheet.rectangle(3.4, 3.4), {"height": 1.4})
    figures = measure_hung(found, ADULT, CALM, DEFAULT_CLEARANCE, DEFAULT_LYING)
    assert figures.sleepers >= 2
    for mat in figures.mats:
        corners = mat.corners()
        share = np.linspace(0, 1, 20)
        places = np.array(
            [
                corners[0] + s * (corners[1] - corners[0]) + t * (corners[3] - corners[0])
                for s in share
                for t in share
            ]
        )
        assert figures.room.height_at(places).min() >= DEFAULT_CLEARANCE.edge_m - 1e-6
        strip = np.array(
            [
                np.array(mat.head()) + t * (np.array([mat.x, mat.y]) - np.array(mat.head()))
                for t in (0.05, 0.3, 0.6)
            ]
        )
        assert figures.room.height_at(strip).min() >= DEFAULT_CLEARANCE.head_m - 1e-6


def test_water_in_a_bowl_is_its_volume() -> None:
    """A paraboloid d (r / R)^2 on a square sheet fills to its lowest rim: pi R^2 d / 2 litres, R
    half a side (calculus).
    """
    mesh = mesh_of(flat_sheet(2.0, 2.0), 81)
    r2 = ((mesh.uv - 1.0) ** 2).sum(axis=1)
    xyz = np.column_stack([mesh.uv, 2.0 + 0.1 * r2])
    depth = depths(mesh, xyz, mesh.triangles)
    assert depth.max() == pytest.approx(0.1, abs=1e-3)
    cell = (2.0 / 80) ** 2
    assert depth.sum() * cell * 1000 == pytest.approx(np.pi * 0.1 / 2 * 1000, rel=0.01)


def test_a_slack_flat_shade_pools_and_feeds_itself_and_a_steep_one_does_not() -> None:
    settings = {"height": 1.6, "low": 1.2}
    slack = hung(
        "four-corner-shade", SQUARE, settings, Hanging(wet=True, tautness=0.0, lines=13)
    )
    found = pools(slack)
    assert found
    assert found[0].grows is Grows.FEEDS_ITSELF
    assert found[0].litres > POOL_MOST_L
    assert pools(hung("four-corner-shade", SQUARE, settings, Hanging(lines=13))) == []
    assert (
        pools(
            hung(
                "a-frame", SQUARE, {"height": 1.2}, Hanging(wet=True, tautness=0.0, lines=9)
            )
        )
        == []
    )


def test_pulling_a_stake_out_tightens_it_and_its_neighbours() -> None:
    found = hung("plow-point", SQUARE, {"height": 1.2}, Hanging(lines=9))
    heads = heads_of((), HungRoom.under(found))
    moves = {m.point: m for m in go_round(found, heads)}
    assert set(moves) == {"R", "A", "B"}
    for moved in moves.values():
        assert moved.after_n > moved.before_n + 5
        assert any(after > before for _, before, after in moved.others)


def test_a_stake_left_slack_is_named_with_how_far_to_move_it() -> None:
    base = hung("plow-point", SQUARE, {"height": 1.2}, Hanging(lines=9))
    nobody = np.zeros((0, 2))
    assert loose_stakes(go_round(base, nobody)) == []
    stakes = {f.tie.name: f.tie for f in base.forces if f.tie.number >= 0}
    inwards = {
        tie.number: tuple(
            (-0.06 * np.array(tie.at[:2]) / np.linalg.norm(tie.at[:2])).tolist()
        )
        for tie in stakes.values()
    }
    slack = hang(base.shelter, base.rig, replace(base.hanging, moved=inwards))
    named = dict(loose_stakes(go_round(slack, nobody)))
    assert named
    assert all(0.005 < out <= 0.1 for out in named.values())


def test_the_tautness_to_aim_for_is_one_that_a_hand_can_pull() -> None:
    found = hung("plow-point", SQUARE, {"height": 1.2}, Hanging(lines=9))
    heads = heads_of((), HungRoom.under(found))
    aim, rows = tautness_to_aim_for(found, heads, 400.0)
    assert aim is not None
    assert 0.0 < aim <= 0.015
    assert all(row.stake_n <= HAND_PULL_N for row in rows if row.tautness <= aim)
    assert [row.stake_n for row in rows] == sorted(row.stake_n for row in rows)


def test_headroom_moves_little_when_the_fabrics_figures_are_off_by_half() -> None:
    found = hung("plow-point", SQUARE, {"height": 1.2}, Hanging(lines=9))
    heads = heads_of((), HungRoom.under(found))
    told = {s.figure: s.moves_m for s in sensitivity(found, heads)}
    assert set(told) == {"stiffness", "shear stiffness", "weight"}
    assert all(0.0 < moves < 0.06 for moves in told.values())
    assert np.isfinite(headroom_m(HungRoom.under(found), heads))


def test_an_unknown_fabric_is_refused_with_the_known_ones() -> None:
    with pytest.raises(InputError, match="coated-nylon"):
        fabric_named("wool")


def test_a_many_cornered_outline_hangs_on_a_mesh_of_bearable_size() -> None:
    """A half circle of 80 corners, as curved edges come: grid lines do not run through every one of
    them.
    """
    turn = np.linspace(0.0, np.pi, 80)
    outline = tuple((float(1.9 + 1.9 * np.cos(a)), float(1.9 * np.sin(a))) for a in turn)
    shelter = fold_sheet(PITCHES["half-cone"], Sheet(outline), {"height": 1.1})
    rig = assess(shelter, UNLIMITED).rig
    assert rig is not None
    found = hang(shelter, rig, Hanging(lines=9))
    assert found.settled
    assert len(found.mesh.uv) < 900
    assert found.mesh.area.sum() == pytest.approx(shelter.sheet.area_m2, rel=1e-6)


@pytest.mark.parametrize(
    "slug",
    [
        "corner-wrap",
        "closed-wedge",
        "awning-wedge",
        "half-cone",
        "boat-night",
        "a-frame-closed",
    ],
)
def test_a_mesh_tiles_the_sheet_and_follows_its_creases(slug: str) -> None:
    rng = np.random.default_rng(7)
    for sheet, settings in cases_that_fold(slug, rng, 2):
        shelter = fold_sheet(PITCHES[slug], sheet, settings)
        mesh = mesh_of(shelter, 11)
        assert mesh.area.sum() == pytest.approx(Polygon(sheet.outline).area, rel=1e-6)
        edges = {
            frozenset(e)
            for t in mesh.triangles.tolist()
            for e in zip(t, (*t[1:], t[0]), strict=True)
        }
        for panel in shelter.panels:
            for a, b in zip(
                panel.points, (*panel.points[1:], panel.points[0]), strict=True
            ):
                start, end = np.array(shelter.sheet_at(a)), np.array(shelter.sheet_at(b))
                along = end - start
                share = ((mesh.uv - start) @ along) / float(along @ along)
                off = np.linalg.norm(mesh.uv - start - share[:, None] * along, axis=1)
                on = np.flatnonzero((off < 1e-5) & (share > -1e-6) & (share < 1 + 1e-6))
                on = on[np.argsort(share[on])]
                assert all(frozenset(pair) in edges for pair in pairwise(on.tolist()))


def test_every_line_of_the_rig_has_its_pull() -> None:
    """A pole with a guy at 45 degrees balances a pull along the ground with root two of it
    (statics).
    """
    shelter = fold_sheet(PITCHES["lean-to"], SQUARE, {"height": 1.2})
    rig = assess(shelter, Supports(trees=())).rig
    assert rig is not None
    found = hang(shelter, rig, Hanging(lines=9))
    pulls = line_pulls(found)
    assert [p.purpose for p in pulls] == [x.purpose for x in rig.lines]
    for pull in pulls:
        force = next(f for f in found.forces if f.tie.name == pull.start)
        if pull.purpose == "pole guy":
            assert 0 < pull.newtons <= np.sqrt(2) * force.newtons + 1e-6
        else:
            assert pull.newtons == pytest.approx(force.newtons, rel=1e-6)


def test_pulling_out_a_point_draws_it_away_from_the_middle_and_lifting_gains_are_told() -> (
    None
):
    plain = hung("plow-point", SQUARE, {"height": 1.2}, Hanging(lines=9))
    edge = (0.75, 0.0)
    drawn = hang(
        plain.shelter,
        plain.rig,
        replace(plain.hanging, lifts=(Lift("edge", edge, 0.0, 0.2),)),
    )
    middle = plain.shelter.xyz[:, :2].mean(axis=0)
    before, after = (float(np.hypot(*(h.at(edge)[:2] - middle))) for h in (plain, drawn))
    assert after > before + 0.01
    assert next(f.newtons for f in drawn.forces if f.tie.name == "edge") > 1.0
    room = HungRoom.under(plain)
    told = gains(plain, heads_of((), room), 0.9, {"middle": (1.5, 1.5), "edge": edge})
    assert told[0].name == "middle"
    assert told[0].way == "up"
    assert told[0].sit_m2 > 0
    again = lifted(plain, "middle", (1.5, 1.5), LIFT_TRIED_M)
    assert told[0].sit_m2 == pytest.approx(
        HungRoom.under(again).above(0.9).area - room.above(0.9).area, abs=1e-9
    )


def test_a_hairline_left_by_rounding_does_not_part_the_ground() -> None:
    """Two halves of a square a ten-thousandth of a millimetre apart are one piece of ground to lie
    on.
    """
    halves = MultiPolygon([box(0.0, 0.0, 1.0, 2.0), box(1.0 + 1e-7, 0.0, 2.0, 2.0)])
    eased = _eased(halves)
    assert eased.geom_type == "Polygon"
    assert eased.area == pytest.approx((2.0 - 2 * EASE_M) ** 2, rel=1e-4)
    assert halves.buffer(1e-6).covers(eased)
    apart = MultiPolygon([box(0.0, 0.0, 1.0, 2.0), box(1.01, 0.0, 2.0, 2.0)])
    assert _eased(apart).geom_type == "MultiPolygon"


@given(
    ways=arrays(np.float64, (3, 4), elements=st.floats(-1, 1)),
    load=arrays(np.float64, 3, elements=st.floats(-100, 100)),
)
def test_the_pulls_at_a_point_are_those_of_a_library(
    ways: np.ndarray, load: np.ndarray
) -> None:
    """Non-negative least squares (Lawson and Hanson, as SciPy has it): as near to the load."""
    sizes = np.linalg.norm(ways, axis=0)
    assume(sizes.min() > 0.1)
    ways = ways / sizes
    found = _least_pulls(ways, load)
    _, theirs = nnls(ways, load)
    assert found.min() >= 0
    assert np.linalg.norm(ways @ found - load) <= theirs + 1e-6 * (1 + np.linalg.norm(load))
