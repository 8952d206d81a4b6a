"""Hazards of a site: the ground each makes unfit, how grave it is, and what to do. Common practice
and the course's rules.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import shapely
from shapely import Point, Polygon

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.hang.fabric import MELTS_M, STEP_M
from tarvik.core.site.relief import Relief
from tarvik.core.site.things import Health, Kind, Sort
from tarvik.core.units import Units, format_depth, format_litres, format_way

if TYPE_CHECKING:
    from collections.abc import Sequence

    from shapely.geometry.base import BaseGeometry

    from tarvik.core.hang.fabric import Fabric
    from tarvik.core.site.things import Area, Ground

FALL_ZONE: Final = constant(
    "fall_zone",
    1.5,
    "heights",
    COMMON_PRACTICE,
    "nobody sleeps nearer to a dead tree than this",
)
BRANCH_M: Final = constant(
    "dead_branch_reach",
    3.0,
    "m",
    ENGINEERING,
    "ground under the crown of a tree with dead branches",
)
TREE_HEIGHT_M: Final = constant(
    "tree_height", 15.0, "m", ENGINEERING, "height of a dead tree that nobody has measured"
)
WATER_M: Final = constant(
    "from_water",
    30.0,
    "m",
    COMMON_PRACTICE,
    "least distance of a camp from water; local rules first",
)
PATH_M: Final = constant(
    "from_path", 5.0, "m", ENGINEERING, "least distance of a shelter from a path"
)
STEEP_DEG: Final = constant(
    "steep", 8.0, "degrees", ENGINEERING, "sleepers slide on ground steeper than this"
)
SMOKE_M: Final = constant(
    "smoke_reach",
    10.0,
    "m",
    ENGINEERING,
    "how far down the wind a camp fire's smoke and sparks trouble",
)
SMOKE_DEG: Final = constant(
    "smoke_spread", 20.0, "degrees", ENGINEERING, "half the spread of smoke down the wind"
)
CHANNEL_M: Final = constant(
    "channel_width",
    1.0,
    "m",
    ENGINEERING,
    "ground on either side of running water that gets wet",
)
TICKS: Final = (
    (
        "overhead",
        "Look up: dead branches, leaning and dead trees, snow or ice in the crowns.",
    ),
    (
        "underfoot",
        (
            "Look down: thorns and poisonous plants, nests and ants, hollows, stones, roots, "
            "animals' ways."
        ),
    ),
    (
        "all round",
        (
            "Look round: level enough, wind, water near but not too near, room for guys and "
            "fire, people passing."
        ),
    ),
)
"""The short list to tick on every site."""


@dataclass(frozen=True, slots=True)
class GroundRules:
    """Distances a course keeps, metres and degrees; each has a usual value. `units`: those in which
    they are told.
    """

    fall_zone: float = FALL_ZONE
    water_m: float = WATER_M
    path_m: float = PATH_M
    steep_deg: float = STEEP_DEG
    fire_ring_m: float = MELTS_M
    units: Units = Units.METRIC

    def __post_init__(self) -> None:
        limits = {
            "fall_zone": (1.0, 3.0),
            "water_m": (0, 500),
            "path_m": (0, 500),
            "steep_deg": (1, 30),
            "fire_ring_m": (1, 20),
        }
        for name, (low, high) in limits.items():
            value = getattr(self, name)
            if not (math.isfinite(value) and low <= value <= high):
                raise InputError(name, f"{value:g} is outside {low:g} to {high:g}")


USUAL: Final = GroundRules()


@dataclass(frozen=True)
class Hazard:
    """Ground made unfit by something. `beds_only`: only for those who lie there; else also for
    stakes and cloth. `spark_proof`: the lesser ground that it makes unfit for cloth that sparks do
    not burn.
    """

    finding: Finding
    shape: BaseGeometry
    beds_only: bool = False
    spark_proof: BaseGeometry | None = None

    def for_cloth(self, fabric: Fabric) -> Hazard:
        """What it is to a sheet of that cloth."""
        if self.spark_proof is None or not fabric.spark_proof:
            return self
        return replace(self, shape=self.spark_proof)


def hazards(
    ground: Ground,
    rules: GroundRules = USUAL,
    wind_from_deg: float | None = None,
    rain_mm: float = 0.0,
) -> list[Hazard]:
    """Every hazard of a site, the gravest first. `rain_mm`: what falls in the night;
    `wind_from_deg`: for smoke.
    """
    out = [
        *_trees(ground, rules),
        *_areas(ground, rules),
        *_fires(ground, rules, wind_from_deg),
        *_water(ground, rain_mm, rules.units),
    ]
    return sorted(out, key=lambda h: -h.finding.level)


def _trees(ground: Ground, rules: GroundRules) -> list[Hazard]:
    out = []
    for tree in ground.of(Kind.TREE):
        if tree.health is Health.DEAD:
            height = tree.height_m or TREE_HEIGHT_M
            reach = rules.fall_zone * height
            guessed = (
                ""
                if tree.height_m
                else f" (not measured; {format_way(height, rules.units)} taken)"
            )
            out.append(
                Hazard(
                    Finding(
                        "dead_tree",
                        tree.name,
                        f"dead tree {tree.name} could fall as far as "
                        f"{format_way(reach, rules.units)}{guessed}",
                        "sleep outside its circle, and tie nothing to it",
                        Level.STOPS,
                    ),
                    Point(tree.at).buffer(reach, quad_segs=16),
                )
            )
        elif tree.health is Health.DEAD_BRANCHES:
            out.append(
                Hazard(
                    Finding(
                        "dead_branch",
                        tree.name,
                        f"dead branches hang in {tree.name}",
                        f"sleep at least {format_way(BRANCH_M, rules.units)} from its trunk, and "
                        "more in wind",
                        Level.STOPS,
                    ),
                    Point(tree.at).buffer(
                        max(BRANCH_M, 0.25 * tree.height_m), quad_segs=16
                    ),
                    beds_only=True,
                )
            )
    return out


_WORDS: Final = {
    Sort.HOLLOW: (
        "hollow",
        "is a wet hollow: water gathers there",
        "sleep higher",
        Level.STOPS,
    ),
    Sort.THICKET: (
        "thicket",
        "is overgrown: no room for cloth or mats",
        "choose clear ground",
        Level.STOPS,
    ),
    Sort.NO_GO: ("no_go", "is closed to the course", "keep out of it", Level.STOPS),
}


def _areas(ground: Ground, rules: GroundRules) -> list[Hazard]:
    return [hazard for area in ground.areas for hazard in _area(area, rules)]


def _area(area: Area, rules: GroundRules) -> list[Hazard]:
    """What an area, or a line with a width, stops; and what it warns of beside it."""
    shape = area.shape()

    def here(code: str, message: str, remedy: str, level: Level = Level.STOPS) -> Hazard:
        return Hazard(Finding(code, area.name, message, remedy, level), shape)

    def near(code: str, metres: float, remedy: str) -> list[Hazard]:
        if not metres:
            return []
        words = f"nearer than {format_way(metres, rules.units)} to {area.name}"
        warning = Finding(code, area.name, words, remedy, Level.CAUTION)
        return [Hazard(warning, shape.buffer(metres, quad_segs=8))]

    if area.sort in _WORDS:
        code, message, remedy, level = _WORDS[area.sort]
        return [here(code, f"{area.name} {message}", remedy, level)]
    if area.sort is Sort.WATER:
        why = "keep the distance: it may rise, others drink from it, and animals come to it"
        return [
            here("in_water", f"{area.name} is water", "sleep on land"),
            *near("near_water", rules.water_m, why),
        ]
    if area.sort is Sort.PATH:
        words = f"{area.name} runs here: people trip over lines and stakes"
        return [
            here("on_path", words, "keep cloth, lines and stakes off it"),
            *near(
                "near_path",
                rules.path_m,
                "move away from it, or mark the lines with something pale",
            ),
        ]
    if area.sort is Sort.FENCE:
        return [here("fence", f"{area.name} stands here", "keep to one side of it")]
    return []


def _fires(ground: Ground, rules: GroundRules, wind_from_deg: float | None) -> list[Hazard]:
    out = []
    for fire in ground.of(Kind.FIRE):
        out.append(
            Hazard(
                Finding(
                    "fire_ring",
                    fire.name,
                    f"nearer than {format_way(rules.fire_ring_m, rules.units)} to the fire spot "
                    f"{fire.name}",
                    "nylon, polythene and oilcloth melt or burn: keep the ring clear; canvas may "
                    "stand one long step off",
                    Level.STOPS,
                ),
                Point(fire.at).buffer(rules.fire_ring_m, quad_segs=16),
                spark_proof=Point(fire.at).buffer(
                    min(STEP_M, rules.fire_ring_m), quad_segs=16
                ),
            )
        )
        if wind_from_deg is not None:
            out.append(
                Hazard(
                    Finding(
                        "smoke",
                        fire.name,
                        f"down the wind of the fire spot {fire.name}",
                        "sparks and smoke come here: move across the wind",
                        Level.CAUTION,
                    ),
                    smoke(fire.at, wind_from_deg),
                )
            )
    return out


def smoke(at: tuple[float, float], wind_from_deg: float) -> Polygon:
    """The sector into which a fire's smoke drifts."""
    down = wind_from_deg + 180
    turns = [down - SMOKE_DEG + k * SMOKE_DEG / 4 for k in range(9)]
    rim = [
        (
            at[0] + SMOKE_M * math.sin(math.radians(b)),
            at[1] + SMOKE_M * math.cos(math.radians(b)),
        )
        for b in turns
    ]
    return Polygon([at, *rim])


