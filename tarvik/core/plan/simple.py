"""Choose for me: each person under the own sheet in its best pitch, within the kit, those without a sheet as guests.

A plain greedy rule for the first look; it proves nothing. Those with the fewest ways to lie dry choose first.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final, TypeAlias

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.plan.kit_use import left_after
from tarvik.core.rig.verdict import Verdict, assess

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from tarvik.core.rig.supports import Supports
    from tarvik.core.solve import Solution


Answers: TypeAlias = "Callable[[int, float, int], Sequence[Solution]]"

SIT_ENOUGH_M2: Final = constant("choice_sit_enough", 0.8, "m2", ENGINEERING, "sitting ground beyond which more is not valued")
DRY_ENOUGH_M2: Final = constant("choice_dry_enough", 4.0, "m2", ENGINEERING, "dry ground beyond which more is not valued")
SIT_WORTH: Final = constant("choice_sit_worth", 2.0, "1", ENGINEERING, "worth of enough sitting ground")
DRY_WORTH: Final = constant("choice_dry_worth", 1.0, "1", ENGINEERING, "worth of enough dry ground")
MINUTE_COST: Final = constant("choice_minute_cost", 0.05, "1/min", ENGINEERING, "cost of a minute's setting up")
JOIN_COST: Final = constant("choice_join_cost", 0.3, "1", ENGINEERING, "cost of joining lines")


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
    solutions: Answers,
    supports: Supports,
) -> Outcome:
    """Pick a shelter for each. `solutions(sheet, stature, sleepers)` answers every pitch of a sheet for people so tall."""
    ways = {p.person: sum(_dry(s) for sheet in p.sheets for s in solutions(sheet, p.stature_m, 1)) for p in people}
    left = supports
    picks: list[Pick] = []
    guests: list[Sleeper] = []
    for person in sorted(people, key=lambda p: (ways[p.person] == 0, ways[p.person], p.person)):
        found = _best(person.sheets, person.stature_m, solutions, left, {pick.sheet for pick in picks})
        if found is None:
            guests.append(person)
            continue
        picks.append(Pick(found[0], found[1], (person.person,)))
        left = left_after(left, found[1].assessment.rig) if found[1].assessment.rig else left
    unplaced: list[int] = []
    statures = {p.person: p.stature_m for p in people}
    for person in guests:
        found = _best(spare_sheets, person.stature_m, solutions, left, {pick.sheet for pick in picks})
        if found is not None:
            picks.append(Pick(found[0], found[1], (person.person,)))
            left = left_after(left, found[1].assessment.rig) if found[1].assessment.rig else left
        elif (host := _host(picks, person, statures, solutions, left)) is not None:
            picks[host[0]] = host[1]
        else:
            unplaced.append(person.person)
    return Outcome(tuple(picks), tuple(unplaced))


def worth(solution: Solution) -> float:
    """What a shelter is worth to one sleeper: room to sit up first, then dry ground, then a quick and simple pitch."""
    figures = solution.figures
    if figures is None:
        return 0.0
    joined = any(r.code == "line_joined" for r in solution.assessment.reasons)
    return (
        SIT_WORTH * min(figures.sit_area_m2, SIT_ENOUGH_M2) / SIT_ENOUGH_M2
        + DRY_WORTH * min(figures.dry_area_m2, DRY_ENOUGH_M2) / DRY_ENOUGH_M2
        - MINUTE_COST * solution.question.pitch.minutes - JOIN_COST * joined
    )  # fmt: skip


def _dry(solution: Solution) -> bool:
    return solution.figures is not None and solution.figures.sleepers > 0 and solution.verdict is Verdict.FORMS


def _best(
    sheets: Sequence[int], stature_m: float, solutions: Answers, left: Supports,
    taken: set[int],
) -> tuple[int, Solution] | None:  # fmt: skip
    """The most worthwhile pitch that forms with what is left of the kit."""
    best: tuple[float, int, Solution] | None = None
    for sheet in sheets:
        if sheet in taken:
            continue
        for solution in solutions(sheet, stature_m, 1):
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
    solutions: Answers, left: Supports,
) -> tuple[int, Pick] | None:  # fmt: skip
    """A shelter already picked, or the same sheet in another pitch, that takes one person more."""
    for place, pick in sorted(enumerate(picks), key=lambda item: len(item[1].people)):
        tallest = max(guest.stature_m, *(statures[p] for p in pick.people))
        for solution in solutions(pick.sheet, tallest, len(pick.people) + 1):
            same = solution.question.pitch is pick.solution.question.pitch
            if not _dry(solution) or solution.figures is None or solution.figures.sleepers <= len(pick.people):
                continue
            if same or (solution.shelter and assess(solution.shelter, left).verdict is Verdict.FORMS):
                return place, Pick(pick.sheet, solution, (*pick.people, guest.person))
    return None
