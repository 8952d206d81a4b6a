"""The evening: who does what, when, so that all shelters stand before dark and rain. CP-SAT
intervals; the most urgent first.

Every shelter is cleared and gets its ridge or peak, at the same time if there are hands; then its
stakes, its beds and its walk-round. Where beds are made of leaves, these are gathered beside it all
from the start. Some tasks want two pairs of hands, some a mallet. People work at their own shelter;
leaders and those who are free help.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.plan.choose import FREE, Limits, solver_for
from tarvik.core.plan.party import Skill

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plan.party import Camper

CLEAR_MIN: Final = constant(
    "evening_clear",
    4.0,
    "min",
    ENGINEERING,
    "clearing the ground of one shelter, one pair of hands",
)
LEAVES_MIN: Final = constant(
    "evening_leaves",
    50.0,
    "min",
    COMMON_PRACTICE,
    "gathering a bed of leaves for one, one person's work (45 to 60)",
)
BEDS_MIN: Final = constant(
    "evening_beds", 4.0, "min", ENGINEERING, "laying one sleeper's bed"
)
ROUND_MIN: Final = constant(
    "evening_round",
    3.0,
    "min",
    COMMON_PRACTICE,
    "walk round a shelter: tight, dry, lines marked",
)
RIDGE_SHARE: Final = constant(
    "evening_ridge",
    0.45,
    "1",
    ENGINEERING,
    "share of a pitch's time that its ridge or peak takes",
)
MARGIN_MIN: Final = 15
"""Minutes before the dark or the rain by which a shelter is to stand."""
MINUTES_MOST: Final = 12 * 60
CLEAR, RIDGE, STAKES = "clear the ground", "ridge or peak", "stakes and lines"
LEAVES, BEDS, WALK = "gather leaves", "beds", "walk round"
STAGES: Final = (CLEAR, RIDGE, STAKES, LEAVES, BEDS, WALK)
AFTER: Final = {STAKES: (CLEAR, RIDGE), BEDS: (STAKES, LEAVES), WALK: (BEDS,)}
"""What each stage waits for, of the same shelter; the others may begin at once."""


@dataclass(frozen=True, slots=True)
class ToPitch:
    """A shelter to be put up: its number in the plan, who sleeps in it, minutes by one able person,
    high points, stakes; `leaf_beds`: its beds are gathered of leaves.
    """

    number: int
    people: tuple[int, ...]
    minutes: float
    high_points: int
    stakes: int
    hard: bool = False
    leaf_beds: bool = False


@dataclass(frozen=True, slots=True)
class Task:
    """One piece of work. `hands` people do it together for `minutes`; `mallet`: it takes one."""

    shelter: int
    stage: str
    minutes: int
    hands: int
    mallet: bool
    who: tuple[int, ...]
    start: int
    end: int


@dataclass(frozen=True)
class Evening:
    """The schedule, minutes counted from the group's arrival. `late`: minutes that each shelter
    stands too late, by number.
    """

    tasks: tuple[Task, ...]
    due: int | None
    late: Mapping[int, int]
    done: int
    proven: bool


@dataclass(frozen=True)
class Hands:
    """Who is there: `from_min` when each is (late comers), `gone` people who cannot help
    tonight.
    """

    campers: Sequence[Camper]
    from_min: Mapping[int, int]
    gone: frozenset[int] = frozenset()
    mallets: int = 2


def work_of(shelter: ToPitch, crew: Sequence[Camper]) -> list[tuple[str, int, int, bool]]:
    """Stages of one shelter: (stage, minutes with the hands it takes, hands, mallet)."""
    skill = min((c.speed for c in crew), default=1.0)
    pitch = shelter.minutes * skill
    two = 2 if shelter.high_points >= 2 else 1
    ridge = pitch * RIDGE_SHARE * (1.0 if two == 1 else 0.7)
    stakes = pitch * (1 - RIDGE_SHARE)
    beds = BEDS_MIN * max(len(shelter.people), 1) / max(1, min(len(crew), 2))
    gatherers = max(1, min(len(crew), len(shelter.people)))
    leaves = LEAVES_MIN * max(len(shelter.people), 1) / gatherers
    parts = [
        (CLEAR, CLEAR_MIN, 1, False),
        (RIDGE, ridge, two, False),
        (STAKES, stakes, 1, shelter.stakes > 0),
        *([(LEAVES, leaves, gatherers, False)] if shelter.leaf_beds else []),
        (BEDS, beds, min(max(len(crew), 1), 2), False),
        (WALK, ROUND_MIN, 1, False),
    ]
    return [
        (name, max(1, round(minutes)), hands, mallet)
        for name, minutes, hands, mallet in parts
    ]


def evening(
    shelters: Sequence[ToPitch],
    hands: Hands,
    due_min: int | None,
    limits: Limits = FREE,
    done: Mapping[tuple[int, str], int] | None = None,
) -> Evening:
    """Put every task to its people and time: first nobody late, then all standing soonest, then
    helpers spared.

    `due_min`: minutes after arrival by which all is to stand (dark or rain, less MARGIN_MIN);
    `done`: tasks finished, with the minute; they are not planned again.
    """
    there = [c for c in hands.campers if c.number not in hands.gone and c.number >= 0]
    if not there or not shelters:
        return Evening((), due_min, {}, 0, proven=True)
    model = cp_model.CpModel()
    planned = _Planned(model, there, hands)
    for shelter in shelters:
        planned.add(shelter, done or {})
    last, lates = planned.close(due_min)
    total = cp_model.LinearExpr.sum
    model.minimize(
        200_000 * total(lates)
        + 2_000 * last
        + 20 * total(list(planned.ends.values()))
        + total(planned.helping)
    )
    solver = solver_for(limits)
    solver.parameters.cp_model_presolve = True
    status = solver.solve(model)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return Evening((), due_min, {s.number: 0 for s in shelters}, 0, proven=False)
    tasks = [planned.task(solver, n) for n in range(len(planned.made))]
    late_by = {
        n: max(0, solver.value(e) - due_min) if due_min is not None else 0
        for n, e in planned.ends.items()
    }
    return Evening(
        tuple(sorted(tasks, key=lambda t: (t.start, t.shelter, t.end))),
        due_min,
        late_by,
        solver.value(last),
        proven=status == cp_model.OPTIMAL,
    )


@dataclass
class _Step:
    """A task in the making: its variables."""

    shelter: int
    stage: str
    minutes: int
    hands: int
    mallet: bool
    start: cp_model.IntVar
    doing: dict[int, cp_model.IntVar]


class _Planned:
    """The schedule's model as it grows, shelter by shelter."""

    def __init__(
        self, model: cp_model.CpModel, there: Sequence[Camper], hands: Hands
    ) -> None:
        self.model, self.there, self.hands = model, there, hands
        self.busy: dict[int, list[cp_model.IntervalVar]] = {c.number: [] for c in there}
        self.made: list[_Step] = []
        self.ends: dict[int, cp_model.IntVar] = {}
        self.helping: list[cp_model.IntVar] = []

    def add(self, shelter: ToPitch, done: Mapping[tuple[int, str], int]) -> None:
        """The tasks of one shelter, each after those that it waits for."""
        model = self.model
        crew = [c for c in self.there if c.number in shelter.people]
        may_help = _helpers(shelter, crew, self.there)
        ends: dict[str, cp_model.LinearExprT] = {}
        for stage, minutes, wanted, mallet in work_of(shelter, crew):
            if (shelter.number, stage) in done:
                ends[stage] = max(int(done[shelter.number, stage]), 0)
                continue
            start = model.new_int_var(0, MINUTES_MOST, "")
            for before in AFTER.get(stage, ()):
                if before in ends:
                    model.add(start >= ends[before])
            ends[stage] = start + minutes
            doing: dict[int, cp_model.IntVar] = {}
            for person in may_help:
                at_it = model.new_bool_var("")
                doing[person.number] = at_it
                self.busy[person.number].append(
                    model.new_optional_interval_var(
                        start, minutes, start + minutes, at_it, ""
                    )
                )
                model.add(
                    start >= self.hands.from_min.get(person.number, 0)
                ).only_enforce_if(at_it)
                if person not in crew:
                    self.helping.append(at_it)
            model.add(
                cp_model.LinearExpr.sum(list(doing.values())) == min(wanted, len(may_help))
            )
            skilled = [
                doing[p.number] for p in may_help if p.skill is Skill.PRACTISED or p.leader
            ]
            if stage == RIDGE and shelter.hard and skilled:
                model.add_bool_or(skilled)
            self.made.append(
                _Step(shelter.number, stage, minutes, wanted, mallet, start, doing)
            )
        self.ends[shelter.number] = end = model.new_int_var(0, MINUTES_MOST, "")
        for finished in ends.values():
            model.add(end >= finished)

    def close(self, due_min: int | None) -> tuple[cp_model.IntVar, list[cp_model.IntVar]]:
        """What binds the shelters together: (when the last one stands, how late each is)."""
        model = self.model
        for intervals in self.busy.values():
            model.add_no_overlap(intervals)
        mallets = [
            model.new_fixed_size_interval_var(s.start, s.minutes, "")
            for s in self.made
            if s.mallet
        ]
        if mallets:
            model.add_cumulative(mallets, [1] * len(mallets), max(self.hands.mallets, 1))
        last = model.new_int_var(0, MINUTES_MOST, "")
        model.add_max_equality(last, list(self.ends.values()))
        lates = []
        for end in self.ends.values() if due_min is not None else ():
            late = model.new_int_var(0, MINUTES_MOST, "")
            model.add(late >= end - (due_min or 0))
            lates.append(late)
        return last, lates

    def task(self, solver: cp_model.CpSolver, number: int) -> Task:
        """A task as it was planned."""
        s = self.made[number]
        start = solver.value(s.start)
        who = tuple(p for p, v in s.doing.items() if solver.value(v))
        return Task(
            s.shelter, s.stage, s.minutes, s.hands, s.mallet, who, start, start + s.minutes
        )


HELPERS_MOST: Final = 4


def _helpers(
    shelter: ToPitch, crew: Sequence[Camper], there: Sequence[Camper]
) -> list[Camper]:
    """Who may work at a shelter: those who sleep in it, the leaders, the practised, then others, at
    most HELPERS_MOST more.
    """
    rest = [c for c in there if c not in crew]
    rest.sort(
        key=lambda c: (
            not c.leader,
            c.skill is not Skill.PRACTISED,
            (c.number - shelter.number) % 7,
            c.number,
        )
    )
    return [*crew, *rest[:HELPERS_MOST]]
