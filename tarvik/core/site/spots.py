"""The best spots of a site for one shelter: every place its supports allow, weighed for the night.

First whatever stops a shelter (a dead tree's reach, a hollow, a trunk in the cloth) is left out;
the rest is weighed by dry ground in the night's wind, openness to it, slope, cautions met, the
distance to the group, and the length of the lines.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import STRtree

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.finding import Level
from tarvik.core.hang.fabric import fabric_named
from tarvik.core.kept import keep_last
from tarvik.core.measure.dry import dry_round
from tarvik.core.measure.heading import front_bearing
from tarvik.core.measure.openings import back_to_wind_deg, open_round, openings
from tarvik.core.measure.roof import roof_of
from tarvik.core.site.hazards import USUAL, GroundRules, Hazard
from tarvik.core.site.pairs import carriers, tree_pairs
from tarvik.core.site.placing import Placed, Spot, wind_in_frame
from tarvik.core.site.relief import Relief
from tarvik.core.site.things import SOLID, Sort
from tarvik.core.units import Units, format_way

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray
    from shapely.geometry.base import BaseGeometry

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.mats import Mat
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.site.things import Ground, Place
    from tarvik.core.weather.rain import Weather

TURN_DEG: Final = constant(
    "spot_turn", 15.0, "degrees", ENGINEERING, "step of the headings tried at a spot"
)
GRID_M: Final = constant(
    "spot_grid",
    1.0,
    "m",
    ENGINEERING,
    "step of the places tried for a shelter that stands free",
)
GAP_M: Final = constant(
    "spot_gap", 0.15, "m", ENGINEERING, "least distance of a ridge's end from its tree"
)
OPEN_COST: Final = constant(
    "spot_open", 1.0, "1", ENGINEERING, "worth lost by a shelter wide open to the wind"
)
WET_COST: Final = constant(
    "spot_wet", 2.0, "1", ENGINEERING, "worth lost where the wind leaves no dry ground"
)
SLOPE_COST: Final = constant(
    "spot_slope", 0.6, "1", ENGINEERING, "worth lost on the steepest ground one can lie on"
)
CAUTION_COST: Final = constant(
    "spot_caution", 0.5, "1", ENGINEERING, "worth lost by each caution met"
)
FAR_COST: Final = constant(
    "spot_far", 0.02, "1/m", ENGINEERING, "worth lost by each metre from the group"
)
LINE_COST: Final = constant(
    "spot_line",
    0.05,
    "1/m",
    ENGINEERING,
    "worth lost by each metre of ridge line beyond the ridge",
)
SNAP_M: Final = constant(
    "spot_snap",
    0.6,
    "m",
    ENGINEERING,
    "how near to a tree a shelter is dragged until it takes it",
)
PAD_GAIN: Final = constant(
    "spot_pad", 0.3, "1", ENGINEERING, "worth gained on ground marked as a level pad"
)
NEAR_M: Final = 40.0
"""Places that stand free are tried so far from where the group is."""
MOST_GRIDS: Final = 32
"""Grids of places kept."""
PUSHED_M: Final = 0.3
"""Room at a ridge's end from which on it is tried nearer to either tree."""
APART_M: Final = constant(
    "spots_apart", 1.5, "m", ENGINEERING, "spots nearer to each other than this are one"
)


@dataclass(frozen=True)
class Ranked:
    """A spot, what it is worth (0 is faultless), why, and the trees that carry the shelter
    there.
    """

    spot: Spot
    worth: float
    reasons: tuple[str, ...]
    trees: tuple[str, ...] = ()


@dataclass(frozen=True)
class Candidates:
    """Places a shelter's supports allow: where its anchor lies, its front, its trees, the line
    beyond the ridge.
    """

    at: Floats  # (N, 2)
    front: Floats  # (N,) degrees
    anchor: Place
    trees: list[tuple[str, ...]]
    line: Floats  # (N,) metres of line beyond the ridge


