"""Choose for me: each person under the own sheet in its best pitch, within the kit, those without a sheet as guests.

A plain greedy rule for the first look; it proves nothing. Those with the fewest ways to lie dry choose first.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from tarvik.core.plan.kit_use import left_after
from tarvik.core.rig.verdict import Verdict, assess

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from tarvik.core.rig.supports import Supports
    from tarvik.core.solve import Solution


@dataclass(frozen=True, slots=True)
class Sleeper:
    """A person by number with the own sheets by number."""

    person: int
    stature_m: float
    sheets: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Pick:
    """A shelter picked: its sheet, its solution, who sleeps in it."""

    sheet: int
    solution: Solution
    people: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Outcome:
    """Picks, and those for whom nothing was found."""

    picks: tuple[Pick, ...]
    unplaced: tuple[int, ...]


def choose_for_all(
    people: Sequence[Sleeper],
    spare_sheets: Sequence[int],
    solutions: Callable[[int, float], Sequence[Solution]],
    supports: Supports,
    worth: Callable[[Solution], float],
) -> Outcome:
    """Pick a shelter for each. `solutions(sheet, stature)` answers every pitch of a sheet for a person that tall."""
    ways = {p.person: sum(_dry(s) for sheet in p.sheets for s in solutions(sheet, p.stature_m)) for p in people}
    left = supports
    picks: list[Pick] = []
    guests: list[Sleeper] = []
    for person in sorted(people, key=lambda p: (ways[p.person] == 0, ways[p.person], p.person)):
        found = _best(person.sheets, person.stature_m, solutions, left, worth, {pick.sheet for pick in picks})
        if found is None:
            guests.append(person)
            continue
        picks.append(Pick(found[0], found[1], (person.person,)))
        left = left_after(left, found[1].assessment.rig) if found[1].assessment.rig else left
    unplaced: list[int] = []
    statures = {p.person: p.stature_m for p in people}
    for person in guests:
        found = _best(spare_sheets, person.stature_m, solutions, left, worth, {pick.sheet for pick in picks})
        if found is not None:
            picks.append(Pick(found[0], found[1], (person.person,)))
            left = left_after(left, found[1].assessment.rig) if found[1].assessment.rig else left
        elif (host := _host(picks, person, statures, solutions, left)) is not None:
            picks[host[0]] = host[1]
        else:
            unplaced.append(person.person)
    return Outcome(tuple(picks), tuple(unplaced))


def _dry(solution: Solution) -> bool:
    return solution.figures is not None and solution.figures.sleepers > 0 and solution.verdict is Verdict.FORMS


def _best(
    sheets: Sequence[int], stature_m: float, solutions: Callable[[int, float], Sequence[Solution]], left: Supports,
    worth: Callable[[Solution], float], taken: set[int],
) -> tuple[int, Solution] | None:  # fmt: skip
    """The most worthwhile pitch that forms with what is left of the kit."""
    best: tuple[float, int, Solution] | None = None
    for sheet in sheets:
        if sheet in taken:
            continue
        for solution in solutions(sheet, stature_m):
            if not _dry(solution) or solution.shelter is None:
                continue
            value = worth(solution)
            if best is not None and value <= best[0]:
                continue
            now = assess(solution.shelter, left)
            if now.verdict is Verdict.FORMS:
                best = (value, sheet, replace(solution, assessment=now))
    return (best[1], best[2]) if best else None


def _host(
    picks: Sequence[Pick], guest: Sleeper, statures: Mapping[int, float],
    solutions: Callable[[int, float], Sequence[Solution]], left: Supports,
) -> tuple[int, Pick] | None:  # fmt: skip
    """A shelter already picked, or the same sheet in another pitch, that takes one person more."""
    for place, pick in sorted(enumerate(picks), key=lambda item: len(item[1].people)):
        tallest = max(guest.stature_m, *(statures[p] for p in pick.people))
        for solution in solutions(pick.sheet, tallest):
            same = solution.question.pitch is pick.solution.question.pitch
            if not _dry(solution) or solution.figures is None or solution.figures.sleepers <= len(pick.people):
                continue
            if same or (solution.shelter and assess(solution.shelter, left).verdict is Verdict.FORMS):
                return place, Pick(pick.sheet, solution, (*pick.people, guest.person))
    return None
