"""Relief, water, hazards, tree pairs, placing and best spots, against independent Shapely and plain
loops.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import LinearNDInterpolator
from shapely import LineString, Point, Polygon, affinity, union_all

from tarvik.core.errors import FoldError, InputError
from tarvik.core.finding import Level
from tarvik.core.hang.fabric import DEFAULT_FABRIC, fabric_named
from tarvik.core.measure.figures import measure
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.core.site.hazards import FALL_ZONE, GroundRules, hazards, met, too_steep
from tarvik.core.site.pairs import tree_pairs
from tarvik.core.site.placing import Placed, Spot, conflicts, place, wind_in_frame
from tarvik.core.site.relief import Relief, slope_of, water
from tarvik.core.site.spots import best_spots, snapped, swing
from tarvik.core.site.things import Area, Ground, Health, Kind, Sort, SpotHeight, Thing
from tarvik.core.solve import ADULT
from tarvik.core.weather.rain import Weather

SHEET = Sheet.rectangle(3.0, 3.0)


def tilted(gx: float, gy: float, half: float = 10.0) -> tuple[SpotHeight, ...]:
    """Spot heights of a plane."""
    places = [(x, y) for x in (-half, 0.0, half) for y in (-half, 0.0, half)]
    return tuple(SpotHeight(p, 100 + gx * p[0] + gy * p[1]) for p in places)


def wood(rng: np.random.Generator, count: int, size: float = 40.0) -> Ground:
    places = rng.uniform(0, size, (count, 2))
    return Ground(
        tuple(
            Thing(f"t{i}", Kind.TREE, (float(x), float(y)), float(rng.uniform(0.03, 0.5)))
            for i, (x, y) in enumerate(places)
        )
    )


@given(
    gx=st.floats(-0.3, 0.3),
    gy=st.floats(-0.3, 0.3),
    x=st.floats(-30, 30),
    y=st.floats(-30, 30),
)
def test_a_plane_is_a_plane_inside_the_spots_and_beyond(
    gx: float, gy: float, x: float, y: float
) -> None:
    relief = Relief.of(tilted(gx, gy))
    assert relief is not None
    assert relief.height_at(np.array([[x, y]]))[0] == pytest.approx(
        100 + gx * x + gy * y, abs=1e-6
    )
    steep, falls = relief.slope_at((x, y))
    assert steep == pytest.approx(math.degrees(math.atan(math.hypot(gx, gy))), abs=1e-6)
    if steep > 0.1:
        way = np.array([math.sin(math.radians(falls)), math.cos(math.radians(falls))])
        assert way @ np.array([gx, gy]) == pytest.approx(-math.hypot(gx, gy), abs=1e-6)


def test_heights_in_a_line_tell_no_surface() -> None:
    assert Relief.of([SpotHeight((float(i), 2.0 * i), 1.0) for i in range(5)]) is None
    assert slope_of((0.1, 0.0)) == pytest.approx((5.7106, 270.0), abs=1e-3)


def test_water_gathers_in_a_bowl_and_runs_over() -> None:
    """A bowl 0.4 m deep: what a night's rain brings stands at its bottom; volume and depth agree
    with the bowl's own shape.
    """
    spots = tuple(
        SpotHeight((float(x), float(y)), 0.025 * (x * x + y * y) / 4)
        for x in range(-12, 13)
        for y in range(-12, 13)
        if x * x + y * y <= 150
    )
    rim = tuple(
        SpotHeight((14 * math.sin(a), 14 * math.cos(a)), 0.025 * 144 / 4 - 0.3)
        for a in np.arange(0, 2 * math.pi, 0.2)
    )
    relief = Relief.of(spots + rim)
    assert relief is not None
    flow = water(relief, (-14, -14, 14, 14), 0.5)
    little, much = flow.puddles(5.0), flow.puddles(60.0)
    assert len(little) == len(much) == 1
    assert little[0].litres < much[0].litres
    assert little[0].deepest_m < much[0].deepest_m
    x, y = np.mean(little[0].cells, axis=0)
    assert math.hypot(x, y) < 0.5
    held = sum(
        max(
            little[0].deepest_m
            + float(flow.height_m.min())
            - float(relief.height_at(np.array([p]))[0]),
            0,
        )
        for p in little[0].cells
    )
    assert held * flow.cell_m**2 * 1000 == pytest.approx(little[0].litres, rel=0.02)


def test_all_the_rain_leaves_over_the_rim() -> None:
    """What drains off the edge of the model is its whole area, on any ground (conservation)."""
    rng = np.random.default_rng(3)
    relief = Relief.of(
        [
            SpotHeight((float(x), float(y)), float(h))
            for x, y, h in rng.uniform(0, 20, (60, 3)) * [1, 1, 0.05]
        ]
    )
    assert relief is not None
    flow = water(relief, (0, 0, 20, 20), 1.0)
    rows, columns = flow.height_m.shape
    edge = np.ones((rows, columns), dtype=bool)
    edge[1:-1, 1:-1] = False
    # Rim cells may drain into rim cells: those that hand on nothing are the outlets.
    assert flow.catchment_m2[edge].max() <= rows * columns * flow.cell_m**2 + 1e-9
    assert flow.catchment_m2.min() >= flow.cell_m**2 - 1e-9


def test_a_plane_sheds_its_water_without_a_puddle() -> None:
    relief = Relief.of(tilted(0.1, 0.03))
    assert relief is not None
    assert water(relief, (-10, -10, 10, 10)).puddles(50.0) == []


def test_dead_trees_fall_one_and_a_half_heights() -> None:
    """Common practice; changeable by the course."""
    ground = Ground(
        (
            Thing("d", Kind.TREE, (0, 0), 0.3, 12.0, Health.DEAD),
            Thing("s", Kind.TREE, (5, 5), 0.3, 12.0),
        )
    )
    (hazard,) = hazards(ground)
    assert hazard.finding.level is Level.STOPS
    assert math.sqrt(hazard.shape.area / math.pi) == pytest.approx(FALL_ZONE * 12, rel=0.01)
    (nearer,) = hazards(ground, GroundRules(fall_zone=1.0))
    assert math.sqrt(nearer.shape.area / math.pi) == pytest.approx(12, rel=0.01)
    assert met([hazard], Point(17.5, 0), Point(17.5, 0), DEFAULT_FABRIC)
    assert not met([hazard], Point(18.5, 0), Point(18.5, 0), DEFAULT_FABRIC)


@pytest.mark.parametrize(
    ("slug", "away"), [("canvas", 0.9), ("oilcloth", 3.0), ("polythene", 3.0)]
)
def test_a_fire_is_kept_as_far_off_as_the_cloth_asks(slug: str, away: float) -> None:
    """Common practice: canvas one long step, synthetics, film and oilcloth three metres."""
    ground = Ground((Thing("f", Kind.FIRE, (0, 0)),))
    fabric = fabric_named(slug)
    assert fabric.fire_m == away
    for far, wanted in ((away - 0.1, True), (away + 0.1, False)):
        bed = Point(far, 0)
        codes = {f.code for f in met(hazards(ground), bed, bed, fabric)}
        assert ("fire_ring" in codes) is wanted


def test_smoke_drifts_down_the_wind() -> None:
    ground = Ground((Thing("f", Kind.FIRE, (0, 0)),))
    codes = {h.finding.code: h.shape for h in hazards(ground, wind_from_deg=270)}
    assert codes["smoke"].contains(Point(5, 0))
    assert not codes["smoke"].contains(Point(-5, 0))
    assert codes["fire_ring"].contains(Point(-2.5, 0))
    assert "smoke" not in {h.finding.code for h in hazards(ground)}


def test_distances_from_water_and_path_are_the_courses() -> None:
    ground = Ground(
        areas=(
            Area("beck", Sort.WATER, ((0, 0), (50, 0)), 2.0),
            Area("track", Sort.PATH, ((0, 60), (50, 60)), 1.0),
        )
    )
    found = {h.finding.code: h for h in hazards(ground, GroundRules(water_m=10, path_m=2))}
    assert found["near_water"].shape.contains(Point(25, 10.9))
    assert not found["near_water"].shape.contains(Point(25, 11.2))
    assert found["in_water"].finding.level is Level.STOPS
    assert found["near_path"].shape.contains(Point(25, 57.6))
    assert not found["near_path"].shape.contains(Point(25, 57.4))


def test_steep_ground_is_told() -> None:
    assert too_steep(2.0) is None
    assert (finding := too_steep(12.0)) is not None
    assert finding.level is Level.STOPS
    with pytest.raises(InputError):
        GroundRules(water_m=-1)


@settings(max_examples=25)
@given(seed=st.integers(0, 10**6), ridge=st.floats(2.0, 4.0))
def test_tree_pairs_against_plain_loops(seed: int, ridge: float) -> None:
    ground = wood(np.random.default_rng(seed), 25, 20.0)
    expected = set()
    thick = [t for t in ground.things if t.across_m >= 0.065]
    for n, a in enumerate(thick):
        for b in thick[n + 1 :]:
            clear = math.dist(a.at, b.at) - (a.across_m + b.across_m) / 2
            course = LineString([a.at, b.at])
            blocked = any(
                course.distance(Point(t.at)) - t.across_m / 2 < 0.3
                for t in ground.things
                if t not in (a, b) and 0 < course.project(Point(t.at)) < course.length
            )
            if ridge + 0.3 <= clear <= ridge + 8.0 and not blocked:
                expected.add(frozenset((a.name, b.name)))
    found = tree_pairs(ground, ridge, 0.15)
    assert {frozenset((p.one.name, p.two.name)) for p in found} == expected
    assert all(a.clear_m <= b.clear_m for a, b in pairwise(found))
    short = tree_pairs(ground, ridge, 0.15, longest_line_m=ridge + 3)
    assert all(p.line_m <= ridge + 3 for p in short)
    assert {frozenset((p.one.name, p.two.name)) for p in short} <= expected


SLUGS = (
    "a-frame",
    "plow-point",
    "lean-to",
    "diagonal-fly",
    "plow-point-lifted",
    "closed-wedge",
)


@settings(max_examples=60, deadline=None)
@given(
    slug=st.sampled_from(SLUGS),
    gx=st.floats(-0.2, 0.2),
    gy=st.floats(-0.2, 0.2),
    front=st.floats(0, 360),
    x=st.floats(-5, 5),
    y=st.floats(-5, 5),
)
def test_on_a_slope_all_lengths_are_kept_and_the_ground_is_met(
    slug: str, gx: float, gy: float, front: float, x: float, y: float
) -> None:
    """No edge of any panel changes by 0.1 mm, no point lies below the ground, those staked lie on
    it, and a pole measured straight up is as long as was asked.
    """
    pitch = PITCHES[slug]
    settings_ = {s.name: s.default for s in pitch.settings}
    ground = Ground(heights=tilted(gx, gy, 20.0))
    try:
        placed = place(
            pitch, SHEET, settings_, Spot((x, y), front), Relief.of(ground.heights)
        )
    except FoldError:
        return
    shelter = placed.shelter
    for panel in shelter.panels:
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
            if frozenset((a, b)) in shelter.pattern.give:
                continue
            i, j = shelter.pattern.index(a), shelter.pattern.index(b)
            flat = math.dist(shelter.uv[i], shelter.uv[j])
            assert math.dist(placed.xyz[i], placed.xyz[j]) == pytest.approx(flat, abs=1e-4)
    above = placed.xyz[:, 2] - (100 + placed.xyz[:, :2] @ np.array([gx, gy]))
    assert above.min() > -1e-6
    assert np.allclose(above[np.abs(shelter.xyz[:, 2]) < 1e-9], 0, atol=1e-6)
    if slug == "a-frame":
        peak = placed.xyz[shelter.pattern.index(pitch.high_points()[0])]
        assert peak[2] - (100 + peak[:2] @ np.array([gx, gy])) == pytest.approx(
            settings_["height"], abs=1e-6
        )


@given(front=st.floats(0, 360), wind=st.floats(0, 360))
def test_a_turned_shelter_looks_where_it_is_told(front: float, wind: float) -> None:
    """The front faces -x in its own frame; the wind in that frame and on the ground is one wind."""
    shelter = fold_sheet(PITCHES["plow-point"], SHEET, {"height": 1.3})
    placed = Placed(shelter, Spot((3.0, 4.0), front))
    ahead = placed.world(np.array([[-1.0, 0.0]]))[0, :2] - np.array([3.0, 4.0])
    assert ahead == pytest.approx(
        [math.sin(math.radians(front)), math.cos(math.radians(front))], abs=1e-9
    )
    own = math.radians(wind_in_frame(wind, front))
    there = placed.world(np.array([[math.sin(own), math.cos(own)]]))[0, :2] - np.array(
        [3.0, 4.0]
    )
    assert there == pytest.approx(
        [math.sin(math.radians(wind)), math.cos(math.radians(wind))], abs=1e-9
    )


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10**6), slug=st.sampled_from(SLUGS), front=st.floats(0, 360))
def test_footprints_and_conflicts_against_shapely(
    seed: int, slug: str, front: float
) -> None:
    """The drawing turned by Shapely's own rotation instead of ours: same cloth, same trunks in it,
    under mats, at stakes.
    """
    rng = np.random.default_rng(seed)
    ground = wood(rng, 12, 12.0)
    pitch = PITCHES[slug]
    shelter = fold_sheet(pitch, SHEET, {s.name: s.default for s in pitch.settings})
    figures = measure(shelter, ADULT)
    rig = assess(shelter, UNLIMITED).rig
    spot = Spot((6.0, 6.0), front)
    placed = Placed(shelter, spot, rig, figures.mats)
    cloth = union_all(
        [Polygon(f.xyz[:, :2]).buffer(0) for f in shelter.faces()], grid_size=1e-6
    )

    def moved(shape: Polygon) -> Polygon:
        turned = affinity.rotate(
            shape, 270 - front, origin=(0, 0)
        )  # bearings run clockwise, Shapely's angles the other way
        return affinity.translate(turned, 6.0, 6.0)

    there = moved(cloth)
    assert placed.cloth.symmetric_difference(there).area < 1e-4
    found = conflicts(placed, ground, [])
    for thing in ground.things:
        trunk = Point(thing.at).buffer(max(thing.across_m / 2, 0.01), quad_segs=8)
        codes = {f.code for f in found if f.element == thing.name}
        under = any(
            moved(Polygon(m.corners())).intersection(trunk).area > 1e-4
            for m in figures.mats
        )
        if under:
            assert "under_mat" in codes
        elif there.intersection(trunk).area > 1e-4:
            assert codes & {"in_cloth", "under_mat"}
        if there.distance(trunk) > 1e-6:
            assert not codes & {"in_cloth", "under_mat"}
        gaps = [moved(Point(s.at)).distance(trunk) for s in (rig.stakes if rig else ())]
        if min(gaps, default=1.0) < 0.049:
            assert "stake_on_trunk" in codes
        if min(gaps, default=1.0) > 0.051:
            assert "stake_on_trunk" not in codes


def shelter_and_rig(slug: str, trees: int) -> tuple:  # type: ignore[type-arg]
    pitch = PITCHES[slug]
    shelter = fold_sheet(pitch, SHEET, {s.name: s.default for s in pitch.settings})
    return shelter, assess(shelter, UNLIMITED).rig, measure(shelter, ADULT).mats


def test_best_spots_of_a_ridge_hang_between_their_trees() -> None:
    """Clear of trunks and hazards; the ridge's ends lie on the line between the two trees."""
    rng = np.random.default_rng(8)
    ground = wood(rng, 60)
    dead = Thing("dead", Kind.TREE, (10.0, 10.0), 0.3, 8.0, Health.DEAD)
    ground = Ground((*ground.things, dead))
    shelter, rig, mats = shelter_and_rig("a-frame", 2)
    found = hazards(ground)
    ranked = best_spots(shelter, rig, mats, ground, found, Weather(4, 6, 225))
    assert ranked
    assert [r.worth for r in ranked] == sorted((r.worth for r in ranked), reverse=True)
    by_name = {t.name: t for t in ground.things}
    for spot in ranked:
        placed = Placed(shelter, spot.spot, rig, mats)
        one, two = (by_name[n] for n in spot.trees)
        course = LineString([one.at, two.at])
        for point in shelter.pitch.high_points():
            x, y, _ = placed.xyz[shelter.pattern.index(point)]
            assert course.distance(Point(x, y)) < 1e-6
        assert math.dist(placed.cloth.centroid.coords[0], dead.at) > 12
        stops = [
            f
            for f in conflicts(placed, ground, found, own=frozenset(spot.trees))
            if f.level is Level.STOPS
        ]
        assert not [f for f in stops if f.code != "in_cloth"], stops


