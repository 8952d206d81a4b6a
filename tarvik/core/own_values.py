"""What a provider's own log has moved built-in values to, once a leader has chosen to go by it: how
many times ours a ground's stakes hold, and a pitch's minutes take.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.loads.holding import GROUNDS
from tarvik.core.pitches import PITCHES

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch

LEAST: Final = 0.2
MOST: Final = 5.0
"""Factors on built-in values beyond which a log is mistaken, not the built-in value."""


@dataclass(frozen=True, slots=True)
class OwnValues:
    """Factors on built-in values that are gone by: `holding` by ground, `minutes` by pitch. What is
    not named is as built in. Raises InputError for one that no log teaches.
    """

    holding: Mapping[str, float] = field(default_factory=dict, hash=False)
    minutes: Mapping[str, float] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        for name, values, known in (
            ("holding", self.holding, GROUNDS),
            ("minutes", self.minutes, PITCHES),
        ):
            for slug, factor in values.items():
                if slug not in known:
                    raise InputError(
                        name, f"there is no “{slug[:40]}” to go by own entries for"
                    )
                if not LEAST <= factor <= MOST:
                    raise InputError(name, f"{factor:g} times the built-in value is no use")

    def minutes_of(self, pitch: Pitch) -> float:
        """Minutes to set a pitch by one able person."""
        return pitch.minutes * self.minutes.get(pitch.slug, 1.0)


BUILT_IN: Final = OwnValues()
