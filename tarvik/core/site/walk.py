"""The survey of a site as a walk: what to measure next, from the first tape on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from tarvik.core.site.reading import Distance, names_of
from tarvik.core.site.survey import next_tapes

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.site.reading import Reading
    from tarvik.core.site.survey import Survey

FIRM_BY: Final = 3
"""Tapes that hold a point and check each other."""


@dataclass(frozen=True, slots=True)
class Step:
    """A tape to measure next. `start`, `end`: points; empty where the leader chooses one.
    `far_m`: how long it will be, where that is known. `why`: what it is good for.
    """

    start: str
    end: str
    far_m: float | None
    why: str


def steps(survey: Survey | None, readings: Sequence[Reading]) -> list[Step]:
    """What to measure next, the most useful first: a triangle to begin with, then what is not
    held yet or known least well, and last a point that is new.
    """
    known = list(dict.fromkeys(name for r in readings for name in names_of(r)))
    taped = {frozenset((r.start, r.end)) for r in readings if isinstance(r, Distance)}
    if len(known) < FIRM_BY or survey is None:
        return _triangle(known, taped)
    asked = [Step(n.start, n.end, n.length_m, n.why) for n in next_tapes(survey, readings)]
    firm = [name for name in survey.names if name not in survey.loose]
    return [*asked, Step(firm[0] if firm else known[0], "", None, NEW_POINT)]


NEW_POINT: Final = (
    "is new: tape it to three points that are known, and it is held and checked"
)


def _triangle(known: Sequence[str], taped: set[frozenset[str]]) -> list[Step]:
    """The three sides that a survey begins with."""
    if len(known) < 2:
        return [
            Step(
                known[0] if known else "",
                "",
                None,
                "is the first side of a triangle: choose three trees that stand wide apart",
            )
        ]
    first, second = known[:2]
    if len(known) == 2:
        return [
            Step(
                second,
                "",
                None,
                "is the second side: a third tree, well off the line of the first two",
            )
        ]
    third = known[2]
    sides = [(first, second), (second, third), (third, first)]
    return [
        Step(start, end, None, "closes the triangle")
        for start, end in sides
        if frozenset((start, end)) not in taped
    ]