def _water(ground: Ground, rain_mm: float, units: Units) -> list[Hazard]:
    relief = Relief.of(ground.heights)
    if relief is None:
        return []
    flow = relief.drainage
    out = []
    for puddle in flow.puddles(rain_mm):
        half = puddle.cell_m / 2
        shape = shapely.union_all(
            [shapely.box(x - half, y - half, x + half, y + half) for x, y in puddle.cells]
        )
        x, y = shape.centroid.coords[0]
        full = " and runs over" if puddle.runs_over else ""
        out.append(
            Hazard(
                Finding(
                    "puddle",
                    f"({x:.0f}, {y:.0f})",
                    f"about {format_litres(puddle.litres, units)} will stand here, "
                    f"{format_depth(puddle.deepest_m, units)} deep{full}",
                    "sleep higher",
                    Level.STOPS,
                ),
                shape,
            )
        )
    channels = flow.channels()
    if channels:
        wet = shapely.union_all([Point(p).buffer(CHANNEL_M, quad_segs=2) for p in channels])
        out.append(
            Hazard(
                Finding(
                    "drainage",
                    "the lie of the land",
                    "rain that runs off gathers into a line here",
                    "move to one side, where the ground sheds water",
                    Level.CAUTION,
                ),
                wet,
                True,
            )
        )
    return out


def met(
    found: Sequence[Hazard], cloth: BaseGeometry, beds: BaseGeometry, fabric: Fabric
) -> list[Finding]:
    """Findings for a shelter of that cloth that lies so with its stakes and lines, and its mats."""
    own = [hazard.for_cloth(fabric) for hazard in found]
    return [h.finding for h in own if h.shape.intersects(beds if h.beds_only else cloth)]


def too_steep(degrees: float, rules: GroundRules = USUAL) -> Finding | None:
    """Finding for ground too steep to lie on, or nearly; None for level enough."""
    if degrees > rules.steep_deg:
        return Finding(
            "too_steep",
            "ground",
            f"the ground falls by {degrees:.0f}°: "
            f"sleepers slide on more than {rules.steep_deg:g}°",
            "sleep on a flatter place, or wedge the mats and lie with the head uphill",
            Level.STOPS,
        )
    if degrees > rules.steep_deg / 2:
        return Finding(
            "slopes",
            "ground",
            f"the ground falls by {degrees:.0f}°",
            "lie with the head uphill",
            Level.NOTE,
        )
    return None
