"""Where on the ground a form may stand: tree pairs, single trees with headings, free ground, kept
clear of hazards, trunks, paths and water, ranked for the night and the heart of the camp.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
import shapely
from shapely import STRtree

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import FoldError
from tarvik.core.finding import Level
from tarvik.core.hang.fabric import FABRICS
from tarvik.core.measure.heading import front_bearing
from tarvik.core.rig.lines import through_line_m, tree_line_m
from tarvik.core.site.hazards import USUAL, GroundRules, Hazard
from tarvik.core.site.placing import STAKE_CLEAR_M, Placed, Spot, place, wind_in_frame
from tarvik.core.site.relief import Relief
from tarvik.core.site.spots import (
    FAR_COST,
    LINE_COST,
    OPEN_COST,
    PAD_GAIN,
    SLOPE_COST,
    Candidates,
    candidates,
    slopes,
    wind_in_frame_all,
)
from tarvik.core.site.things import SOLID, Ground, Kind, Sort, Thing

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray
    from shapely.geometry.base import BaseGeometry

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.fabric import Fabric
    from tarvik.core.plan.forms import Carrying, Form
    from tarvik.core.rig.carried import Rig
    from tarvik.core.site.things import Place

TURNS_WINDY: Final = (0.0, -15.0, 15.0, -30.0, 30.0)
TURNS_CALM: Final = (0.0, 45.0, 90.0, 135.0, 180.0, 225.0, 270.0, 315.0)
"""Headings tried off the one with the back to the wind, degrees; between trees the trees decide."""
APART_M: Final = constant(
    "plan_spots_apart",
    3.0,
    "m",
    ENGINEERING,
    "spots of a form nearer to each other are one",
)
SHELTER_M2: Final = constant(
    "shelter_ground",
    45.0,
    "m2",
    ENGINEERING,
    "ground of one shelter with its lines and gaps",
)
WATER_SHARE: Final = constant(
    "way_to_water",
    0.25,
    "1",
    ENGINEERING,
    "ways from a shelter to water for each way to the heart of the camp",
)
GOLDEN_RAD: Final = math.pi * (3 - math.sqrt(5))
PARTS_MOST: Final = 8
FLAT_M: Final = 0.01
LEEWAY_M: Final = 0.1
"""The quick look takes the cloth so much smaller: on a slope it lies a little otherwise."""
SHARE_STEP: Final = 1e-4
"""Step of the slope's cosine: a tenth of a millimetre in a metre of height, so that like slopes
share a fold.
"""
TRIED: Final = 5
"""Ranked places looked at closely for each one wanted."""
LOOKS: Final = 20
"""Most places folded and looked at exactly for each one wanted, at a time."""


class Cautions(NamedTuple):
    """Hazards that only warn, their shapes, and which of them matter to beds only."""

    hazards: list[Hazard]
    shapes: NDArray[np.object_]
    beds_only: NDArray[np.bool_]


class Lay(NamedTuple):
    """How places lie: slope in degrees, which are on a level pad, and where nothing
    stands.
    """

    slope_deg: Floats
    level: NDArray[np.bool_]
    barred: NDArray[np.bool_]


@dataclass(frozen=True)
class Camp:
    """The ground of a night: what stops a shelter, what cautions it meets, its heart (the fire,
    else the best pad).
    """

    ground: Ground
    hazards: Sequence[Hazard]
    rules: GroundRules = USUAL
    wind_from_deg: float | None = None
    uphill_deg: float | None = None
    longest_line_m: float | None = None
    middle: Place | None = None

    @cached_property
    def heart(self) -> Place:
        """Middle of the camp, or of a block's part of it."""
        if self.middle is not None:
            return self.middle
        fires = self.ground.of(Kind.FIRE)
        if fires:
            return fires[0].at
        pads = self.ground.sorts(Sort.PAD)
        if pads:
            x, y = max((a.shape() for a in pads), key=lambda s: s.area).centroid.coords[0]
            return float(x), float(y)
        x0, y0, x1, y1 = self.ground.bounds()
        return (x0 + x1) / 2, (y0 + y1) / 2

    def for_cloth(self, fabric: Fabric) -> Camp:
        """The same ground for a sheet of that cloth."""
        if not fabric.spark_proof or all(h.spark_proof is None for h in self.hazards):
            return self
        return self._spark_proof

    @cached_property
    def _spark_proof(self) -> Camp:
        canvas = next(f for f in FABRICS.values() if f.spark_proof)
        return replace(self, hazards=[h.for_cloth(canvas) for h in self.hazards])

    @cached_property
    def solids(self) -> tuple[list[Thing], STRtree]:
        """Trunks, rocks and the like, with a tree to find them by place."""
        things = self.ground.of(*SOLID)
        discs = [
            shapely.Point(t.at).buffer(
                max(t.across_m / 2, 0.01) + STAKE_CLEAR_M - 1e-3, quad_segs=4
            )
            for t in things
        ]
        return things, STRtree(discs)

    def _joined(self, *, beds_only: bool, level: Level) -> BaseGeometry:
        some = [
            h.shape
            for h in self.hazards
            if h.beds_only == beds_only and h.finding.level is level
        ]
        joined = shapely.union_all(some)
        shapely.prepare(joined)
        return joined

    @cached_property
    def stops(self) -> BaseGeometry:
        """Ground where no cloth, line or stake goes."""
        return self._joined(beds_only=False, level=Level.STOPS)

    @cached_property
    def no_beds(self) -> BaseGeometry:
        """Ground where nobody lies."""
        return self._joined(beds_only=True, level=Level.STOPS)

    @cached_property
    def cautions(self) -> Cautions:
        """Hazards that only warn, their shapes, and which of them matter to beds only."""
        some = [h for h in self.hazards if h.finding.level is Level.CAUTION]
        shapes = np.array([h.shape for h in some], dtype=object)
        shapely.prepare(shapes)
        return Cautions(some, shapes, np.array([h.beds_only for h in some], dtype=np.bool_))

    def met(self, cloth: BaseGeometry, taken: BaseGeometry) -> tuple[str, ...]:
        """Codes of the cautions that a shelter meets."""
        some, shapes, beds_only = self.cautions
        hit = np.where(
            beds_only, shapely.intersects(shapes, cloth), shapely.intersects(shapes, taken)
        )
        return tuple(dict.fromkeys(some[n].finding.code for n in np.flatnonzero(hit)))

    @cached_property
    def relief(self) -> Relief | None:
        """The lie of the land; None where it is taken for level."""
        return Relief.of(self.ground.heights)

    @cached_property
    def blinds(self) -> BaseGeometry:
        """Ground through which nobody sees."""
        thickets = shapely.union_all([a.shape() for a in self.ground.sorts(Sort.THICKET)])
        shapely.prepare(thickets)
        return thickets

    @cached_property
    def pads(self) -> BaseGeometry:
        """Level ground."""
        pads = shapely.union_all([a.shape() for a in self.ground.sorts(Sort.PAD)])
        shapely.prepare(pads)
        return pads

    @cached_property
    def water(self) -> BaseGeometry:
        """Where water is fetched; empty where none is mapped."""
        water = shapely.union_all([a.shape() for a in self.ground.sorts(Sort.WATER)])
        shapely.prepare(water)
        return water

    def way_m(self, at: Place) -> float:
        """Metres of way from a shelter: to the heart of the camp, and a share of what it is farther
        from water than that.
        """
        farther = 0.0
        if not self.water.is_empty:
            here, heart = shapely.distance(self.water, shapely.points([at, self.heart]))
            farther = max(float(here - heart), 0.0)
        return math.dist(at, self.heart) + WATER_SHARE * farther

    @cached_property
    def _lying(self) -> dict[bytes, Lay]:
        return {}

    def lying(self, at: Floats) -> Lay:
        """Slope in degrees of places (N, 2), which of them are on a level pad, and which on ground
        where nothing stands. The same places are asked about for many forms, and each of them
        with several headings: they are worked out once.
        """
        key = at.tobytes()
        if key not in self._lying:
            places, back = np.unique(at, axis=0, return_inverse=True)
            x, y = places.T
            pad, stopped = (
                shapely.contains_xy(self.pads, x, y),
                shapely.contains_xy(self.stops, x, y),
            )
            self._lying[key] = Lay(
                slopes(self.ground, places)[back], pad[back], stopped[back]
            )
        return self._lying[key]