def test_a_one_tree_pitch_turns_its_back_to_the_wind() -> None:
    """Common practice: alone by one tree, the plow point's front looks away from the wind."""
    ground = Ground((Thing("oak", Kind.TREE, (0.0, 0.0), 0.4, 12.0),))
    shelter, rig, mats = shelter_and_rig("plow-point", 1)
    (best, *_) = best_spots(shelter, rig, mats, ground, [], Weather(4, 8, 225))
    assert best.trees == ("oak",)
    assert abs((best.spot.front_deg - 45 + 180) % 360 - 180) <= 45
    (exact, *_) = best_spots(shelter, rig, mats, ground, [], Weather(4, 8, 232.4))
    assert wind_in_frame(232.4, exact.spot.front_deg) == pytest.approx(
        90.0
    )  # square onto the back, not to the next 15 degrees
    turned = swing(shelter, (0.0, 0.0), best.spot.anchor, Weather(4, 8, 315), "oak")
    assert abs((turned.spot.front_deg - 135 + 180) % 360 - 180) <= 45


def test_a_free_shelter_avoids_the_hollow() -> None:
    ground = Ground(
        areas=(
            Area("dip", Sort.HOLLOW, ((-20, -20), (2, -20), (2, 20), (-20, 20))),
            Area("pad", Sort.PAD, ((2, -20), (20, -20), (20, 20), (2, 20))),
        )
    )
    pitch = PITCHES["half-cone"]
    shelter = fold_sheet(pitch, SHEET, {s.name: s.default for s in pitch.settings})
    for spot in best_spots(shelter, None, (), ground, hazards(ground), Weather(4, 5, 0)):
        assert Placed(shelter, spot.spot).cloth.bounds[0] > 2.0


