"""What is read off on the ground: tapes, ranges, bearings, offsets, paces. Each knows how sure it
is.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.site.things import FARTHEST_M
from tarvik.core.units import PACE_M

if TYPE_CHECKING:
    from collections.abc import Mapping

TAPE_SHARE: Final = constant(
    "tape_share",
    0.01,
    "1",
    ENGINEERING,
    "standard error of a tape in the field, of its length",
)
TAPE_LEAST_M: Final = constant(
    "tape_least", 0.01, "m", ENGINEERING, "least standard error of a taped distance"
)
FINDER_M: Final = constant(
    "finder_error", 0.10, "m", ENGINEERING, "standard error of a range finder's distance"
)
PACE_SHARE: Final = constant(
    "pace_share",
    0.03,
    "1",
    ENGINEERING,
    "standard error of a paced distance, of its length",
)
BEARING_DEG: Final = constant(
    "bearing_error", 2.0, "degrees", ENGINEERING, "standard error of a hand compass"
)


class Way(StrEnum):
    """How a distance was measured."""

    TAPE = "tape"
    FINDER = "finder"
    PACES = "paces"


@dataclass(frozen=True, slots=True)
class Distance:
    """Level distance between two named points, metres. `error_m`: its standard error."""

    start: str
    end: str
    length_m: float
    error_m: float
    way: Way = Way.TAPE

    def __post_init__(self) -> None:
        if self.start == self.end:
            raise InputError(
                "readings", f"a distance from “{self.start}” to itself says nothing"
            )
        if not (math.isfinite(self.length_m) and 0 < self.length_m <= FARTHEST_M):
            raise InputError(
                "readings",
                f"{self.start} to {self.end}: {self.length_m:g} m is outside 0 to {FARTHEST_M:g} m",
            )
        if not (math.isfinite(self.error_m) and self.error_m > 0):
            raise InputError(
                "readings",
                f"{self.start} to {self.end}: a standard error of {self.error_m:g} m is none",
            )


@dataclass(frozen=True, slots=True)
class Bearing:
    """Direction from one named point to another, degrees clockwise from north. `error_deg`: its
    standard error.
    """

    start: str
    end: str
    bearing_deg: float
    error_deg: float = BEARING_DEG

    def __post_init__(self) -> None:
        if self.start == self.end:
            raise InputError(
                "readings", f"a bearing from “{self.start}” to itself says nothing"
            )
        if not (math.isfinite(self.bearing_deg) and -360 <= self.bearing_deg <= 720):
            raise InputError(
                "readings",
                (
                    f"{self.start} to {self.end}: {self.bearing_deg:g} is no bearing; give 0 to "
                    "360 degrees"
                ),
            )
        if not (math.isfinite(self.error_deg) and self.error_deg > 0):
            raise InputError(
                "readings",
                (
                    f"{self.start} to {self.end}: a standard error of {self.error_deg:g} degrees "
                    "is none"
                ),
            )


@dataclass(frozen=True, slots=True)
class Offset:
    """A point beside a base line: `along_m` from its start towards its end, then `right_m` square
    to it, to the right as one looks along it (negative: to the left). `error_m`: standard error of
    either.
    """

    start: str
    end: str
    point: str
    along_m: float
    right_m: float
    error_m: float

    def __post_init__(self) -> None:
        if len({self.start, self.end, self.point}) < 3:
            raise InputError(
                "readings",
                (
                    "an offset needs three different points: the base line's two, and the one "
                    "beside it"
                ),
            )
        if not all(
            math.isfinite(v) and abs(v) <= FARTHEST_M for v in (self.along_m, self.right_m)
        ):
            raise InputError(
                "readings", f"offset of “{self.point}”: outside {FARTHEST_M:g} m"
            )
        if not (math.isfinite(self.error_m) and self.error_m > 0):
            raise InputError(
                "readings",
                f"offset of “{self.point}”: a standard error of {self.error_m:g} m is none",
            )


@dataclass(frozen=True, slots=True)
class Side:
    """The answer to “looking from `start` to `end`, on which hand is `point`?”"""

    start: str
    end: str
    point: str
    left: bool


Reading = Distance | Bearing | Offset


def names_of(reading: Reading) -> tuple[str, ...]:
    """The points a reading is about."""
    return (
        (reading.start, reading.end, reading.point)
        if isinstance(reading, Offset)
        else (reading.start, reading.end)
    )


def tape(start: str, end: str, length_m: float, share: float = TAPE_SHARE) -> Distance:
    """A taped distance. A sloping or sagging tape is part of its error."""
    return Distance(start, end, length_m, max(share * length_m, TAPE_LEAST_M), Way.TAPE)


def finder(
    start: str, end: str, range_m: float, bearing_deg: float | None = None
) -> tuple[Reading, ...]:
    """What a range finder shows: a distance, and a bearing where it has a compass."""
    out: tuple[Reading, ...] = (
        Distance(start, end, range_m, math.hypot(FINDER_M, 0.002 * range_m), Way.FINDER),
    )
    return out if bearing_deg is None else (*out, Bearing(start, end, bearing_deg))


def paced(start: str, end: str, paces: float, pace_m: float = PACE_M) -> Distance:
    """A paced distance."""
    return Distance(
        start, end, paces * pace_m, max(PACE_SHARE * paces * pace_m, pace_m / 4), Way.PACES
    )


def pace_length(paces: float, length_m: float) -> float:
    """Somebody's pace, from a taped length walked. Raises InputError for what cannot be a pace."""
    if not (math.isfinite(paces) and math.isfinite(length_m) and paces >= 5):
        raise InputError("paces", "walk at least five paces along a taped length")
    pace = length_m / paces
    if not 0.3 <= pace <= 1.5:
        raise InputError("paces", f"{pace:.2f} m is no pace; it is 0.3 to 1.5 m")
    return pace


def offset(start: str, end: str, point: str, along_m: float, right_m: float) -> Offset:
    """An offset measured by tape."""
    return Offset(
        start,
        end,
        point,
        along_m,
        right_m,
        max(TAPE_SHARE * math.hypot(along_m, right_m), 0.03),
    )


def level_m(slope_m: float, rise_m: float) -> float:
    """Level distance of a tape held along the slope. Raises InputError when it rises by more than
    its length.
    """
    if not abs(rise_m) < slope_m:
        raise InputError("readings", f"a tape of {slope_m:g} m cannot rise by {rise_m:g} m")
    return math.sqrt(slope_m**2 - rise_m**2)


def told(
    values: Mapping[str, tuple[float, float]], reading: Reading
) -> float | tuple[float, float]:
    """What a reading would be between these places: metres, degrees, or (along, right)."""
    ax, ay = values[reading.start]
    bx, by = values[reading.end]
    dx, dy = bx - ax, by - ay
    if isinstance(reading, Distance):
        return math.hypot(dx, dy)
    if isinstance(reading, Bearing):
        return math.degrees(math.atan2(dx, dy)) % 360
    size = max(math.hypot(dx, dy), 1e-12)
    px, py = values[reading.point]
    return ((px - ax) * dx + (py - ay) * dy) / size, (
        (px - ax) * dy - (py - ay) * dx
    ) / size
