"""How well practitioners find a pitch to serve tonight, and the plain warning where they do not."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.finding import Finding
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Bed, PullSide
from tarvik.core.pitches.suits import NO_RAIN, NO_TIES, POLES, SNOW, Suit

if TYPE_CHECKING:
    from tarvik.core.measure.figures import Figures
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.rig.supports import Supports
    from tarvik.core.sheet import Sheet
    from tarvik.core.tonight import Night
    from tarvik.core.weather.needs import NightNeeds

LUNCH_MIN: Final = constant(
    "lunch_minutes", 5.0, "min", COMMON_PRACTICE, "longest setting up for a lunch stop"
)


def suit_tonight(pitch: Pitch, needs: NightNeeds) -> Suit:
    """How well practitioners find a pitch to serve such a night."""
    suits, slug = pitch.suits, needs.wanted.slug
    suit = suits.night(slug)
    if slug == "warm-insects" and not needs.rain_mm_h:  # a net alone does
        suit = suits.night(NO_RAIN) if suits.named(NO_RAIN) else min(suit, Suit.WELL)
    if slug == "lunch" and pitch.minutes > LUNCH_MIN:
        return Suit.NEVER
    return min(suit, suits.night(SNOW)) if needs.snowy else suit


def there(pitch: Pitch, night: Night) -> bool:
    """Whether what the pitch cannot do without is there: a net for a bed under a net alone."""
    return pitch.bed is not Bed.OPEN or night.net is not None


def suit_here(pitch: Pitch, sheet: Sheet, supports: Supports, needs: NightNeeds) -> Suit:
    """The same with this sheet and these supports: without a tree a grade more for what stands well
    on poles and one less for what pulls a lone pole over; a grade more for what a sheet without
    tie-outs makes well, and one less for a rectangle in a pitch that is made for shaped sheets.
    """
    suit = suit_tonight(pitch, needs)
    if suit is Suit.NEVER:
        return suit
    grade = int(suit)
    if supports.trees == ():
        grade += pitch.suits.named(POLES)
        grade -= pitch.pull is PullSide.LONE and not pitch.suits.named(POLES)
    grade += sheet.tie_outs == () and pitch.suits.named(NO_TIES)
    grade -= pitch.outlined is not None and sheet.box is not None
    return Suit(min(max(grade, Suit.POORLY), Suit.FIRST))


def practised(kind: str) -> tuple[str, ...]:
    """The pitches (by slug) that practitioners think of first for a kind of night; where there are
    none, those that serve it well.
    """
    suits = {slug: pitch.suits.night(kind) for slug, pitch in PITCHES.items()}
    first = tuple(slug for slug, suit in suits.items() if suit is Suit.FIRST)
    return first or tuple(slug for slug, suit in suits.items() if suit is Suit.WELL)


def unsuited(pitch: Pitch, needs: NightNeeds) -> Finding | None:
    """The plain warning of a pitch that no leader picks for such a night."""
    if suit_tonight(pitch, needs) is not Suit.NEVER:
        return None
    kind = "heavy snow" if needs.snowy and pitch.suits.night(SNOW) is Suit.NEVER else None
    night = needs.wanted.name.lower() if kind is None else kind
    return Finding(
        "unsuited",
        "pitch",
        f"practised leaders do not take this pitch for such a night ({night})",
        "take one of those suggested, if the kit allows it",
    )


def sits(figures: Figures, needs: NightNeeds) -> bool:
    """Whether one person has a place to sit; slumped is enough in a storm."""
    return figures.sits or (needs.wanted.slug == "storm" and figures.sits_slumped)