@pytest.mark.parametrize(
    "make",
    [
        lambda: Thing("a", Kind.TREE, (math.nan, 0)),
        lambda: Thing("a", Kind.TREE, (0, 0), -1.0),
        lambda: Area("a", Sort.PAD, ((0, 0),)),
        lambda: Thing("a", Kind.TREE, (0, 0), 0.2, 1000.0),
        lambda: SpotHeight((0, 0), math.inf),
    ],
)
def test_hostile_ground_is_refused(make: object) -> None:
    with pytest.raises(InputError):
        make()  # type: ignore[operator]


def test_a_shelter_dragged_near_its_trees_takes_them() -> None:
    """A ridge dropped half a metre off, a few degrees askew, hangs in the line between the two
    trees; far off it stays.
    """
    ground = Ground(
        (Thing("one", Kind.TREE, (0.0, 0.0), 0.3), Thing("two", Kind.TREE, (4.6, 0.0), 0.2))
    )
    shelter, rig, _ = shelter_and_rig("a-frame", 2)
    (best, *_) = best_spots(shelter, rig, (), ground, [], Weather())
    for turn, dx, dy in ((4.0, 0.2, 0.3), (-5.0, -0.1, -0.25), (0.0, 0.0, 0.0)):
        off = Spot(
            (best.spot.at[0] + dx, best.spot.at[1] + dy),
            best.spot.front_deg + turn,
            best.spot.anchor,
        )
        spot, trees = snapped(shelter, rig, off, ground)
        assert set(trees) == {"one", "two"}
        placed = Placed(shelter, spot)
        for point in shelter.pitch.high_points():
            x, y, _ = placed.xyz[shelter.pattern.index(point)]
            assert abs(y) < 1e-9
            assert 0.15 + 0.15 - 1e-9 <= x <= 4.6 - 0.1 - 0.15 + 1e-9
    away = Spot((20.0, 20.0), 0.0, best.spot.anchor)
    assert snapped(shelter, rig, away, ground) == (away, ())


