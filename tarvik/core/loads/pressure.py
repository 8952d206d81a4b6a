"""Wind pressure on panels: what pushes and what sucks, by slope and by how a panel faces the wind.

A shelter that is closed towards the weather is a pitched roof that stands on the ground: pressure
outside by the tables for such roofs, inside by its openings. Where air comes in under it from the
weather side it is a canopy. Between the two goes the share of its front that is open. Each wind
gives two cases: all panels pushed in as hard as may be, and all sucked out; pushes and pulls never
cancel on a panel that stands oblique, for a gust veers.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.loads.snow import snow_on_panels
from tarvik.core.measure.openings import open_to_wind, openings
from tarvik.core.plane import cross
from tarvik.core.shelter import RECENT, Shelter

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats

CANOPY: Final = (
    "EN 1991-1-4:2005, table 7.6 (monopitch canopies, overall force coefficients); "
    "values from memory"
)
ROOF: Final = (
    "EN 1991-1-4:2005, tables 7.1 and 7.4a (walls, duopitch roofs; means over zones); values from "
    "memory"
)
INSIDE: Final = "EN 1991-1-4:2005, 7.2.9 (internal pressure); values from memory"
CANOPY_SLOPES_DEG: Final = (0.0, 5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 90.0)
ROOF_SLOPES_DEG: Final = (0.0, 15.0, 30.0, 45.0, 60.0, 75.0, 90.0)


def _table(
    name: str, slopes: Sequence[float], values: Sequence[float], source: str, meaning: str
) -> tuple[float, ...]:
    return tuple(
        constant(
            f"{name}_{slope:.0f}",
            value,
            "1",
            source,
            meaning.format(f"{slope:.0f} degrees"),
        )
        for slope, value in zip(slopes, values, strict=True)
    )


CANOPY_PUSH: Final = _table(
    "canopy_push",
    CANOPY_SLOPES_DEG,
    (0.2, 0.4, 0.5, 0.7, 0.8, 1.0, 1.2, 1.2),
    CANOPY,
    "push on a panel of {}, air on both sides",
)
CANOPY_PULL: Final = _table(
    "canopy_pull",
    CANOPY_SLOPES_DEG,
    (1.3, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 0.5),
    CANOPY,
    "pull on a panel of {}, air coming in under it",
)
FRONT_PUSH: Final = _table(
    "front_push",
    ROOF_SLOPES_DEG,
    (0.1, 0.2, 0.55, 0.65, 0.7, 0.8, 0.8),
    ROOF,
    "push outside on a panel of {} that faces the wind",
)
FRONT_PULL: Final = _table(
    "front_pull",
    ROOF_SLOPES_DEG,
    (0.7, 0.5, 0.3, 0.0, 0.0, 0.0, 0.0),
    ROOF,
    "pull outside on a panel of {} that faces the wind",
)
LEE_PULL: Final = _table(
    "lee_pull",
    ROOF_SLOPES_DEG,
    (0.7, 0.6, 0.45, 0.3, 0.3, 0.3, 0.5),
    ROOF,
    "pull outside on a panel of {} in the lee",
)
SIDE_PULL: Final = _table(
    "side_pull",
    ROOF_SLOPES_DEG,
    (0.7, 0.7, 0.8, 0.8, 0.8, 0.8, 0.8),
    ROOF,
    "pull outside on a panel of {} along which the wind blows",
)
INSIDE_PUSH: Final = constant(
    "inside_push", 0.2, "1", INSIDE, "most pressure inside a shelter closed to the weather"
)
INSIDE_PULL: Final = constant(
    "inside_pull", 0.3, "1", INSIDE, "most suction inside a shelter closed all round"
)
OPENING_SIDE: Final = constant(
    "opening_side_pull", 0.6, "1", ROOF, "suction at an opening along which the wind blows"
)
OPENING_LEE: Final = constant(
    "opening_lee_pull", 0.4, "1", ROOF, "suction at an opening in the lee"
)
OPENING_SHARE: Final = constant(
    "opening_share",
    0.9,
    "1",
    INSIDE,
    "share of the pressure at its openings that is felt inside",
)
SECTOR_DEG: Final = 45.0
"""A wind this far to either side of square on is as good as square on (EN 1991-1-4, 7.2.5)."""
NEAR_LEVEL_DEG: Final = constant(
    "near_level",
    1.0,
    "degrees",
    ENGINEERING,
    "a flatter panel has no side that faces the wind",
)
USUAL_SPREADS_DEG: Final = (30.0, 45.0)
"""Spreads of the wind's bearing that surroundings have."""
FLAT_DEG: Final = 90.0
"""Angle from the wind at which a level panel counts: neither in front nor in the lee."""