@dataclass(frozen=True)
class Stand:
    """A form carried in one way at a spot: the shelter there, its ground, the cord its trees make
    it take, the trees, and the cautions met.
    """

    placed: Placed
    taken: BaseGeometry
    cords: tuple[float, ...]
    trees: tuple[str, ...]
    cautions: tuple[str, ...]
    from_deg: float
    uphill_deg: float | None


def parts(camp: Camp, sheets: int) -> list[Place]:
    """Places spread over the ground that a camp of so many sheets takes, about its heart (a
    sunflower's spiral): each sheet looks for spots near one of them too, so that not all want the
    same few.
    """
    count = min(sheets, PARTS_MOST)
    radius = math.sqrt(sheets * SHELTER_M2 / math.pi)
    x, y = camp.heart
    out = []
    for k in range(count):
        r, turn = radius * math.sqrt((k + 0.5) / count), k * GOLDEN_RAD
        out.append((x + r * math.cos(turn), y + r * math.sin(turn)))
    return out


class Places:
    """Where a form carried in one way may stand. It is asked about several middles: what was tried
    is kept.
    """

    def __init__(self, form: Form, way: Carrying, camp: Camp) -> None:
        self.form, self.way, self.camp = form, way, camp
        self._near: dict[tuple[Place, int], list[Stand]] = {}
        self._tried: dict[tuple[Spot, tuple[str, ...]], Stand | None] = {}
        self._by_trees: Candidates | None = None

    def near(self, about: Place, most: int) -> list[Stand]:
        """At most `most` places near `about`, the best first, no two nearer to each other than
        APART_M.

        A quick look at the flat cloth and stakes passes over most of what cannot be; each place
        kept is folded on its slope and looked at exactly.
        """
        if (about, most) not in self._near:
            self._near[about, most] = self._found(about, most) if most else []
        return self._near[about, most]

    def _found(self, about: Place, most: int) -> list[Stand]:
        some = self._by_trees or _candidates(self.form, self.way, self.camp, about)
        if (
            self.way.trees
        ):  # between trees and about one they are the same wherever the middle is
            self._by_trees = some
        if not len(some.at):
            return []
        cost, standing = _cost(self.form, some, self.camp, about)
        first, last = 0, TRIED * most * 4
        while first < len(standing):  # farther out only where nothing near may stand
            if found := self._best(
                some, standing[_first_of(cost[standing], last)[first:]], most
            ):
                return found
            first, last = last, 3 * last
        return []

    def _best(self, some: Candidates, order: NDArray[np.int64], most: int) -> list[Stand]:
        """At most `most` of these places (by number), in this order."""
        out: list[Stand] = []
        kept: list[tuple[float, float, tuple[str, ...]]] = []
        for n in order[self._may_stand(some, order)][: LOOKS * most]:
            if len(out) == most:
                break
            x, y = float(some.at[n, 0]), float(some.at[n, 1])
            if any(
                math.hypot(x - a, y - b) < APART_M and (not trees or trees == some.trees[n])
                for a, b, trees in kept
            ):
                continue
            spot = Spot((x, y), float(some.front[n]) % 360, some.anchor)
            key = spot, some.trees[n]
            if key not in self._tried:
                self._tried[key] = stand_at(self.form, self.way, self.camp, *key)
            stand = self._tried[key]
            if stand is not None:
                out.append(stand)
                kept.append((x, y, some.trees[n]))
        return out

    @cached_property
    def _cloth(self) -> Floats:
        """Outline (k, 2) of the ground under the flat cloth, a little smaller."""
        cloth = shapely.simplify(
            Placed(self.form.shelter, Spot((0.0, 0.0), 0.0), self.way.rig).cloth, FLAT_M
        )
        cloth = cloth.buffer(-LEEWAY_M)
        return np.asarray(
            shapely.get_coordinates(
                cloth.convex_hull if cloth.geom_type != "Polygon" else cloth.exterior
            )
        )

    def _may_stand(self, some: Candidates, order: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which of the places (by number in `order`) the cloth, laid there as on level ground, does
        not rule out.
        """
        turn = -np.radians(some.front[order])
        cos, sin = np.cos(turn), np.sin(turn)
        anchor = Placed(self.form.shelter, Spot((0.0, 0.0), 0.0)).world(
            np.array([some.anchor])
        )[0, :2]
        ring = self._cloth - anchor
        x = (
            ring[None, :, 0] * cos[:, None]
            - ring[None, :, 1] * sin[:, None]
            + some.at[order, 0][:, None]
        )
        y = (
            ring[None, :, 0] * sin[:, None]
            + ring[None, :, 1] * cos[:, None]
            + some.at[order, 1][:, None]
        )
        laid = shapely.polygons(np.stack([x, y], axis=-1))
        stops, no_beds = self.camp.stops, self.camp.no_beds
        ok: NDArray[np.bool_] = np.array(
            ~shapely.intersects(stops, laid) & ~shapely.intersects(no_beds, laid)
        )
        things, tree = self.camp.solids
        for n, k in tree.query(laid, predicate="intersects").T:
            ok[n] &= things[k].name in some.trees[order[n]]
        return ok


def stand_at(
    form: Form, way: Carrying, camp: Camp, spot: Spot, trees: tuple[str, ...]
) -> Stand | None:
    """The form at a spot, None where something stops it."""
    try:
        placed = place(
            form.pitch,
            form.sheet,
            dict(form.settings),
            spot,
            camp.relief,
            way.rig,
            form.figures.mats,
            form.shelter,
            SHARE_STEP,
        )
    except FoldError:
        return None
    if placed.slope_deg > camp.rules.steep_deg:
        return None
    cloth = placed.cloth
    if camp.stops.intersects(cloth) or camp.no_beds.intersects(cloth):
        return None
    rig, cords = tied(placed, way.rig, [t for t in camp.ground.things if t.name in trees])
    placed = placed.carried_by(rig)
    taken = placed.taken
    if camp.stops.intersects(taken):
        return None
    things, tree = camp.solids
    for k in tree.query(taken, predicate="intersects"):
        if things[k].name not in trees or cloth.intersects(
            shapely.Point(things[k].at).buffer(things[k].across_m / 2)
        ):
            return None
    from_deg = (
        form.back_deg
        if camp.wind_from_deg is None
        else wind_in_frame(camp.wind_from_deg, spot.front_deg)
    )
    uphill = (
        None if camp.uphill_deg is None else wind_in_frame(camp.uphill_deg, spot.front_deg)
    )
    return Stand(placed, taken, cords, trees, camp.met(cloth, taken), from_deg, uphill)


def tied(placed: Placed, rig: Rig, trees: Sequence[Thing]) -> tuple[Rig, tuple[float, ...]]:
    """The rig tied to the trees that stand there: each tree support moved to its own trunk, its
    lines led there; and the cord of every line.
    """
    supports = [s for s in rig.supports if s.kind == "tree"]
    if not trees or not supports:
        return rig, tuple(line.cord_m for line in rig.lines)
    feet = placed.world(np.array([[*s.at, 0.0] for s in supports]))[:, :2]
    own: dict[str, Thing] = {}
    left = list(trees)
    for support, foot in zip(supports, feet, strict=True):
        near = min(left or trees, key=lambda t: math.dist(t.at, foot))
        own[support.point] = near
        if near in left:
            left.remove(near)
    frame = {p: placed.own(t.at) for p, t in own.items()}
    moved = tuple(
        replace(s, at=frame[s.point]) if s.kind == "tree" else s for s in rig.supports
    )
    lines = []
    for line in rig.lines:
        if line.purpose == "ridge line" and len(supports) == 2:
            a, b = (own[s.point] for s in supports)
            ridge = float(math.dist(*(placed.shelter.at(s.point) for s in supports)))
            clear = math.dist(a.at, b.at) - a.across_m / 2 - b.across_m / 2
            cord = through_line_m(ridge, max(clear - ridge, 0.0), a.across_m + b.across_m)
            far = supports[1]
            lines.append(
                replace(
                    line, to=(*frame[far.point], far.height_m), span_m=clear, cord_m=cord
                )
            )
        elif line.start in own and line.purpose == "to the tree":
            tree, top = own[line.start], placed.shelter.at(line.start)
            gap = max(math.dist(placed.own(tree.at), top[:2]) - tree.across_m / 2, 0.0)
            lines.append(
                replace(
                    line,
                    to=(*frame[line.start], float(top[2])),
                    span_m=gap,
                    cord_m=tree_line_m(gap, tree.across_m),
                )
            )
        else:
            lines.append(line)
    return replace(rig, supports=moved, lines=tuple(lines)), tuple(
        line.cord_m for line in lines
    )


def _candidates(form: Form, way: Carrying, camp: Camp, about: Place) -> Candidates:
    """Every place that the supports allow, with the headings worth trying."""
    wind = camp.wind_from_deg
    turns = TURNS_CALM if wind is None else TURNS_WINDY
    back = front_bearing(0.0 if wind is None else wind, form.back_deg)
    fronts = (back + np.array(turns)) % 360
    return candidates(
        form.shelter, way.rig, camp.ground, about, camp.longest_line_m, fronts
    )


def _cost(
    form: Form, some: Candidates, camp: Camp, about: Place
) -> tuple[Floats, NDArray[np.intp]]:
    """What each place costs, by the wind, the slope, the way there and the length of the lines;
    numbers of those where anything may stand.
    """
    far = np.hypot(*(some.at - np.array(about)).T)
    steep, pad, stopped = camp.lying(some.at)
    cost = (
        FAR_COST * far
        + LINE_COST * some.line
        + SLOPE_COST * (steep / camp.rules.steep_deg) ** 2
        - PAD_GAIN * pad
    )
    if camp.wind_from_deg is not None:
        off = wind_in_frame_all(camp.wind_from_deg, some.front) - form.back_deg
        cost += OPEN_COST * form.open_shares[(np.round(off / 15.0) % 24).astype(int)]
    return np.round(cost, 6), np.flatnonzero((steep <= camp.rules.steep_deg) & ~stopped)


def _first_of(cost: Floats, count: int) -> NDArray[np.intp]:
    """Numbers of the `count` cheapest, the cheapest first; of equals those that come first."""
    if count >= len(cost):
        return np.argsort(cost, kind="stable")
    some = np.flatnonzero(cost <= np.partition(cost, count - 1)[count - 1])
    return some[np.argsort(cost[some], kind="stable")][:count]