def test_a_corner_dragged_near_a_tree_takes_it() -> None:
    ground = Ground(
        (
            Thing("oak", Kind.TREE, (3.0, 3.0), 0.4),
            Thing("dead", Kind.TREE, (9.0, 9.0), 0.4, 8, Health.DEAD),
        )
    )
    shelter, rig, _ = shelter_and_rig("plow-point", 1)
    tie = next(s.at for s in rig.supports if s.kind == "tree")
    spot, trees = snapped(shelter, rig, Spot((3.3, 2.8), 120.0, tie), ground)
    assert (spot.at, trees, spot.front_deg) == ((3.0, 3.0), ("oak",), 120.0)
    assert (
        snapped(shelter, rig, Spot((9.1, 9.0), 120.0, tie), ground)[1] == ()
    )  # nothing is tied to a dead tree


def test_level_pads_are_taken_first() -> None:
    pads = (
        Area("west", Sort.NO_GO, ((-9, -9), (-1, -9), (-1, 9), (-9, 9))),
        Area("east", Sort.PAD, ((4, -9), (9, -9), (9, 9), (4, 9))),
    )
    shelter = fold_sheet(
        PITCHES["half-cone"],
        SHEET,
        {s.name: s.default for s in PITCHES["half-cone"].settings},
    )
    (best, *_) = best_spots(
        shelter, None, (), Ground(areas=pads), hazards(Ground(areas=pads)), Weather()
    )
    assert 4 <= best.spot.at[0] <= 9
    assert "on a level pad" in best.reasons


