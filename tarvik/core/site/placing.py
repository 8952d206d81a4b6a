"""A shelter put on the ground: folded on the slope as it is, turned to its heading, its conflicts
found.

On a slope the pitch is folded in the frame of the ground's plane: points on the ground lie in it,
and a height measured straight up a pole counts by the cosine of the slope. That is the very fold on
the sloping ground, since every height is held by lengths along the cloth and by the plane alone; so
all lengths are kept.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import GeometryCollection, LineString, MultiPoint, Point, Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.finding import Finding, Level
from tarvik.core.hang.fabric import fabric_named
from tarvik.core.kept import keep_last
from tarvik.core.measure.heading import FRONT_DEG
from tarvik.core.search.grid import CARRIED_HEIGHTS
from tarvik.core.shelter import fold_sheet
from tarvik.core.site.hazards import USUAL, GroundRules, Hazard, met, too_steep
from tarvik.core.site.pairs import REACH_M
from tarvik.core.site.relief import slope_of
from tarvik.core.site.things import SOLID, Kind
from tarvik.core.units import format_way

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from shapely.geometry.base import BaseGeometry

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.mats import Mat
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.rig.carried import Rig
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Shelter
    from tarvik.core.site.relief import Relief
    from tarvik.core.site.things import Ground, Place

STAKE_CLEAR_M: Final = constant(
    "stake_clear",
    0.05,
    "m",
    ENGINEERING,
    "a stake nearer than this to a trunk or rock meets it",
)
WALK_M: Final = constant(
    "line_to_trunk", 0.03, "m", ENGINEERING, "a line nearer than this to a trunk rubs on it"
)
STEEPEST: Final = math.tan(math.radians(45))
MOST_TILTED: Final = 2000
FLAT_M2: Final = 1e-9
"""A panel that takes less ground is seen edge-on."""


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a shelter stands: the point `anchor` of its own frame lies at `at`, and its front looks
    to `front_deg`.
    """

    at: Place
    front_deg: float
    anchor: Place = (0.0, 0.0)


def wind_in_frame(wind_from_deg: float, front_deg: float) -> float:
    """Bearing of a wind in the frame of a shelter whose front looks to `front_deg`.

    A wind from the west meets a shelter that looks west on its front (270 in its frame).

    >>> wind_in_frame(270, 270)
    270.0
    """
    return (wind_from_deg - front_deg + FRONT_DEG) % 360


def on_slope(
    settings: Mapping[str, float], slope_deg: float, step: float | None = None
) -> dict[str, float]:
    """Settings in the frame of ground that slopes: heights straight up count by the cosine, to the
    `step` if one is given.
    """
    share = math.cos(math.radians(slope_deg))
    share = share if step is None else round(share / step) * step
    return {
        name: value * (share if name.startswith(CARRIED_HEIGHTS) else 1.0)
        for name, value in settings.items()
    }


@keep_last(MOST_TILTED)
def _tilted(pitch: Pitch, sheet: Sheet, settings: tuple[tuple[str, float], ...]) -> Shelter:
    return fold_sheet(pitch, sheet, dict(settings))


