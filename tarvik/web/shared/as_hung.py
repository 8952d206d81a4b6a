"""Shelters as they hang: what every page shows and judges."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from tarvik.core.cards import marks
from tarvik.core.hang.hung import usual_hanging
from tarvik.core.hang.tell import hung_figures, warnings

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.finding import Finding
    from tarvik.core.hang.tell import Told
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Tonight
    from tarvik.core.units import Units
    from tarvik.work.hanging import Hangings


@dataclass(frozen=True, slots=True)
class Seen:
    """A solved shelter as a page judges it: with the figures of its hung shape. `told` is None
    where nothing hangs, for the sheet lies on the ground or on who is in it.
    """

    solution: Solution
    told: Told | None
    taut: Solution

    def findings(
        self,
        units: Units,
        names: Mapping[str, str] | None = None,
        people: int | None = None,
    ) -> list[Finding]:
        """What the way it hangs adds to what is found of the shelter, notes left out. With `people`
        to lie there, mats that they do not want are not missed.
        """
        if self.told is None or self.taut.figures is None:
            return []
        return warnings(self.told, self.taut.figures, units, names, people)

    def judged(self, tonight: Tonight, units: Units, people: int | None = None) -> Tonight:
        """A judgement with what the way it hangs adds: what stops a shelter leaves it short of
        something.
        """
        names = None if self.taut.shelter is None else marks(self.taut.shelter)
        return tonight.hung_too(self.findings(units, names, people))


def seen(hangings: Hangings, solutions: Sequence[Solution]) -> list[Seen]:
    """Every shelter as it hangs."""
    asked = [s.question for s in solutions]
    wishes = [
        (s, usual_hanging(q.sheet, q.reached, q.drawn))
        for s, q in zip(solutions, asked, strict=True)
    ]
    told = hangings.told(wishes)
    return [
        as_it_hangs(solution, one) for (solution, _), one in zip(wishes, told, strict=True)
    ]


def as_it_hangs(solution: Solution, told: Told | None) -> Seen:
    """A shelter with the account of its hung shape, None where nothing hangs."""
    if told is None or solution.figures is None:
        return Seen(solution, None, solution)
    return Seen(
        replace(solution, figures=hung_figures(solution.figures, told)), told, solution
    )
