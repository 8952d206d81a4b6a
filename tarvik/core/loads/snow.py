"""Snow on the sheet: how much lies on each panel, and the load that it is. Steep cloth sheds it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.runoff import downhill
from tarvik.core.units import GRAVITY

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Shelter

SNOW: Final = (
    "EN 1991-1-3:2003, 5.3.2 (shape coefficient of a sloping roof); values from memory"
)
SNOW_ALL_DEG: Final = constant(
    "snow_all", 30.0, "degrees", SNOW, "steepest roof that keeps all of its snow"
)
SNOW_NONE_DEG: Final = constant(
    "snow_none", 60.0, "degrees", SNOW, "steepest roof that keeps any snow"
)
SNOW_SHARE: Final = constant(
    "snow_share", 0.8, "1", SNOW, "snow on a roof over snow on the ground"
)
HEAVY_KG_M2: Final = constant(
    "snow_heavy",
    5.0,
    "kg/m2",
    COMMON_PRACTICE,
    "snow lying on flat cloth (5 cm of new snow) that bags it out and brings it down",
)


def snow_share(slope: float) -> float:
    """Snow that stays on a roof of a slope (rise over run), over that on level ground."""
    above = SNOW_NONE_DEG - math.degrees(math.atan(slope))
    return SNOW_SHARE * float(np.clip(above / (SNOW_NONE_DEG - SNOW_ALL_DEG), 0.0, 1.0))


def snow_on_panels(shelter: Shelter, kg_m2: float) -> Floats:
    """Snow's weight on each panel (p,), N to a square metre of its cloth, with `kg_m2` on level
    ground.
    """
    out = np.zeros(len(shelter.panels))
    for k, face in enumerate(shelter.faces()):
        fall = None if face.role is Role.FLOOR else downhill(face.xyz)
        if fall is not None:
            slope = float(np.hypot(*fall))
            out[k] = GRAVITY * kg_m2 * snow_share(slope) / math.hypot(1.0, slope)
    return out
