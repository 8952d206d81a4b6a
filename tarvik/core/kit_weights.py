"""What kit weighs: estimates, until somebody puts it on the scales."""

from __future__ import annotations

from typing import Final

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant

CORD_KG_M: Final = constant(
    "cord_weight", 0.009, "kg/m", ENGINEERING, "cord of 3 to 4 mm, knots and all"
)
STAKE_KG_M: Final = constant(
    "stake_weight",
    0.085,
    "kg/m",
    ENGINEERING,
    "a stake of light alloy, per length: 20 g at 23 cm",
)
STAKE_M: Final = constant("extra_stake", 0.23, "m", ENGINEERING, "a stake of usual length")
POLE_KG_M: Final = constant("pole_weight", 0.22, "kg/m", ENGINEERING, "a pole in sections")
HEM_SHARE: Final = constant(
    "hem_weight",
    0.15,
    "1",
    ENGINEERING,
    "what hems, tie-outs and seams add to a sheet's cloth",
)
SHEET_CORD_M: Final = constant(
    "sheet_cord",
    12.0,
    "m",
    COMMON_PRACTICE,
    "cord that stays with a sheet: a light 7 x 7 ft one with its lines weighs about 0.65 kg",
)
MALLET_KG: Final = constant("mallet_weight", 0.4, "kg", ENGINEERING, "a mallet")
REPAIR_KG: Final = constant(
    "repair_weight",
    0.25,
    "kg",
    ENGINEERING,
    "tape, needle, thread, patches, spare cord and a line",
)
NET_KG: Final = constant("net_weight", 0.3, "kg", ENGINEERING, "an insect net for one")
GROUND_SHEET_KG: Final = constant(
    "ground_sheet_weight", 0.25, "kg", ENGINEERING, "a ground sheet for one"
)
LOOP_KG: Final = constant(
    "loop_weight",
    0.007,
    "kg",
    ENGINEERING,
    "a loop of 12 in (common practice) from thin cord",
)
TOGGLE_KG: Final = constant(
    "toggle_weight", 0.005, "kg", ENGINEERING, "a toggle as thick as a finger"
)


def sheet_kg(area_m2: float, cloth_kg_m2: float) -> float:
    """A sheet with its hems and the cord that stays with it.

    >>> round(sheet_kg(2.13**2, 0.105), 2)  # a light nylon one of 7 x 7 ft (common practice: 0.65)
    0.66
    """
    return area_m2 * cloth_kg_m2 * (1 + HEM_SHARE) + SHEET_CORD_M * CORD_KG_M