def best_spots(
    shelter: Shelter,
    rig: Rig | None,
    mats: Sequence[Mat],
    ground: Ground,
    found: Sequence[Hazard],
    weather: Weather,
    rules: GroundRules = USUAL,
    near: Place | None = None,
    most: int = 5,
    longest_line_m: float | None = None,
    wanted: int = 0,
    dry_sleepers: Callable[[float], int] | None = None,
) -> list[Ranked]:
    """The best places, the best first, no two of them within APART_M. `near`: where the group is.
    Empty when there is none.

    `dry_sleepers` tells how many lie dry with the front to a bearing: places where fewer than
    `wanted` do come last.
    """
    back = back_to_wind_deg(openings(shelter))
    fronts = (
        front_bearing(weather.wind_from_deg, back) + np.arange(0.0, 360.0, TURN_DEG)
    ) % 360
    some = candidates(shelter, rig, ground, near, longest_line_m, fronts)
    if not len(some.at):
        return []
    stopped, cautions = _on_hazards(shelter, mats, some, ground, found)
    steep = slopes(ground, some.at)
    stopped |= steep > rules.steep_deg
    kept = np.flatnonzero(~stopped)
    if not kept.size:
        return []
    bearings = (
        back + np.arange(0.0, 360.0, TURN_DEG)
    ) % 360  # the wind square onto the back among them
    open_share = np.array(open_round(shelter, openings(shelter), list(bearings)))
    dry = dry_round(roof_of(shelter), weather, bearings)
    dry_share = dry / max(roof_of(shelter).covered_m2, 1e-9)
    met = (
        np.round((wind_in_frame_all(weather.wind_from_deg, some.front) - back) / TURN_DEG)
        % len(bearings)
    ).astype(int)
    windy = 1.0 if weather.wind_m_s > 0 else 0.0
    far = (
        np.zeros(len(some.at)) if near is None else np.hypot(*(some.at - np.array(near)).T)
    )
    count = np.array([len(c) for c in cautions])
    pads = shapely.union_all([a.shape() for a in ground.sorts(Sort.PAD)])
    on_pad = shapely.contains_xy(pads, some.at[:, 0], some.at[:, 1])
    cost = (
        windy * OPEN_COST * open_share[met]
        + WET_COST * (1 - dry_share[met])
        + SLOPE_COST * (steep / rules.steep_deg) ** 2
        + CAUTION_COST * count
        + FAR_COST * far
        + LINE_COST * some.line
        - PAD_GAIN * on_pad
    )
    out: list[Ranked] = []
    wet: list[Ranked] = []
    for n in kept[np.argsort(cost[kept], kind="stable")]:
        if any(_same(some, n, r) for r in out):
            continue
        front = float(some.front[n]) % 360
        lie = wanted if dry_sleepers is None else dry_sleepers(front)
        reasons = _reasons(
            float(open_share[met[n]]),
            float(dry_share[met[n]]),
            float(steep[n]),
            cautions[n],
            float(far[n]),
            windy > 0,
            near,
            rules.units,
            pad=bool(on_pad[n]),
        )
        spot = Spot((float(some.at[n, 0]), float(some.at[n, 1])), front, some.anchor)
        if lie < wanted:
            if len(wet) < most and not any(_same(some, n, r) for r in wet):
                wet.append(
                    Ranked(
                        spot,
                        -float(cost[n]) - WET_COST * (wanted - lie),
                        (f"only {lie} of {wanted} lie dry", *reasons),
                        some.trees[n],
                    )
                )
            continue
        out.append(Ranked(spot, -float(cost[n]), reasons, some.trees[n]))
        if len(out) == most:
            break
    return out or wet


def _same(some: Candidates, n: int, ranked: Ranked) -> bool:
    """Whether a candidate is, but for a turn or a step, a spot already ranked."""
    near = np.hypot(*(some.at[n] - np.array(ranked.spot.at))) < APART_M
    return bool(near and set(ranked.trees) == set(some.trees[n]))


def wind_in_frame_all(wind_from_deg: float, front_deg: Floats) -> Floats:
    """`wind_in_frame` for many headings."""
    return np.asarray((wind_from_deg - front_deg + wind_in_frame(0, 0)) % 360)


