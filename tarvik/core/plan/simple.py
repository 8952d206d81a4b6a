"""Choose for me: each person under the own sheet in its best pitch, within the kit, those without a
sheet as guests.

A plain greedy rule for the first look; it proves nothing. Those with the fewest ways to lie dry
choose first.
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
Handicap: TypeAlias = "Callable[[Solution], float]"

SIT_ENOUGH_M2: Final = constant(
    "choice_sit_enough", 0.8, "m2", ENGINEERING, "sitting ground beyond which more is not valued"
)
DRY_ENOUGH_M2: Final = constant(
    "choice_dry_enough", 4.0, "m2", ENGINEERING, "dry ground beyond which more is not valued"
)
SIT_WORTH: Final = constant(
    "choice_sit_worth", 2.0, "1", ENGINEERING, "worth of enough sitting ground"
)
DRY_WORTH: Final = constant("choice_dry_worth", 1.0, "1", ENGINEERING, "worth of enough dry ground")
MINUTE_COST: Final = constant(
    "choice_minute_cost", 0.05, "1/min", ENGINEERING, "cost of a minute's setting up"
)
SUPPORT_COST: Final = constant(
    "choice_support_cost", 0.8, "1", ENGINEERING, "cost of a tree or pole that others need too"
)
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
    handicap: Handicap = lambda _: 0.0,
) -> Outcome:
    """Pick a shelter for each. `solutions(sheet, stature, sleepers)` answers every pitch of a sheet
    for people so tall; `handicap` is what the night takes off a solution's worth.
    """
    ways = {
        p.person: sum(_dry(s) for sheet in p.sheets for s in solutions(sheet, p.stature_m, 1))
        for p in people
    }
    picks: list[Pick] = []
    guests: list[Sleeper] = []
    for person in sorted(people, key=lambda p: (ways[p.person] == 0, ways[p.person], p.person)):
        found = _best(
            person.sheets, person.stature_m, solutions, _left(supports, picks), picks, handicap
        )
        if found is None:
            guests.append(person)
        else:
            picks.append(Pick(found[0], found[1], (person.person,)))
    unplaced: list[int] = []
    statures = {p.person: p.stature_m for p in people}
    for guest in guests:
        found = _best(
            spare_sheets, guest.stature_m, solutions, _left(supports, picks), picks, handicap
        )
        if found is not None:
            picks.append(Pick(found[0], found[1], (guest.person,)))
        elif (host := _host(picks, guest, statures, solutions, supports)) is not None:
            picks[host[0]] = host[1]
        else:
            unplaced.append(guest.person)
    return Outcome(tuple(picks), tuple(unplaced))


def _left(supports: Supports, picks: Sequence[Pick]) -> Supports:
    """What is left of the kit once the picks have taken theirs."""
    for pick in picks:
        rig = pick.solution.assessment.rig
        supports = left_after(supports, rig) if rig is not None else supports
    return supports


def worth(solution: Solution) -> float:
    """What a shelter is worth to one sleeper: room to sit up first, then dry ground, then a quick
    and simple pitch.
    """
    figures = solution.figures
    if figures is None:
        return 0.0
    joined = any(r.code == "line_joined" for r in solution.assessment.reasons)
    return (
        SIT_WORTH * min(figures.sit_area_m2, SIT_ENOUGH_M2) / SIT_ENOUGH_M2
        + DRY_WORTH * min(figures.dry_area_m2, DRY_ENOUGH_M2) / DRY_ENOUGH_M2
        - MINUTE_COST * solution.question.pitch.minutes
        - JOIN_COST * joined
        - SUPPORT_COST * len(solution.question.pitch.high_points())
    )


def _dry(solution: Solution) -> bool:
    return (
        solution.figures is not None
        and solution.figures.sleepers > 0
        and solution.verdict is Verdict.FORMS
    )


def _best(
    sheets: Sequence[int],
    stature_m: float,
    solutions: Answers,
    left: Supports,
    picks: Sequence[Pick],
    handicap: Handicap,
) -> tuple[int, Solution] | None:
    """The most worthwhile pitch that forms with what is left of the kit."""
    taken = {pick.sheet for pick in picks}
    best: tuple[float, int, Solution] | None = None
    for sheet in sheets:
        for solution in solutions(sheet, stature_m, 1) if sheet not in taken else ():
            value = worth(solution) - handicap(solution)
            if best is not None and value <= best[0]:
                continue
            formed = _formed(solution, left, 1)
            if formed is not None:
                best = (value, sheet, formed)
    return (best[1], best[2]) if best else None


def _formed(solution: Solution, left: Supports, sleepers: int) -> Solution | None:
    """The solution rigged from what is left, when it forms so and that many lie dry."""
    if solution.figures is None or solution.shelter is None or solution.figures.sleepers < sleepers:
        return None
    assessment = assess(solution.shelter, left)
    return replace(solution, assessment=assessment) if assessment.verdict is Verdict.FORMS else None


def _host(
    picks: Sequence[Pick],
    guest: Sleeper,
    statures: Mapping[int, float],
    solutions: Answers,
    supports: Supports,
) -> tuple[int, Pick] | None:
    """A sheet already picked that takes one person more, in the same pitch if that does, within the
    kit.
    """
    for place, pick in sorted(enumerate(picks), key=lambda item: len(item[1].people)):
        tallest = max(guest.stature_m, *(statures[p] for p in pick.people))
        left = _left(supports, [other for other in picks if other is not pick])
        wanted = len(pick.people) + 1
        same = pick.solution.question.pitch
        for solution in sorted(
            solutions(pick.sheet, tallest, wanted), key=lambda s: s.question.pitch is not same
        ):
            formed = _formed(solution, left, wanted)
            if formed is not None:
                return place, Pick(pick.sheet, formed, (*pick.people, guest.person))
    return None
