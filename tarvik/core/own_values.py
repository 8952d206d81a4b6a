"""What a provider's own log has moved built-in values to, once a leader has chosen to go by it: how
many times ours a ground's stakes hold, a pitch's minutes take, shelters stand high and stakes
are drawn tight.
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


PEAK_LEAST: Final = 0.8
PEAK_MOST: Final = 1.2
"""The same of heights."""
TAUT_LEAST: Final = 0.4
TAUT_MOST: Final = 3.0
"""The same of how hard stakes are drawn."""
ALL: Final = "all"
"""Heights and how hard stakes are drawn are learned over all pitches together."""


@dataclass(frozen=True, slots=True)
class OwnValues:
    """Factors on built-in values that are gone by: `holding` by ground, `minutes` by pitch, `peak`
    of heights and `taut` of the pull with which stakes are drawn (over ALL pitches). What is not
    named is as built in. Raises InputError for one that no log teaches.
    """

    holding: Mapping[str, float] = field(default_factory=dict, hash=False)
    minutes: Mapping[str, float] = field(default_factory=dict, hash=False)
    peak: Mapping[str, float] = field(default_factory=dict, hash=False)
    taut: Mapping[str, float] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        for name, values, known, least, most in (
            ("holding", self.holding, GROUNDS, LEAST, MOST),
            ("minutes", self.minutes, PITCHES, LEAST, MOST),
            ("peak", self.peak, (ALL,), PEAK_LEAST, PEAK_MOST),
            ("taut", self.taut, (ALL,), TAUT_LEAST, TAUT_MOST),
        ):
            for slug, factor in values.items():
                if slug not in known:
                    raise InputError(
                        name, f"there is no “{slug[:40]}” to go by own entries for"
                    )
                if not least <= factor <= most:
                    raise InputError(name, f"{factor:g} times the built-in value is no use")

    @property
    def reached(self) -> float:
        """How many times as high as worked out a shelter stands once hung."""
        return self.peak.get(ALL, 1.0)

    @property
    def drawn(self) -> float:
        """How many times as hard as usual stakes are drawn by hand."""
        return self.taut.get(ALL, 1.0)

    def minutes_of(self, pitch: Pitch) -> float:
        """Minutes to set a pitch by one able person."""
        return pitch.minutes * self.minutes.get(pitch.slug, 1.0)


BUILT_IN: Final = OwnValues()