def snapped(
    shelter: Shelter, rig: Rig | None, spot: Spot, ground: Ground, reach_m: float = SNAP_M
) -> tuple[Spot, tuple[str, ...]]:
    """The spot moved onto the trees that are meant: its ridge into the line between two, or its
    tie-out to one, when the supports it is drawn with come within `reach_m` of them. Else the spot
    as it is, and no trees.
    """
    trees = [s for s in rig.supports if s.kind == "tree"] if rig else []
    high = shelter.pitch.high_points()
    drawn = Placed(shelter, spot)
    if len(trees) >= 2 and len(high) >= 2:
        feet = drawn.world(np.array([[*t.at, 0.0] for t in trees[:2]]))[:, :2]
        a, b = shelter.at(high[0])[:2], shelter.at(high[-1])[:2]
        ridge, own = float(np.hypot(*(b - a))), math.degrees(math.atan2(*(b - a)))
        best: tuple[float, Spot, tuple[str, ...]] | None = None
        for pair in tree_pairs(ground, ridge, GAP_M):
            for one, two in ((pair.one, pair.two), (pair.two, pair.one)):
                p, q = np.array(one.at), np.array(two.at)
                way = (q - p) / np.hypot(*(q - p))
                off = [abs(float((f - p) @ np.array([-way[1], way[0]]))) for f in feet]
                if max(off) > reach_m or (feet[1] - feet[0]) @ way <= 0:
                    continue
                middle = (feet[0] + feet[1]) / 2
                least = one.across_m / 2 + GAP_M + ridge / 2
                along = float(
                    np.clip(
                        (middle - p) @ way,
                        least,
                        np.hypot(*(q - p)) - two.across_m / 2 - GAP_M - ridge / 2,
                    )
                )
                if abs(float((middle - p) @ way) - along) > reach_m:
                    continue
                at = p + way * along
                front = (math.degrees(math.atan2(way[0], way[1])) - own + 270.0) % 360
                centre = (a + b) / 2
                if best is None or sum(off) < best[0]:
                    best = (
                        sum(off),
                        Spot(
                            (float(at[0]), float(at[1])),
                            front,
                            (float(centre[0]), float(centre[1])),
                        ),
                        (one.name, two.name),
                    )
        return (spot, ()) if best is None else best[1:]
    if trees:
        foot = drawn.world(np.array([[*trees[0].at, 0.0]]))[0, :2]
        near = min(carriers(ground), key=lambda t: math.dist(t.at, foot), default=None)
        if near is not None and math.dist(near.at, foot) <= reach_m:
            return Spot(near.at, spot.front_deg, trees[0].at), (near.name,)
    return spot, ()


def swing(
    shelter: Shelter, at: Place, anchor: Place, weather: Weather, tree: str
) -> Ranked:
    """For a shelter that turns about one tree: the heading with the most dry ground, least open to
    the wind.
    """
    bearings = np.arange(0.0, 360.0, TURN_DEG)
    open_share = np.array(open_round(shelter, openings(shelter), list(bearings)))
    dry = dry_round(roof_of(shelter), weather, bearings)
    best = int(np.lexsort((np.round(open_share, 3), -np.round(dry, 3)))[0])
    front = (weather.wind_from_deg - bearings[best] + wind_in_frame(0, 0)) % 360
    words = (f"{dry[best]:.1f} m² dry, {open_share[best] * 100:.0f} % open to the wind",)
    return Ranked(Spot(at, float(front), anchor), 0.0, words, (tree,))


