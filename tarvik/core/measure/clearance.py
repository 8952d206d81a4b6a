"""How much room a person needs over the mat. All are course settings."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats

MAT_WIDTH_M: Final = constant(
    "mat_width",
    0.60,
    "m",
    "common practice (mats are 0.5 to 0.65 m wide)",
    "width of a mat",
)
MAT_EXTRA_M: Final = constant(
    "mat_extra", 0.10, "m", ENGINEERING, "length of a mat beyond the sleeper's stature"
)
STRIP_M: Final = constant(
    "clearance_strip", 0.30, "m", ENGINEERING, "width of the middle strip of the mat"
)
HEAD_M: Final = constant(
    "clearance_head", 0.50, "m", ENGINEERING, "roof height over the head end of the strip"
)
HEAD_LENGTH_M: Final = constant(
    "clearance_head_length", 0.60, "m", ENGINEERING, "length of the head end"
)
MIDDLE_M: Final = constant(
    "clearance_middle", 0.35, "m", ENGINEERING, "roof height over the middle of the strip"
)
FOOT_M: Final = constant(
    "clearance_foot",
    0.21,
    "m",
    ENGINEERING,
    "roof height over the foot end of the strip, tuned: a 7 ft "
    "corner pitch just takes a person of 1.73 m (common practice), and 0.22 m would stop at 1.72 m",
)
FOOT_LENGTH_M: Final = constant(
    "clearance_foot_length", 0.50, "m", ENGINEERING, "length of the foot end"
)
EDGE_M: Final = constant(
    "clearance_edge",
    0.14,
    "m",
    ENGINEERING,
    "roof height over the rest of the mat, tuned likewise from 0.15 m",
)
SITTING_ROOM_M: Final = constant(
    "sitting_room", 0.05, "m", ENGINEERING, "roof height above a sitting person's crown"
)


class BoxHeights(NamedTuple):
    """Roof heights wanted over the rectangles of a mat, m, in the order of `boxes`."""

    edge_m: float
    head_m: float
    middle_m: float
    foot_m: float


@dataclass(frozen=True, slots=True)
class Clearance:
    """Room over a mat, in metres. The strip runs along the middle of the mat from the head end to
    the foot end.
    """

    strip_m: float = STRIP_M
    head_m: float = HEAD_M
    head_length_m: float = HEAD_LENGTH_M
    middle_m: float = MIDDLE_M
    foot_m: float = FOOT_M
    foot_length_m: float = FOOT_LENGTH_M
    edge_m: float = EDGE_M
    mat_width_m: float = MAT_WIDTH_M
    mat_extra_m: float = MAT_EXTRA_M

    def __post_init__(self) -> None:
        for item in fields(self):
            value = getattr(self, item.name)
            if not math.isfinite(value) or not 0 <= value <= 2:
                raise InputError(
                    f"clearance.{item.name}", f"{value:g} m is outside 0 to 2 m"
                )
        if self.mat_width_m < 0.3:
            raise InputError("clearance.mat_width_m", "a mat is at least 0.3 m wide")
        if self.strip_m > self.mat_width_m:
            raise InputError(
                "clearance.strip_m", "the middle strip is no wider than the mat"
            )

    def mat_length(self, stature_m: float) -> float:
        """Length of the mat of a person of that stature."""
        return stature_m + self.mat_extra_m

    def boxes(self, stature_m: float) -> Floats:
        """Rectangles (4, 4) x0, x1, y0, y1 about the mat's centre, +x to the head: mat, head,
        middle and foot strip.
        """
        half, side, strip = (
            self.mat_length(stature_m) / 2,
            self.mat_width_m / 2,
            self.strip_m / 2,
        )
        head = half - min(self.head_length_m, 2 * half)
        foot = min(-half + self.foot_length_m, head)
        return np.array(
            [
                [-half, half, -side, side],
                [head, half, -strip, strip],
                [foot, head, -strip, strip],
                [-half, foot, -strip, strip],
            ]
        )

    def heights(self) -> BoxHeights:
        """Roof heights wanted over the four rectangles of `boxes`."""
        return BoxHeights(self.edge_m, self.head_m, self.middle_m, self.foot_m)
