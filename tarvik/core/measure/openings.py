"""Openings: each stretch between a free edge of the roof and the ground, and how much of it faces
the wind.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.kept import keep_last
from tarvik.core.measure.kernel.level_lines import union_area
from tarvik.core.measure.rim import rim_edges
from tarvik.core.measure.roof import roof_of
from tarvik.core.shelter import MOST_KEPT, Shelter

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats


FLAT: Final = np.array([1.0, 1.0, 0.0])
OPENING_LEAST_M2: Final = 1e-4
"""A smaller gap is none."""
LOPSIDED: Final = constant(
    "opening_lopsided",
    0.2,
    "1",
    ENGINEERING,
    "share of the open area that must face one way to be “the” opening",
)


@dataclass(frozen=True, slots=True)
class Opening:
    """A gap between a free edge (ends `a`, `b` in the world) and the ground under it.

    `bearing_deg` is where it looks (clockwise from +y), `area_m2` the area of the vertical gap.
    """

    edge: tuple[str, str]
    a: Floats
    b: Floats
    outward: Floats

    @property
    def bearing_deg(self) -> float:
        return math.degrees(math.atan2(self.outward[0], self.outward[1])) % 360

    @property
    def height_m(self) -> float:
        """Height of its highest end."""
        return float(max(self.a[2], self.b[2]))

    @property
    def area_m2(self) -> float:
        return float(math.hypot(*(self.b - self.a)[:2]) * (self.a[2] + self.b[2]) / 2)


@keep_last(MOST_KEPT)
def openings(shelter: Shelter) -> tuple[Opening, ...]:
    """Every opening larger than OPENING_LEAST_M2; edges that lie on another panel, or are tied to
    it, open nothing.
    """
    sealed = shelter.pitch.sealed(shelter.settings)
    every = [
        Opening(edge.points, edge.a, edge.b, edge.outward)
        for edge in rim_edges(shelter)
        if frozenset(edge.points) not in sealed
    ]
    return tuple(opening for opening in every if opening.area_m2 > OPENING_LEAST_M2)


def main_opening(found: Sequence[Opening]) -> Floats | None:
    """Level unit vector (2,) in which a shelter opens, by area; None when it opens to opposite
    sides alike.
    """
    total = sum((o.area_m2 for o in found), 0.0)
    way = sum((o.outward * o.area_m2 for o in found), np.zeros(2))
    size = float(np.hypot(*way))
    return np.asarray(way / size) if total > 0 and size >= LOPSIDED * total else None


_STEP_DEG: Final = 5
_BEARINGS_DEG: Final = np.arange(0, 360, _STEP_DEG)
_UPWIND: Final = np.stack(
    [np.sin(np.radians(_BEARINGS_DEG)), np.cos(np.radians(_BEARINGS_DEG))]
)
_OFF_BACK_DEG: Final = np.abs((_BEARINGS_DEG - 90 + 180) % 360 - 180)


def back_to_wind_deg(found: Sequence[Opening]) -> float:
    """Bearing to 5 degrees, in the shelter's own frame, from which the wind meets the least open
    area; of equals the one nearest to the back (90 degrees: a pitch fronts to -x).
    """
    outward, areas = (
        np.array([o.outward for o in found]).reshape(-1, 2),
        np.array([o.area_m2 for o in found]),
    )
    open_m2 = areas @ np.maximum(outward @ _UPWIND, 0.0)
    return float(_BEARINGS_DEG[np.argmin(np.round(open_m2, 6) + 1e-9 * _OFF_BACK_DEG)])


@keep_last(MOST_KEPT)
def open_to_wind(shelter: Shelter, wind_from_deg: float) -> float:
    """Share of the frontal area towards the wind that is open, 0 to 1.

    Both are projections on an upright plane across the wind: the openings that look into the wind,
    over the whole outline of the shelter with its openings. Cloth standing in front of an opening
    is not taken off.
    """
    return open_round(shelter, openings(shelter), [wind_from_deg])[0]


def open_round(
    shelter: Shelter, found: Sequence[Opening], bearings_deg: Sequence[float]
) -> list[float]:
    """`open_to_wind` for each of several bearings."""
    roof = roof_of(shelter)
    most = max(roof.faces.shape[1] if len(roof.faces) else 0, 4)
    outlines = np.zeros((len(roof.faces) + len(found), most, 3))
    outlines[: len(roof.faces), : roof.faces.shape[1]] = roof.faces
    sizes = np.concatenate([roof.corners, np.full(len(found), 4)]).astype(np.int64)
    for n, o in enumerate(found, start=len(roof.faces)):
        outlines[n, :4] = o.a, o.b, o.b * FLAT, o.a * FLAT
    outward = np.array([o.outward for o in found]).reshape(-1, 2)
    shares = []
    for wind_from_deg in bearings_deg:
        bearing = math.radians(wind_from_deg)
        upwind = np.array([math.sin(bearing), math.cos(bearing)])
        seen = np.stack(
            [outlines[..., 0] * upwind[1] - outlines[..., 1] * upwind[0], outlines[..., 2]],
            axis=-1,
        )
        whole = union_area(seen, sizes)
        facing = np.flatnonzero(outward @ upwind > 1e-9) + len(roof.faces)
        towards = union_area(seen[facing], sizes[facing])
        shares.append(float(min(towards / whole, 1.0)) if whole > 1e-9 else 0.0)
    return shares