@dataclass(frozen=True)
class Placed:
    """A folded shelter on the ground. `level`: height of the ground at the spot; `gradient`: its
    rise per metre east and north. World: x east, y north, z up, metres. `like`: the same with
    another rig, whose sheet lies where this one's does.
    """

    shelter: Shelter
    spot: Spot
    rig: Rig | None = None
    mats: tuple[Mat, ...] = ()
    level: float = 0.0
    gradient: tuple[float, float] = (0.0, 0.0)
    like: Placed | None = field(default=None, compare=False, repr=False)

    @cached_property
    def axes(self) -> Floats:
        """Axes (3, 3) of the shelter's frame in the world, as rows: its x, its y, square to the
        ground.
        """
        if self.like is not None:
            return self.like.axes
        gx, gy = self.gradient
        size = math.sqrt(gx * gx + gy * gy + 1.0)
        ux, uy, uz = -gx / size, -gy / size, 1.0 / size
        front = math.radians(self.spot.front_deg)
        bx, by = (
            -math.sin(front),
            -math.cos(front),
        )  # the frame's x runs from the front to the back
        bz = gx * bx + gy * by
        size = math.sqrt(1.0 + bz * bz)
        bx, by, bz = bx / size, by / size, bz / size
        left = uy * bz - uz * by, uz * bx - ux * bz, ux * by - uy * bx
        return np.array([(bx, by, bz), left, (ux, uy, uz)])

    def world(self, places: Floats) -> Floats:
        """World places (k, 3) of places (k, 2 or 3) of the shelter's frame."""
        places = np.asarray(places, dtype=np.float64)
        turned = (places[:, :2] - np.array(self.spot.anchor)) @ self.axes[:2]
        if places.shape[1] > 2:
            turned += places[:, 2:] * self.axes[2]
        return np.asarray(turned + np.array([*self.spot.at, self.level]))

    def own(self, at: Place) -> tuple[float, float]:
        """A place on level ground in the shelter's frame."""
        away = np.array([at[0] - self.spot.at[0], at[1] - self.spot.at[1], 0.0])
        turned = self.axes @ away
        return float(turned[0]) + self.spot.anchor[0], float(turned[1]) + self.spot.anchor[
            1
        ]

    @cached_property
    def xyz(self) -> Floats:
        """World places (P, 3) of the sheet's points."""
        if self.like is not None:
            return self.like.xyz
        return self.world(self.shelter.xyz)

    def panels(self) -> list[Floats]:
        """Panels in the world, corners (k, 3)."""
        rows, panel = self.shelter.panel_rows
        return np.split(self.xyz[rows], np.flatnonzero(np.diff(panel)) + 1)

    @cached_property
    def cloth(self) -> BaseGeometry:
        """Ground under the sheet."""
        if self.like is not None:
            return self.like.cloth
        rows, panel = self.shelter.panel_rows
        parts = np.asarray(
            shapely.polygons(shapely.linearrings(self.xyz[rows, :2], indices=panel))
        )
        parts = parts[shapely.area(parts) > FLAT_M2]
        crossed = ~shapely.is_valid(parts)
        if crossed.any():
            parts[crossed] = shapely.buffer(parts[crossed], 0)
        return shapely.union_all(parts, grid_size=1e-6)

    @cached_property
    def beds(self) -> list[Polygon]:
        """The mats, in plan."""
        if self.like is not None:
            return self.like.beds
        return [Polygon(self.world(mat.corners())[:, :2]) for mat in self.mats]

    @cached_property
    def stakes(self) -> list[tuple[str, Place, bool]]:
        """Point, place and whether it may be left out, of every stake."""
        rig = self.rig
        if rig is None or not rig.stakes:
            return []
        at = self.world(np.array([s.at for s in rig.stakes]))
        return [
            (s.point, (float(x), float(y)), s.optional)
            for s, (x, y, _) in zip(rig.stakes, at, strict=True)
        ]

    @cached_property
    def lines(self) -> list[tuple[str, LineString]]:
        """Purpose and course, in plan, of every line."""
        rig = self.rig
        if rig is None or not rig.lines:
            return []
        ends = np.array(
            [end for line in rig.lines for end in (self.shelter.at(line.start), line.to)]
        )
        courses = np.asarray(shapely.linestrings(self.world(ends)[:, :2].reshape(-1, 2, 2)))
        return [
            (line.purpose, course) for line, course in zip(rig.lines, courses, strict=True)
        ]

    @cached_property
    def supports(self) -> list[tuple[str, Place]]:
        """Kind and foot of every support."""
        if self.rig is None:
            return []
        feet = [self.world(np.array([[*s.at, 0.0]]))[0] for s in self.rig.supports]
        return [
            (s.kind, (float(at[0]), float(at[1])))
            for s, at in zip(self.rig.supports, feet, strict=True)
        ]

    @cached_property
    def taken(self) -> BaseGeometry:
        """All the ground that the shelter takes: cloth, stakes and lines, side by side and not
        united, for nothing but distances is asked of it.
        """
        stakes = MultiPoint(np.array([at for _, at, _ in self.stakes]).reshape(-1, 2))
        parts: list[BaseGeometry] = [
            self.cloth,
            stakes,
            *(course for _, course in self.lines),
        ]
        return GeometryCollection(parts)

    def carried_by(self, rig: Rig) -> Placed:
        """The same with another rig."""
        return replace(self, rig=rig, like=self.like or self)

    @property
    def slope_deg(self) -> float:
        """Slope of the ground under it."""
        return slope_of(self.gradient)[0]


