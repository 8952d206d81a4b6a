"""What a plan aims at, the most important first: each aim counts before all those after it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

from tarvik.core.units import Units, format_length

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

TENTHS: Final = 10
"""Minutes, metres and grades are counted in tenths, for a plan's sums are whole numbers."""


class Counts(StrEnum):
    """What an aim's number counts."""

    PEOPLE = "people"
    SHELTERS = "shelters"
    MINUTES = "minutes"
    METRES = "metres"
    POINTS = "points"


@dataclass(frozen=True, slots=True)
class PlanAim:
    """One aim: how it is kept (`slug`), named, headed in a table, counted, and explained."""

    slug: str
    words: str
    heading: str
    counts: Counts
    explained: str
    none: str = "none"

    def told(self, value: int, units: Units = Units.METRIC) -> str:
        """A value of this aim in words.

        >>> aim_named("wet").told(0), aim_named("wet").told(2), aim_named("quick").told(125)
        ('nobody', '2 people', '12 min')
        """
        if not value:
            return self.none
        if self.counts is Counts.PEOPLE:
            return "1 person" if value == 1 else f"{value} people"
        if self.counts is Counts.SHELTERS:
            return "1 shelter" if value == 1 else f"{value} shelters"
        if self.counts is Counts.MINUTES:
            return f"{value / TENTHS:.0f} min"
        if self.counts is Counts.METRES:
            return format_length(value / TENTHS, units)
        return f"{value} points" if value != 1 else "1 point"


PLAN_AIMS: Final = (
    PlanAim(
        "wet",
        "nobody wet",
        "Wet",
        Counts.PEOPLE,
        "people with no place to sleep that stays dry in tonight's wind and rain",
        "nobody",
    ),
    PlanAim(
        "holds",
        "every shelter holds tonight",
        "Does not hold",
        Counts.SHELTERS,
        "shelters that something in tonight's weather stops; what does not hold, with all the help "
        "at hand, is not offered, so a plan has none",
    ),
    PlanAim(
        "rules",
        "rules kept",
        "Preferences not met",
        Counts.POINTS,
        "10 for each spare bed wanted and not there, 10 for each shelter in which people lie "
        "tightly (only where they have no other place), 3 for each shelter of novices out of a "
        "leader's earshot or sight, 5 for each pitch that no leader picks for such a night, 2 for "
        "each hard pitch without a practised person, 1 for each caution of the ground, 1 for each "
        "person beside a snorer",
    ),
    PlanAim(
        "exposed",
        "nobody in the wind",
        "In the wind",
        Counts.PEOPLE,
        "people in shelters more than half open towards a wind of force 4 or more",
        "nobody",
    ),
    PlanAim(
        "moves",
        "few changes to what stands",
        "Changes to what stands",
        Counts.POINTS,
        "shelters put up, taken down or changed, and people who go to another sheet",
    ),
    PlanAim(
        "own kit",
        "own sheet and own kit",
        "Sheets and kit lent or made",
        Counts.POINTS,
        "10 for each person who leaves their own sheet, 4 for each sheet used without its owner, 3 "
        "for each pair of sheets joined, 1 for each piece of kit lent, each button, each join of "
        "two lines and each cut stick",
    ),
    PlanAim(
        "comfort",
        "comfort",
        "Less than comfortable",
        Counts.POINTS,
        "for each shelter, in tenths of a grade, how far its pitch falls short of a first choice "
        "for such a night; 4 for each person without room to sit, 4 for each who does not lie "
        "with ease, 15 for each beyond two under one sheet",
    ),
    PlanAim(
        "few",
        "few shelters",
        "Shelters",
        Counts.SHELTERS,
        "shelters to be put up",
    ),
    PlanAim(
        "quick",
        "quick to set",
        "To set up",
        Counts.MINUTES,
        "minutes to set all shelters, each by one able person",
    ),
    PlanAim(
        "compact",
        "close together",
        "Ways to fire and water",
        Counts.METRES,
        "metres from the heart of the camp to each shelter, and a quarter of those it is farther "
        "from water, added up",
    ),
)
AIMS: Final = tuple(aim.slug for aim in PLAN_AIMS)
"""Aims in the order taken unless the leader says otherwise, under the school of own sheets;
"moves" only counts when something stands already.
"""
SHARING: Final = "share"
"""The school that would rather share, to be warmer and to save pitches."""
OWN: Final = "own"
"""The school under which who lies dry under their own sheet sleeps there."""
_BY_SLUG: Final = {aim.slug: aim for aim in PLAN_AIMS}


def aim_named(slug: str) -> PlanAim:
    """The aim of that slug."""
    return _BY_SLUG[slug]


def usual_order(school: str) -> tuple[str, ...]:
    """The order of the aims that a school takes: who would rather share puts few shelters in the
    place of own sheets.
    """
    if school != SHARING:
        return AIMS
    rest = [slug for slug in AIMS if slug not in ("own kit", "few")]
    at = rest.index("comfort")
    return (*rest[:at], "few", *rest[at : at + 1], "own kit", *rest[at + 1 :])


def in_order(kept: Iterable[str], usual: Sequence[str]) -> tuple[str, ...]:
    """All aims in the order kept; those that it does not name come after what they usually come
    after.

    >>> in_order(("rules", "wet"), ("wet", "holds", "rules"))
    ('rules', 'wet', 'holds')
    """
    out = list(dict.fromkeys(slug for slug in kept if slug in usual))
    for n, slug in enumerate(usual):
        if slug not in out:
            before = [s for s in usual[:n] if s in out]
            out.insert(out.index(before[-1]) + 1 if before else 0, slug)
    return tuple(out)
