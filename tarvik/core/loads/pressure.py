"""Wind pressure on panels: coefficients by slope and by how a panel faces the wind.

Push on panels that face the wind, pull on those that look away or along it; one value over each
panel. Between the three the value follows the cosine of the angle between the wind and the panel's
outward side (an engineering assumption; the tables give only the three). Both sides of the cloth
are in the air, so net coefficients are used.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.plane import cross

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Shelter

CANOPY: Final = (
    "EN 1991-1-4:2005, table 7.6 (monopitch canopies, overall force coefficients); "
    "values from "
    "memory"
)
WALLS: Final = (
    "EN 1991-1-4:2005, table 7.9 (free-standing walls, zone D) and table 7.1 (walls); "
    "values from "
    "memory"
)
SLOPES_DEG: Final = (0.0, 5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 90.0)
PUSH: Final = tuple(
    constant(
        f"push_{slope:.0f}",
        value,
        "1",
        WALLS if slope > 30 else CANOPY,
        f"push on a panel of {slope:.0f} degrees facing the wind",
    )
    for slope, value in zip(SLOPES_DEG, (0.2, 0.4, 0.5, 0.7, 0.8, 1.0, 1.2, 1.2), strict=True)
)
PULL: Final = tuple(
    constant(
        f"pull_{slope:.0f}",
        value,
        "1",
        WALLS if slope > 30 else CANOPY,
        f"pull on a panel of {slope:.0f} degrees in the lee",
    )
    for slope, value in zip(SLOPES_DEG, (1.3, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 0.5), strict=True)
)
SIDE: Final = constant("pull_side", 0.8, "1", WALLS, "pull on a panel along which the wind blows")
NEAR_LEVEL_DEG: Final = constant(
    "near_level", 1.0, "degrees", ENGINEERING, "a flatter panel has no side that faces the wind"
)


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


def coefficient(slope_deg: float, facing: float) -> float:
    """Net pressure coefficient, positive for push against the outer face.

    `facing` is the cosine between the direction to the wind and the panel's level outward side: 1
    square on, 0 along,
    -1 in the lee.
    """
    push = float(np.interp(slope_deg, SLOPES_DEG, PUSH))
    pull = float(np.interp(slope_deg, SLOPES_DEG, PULL))
    side = min(SIDE, pull)
    return (
        facing * push - (1 - facing) * side if facing >= 0 else facing * pull - (1 + facing) * side
    )


def panel_loads(shelter: Shelter, wind_from_deg: float, pressure_pa: float) -> list[PanelLoad]:
    """Wind on every panel but floors. `wind_from_deg` is a bearing in the shelter's frame (90:
    +x).
    """
    bearing = np.radians(wind_from_deg)
    upwind = np.array([np.sin(bearing), np.cos(bearing)])
    out = []
    for face in shelter.faces():
        if face.role is Role.FLOOR:
            continue
        area_vector = cross(face.xyz, np.roll(face.xyz, -1, axis=0)).sum(axis=0) / 2
        area = float(np.linalg.norm(area_vector))
        if area < 1e-9:
            continue
        up = area_vector / area
        if up[2] < 0 or (
            up[2] < 1e-9 and up[:2] @ (face.xyz.mean(axis=0) - shelter.xyz.mean(axis=0))[:2] < 0
        ):
            up = (
                -up
            )  # the outer side of a roof looks up, that of an upright wall away from the middle
        slope = float(np.degrees(np.arccos(np.clip(up[2], -1, 1))))
        level = float(np.hypot(*up[:2]))
        facing = float(up[:2] @ upwind) / level if slope > NEAR_LEVEL_DEG else -1.0
        c = coefficient(slope, facing)
        out.append(
            PanelLoad(face.id, area, slope, c, -c * pressure_pa * area * up, _centroid(face.xyz))
        )
    return out


def _centroid(xyz: Floats) -> Floats:
    """Centre of area of a flat polygon."""
    first = xyz[0]
    crosses = np.array([cross(xyz[i] - first, xyz[i + 1] - first) for i in range(1, len(xyz) - 1)])
    total = crosses.sum(axis=0)
    weights = crosses @ total / max(float(total @ total), 1e-18)
    centres = np.array([(first + xyz[i] + xyz[i + 1]) / 3 for i in range(1, len(xyz) - 1)])
    return np.asarray(weights @ centres)
