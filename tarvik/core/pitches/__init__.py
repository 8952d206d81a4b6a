"""The registry of pitches. A new pitch is one entry in one family's module and one name here."""

from __future__ import annotations

from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.pitches.corner import DIAGONAL_FLY, PLOW_POINT
from tarvik.core.pitches.lean_to import LEAN_TO, LEAN_TO_FLOORED
from tarvik.core.pitches.ridge import A_FRAME

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch

PITCHES: Final[Mapping[str, Pitch]] = MappingProxyType(
    {pitch.slug: pitch for pitch in (A_FRAME, LEAN_TO, LEAN_TO_FLOORED, PLOW_POINT, DIAGONAL_FLY)}
)


def pitch_named(slug: str) -> Pitch:
    """The pitch of that slug. Raises InputError listing the known ones."""
    try:
        return PITCHES[slug]
    except KeyError:
        raise InputError("pitch", f"no pitch «{slug[:60]}»; there are {', '.join(PITCHES)}") from None
