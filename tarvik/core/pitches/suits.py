"""For which nights practitioners take a pitch, and for which they do not (common practice)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import Final

SNOW: Final = "snow"
"""A night with snow that lies, whatever else it asks."""
POLES: Final = "poles"
"""A place without a tree: all high points stand on poles."""
NO_TIES: Final = "no tie-outs"
"""A sheet without tie-outs, all of whose points are buttons, such as a piece of plastic."""
NO_RAIN: Final = "insects, no rain"
"""A night with insects on which no rain is expected."""


class Suit(IntEnum):
    """How well a pitch serves a night; the higher the better."""

    NEVER = -1
    """Not suggested, or only under a plain warning."""
    POORLY = 0
    FAIR = 1
    WELL = 2
    FIRST = 3
    """What an experienced leader thinks of first."""


@dataclass(frozen=True, slots=True)
class Suits:
    """Kinds of night (intents by slug, SNOW, POLES, NO_TIES, NO_RAIN) by how well a pitch serves
    them; all others it serves fairly where it is `plain`, else poorly. `plain`: everybody can set
    it up.
    """

    first: tuple[str, ...] = ()
    well: tuple[str, ...] = ()
    fair: tuple[str, ...] = ()
    never: tuple[str, ...] = ()
    plain: bool = False

    def night(self, kind: str) -> Suit:
        """How well it serves a kind of night."""
        for suit, kinds in (
            (Suit.NEVER, self.never),
            (Suit.FIRST, self.first),
            (Suit.WELL, self.well),
            (Suit.FAIR, self.fair),
        ):
            if kind in kinds:
                return suit
        return Suit.FAIR if self.plain else Suit.POORLY

    def named(self, kind: str) -> bool:
        """Whether it says anything of such a night."""
        return kind in (*self.first, *self.well, *self.fair, *self.never)