@dataclass(frozen=True, slots=True)
class PanelLoad:
    """One panel in the wind: area (m2), slope (degrees), net coefficient (push positive), force
    (3,) in newtons at `centre` (3,).
    """

    id: str
    area_m2: float
    slope_deg: float
    coefficient: float
    force_n: Floats
    centre: Floats


@dataclass(frozen=True, slots=True)
class WindCase:
    """One wind on a shelter: from where in the shelter's frame, whether it pushes all panels in or
    sucks all out, and the loads of its panels. `snow`: no wind but snow, lying still.
    """

    wind_from_deg: float
    pushes: bool
    loads: tuple[PanelLoad, ...]
    snow: bool = False


def _at(slope_deg: float, values: Sequence[float]) -> float:
    return float(np.interp(slope_deg, ROOF_SLOPES_DEG, values))


def outside(slope_deg: float, off_deg: float, *, pushes: bool) -> float:
    """Pressure coefficient on the outer face, push positive: the most, or the least, that a wind
    `off_deg` (0 to 180) off square on gives.
    """
    front = _at(slope_deg, FRONT_PUSH) if pushes else -_at(slope_deg, FRONT_PULL)
    beside = 0.0 if pushes else -_at(slope_deg, SIDE_PULL)
    lee = -_at(slope_deg, LEE_PULL)
    marks = (SECTOR_DEG, 90.0, 180.0 - SECTOR_DEG)
    return float(np.interp(off_deg, marks, (front, beside, lee)))


def canopy(slope_deg: float, off_deg: float, *, pushes: bool) -> float:
    """Net coefficient with air on both sides: push where it faces the wind, pull in the lee."""
    push = float(np.interp(slope_deg, CANOPY_SLOPES_DEG, CANOPY_PUSH))
    pull = float(np.interp(slope_deg, CANOPY_SLOPES_DEG, CANOPY_PULL))
    if pushes:
        return float(np.interp(off_deg, (SECTOR_DEG, 180.0 - SECTOR_DEG), (push, 0.0)))
    side = min(_at(slope_deg, SIDE_PULL), pull)
    marks = (SECTOR_DEG, 90.0, 180.0 - SECTOR_DEG)
    return float(np.interp(off_deg, marks, (0.0, -side, -pull)))


def inside(shelter: Shelter, upwind: Floats, *, pushes: bool) -> float:
    """Pressure coefficient inside a shelter closed to the weather: the least where panels are
    pushed in, the most where they are sucked out. `upwind` (2,): unit vector to the wind.
    """
    if not pushes:
        return INSIDE_PUSH
    felt = area = 0.0
    for opening in openings(shelter):
        facing = float(opening.outward @ upwind)
        share = opening.area_m2 * (
            1 - max(facing, 0.0)
        )  # what faces the weather is the canopy's
        felt -= share * (OPENING_SIDE + min(facing, 0.0) * (OPENING_SIDE - OPENING_LEE))
        area += share
    least = OPENING_SHARE * felt / area if area else 0.0
    return min(least, -INSIDE_PULL)


@dataclass(frozen=True, slots=True)
class _Faced:
    """A panel as the wind meets it: area (m2), slope (degrees), its outward side (3,), middle."""

    id: str
    area_m2: float
    slope_deg: float
    up: Floats
    centre: Floats

    def off_deg(self, upwind: Floats) -> float:
        """Angle between the wind and its level outward side."""
        if self.slope_deg <= NEAR_LEVEL_DEG:
            return FLAT_DEG
        level = self.up[:2] / max(math.hypot(*self.up[:2]), 1e-12)
        return math.degrees(math.acos(min(max(float(level @ upwind), -1.0), 1.0)))


