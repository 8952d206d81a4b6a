"""The registry of pitches. A new pitch is one entry in one family's module and one name here."""

from __future__ import annotations

from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.pitches.bare import BAG, NET_ONLY
from tarvik.core.pitches.boat import BOAT_NIGHT, BOAT_PORCH
from tarvik.core.pitches.closed_ridge import A_FRAME_CLOSED, A_FRAME_DOORED
from tarvik.core.pitches.corner import (
    DIAGONAL_FLY,
    FOUR_CORNER_SHADE,
    PLOW_POINT,
    PLOW_POINT_AWNING,
    PLOW_POINT_FLOORED,
)
from tarvik.core.pitches.lean_to import LEAN_TO, LEAN_TO_AWNING, LEAN_TO_FLOORED, WIND_WEDGE
from tarvik.core.pitches.lifted import LEAN_TO_LIFTED, PLOW_POINT_LIFTED
from tarvik.core.pitches.ridge import A_FRAME, A_FRAME_FLOORED, A_FRAME_FLOWN, A_FRAME_PORCH
from tarvik.core.pitches.tent import CLOSED_WEDGE, HALF_CONE, POLE_TENT
from tarvik.core.pitches.walled import LEAN_TO_WALLED
from tarvik.core.pitches.wedge import AWNING_WEDGE, CORNER_WRAP

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch

PITCHES: Final[Mapping[str, Pitch]] = MappingProxyType(
    {
        pitch.slug: pitch
        for pitch in (
            A_FRAME,
            A_FRAME_FLOWN,
            A_FRAME_PORCH,
            A_FRAME_CLOSED,
            A_FRAME_FLOORED,
            A_FRAME_DOORED,
            LEAN_TO,
            LEAN_TO_FLOORED,
            LEAN_TO_AWNING,
            LEAN_TO_WALLED,
            LEAN_TO_LIFTED,
            WIND_WEDGE,
            PLOW_POINT,
            PLOW_POINT_LIFTED,
            PLOW_POINT_FLOORED,
            PLOW_POINT_AWNING,
            DIAGONAL_FLY,
            FOUR_CORNER_SHADE,
            CORNER_WRAP,
            CLOSED_WEDGE,
            POLE_TENT,
            AWNING_WEDGE,
            HALF_CONE,
            BOAT_PORCH,
            BOAT_NIGHT,
            BAG,
            NET_ONLY,
        )
    }
)


def pitch_named(slug: str) -> Pitch:
    """The pitch of that slug. Raises InputError listing the known ones."""
    try:
        return PITCHES[slug]
    except KeyError:
        raise InputError(
            "pitch", f"no pitch “{slug[:60]}”; there are {', '.join(PITCHES)}"
        ) from None
