"""What a course packs: what each night's shelters and their foul-weather moves want together, what
it weighs, and a fair split of what is the group's.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.rig.supports import POLE_KINDS

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.rig.carried import Rig
    from tarvik.core.rig.supports import Pole

LOOPS_OF_A_RIDGE: Final = 2
"""A line through under the ridge holds the sheet's ends by a prusik loop with a toggle each (common
practice).
"""
PULL_LOOPS: Final = 1
"""Loops of the group for pulling stakes out of the ground (common practice)."""
GRAMS: Final = 1000
SECONDS: Final = constant(
    "split_seconds", 3.0, "s", ENGINEERING, "longest search of a fair split"
)


@dataclass(frozen=True, slots=True)
class Wanted:
    """What one night's shelters, or their moves, want at once: stakes, lines (m of cord each),
    heights of poles (m), and prusik loops with a toggle each.
    """

    stakes: int
    lines_m: tuple[float, ...]
    poles_m: tuple[float, ...]
    toggles: int = 0

    @classmethod
    def by(cls, rigs: Sequence[Rig], more_stakes: int = 0) -> Wanted:
        """By rigs that stand at once, and stakes that remedies add."""
        return cls(
            sum(rig.stakes_needed() for rig in rigs) + more_stakes,
            tuple(line.cord_m for rig in rigs for line in rig.lines),
            tuple(s.height_m for rig in rigs for s in rig.supports if s.kind in POLE_KINDS),
            sum(LOOPS_OF_A_RIDGE * rig.through_line for rig in rigs),
        )


def stakes_packed(every: Sequence[Wanted]) -> int:
    """Stakes that serve every night in turn."""
    return max((one.stakes for one in every), default=0)


def toggles_packed(every: Sequence[Wanted]) -> int:
    """Loops with toggles that serve every night in turn."""
    return max((one.toggles for one in every), default=0)


def poles_packed(every: Sequence[Wanted], poles: Sequence[Pole]) -> tuple[list[int], int]:
    """Which poles of the kit go into the bag, by their places, and how many heights of the worst
    night no pole reaches. Each night takes from what others took, the shortest that does.
    """
    taken: list[int] = []
    short = 0
    for night in every:
        free, missing = list(taken), 0
        for height in sorted(night.poles_m, reverse=True):
            rest = [
                i for i in range(len(poles)) if i not in taken and poles[i].reaches(height)
            ]
            here = [i for i in free if poles[i].reaches(height)]
            if here:
                free.remove(min(here, key=lambda i: poles[i].most_m))
            elif rest:
                taken.append(min(rest, key=lambda i: poles[i].most_m))
            else:
                missing += 1
        short = max(short, missing)
    return sorted(taken), short


@dataclass(frozen=True, slots=True)
class Split:
    """Who carries what: the person's place for each thing. `heaviest_kg`: the largest load;
    `bound_kg`: no split has a smaller largest load; `proved`: this is the least.
    """

    who: tuple[int, ...]
    heaviest_kg: float
    bound_kg: float
    proved: bool


def fair_split(
    own_kg: Sequence[float],
    shared_kg: Sequence[float],
    fixed: Mapping[int, int] | None = None,
) -> Split:
    """Hand things out so that the heaviest load is as light as can be (OR-Tools' CP-SAT). `own_kg`:
    what each person carries anyway; `fixed`: things a leader has given to somebody, by their
    places.
    """
    people, things = range(len(own_kg)), range(len(shared_kg))
    if not own_kg:
        return Split(tuple(-1 for _ in things), 0.0, 0.0, proved=True)
    grams = [round(kg * GRAMS) for kg in shared_kg]
    model = cp_model.CpModel()
    takes = {(t, p): model.new_bool_var("") for t in things for p in people}
    top = model.new_int_var(0, round(sum(own_kg) * GRAMS) + sum(grams) + 1, "")
    for t in things:
        model.add_exactly_one(takes[t, p] for p in people)
    for t, p in (fixed or {}).items():
        model.add(takes[t, p] == 1)
    for p in people:
        load = round(own_kg[p] * GRAMS) + sum(grams[t] * takes[t, p] for t in things)
        model.add(load <= top)
    model.minimize(top)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = SECONDS
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    begin = _lightest(own_kg, grams)
    for (t, p), var in takes.items():
        model.add_hint(var, p == begin[t])
    status = solver.solve(model)
    who = tuple(next(p for p in people if solver.value(takes[t, p])) for t in things)
    loads = list(own_kg)
    for t in things:
        loads[who[t]] += shared_kg[t]
    return Split(
        who,
        max(loads),
        solver.best_objective_bound / GRAMS,
        proved=status == cp_model.OPTIMAL,
    )


def _lightest(own_kg: Sequence[float], grams: Sequence[int]) -> list[int]:
    """The heaviest thing first, each to who carries least so far: where a search begins."""
    loads, who = [round(kg * GRAMS) for kg in own_kg], [0] * len(grams)
    for t in sorted(range(len(grams)), key=lambda t: -grams[t]):
        who[t] = min(range(len(loads)), key=lambda p: loads[p])
        loads[who[t]] += grams[t]
    return who