@keep_last(RECENT)
def _faced(shelter: Shelter) -> tuple[_Faced, ...]:
    """Every panel but floors. The outer side of a roof looks up, that of an upright wall away from
    the middle.
    """
    out = []
    for face in shelter.faces():
        if face.role is Role.FLOOR:
            continue
        area_vector = cross(face.xyz, np.roll(face.xyz, -1, axis=0)).sum(axis=0) / 2
        area = float(np.linalg.norm(area_vector))
        if area < 1e-9:
            continue
        up = area_vector / area
        away = up[:2] @ (face.xyz.mean(axis=0) - shelter.xyz.mean(axis=0))[:2]
        if up[2] < 0 or (up[2] < 1e-9 and away < 0):
            up = -up
        slope = math.degrees(math.acos(min(max(float(up[2]), -1.0), 1.0)))
        out.append(_Faced(face.id, area, slope, up, _centroid(face.xyz)))
    return tuple(out)


def panel_loads(
    shelter: Shelter, wind_from_deg: float, pressure_pa: float, *, pushes: bool = True
) -> list[PanelLoad]:
    """Wind on every panel but floors. `wind_from_deg` is a bearing in the shelter's frame (90:
    +x).
    """
    bearing = math.radians(wind_from_deg)
    upwind = np.array([math.sin(bearing), math.cos(bearing)])
    open_share = open_to_wind(shelter, wind_from_deg % 360)
    within = inside(shelter, upwind, pushes=pushes)
    out = []
    for face in _faced(shelter):
        off, slope = face.off_deg(upwind), face.slope_deg
        closed = outside(slope, off, pushes=pushes) - within
        c = (1 - open_share) * closed + open_share * canopy(slope, off, pushes=pushes)
        force = -c * pressure_pa * face.area_m2 * face.up
        out.append(PanelLoad(face.id, face.area_m2, slope, c, force, face.centre))
    return out


def wind_cases(
    shelter: Shelter, wind_from_deg: float, spread_deg: float, pressure_pa: float
) -> list[WindCase]:
    """Every case of a wind that swings by a spread to either hand: each pushing and sucking. A
    wider spread looks at all that a narrower usual one does; of two cases that are each other's
    mirror image only one is told.
    """
    out: list[WindCase] = []
    seen: set[tuple[object, ...]] = set()
    wide = [s for s in USUAL_SPREADS_DEG if s < spread_deg] + [spread_deg]
    for swing in dict.fromkeys((0.0, *(side * s for s in wide for side in (1.0, -1.0)))):
        bearing = (wind_from_deg + swing) % 360
        for pushes in (True, False):
            loads = tuple(panel_loads(shelter, bearing, pressure_pa, pushes=pushes))
            alike = tuple(
                sorted((round(p.coefficient, 6), round(p.area_m2, 6)) for p in loads)
            )
            if (pushes, alike) not in seen:
                seen.add((pushes, alike))
                out.append(WindCase(bearing, pushes, loads))
    return out


def snow_case(shelter: Shelter, wind_from_deg: float, kg_m2: float) -> WindCase:
    """Snow lying on the panels in still air: gusts shake smooth cloth, and what they shake off they
    do not press on.
    """
    per_m2 = {
        p.id: n for p, n in zip(shelter.panels, snow_on_panels(shelter, kg_m2), strict=True)
    }
    down = np.array([0.0, 0.0, -1.0])
    loads = tuple(
        PanelLoad(
            face.id,
            face.area_m2,
            face.slope_deg,
            0.0,
            down * float(per_m2[face.id]) * face.area_m2,
            face.centre,
        )
        for face in _faced(shelter)
    )
    return WindCase(wind_from_deg, pushes=True, loads=loads, snow=True)


def _centroid(xyz: Floats) -> Floats:
    """Centre of area of a flat polygon."""
    first = xyz[0]
    crosses = np.array(
        [cross(xyz[i] - first, xyz[i + 1] - first) for i in range(1, len(xyz) - 1)]
    )
    total = crosses.sum(axis=0)
    weights = crosses @ total / max(float(total @ total), 1e-18)
    centres = np.array([(first + xyz[i] + xyz[i + 1]) / 3 for i in range(1, len(xyz) - 1)])
    return np.asarray(weights @ centres)
