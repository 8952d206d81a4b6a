"""Open ground in a strong wind: no sheet is a shelter there. A finding of the place."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.finding import Finding, Level
from tarvik.core.weather.wind import beaufort

if TYPE_CHECKING:
    from tarvik.core.weather.needs import NightNeeds

CODE: Final = "find_shelter"
SHELTER_FORCE: Final = constant(
    "find_shelter_force",
    7.0,
    "Beaufort",
    COMMON_PRACTICE,
    "force over open ground to get out of",
)


def open_ground(needs: NightNeeds) -> Finding | None:
    """That shelter is to be found first; None in or beside a wood, or in less wind."""
    force = beaufort(needs.wind_m_s or 0.0)
    if force < SHELTER_FORCE or needs.around.trees:
        return None
    return Finding(
        CODE,
        "place",
        f"force {force} over open ground: find shelter first",
        "the lee of a bank, a wall or a hedge, or lower ground; then the lowest settings and a "
        "second stake on the weather side",
        Level.STOPS,
    )
