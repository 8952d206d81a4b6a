"""What stands and lies on the ground: trees, rocks, boats; pads, hollows, paths, water; spot
heights.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
from shapely import LineString, Polygon

from tarvik.core.errors import InputError
from tarvik.core.rig.supports import TRUNK_M

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from tarvik.core.fold.pattern import Floats

Place = tuple[float, float]
FARTHEST_M: Final = 5000.0
POINTS_MOST: Final = 600
AREAS_MOST: Final = 100
CORNERS_MOST: Final = 400


class Kind(StrEnum):
    """What a point is."""

    TREE = "tree"
    POST = "post"
    ROCK = "rock"
    BOULDER = "boulder"
    ROOT = "root"
    BOAT = "boat"
    VEHICLE = "vehicle"
    FIRE = "fire spot"
    MARK = "mark"


CARRIES: Final = (Kind.TREE, Kind.POST)
"""Kinds of point to which a ridge or a corner is tied."""
SOLID: Final = (
    Kind.TREE,
    Kind.POST,
    Kind.ROCK,
    Kind.BOULDER,
    Kind.ROOT,
    Kind.BOAT,
    Kind.VEHICLE,
)
"""Kinds of point on which nobody lies and in which no stake goes."""


class Health(StrEnum):
    """How a tree is."""

    SOUND = "sound"
    DEAD_BRANCHES = "dead branches"
    DEAD = "dead"


class Sort(StrEnum):
    """What an area or line is."""

    PAD = "level pad"
    HOLLOW = "hollow"
    THICKET = "thicket"
    PATH = "path"
    WATER = "water"
    FENCE = "fence"
    NO_GO = "no-go"


LINES: Final = (Sort.PATH, Sort.WATER, Sort.FENCE)
"""Sorts that may be drawn as a line with a width instead of an area."""


def _sane(place: Place, what: str) -> None:
    if not all(math.isfinite(c) and abs(c) <= FARTHEST_M for c in place):
        raise InputError("place", f"{what}: {place} is no place within {FARTHEST_M:g} m")


@dataclass(frozen=True, slots=True)
class Thing:
    """A named point. `across_m`: a trunk's diameter, or a rock's, boat's or vehicle's greatest
    width; `height_m`: its height; `error_m`: plus or minus of its place.
    """

    name: str
    kind: Kind
    at: Place
    across_m: float = TRUNK_M
    height_m: float = 0.0
    health: Health = Health.SOUND
    error_m: float = 0.0

    def __post_init__(self) -> None:
        _sane(self.at, self.name)
        if not (math.isfinite(self.across_m) and 0 <= self.across_m <= 30):
            raise InputError(
                "across_m", f"{self.name}: {self.across_m:g} m across is outside 0 to 30 m"
            )
        if not (math.isfinite(self.height_m) and 0 <= self.height_m <= 120):
            raise InputError(
                "height_m", f"{self.name}: {self.height_m:g} m high is outside 0 to 120 m"
            )


@dataclass(frozen=True, slots=True)
class Area:
    """A named area, or with `width_m` a line so wide."""

    name: str
    sort: Sort
    corners: tuple[Place, ...]
    width_m: float = 0.0

    def __post_init__(self) -> None:
        for place in self.corners:
            _sane(place, self.name)
        if len(self.corners) > CORNERS_MOST:
            raise InputError(
                "corners",
                f"{self.name}: {len(self.corners)} corners are too many; {CORNERS_MOST} at most",
            )
        if len(self.corners) < (2 if self.width_m else 3):
            raise InputError(
                "corners",
                f"{self.name}: an area needs three corners, a line two and its width",
            )
        if not (math.isfinite(self.width_m) and 0 <= self.width_m <= 200):
            raise InputError(
                "width_m", f"{self.name}: {self.width_m:g} m wide is outside 0 to 200 m"
            )

    def shape(self) -> BaseGeometry:
        """The ground it takes."""
        if self.width_m:
            return LineString(self.corners).buffer(
                self.width_m / 2, quad_segs=4, cap_style="flat"
            )
        return Polygon(self.corners).buffer(0)


@dataclass(frozen=True, slots=True)
class SpotHeight:
    """Height of the ground, metres over any level, at a place."""

    at: Place
    height_m: float

    def __post_init__(self) -> None:
        _sane(self.at, "a spot height")
        if not (math.isfinite(self.height_m) and abs(self.height_m) <= 9000):
            raise InputError("height_m", f"{self.height_m:g} m is no height of the ground")


class Bounds(NamedTuple):
    """Least x, least y, greatest x, greatest y, m."""

    west: float
    south: float
    east: float
    north: float


@dataclass(frozen=True)
class Ground:
    """A surveyed site."""

    things: tuple[Thing, ...] = ()
    areas: tuple[Area, ...] = ()
    heights: tuple[SpotHeight, ...] = ()

    def __post_init__(self) -> None:
        if len(self.things) > POINTS_MOST:
            raise InputError(
                "things",
                f"{len(self.things)} points are too many for one site; {POINTS_MOST} at most",
            )
        if len(self.areas) > AREAS_MOST:
            raise InputError(
                "areas",
                f"{len(self.areas)} areas are too many for one site; {AREAS_MOST} at most",
            )

    def of(self, *kinds: Kind) -> list[Thing]:
        """Points of these kinds."""
        return [t for t in self.things if t.kind in kinds]

    def sorts(self, *sorts: Sort) -> list[Area]:
        """Areas of these sorts."""
        return [a for a in self.areas if a.sort in sorts]

    def bounds(self) -> Bounds:
        """Least x, least y, greatest x, greatest y of all there is; a 20 m square when there is
        nothing.
        """
        parts: list[Floats] = [
            np.array([t.at for t in self.things]),
            np.array([h.at for h in self.heights]),
        ]
        parts += [np.array(a.corners) for a in self.areas]
        some = [p.reshape(-1, 2) for p in parts if p.size]
        if not some:
            return Bounds(-10.0, -10.0, 10.0, 10.0)
        xy = np.concatenate(some)
        (x0, y0), (x1, y1) = xy.min(axis=0), xy.max(axis=0)
        return Bounds(float(x0), float(y0), float(x1), float(y1))
