"""What a night asks of a shelter: how the room it gives is weighed once everyone lies dry."""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Setting


SHOULDER_HIGH: Final = constant(
    "shoulder_high",
    0.82,
    "of stature",
    COMMON_PRACTICE,
    "peak of a raised shelter with a net: the height of a shoulder",
)
HEAD_HIGH: Final = constant(
    "head_high",
    1.05,
    "of stature",
    COMMON_PRACTICE,
    "more peak than to stand under serves nobody",
)
OVER_TALL: Final = constant(
    "over_tall", -2.0, "1/m", ENGINEERING, "worth of a metre of peak over that height"
)


@dataclass(frozen=True, slots=True)
class Intent:
    """Weights of the search (engineering assumptions). Per square metre: `sit` (up to 0.5 a
    sleeper), `stand`, `covered`, `floor` (up to a mat a sleeper), and `air`, of all openings; per
    metre: `headroom`, of peak up to sitting height, and `peak`, of what stands above that up to
    `tall` (of stature), negative where low is better; what stands above `tall` only costs. `shut`:
    of a door that is shut. `flat`: of a roof panel that is level where STEEP_DEG sheds the rain.
    """

    slug: str
    name: str
    sit: float
    stand: float
    covered: float
    peak: float
    headroom: float = 1.0
    floor: float = 1.6
    air: float = 0.0
    shut: float = 0.0
    tall: float = HEAD_HIGH
    flat: float = 0.0

    def moves_door(self, setting: Setting) -> bool:
        """Whether a search tries how such a door stands: all of it for air, and shut where the
        pitch has it open.
        """
        return setting.is_door and (
            self.air > 0 or (self.shut > 0 and setting.default != setting.shut_at)
        )


INTENTS: Final[Mapping[str, Intent]] = MappingProxyType(
    {
        intent.slug: intent
        for intent in (
            Intent(
                "storm",
                "Storm",
                sit=0.4,
                stand=0.0,
                covered=0.0,
                peak=-3.0,
                headroom=0.5,
                shut=0.5,
            ),
            Intent(
                "steady-rain",
                "Steady rain",
                sit=1.0,
                stand=0.0,
                covered=0.15,
                peak=-1.0,
                flat=-2.0,
            ),
            Intent(
                "cold-fire", "Cold, with a fire", sit=1.0, stand=0.0, covered=0.1, peak=-0.7
            ),
            Intent(
                "warm-insects",
                "Warm, with insects",
                sit=0.8,
                stand=0.0,
                covered=0.15,
                peak=0.2,
                floor=0.3,
                air=0.08,
                tall=SHOULDER_HIGH,
            ),
            Intent(
                "fair-view",
                "Fair, with a view",
                sit=0.8,
                stand=0.3,
                covered=0.15,
                peak=0.2,
                floor=0.2,
                air=0.05,
            ),
            Intent(
                "shade",
                "Shade",
                sit=0.8,
                stand=0.4,
                covered=0.25,
                peak=0.2,
                floor=0.0,
                air=0.2,
            ),
            Intent(
                "lunch", "Lunch stop", sit=1.0, stand=0.4, covered=0.2, peak=0.0, floor=0.1
            ),
            Intent("fixed-camp", "Fixed camp", sit=1.0, stand=0.8, covered=0.2, peak=0.0),
        )
    }
)
DEFAULT_INTENT: Final = INTENTS["steady-rain"]


def intent_named(slug: str | None) -> Intent:
    """The intent of that slug (spaces and underscores allowed); steady rain when none is given.
    Raises InputError.
    """
    if slug is None:
        return DEFAULT_INTENT
    key = slug.strip().lower().replace(" ", "-").replace("_", "-")
    if key not in INTENTS:
        raise InputError(
            "intent", f"no intent “{slug[:60]}”; there are {', '.join(INTENTS)}"
        )
    return INTENTS[key]