def test_a_tie_out_of_reach_is_told() -> None:
    """Common practice: nobody climbs to tie a line."""
    pitch = PITCHES["lean-to"]
    high = fold_sheet(pitch, Sheet.rectangle(4.0, 4.0), {"height": 2.4})
    placed = Placed(high, Spot((0, 0), 0.0), assess(high, UNLIMITED).rig)
    assert "high_tie" in {f.code for f in conflicts(placed, Ground(), [])}
    low = fold_sheet(pitch, SHEET, {"height": 1.2})
    assert "high_tie" not in {
        f.code
        for f in conflicts(
            Placed(low, Spot((0, 0), 0.0), assess(low, UNLIMITED).rig), Ground(), []
        )
    }


def test_heights_between_spots_are_those_of_a_library() -> None:
    """Linear between the spots (SciPy's interpolator over the same triangles), the best plane
    beyond.
    """
    dice = np.random.default_rng(3)
    spots = np.column_stack([dice.uniform(0, 40, (30, 2)), dice.uniform(0, 5, 30)])
    relief = Relief.of([SpotHeight((float(x), float(y)), float(z)) for x, y, z in spots])
    assert relief is not None
    places = dice.uniform(-10, 50, (400, 2))
    theirs = LinearNDInterpolator(spots[:, :2], spots[:, 2])(places)
    plane = relief.plane[0] + places @ relief.plane[1:]
    assert relief.height_at(places) == pytest.approx(
        np.where(np.isnan(theirs), plane, theirs)
    )