def candidates(
    shelter: Shelter,
    rig: Rig | None,
    ground: Ground,
    near: Place | None,
    longest_line_m: float | None,
    fronts: Floats,
) -> Candidates:
    """Every place for a shelter: between two trees, about each single tree with each of the
    `fronts`, or on a grid.
    """
    trees = [s for s in rig.supports if s.kind == "tree"] if rig else []
    high = shelter.pitch.high_points()
    if len(trees) >= 2 and len(high) >= 2:
        return _between_trees(shelter, ground, longest_line_m)
    if trees:
        things = carriers(ground)
        top = shelter.at(trees[0].point)[:2]
        gap = np.array(trees[0].at) - top
        size = float(np.hypot(*gap))
        anchor = (float(trees[0].at[0]), float(trees[0].at[1]))
        # The tie-out hangs as far from the bark as the rig says; thicker trunks push the sheet out
        # by their radius.
        at = np.array([t.at for t in things]).reshape(-1, 2)
        places = np.repeat(at, len(fronts), axis=0)
        turned = np.tile(fronts, len(things))
        extra = np.repeat(
            np.array([max(t.across_m / 2 + GAP_M - size, 0.0) for t in things]), len(fronts)
        )
        way = gap / size if size > 1e-9 else np.array([-1.0, 0.0])
        shift = _turned(np.tile(-way, (len(places), 1)), turned) * extra[:, None]
        return Candidates(
            places + shift,
            turned,
            anchor,
            [(t.name,) for t in things for _ in fronts],
            np.zeros(len(places)),
        )
    middle = shelter.xyz[:, :2].mean(axis=0)
    coarse = fronts[::2]
    places = _free_places(ground.bounds(), near, len(coarse))
    return Candidates(
        places,
        np.tile(coarse, len(places) // len(coarse)),
        (float(middle[0]), float(middle[1])),
        [()] * len(places),
        np.zeros(len(places)),
    )


@keep_last(MOST_GRIDS)
def _free_places(
    bounds: tuple[float, float, float, float], near: Place | None, headings: int
) -> Floats:
    """A grid of places (N, 2) over the ground, or what of it is near, each as often as there are
    headings. The same array each time, so that what is worked out for it can be kept.
    """
    x0, y0, x1, y1 = bounds
    across, along = (
        np.arange(x0, x1 + GRID_M / 2, GRID_M),
        np.arange(y0, y1 + GRID_M / 2, GRID_M),
    )
    xy = np.stack(np.meshgrid(across, along), -1).reshape(-1, 2)
    if near is not None:
        xy = xy[np.hypot(*(xy - np.array(near)).T) <= NEAR_M]
    places = np.repeat(xy, headings, axis=0)
    places.flags.writeable = False
    return places


def _between_trees(
    shelter: Shelter, ground: Ground, longest_line_m: float | None
) -> Candidates:
    """The ridge in the middle between two trees, and pushed to either, the front one way or the
    other.
    """
    high = shelter.pitch.high_points()
    a, b = shelter.at(high[0])[:2], shelter.at(high[-1])[:2]
    ridge = float(np.hypot(*(b - a)))
    own = math.degrees(math.atan2(*(b - a)))  # bearing of the ridge in the shelter's frame
    middle = (a + b) / 2
    pairs = tree_pairs(ground, ridge, GAP_M, longest_line_m)
    if not pairs:
        return Candidates(
            np.zeros((0, 2)),
            np.zeros(0),
            (float(middle[0]), float(middle[1])),
            [],
            np.zeros(0),
        )
    one, two = np.array([p.one.at for p in pairs]), np.array([p.two.at for p in pairs])
    clear = np.array([p.clear_m for p in pairs])
    way = (two - one) / np.hypot(*(two - one).T)[:, None]
    start = one + way * np.array([p.one.across_m / 2 for p in pairs])[:, None]
    slack = (clear - ridge) / 2 - GAP_M
    bearing = np.degrees(np.arctan2(way[:, 0], way[:, 1]))
    push = np.repeat([0.0, 0.0, -1.0, -1.0, 1.0, 1.0], len(pairs))
    turned = np.repeat([0.0, 180.0, 0.0, 180.0, 0.0, 180.0], len(pairs))
    which = np.tile(np.arange(len(pairs)), 6)
    kept = (push == 0) | (slack[which] > PUSHED_M)
    which, push, turned = which[kept], push[kept], turned[kept]
    at = start[which] + way[which] * (clear[which] / 2 + push * slack[which])[:, None]
    names = [(p.one.name, p.two.name) for p in pairs]
    return Candidates(
        at,
        (bearing[which] + turned - own + 270.0) % 360,
        (float(middle[0]), float(middle[1])),
        [names[k] for k in which],
        clear[which] - ridge,
    )


def _axes(front: Floats) -> tuple[Floats, Floats]:
    """The shelter's own x and y (N, 2) on level ground for each heading: to the back, and to the
    left of it.
    """
    turn = np.radians(front)
    back = np.column_stack([-np.sin(turn), -np.cos(turn)])
    return back, np.column_stack([-back[:, 1], back[:, 0]])


def _turned(places: Floats, front: Floats) -> Floats:
    """Directions (N, 2) of the shelter's frame on the ground, each for its own heading."""
    back, left = _axes(front)
    return np.asarray(back * places[:, :1] + left * places[:, 1:])


def _outlines(ring: Floats, some: Candidates) -> NDArray[np.object_]:
    """A polygon (k, 2) of the shelter's frame at every candidate."""
    back, left = _axes(some.front)
    away = ring - np.array(some.anchor)
    world = (
        some.at[:, None, :]
        + away[None, :, :1] * back[:, None, :]
        + away[None, :, 1:] * left[:, None, :]
    )
    return np.asarray(shapely.polygons(world))


def _on_hazards(
    shelter: Shelter,
    mats: Sequence[Mat],
    some: Candidates,
    ground: Ground,
    found: Sequence[Hazard],
) -> tuple[NDArray[np.bool_], list[list[str]]]:
    """Which candidates something stops, and the cautions that each meets."""
    plan = shapely.union_all(
        [shapely.Polygon(f.xyz[:, :2]).buffer(0) for f in shelter.faces()], grid_size=1e-6
    )
    hull = _hull(plan)
    cloth = _outlines(hull, some)
    corners = np.concatenate([m.corners() for m in mats]) if mats else hull
    beds = _outlines(_hull(shapely.MultiPoint(corners)), some)
    stopped = np.zeros(len(cloth), dtype=bool)
    cautions: list[list[str]] = [[] for _ in cloth]
    on_cloth, on_beds = STRtree(cloth), STRtree(beds)
    fabric = fabric_named(shelter.sheet.fabric)
    for hazard in (h.for_cloth(fabric) for h in found):
        tree = on_beds if hazard.beds_only else on_cloth
        hit = tree.query(hazard.shape, predicate="intersects")
        if hazard.finding.level is Level.STOPS:
            stopped[hit] = True
        else:
            for n in hit:
                cautions[n].append(hazard.finding.message)
    for thing in ground.of(*SOLID):
        disc = shapely.Point(thing.at).buffer(
            max(thing.across_m / 2 - 0.01, 0.01), quad_segs=4
        )
        for n in on_cloth.query(disc, predicate="intersects"):
            if thing.name not in some.trees[n]:
                stopped[n] = True
    return stopped, cautions


def _hull(shape: BaseGeometry) -> Floats:
    """Corners (k, 2) of the convex hull."""
    return np.asarray(shapely.get_coordinates(shape.convex_hull))[:-1]


def slopes(ground: Ground, at: Floats) -> Floats:
    """Slope in degrees of the ground about each place."""
    relief = Relief.of(ground.heights)
    if relief is None:
        return np.zeros(len(at))
    step = 1.0
    rise = [
        relief.height_at(at + d) - relief.height_at(at - d)
        for d in (np.array([step, 0.0]), np.array([0.0, step]))
    ]
    return np.asarray(np.degrees(np.arctan(np.hypot(rise[0], rise[1]) / (2 * step))))


def _reasons(
    open_share: float,
    dry_share: float,
    steep: float,
    cautions: list[str],
    far: float,
    windy: bool,
    near: Place | None,
    units: Units,
    *,
    pad: bool = False,
) -> tuple[str, ...]:
    out = []
    if windy:
        out.append(
            "back to the wind"
            if open_share < 0.05
            else f"{open_share * 100:.0f} % open to the wind"
        )
        out.append(f"{dry_share * 100:.0f} % of the covered ground stays dry")
    if pad:
        out.append("on a level pad")
    out.append("level" if steep < 1.5 else f"slopes by {steep:.0f}°")
    if near is not None:
        out.append(f"{format_way(round(far), units)} from the group")
    return (*out, *(f"caution: {c}" for c in dict.fromkeys(cautions)))
