"""Wood that can fall on a camp in or beside a wood when the wind bends the trees: a finding of the
place, not of any sheet.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.finding import Finding, Level
from tarvik.core.quantities import format_speed
from tarvik.core.units import Units

if TYPE_CHECKING:
    from tarvik.core.weather.needs import NightNeeds

CODE: Final = "falling_wood"
LOOK_M_S: Final = constant(
    "falling_wood_gust",
    17.0,
    "m/s",
    COMMON_PRACTICE,
    "gust at 10 m from which branches break: another place, or somebody who knows looks",
)
STOP_M_S: Final = constant(
    "falling_wood_stop",
    21.0,
    "m/s",
    COMMON_PRACTICE,
    "gust at 10 m from which nobody sleeps under trees until they were looked at",
)


def falling_wood(needs: NightNeeds, units: Units = Units.METRIC) -> Finding | None:
    """What the trees round a camp mean in the night's gusts; None where none stand, or the wind is
    too light to break them.
    """
    if not needs.around.trees or needs.gust < LOOK_M_S:
        return None
    stops = needs.gust >= STOP_M_S and not needs.overhead_checked
    words = f"gusts of {format_speed(needs.gust, units)} bring down branches and dead trees here"
    if needs.overhead_checked:
        words += "; the trees overhead were looked at for tonight"
    return Finding(
        CODE,
        "trees",
        words,
        "look for another place, or have somebody who knows trees look overhead and clear it",
        Level.STOPS if stops else Level.CAUTION,
    )
