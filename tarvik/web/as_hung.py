"""Shelters as they hang, where that is known: pages judge by the hung shape, and say where they
still see the taut fold.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from tarvik.core.cards import marks
from tarvik.core.hang.fabric import fabric_of
from tarvik.core.hang.hung import USUAL_LINES, Hanging
from tarvik.core.hang.tell import hung_figures, warnings

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.finding import Finding
    from tarvik.core.hang.tell import Told
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Tonight
    from tarvik.core.units import Units
    from tarvik.store.models import SheetRow
    from tarvik.work.hanging import Hangings

TAUT_IDEAL = "taut ideal"
AS_IT_HANGS = "as it hangs"


@dataclass(frozen=True, slots=True)
class Seen:
    """A solved shelter as a page judges it: with the hung shape's figures where they are known."""

    solution: Solution
    told: Told | None
    taut: Solution

    def findings(
        self, units: Units, names: Mapping[str, str] | None = None, people: int | None = None
    ) -> list[Finding]:
        """What the way it hangs adds to what is found of the shelter, notes left out; nothing while
        it is not known. With `people` to lie there, mats that they do not want are not missed.
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

    @property
    def words(self) -> str:
        """Which of the two shapes the figures are of."""
        return AS_IT_HANGS if self.told is not None else TAUT_IDEAL


def usual_hanging(sheet: SheetRow) -> Hanging:
    """How a sheet is hung for boards and plans: its own fabric, dry, pulled as usual."""
    return Hanging(fabric=fabric_of(sheet.material), lines=USUAL_LINES)


def seen(hangings: Hangings, pairs: Sequence[tuple[SheetRow, Solution]]) -> list[Seen]:
    """Every shelter as it hangs where that is known; the others are asked for behind the page."""
    wishes = [(solution, usual_hanging(sheet)) for sheet, solution in pairs]
    known = hangings.known(wishes)
    hangings.want(wish for wish, told in zip(wishes, known, strict=True) if told is None)
    return [as_it_hangs(solution, told) for (solution, _), told in zip(wishes, known, strict=True)]


def as_it_hangs(solution: Solution, told: Told | None) -> Seen:
    """A shelter with what is told of its hung shape; None while that is not known."""
    if told is None or solution.figures is None:
        return Seen(solution, None, solution)
    return Seen(replace(solution, figures=hung_figures(solution.figures, told)), told, solution)
