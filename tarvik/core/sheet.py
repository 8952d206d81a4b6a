"""The sheet lying flat: outline, tie-outs, hood. Sheet coordinates (u, v) in metres."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

from shapely import Point, Polygon
from shapely.validation import explain_validity

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.kept import keep_last

Point2 = tuple[float, float]

SIDE_LEAST_M: Final = constant(
    "sheet_side_least", 0.5, "m", ENGINEERING, "shortest side of a sheet taken"
)
SIDE_MOST_M: Final = constant(
    "sheet_side_most", 20.0, "m", ENGINEERING, "longest side of a sheet taken"
)
TIE_OUT_REACH_M: Final = constant(
    "tie_out_reach",
    0.05,
    "m",
    ENGINEERING,
    "a tie-out this near serves a point, by its loop",
)
JOIN_OVERLAP_M: Final = constant(
    "join_overlap",
    0.30,
    "m",
    "common practice",
    "least lap of two sheets tied along an edge, as over a ridge",
)
MOST_POINTS: Final = 400
"""Most outline points or tie-outs taken for one sheet."""


class TieOuts(StrEnum):
    """Usual patterns of tie-outs. Patterns may be combined; corners are part of all but NONE."""

    NONE = "none"
    CORNERS = "corners"
    MID_SIDES = "mid-sides"
    THIRDS = "thirds"
    QUARTERS = "quarters"
    CENTRE = "centre"
    RIDGE = "ridge"


_FRACTIONS: Final = {
    TieOuts.MID_SIDES: (1 / 2,),
    TieOuts.THIRDS: (1 / 3, 2 / 3),
    TieOuts.QUARTERS: (1 / 4, 1 / 2, 3 / 4),
}


def tie_out_points(
    width_m: float, length_m: float, patterns: frozenset[TieOuts]
) -> tuple[Point2, ...]:
    """Places of the tie-outs of a rectangle for a combination of patterns, without repeats."""
    if not patterns or patterns == {TieOuts.NONE}:
        return ()
    w, length = width_m, length_m
    points: list[Point2] = [(0.0, 0.0), (w, 0.0), (w, length), (0.0, length)]
    for pattern, fractions in _FRACTIONS.items():
        if pattern in patterns:
            for t in fractions:
                points += [
                    (t * w, 0.0),
                    (w, t * length),
                    (t * w, length),
                    (0.0, t * length),
                ]
    if TieOuts.CENTRE in patterns:
        points.append((w / 2, length / 2))
    if TieOuts.RIDGE in patterns:
        points += [(w / 2, t * length) for t in (0.0, 1 / 4, 1 / 2, 3 / 4, 1.0)]
    kept: list[Point2] = []
    for point in points:
        if all(math.dist(point, other) > TIE_OUT_REACH_M for other in kept):
            kept.append(point)
    return tuple(kept)


def _checked_points(points: tuple[Point2, ...], field: str) -> None:
    if len(points) > MOST_POINTS:
        raise InputError(
            field, f"{len(points)} points are too many; give at most {MOST_POINTS}"
        )
    for i, (u, v) in enumerate(points):
        if not (
            math.isfinite(u)
            and math.isfinite(v)
            and abs(u) <= SIDE_MOST_M
            and abs(v) <= SIDE_MOST_M
        ):
            raise InputError(
                f"{field}[{i}]",
                f"({u:g}, {v:g}) is no place on a sheet of at most {SIDE_MOST_M:g} m",
            )


MOST_KEPT: Final = 512
"""Rectangles kept, so that one is checked once."""


@dataclass(frozen=True, slots=True)
class Lap:
    """Where two sheets joined lie over each other: the second begins `start_m` along the joined
    sheet, under the last `deep_m` of the first.
    """

    start_m: float
    deep_m: float


@dataclass(frozen=True, slots=True)
class Sheet:
    """A flat sheet.

    `outline` is a simple polygon in metres, no repeated last point. `tie_outs` is None when nothing
    is known of them (then any point is taken as tied), else the points that can be tied. `hood` is
    a poncho's hole, `fabric` the kind of its cloth (None: the usual), `lap` where it is two sheets
    joined. Raises InputError on a degenerate, self-crossing or out-of-range outline and on tie-outs
    off the cloth.
    """

    outline: tuple[Point2, ...]
    tie_outs: tuple[Point2, ...] | None = None
    hood: Point2 | None = None
    fabric: str | None = None
    lap: Lap | None = None

    @classmethod
    @keep_last(MOST_KEPT)
    def rectangle(
        cls,
        width_m: float,
        length_m: float,
        tie_outs: tuple[Point2, ...] | None = None,
        hood: Point2 | None = None,
        fabric: str | None = None,
    ) -> Sheet:
        """A rectangle 0..width by 0..length."""
        for name, side in (("width_m", width_m), ("length_m", length_m)):
            if not math.isfinite(side) or not SIDE_LEAST_M <= side <= SIDE_MOST_M:
                raise InputError(
                    f"sheet.{name}",
                    f"{side:g} m is outside {SIDE_LEAST_M:g} to {SIDE_MOST_M:g} m",
                )
        return cls(
            ((0.0, 0.0), (width_m, 0.0), (width_m, length_m), (0.0, length_m)),
            tie_outs,
            hood,
            fabric,
        )

    def __post_init__(self) -> None:
        _checked_points(self.outline, "sheet.outline_m")
        if len(self.outline) < 3:
            raise InputError("sheet.outline_m", "an outline needs at least three points")
        polygon = Polygon(self.outline)
        if not polygon.is_valid:
            why = explain_validity(polygon).split("[")[0].strip().lower()
            raise InputError(
                "sheet.outline_m",
                f"the outline crosses or touches itself ({why}); list the corners in order",
            )
        if polygon.area < SIDE_LEAST_M**2:
            raise InputError(
                "sheet.outline_m",
                f"the outline holds {polygon.area:.3f} m²; a sheet has more",
            )
        reach = polygon.buffer(TIE_OUT_REACH_M)
        for field, points in (
            ("tie_outs_m", self.tie_outs or ()),
            ("hood_m", (self.hood,) if self.hood else ()),
        ):
            _checked_points(points, f"sheet.{field}")
            for i, point in enumerate(points):
                if not reach.covers(Point(point)):
                    raise InputError(
                        f"sheet.{field}[{i}]",
                        f"({point[0]:g}, {point[1]:g}) is off the cloth",
                    )

    @property
    def box(self) -> tuple[float, float] | None:
        """(width, length) when the outline is an upright rectangle with a corner at the origin,
        else None.
        """
        return _box(self.outline)

    @property
    def area_m2(self) -> float:
        """Area of the cloth."""
        return float(Polygon(self.outline).area)

    @property
    def cloth(self) -> Sheet:
        """The same outline of which nothing else is known; itself when nothing is."""
        return (
            self
            if self.tie_outs is None and self.hood is None
            else _cloth(self.outline, None)
        )

    @property
    def hooded_cloth(self) -> Sheet:
        """The same outline and hood, of whose tie-outs nothing is known; itself when nothing is."""
        return self if self.tie_outs is None else _cloth(self.outline, self.hood)

    def has_tie_out(self, point: Point2) -> bool:
        """Whether the point can be tied without a button. A hood, tied off, counts as a tie-out."""
        if self.tie_outs is None:
            return True
        return any(math.dist(point, place) <= TIE_OUT_REACH_M for place in self.tied_at)

    @property
    def tied_at(self) -> tuple[Point2, ...]:
        """Where it can be tied without a button, a hood too; nowhere where nothing is known."""
        return (*(self.tie_outs or ()), *((self.hood,) if self.hood else ()))


def joined_sheet(one: Sheet, two: Sheet, overlap_m: float = JOIN_OVERLAP_M) -> Sheet:
    """Two rectangles tied along an edge as one sheet, lapped by `overlap_m` as over a ridge.

    They are joined along the sides that differ least in length, and the longer of these is folded
    back to the shorter. Tie-outs of both are kept, those of the second shifted; the fabric is taken
    for that of the first. Raises InputError for shaped sheets and too small an overlap.
    """
    if one.box is None or two.box is None:
        raise InputError("sheet.join", "only rectangles are joined along an edge")
    if not math.isfinite(overlap_m) or overlap_m < JOIN_OVERLAP_M:
        raise InputError(
            "sheet.join.overlap_m",
            f"{overlap_m:g} m is too little: overlap by {JOIN_OVERLAP_M:g} m at least",
        )
    ways = [(abs(one.box[i] - two.box[j]), i, j) for i in (0, 1) for j in (0, 1)]
    _, i, j = min(ways, key=lambda w: (round(w[0], 6), -(one.box or (0, 0))[w[1]]))
    seam = min(one.box[i], two.box[j])
    deep_one, deep_two = one.box[1 - i], two.box[1 - j]
    if overlap_m >= min(deep_one, deep_two):
        raise InputError(
            "sheet.join.overlap_m",
            f"{overlap_m:g} m is more than the smaller sheet is deep",
        )
    start = deep_one - overlap_m

    def laid(points: tuple[Point2, ...] | None, axis: int, shift: float) -> list[Point2]:
        kept = [(p[axis], p[1 - axis] + shift) for p in points or ()]
        return [p for p in kept if p[0] <= seam + TIE_OUT_REACH_M]

    ties = None
    if one.tie_outs is not None:
        ties = tuple(
            laid(one.tie_outs, i, 0.0)
            + laid(two.tie_outs or ((0.0, deep_two), (seam, deep_two)), j, start)
        )
        ties = tuple((min(u, seam), v) for u, v in ties)
    hood = laid((one.hood,), i, 0.0)[0] if one.hood else None
    whole = Sheet.rectangle(seam, start + deep_two, ties, hood, one.fabric)
    return replace(whole, lap=Lap(start, overlap_m))


@keep_last(MOST_KEPT)
def _cloth(outline: tuple[Point2, ...], hood: Point2 | None) -> Sheet:
    return Sheet(outline, None, hood)


@keep_last(4096)
def _box(outline: tuple[Point2, ...]) -> tuple[float, float] | None:
    width = max(u for u, _ in outline)
    length = max(v for _, v in outline)
    on_rim = all(
        min(abs(u), abs(u - width)) < 1e-9 or min(abs(v), abs(v - length)) < 1e-9
        for u, v in outline
    )
    full = abs(Polygon(outline).area - width * length) < 1e-9
    return (
        (width, length)
        if on_rim and full and min(min(p) for p in outline) >= -1e-9
        else None
    )
