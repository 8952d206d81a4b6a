"""A net under the sheet: whether it hangs free, touches the cloth or does not fit, and where to
hang it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.measure.kernel.nets import most_air

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.roof import Roof

FREE_M: Final = constant(
    "net_free",
    0.05,
    "m",
    ENGINEERING,
    "air between a net and the cloth for it to hang free",
)
TOUCH_M: Final = constant(
    "net_touch",
    0.15,
    "m",
    ENGINEERING,
    "a net pressed in by no more than this only touches",
)
_PLACE_M: Final = 0.10
_TURN_DEG: Final = 10
SAME_AIR_M: Final = 1e-9
"""Another heading counts only where it has more air than this."""


class NetKind(StrEnum):
    """A box hangs by its four upper corners, a point net by one."""

    BOX = "box"
    POINT = "point"


class Fit(StrEnum):
    """How a net fits."""

    FREE = "hangs free"
    TOUCHES = "touches"
    NO = "does not fit"


@dataclass(frozen=True, slots=True)
class Net:
    """A net spread to `length_m` by `width_m` on the ground, `height_m` tall. A point net runs to a
    point.
    """

    kind: NetKind
    length_m: float
    width_m: float
    height_m: float

    def __post_init__(self) -> None:
        for name, most in (("length_m", 6.0), ("width_m", 6.0), ("height_m", 4.0)):
            value = getattr(self, name)
            if not math.isfinite(value) or not 0.2 <= value <= most:
                raise InputError(f"net.{name}", f"{value:g} m is outside 0.2 to {most:g} m")

    def surface(self) -> Floats:
        """Points (K, 3) of the net that come nearest to a roof, about its middle, length along
        +x.
        """
        half, side = self.length_m / 2, self.width_m / 2
        if self.kind is NetKind.BOX:
            x, y = np.meshgrid(np.linspace(-half, half, 7), np.linspace(-side, side, 5))
            return np.column_stack([x.ravel(), y.ravel(), np.full(x.size, self.height_m)])
        rim = [
            (half, side),
            (half, 0),
            (half, -side),
            (0, side),
            (0, -side),
            (-half, side),
            (-half, 0),
            (-half, -side),
        ]
        ways = np.array([(x, y, 0.0) for x, y in rim])
        top = np.array([0.0, 0.0, self.height_m])
        return np.vstack([top, *(top + t * (ways - top) for t in (0.25, 0.5, 0.75, 1.0))])


@dataclass(frozen=True, slots=True)
class NetFit:
    """How it fits at the best place: middle (m), heading (degrees anticlockwise from +x, along its
    length), the least air between net and cloth (negative: pressed in), and the height of the roof
    over its middle.
    """

    fit: Fit
    x: float
    y: float
    heading_deg: float
    air_m: float
    roof_m: float


def hang_net(roof: Roof, net: Net) -> NetFit:
    """The best place for a net, on a grid of 10 cm and 10 degrees. Its whole foot must stand on
    covered ground.
    """
    low, high = roof.faces[..., :2].min(axis=(0, 1)), roof.faces[..., :2].max(axis=(0, 1))
    x, y = (np.arange(a, b + _PLACE_M, _PLACE_M) for a, b in zip(low, high, strict=True))
    places = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    over = roof.height_at(places)
    keep = np.nan_to_num(over, nan=-1.0) >= net.height_m - TOUCH_M
    places, over = places[keep], over[keep]
    turns = np.arange(0, 180, _TURN_DEG)
    k, turn, air = most_air(
        roof.faces,
        roof.corners,
        roof.plane,
        places,
        net.surface(),
        np.radians(turns),
        SAME_AIR_M,
    )
    if k < 0:
        centre = (low + high) / 2
        return NetFit(Fit.NO, float(centre[0]), float(centre[1]), 0.0, -net.height_m, 0.0)
    fit = Fit.FREE if air >= FREE_M else Fit.TOUCHES if air >= -TOUCH_M else Fit.NO
    x_m, y_m = places[k]
    return NetFit(
        fit, float(x_m), float(y_m), float(turns[turn]), float(air), float(over[k])
    )