def place(
    pitch: Pitch,
    sheet: Sheet,
    settings: Mapping[str, float],
    spot: Spot,
    relief: Relief | None,
    rig: Rig | None = None,
    mats: tuple[Mat, ...] = (),
    level: Shelter | None = None,
    step: float | None = None,
) -> Placed:
    """Fold a sheet at a spot on ground of that relief (None: level). `level`: the same on level
    ground, where it is known already. `step`: that of the slope's cosine, where many spots are
    tried and near enough is enough. Raises FoldError when it does not fold there.
    """
    flat = level or fold_sheet(pitch, sheet, settings)
    if relief is None:
        return Placed(flat, spot, rig, mats)
    standing = Placed(flat, spot, rig, mats)
    height, gx, gy = relief.under(spot.at, standing.xyz[:, :2])
    steep = math.hypot(gx, gy)
    if steep > STEEPEST:  # nobody camps there; the drawing stays sane
        gx, gy = gx * STEEPEST / steep, gy * STEEPEST / steep
    lower = on_slope(settings, slope_of((gx, gy))[0], step)
    tilted = (
        flat
        if lower == dict(settings)
        else _tilted(pitch, sheet, tuple(sorted(lower.items())))
    )
    return replace(standing, shelter=tilted, level=height, gradient=(gx, gy))


def conflicts(
    placed: Placed,
    ground: Ground,
    found: Sequence[Hazard],
    rules: GroundRules = USUAL,
    own: frozenset[str] = frozenset(),
) -> list[Finding]:
    """What is wrong with a shelter where it stands, the gravest first. `own` names the trees that
    carry it.
    """
    out = met(
        found,
        placed.taken,
        shapely.union_all([*placed.beds, placed.cloth]),
        fabric_named(placed.shelter.sheet.fabric),
    )
    steep = too_steep(placed.slope_deg, rules)
    out += [steep] if steep else []
    for support in placed.rig.supports if placed.rig else ():
        if support.kind == "tree" and support.height_m > REACH_M:
            up = format_way(support.height_m, rules.units)
            words = f"{support.point} is tied {up} up the tree"
            remedy = "put the line up with a forked stick or throw it over a branch; nobody climbs"
            out.append(Finding("high_tie", support.point, words, remedy, Level.NOTE))
    for thing in ground.of(*SOLID):
        trunk = Point(thing.at).buffer(max(thing.across_m / 2, 0.01), quad_segs=8)
        if (
            not placed.taken.intersects(trunk.buffer(STAKE_CLEAR_M))
            and thing.name not in own
        ):
            continue
        out += _against(placed, thing.name, thing.kind, trunk, carries=thing.name in own)
    return sorted(out, key=lambda f: -f.level)


def _against(
    placed: Placed, name: str, kind: Kind, trunk: Polygon, *, carries: bool
) -> list[Finding]:
    what = f"{kind.value} {name}"
    out = []
    under = [n for n, bed in enumerate(placed.beds, start=1) if bed.intersects(trunk)]
    if under:
        out.append(
            Finding(
                "under_mat",
                name,
                f"{what} stands in mat {under[0]}",
                "move or turn the shelter",
                Level.STOPS,
            )
        )
    elif placed.cloth.intersection(trunk).area > 1e-6:
        tall = kind in (Kind.TREE, Kind.POST)
        words = f"{what} stands in the cloth" if tall else f"{what} lies under the sheet"
        out.append(
            Finding(
                "in_cloth",
                name,
                words,
                "move or turn the shelter",
                Level.STOPS if tall else Level.CAUTION,
            )
        )
    for point, at, optional in placed.stakes:
        if trunk.distance(Point(at)) < STAKE_CLEAR_M:
            out.append(
                Finding(
                    "stake_on_trunk",
                    name,
                    f"the stake of {point} meets {what}",
                    (
                        "fold that corner back and stake the edge, or run a longer line round "
                        "it; on rock, weight the corner"
                    ),
                    Level.NOTE if optional else Level.CAUTION,
                )
            )
    for purpose, course in placed.lines:
        ends = [Point(c) for c in course.coords]
        if (
            trunk.distance(course) < WALK_M
            and not carries
            and all(trunk.distance(e) >= STAKE_CLEAR_M for e in ends)
        ):
            out.append(
                Finding(
                    "line_on_trunk",
                    name,
                    f"the {purpose} rubs on {what}",
                    "turn the shelter a little",
                )
            )
    return out
