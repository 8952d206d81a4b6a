"""The plan chosen: CP-SAT (OR-Tools) on the linear model. The aims are settled one after the other,
and what was reached in one holds for those after it; so the optimum is the lexicographic one.
Either it is proved, or the gap is given for the first aim in which a better plan may exist.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from threading import Event, Thread
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.plan.constraint import Kind
from tarvik.core.plan.linear import Row

if TYPE_CHECKING:
    from tarvik.core.plan.linear import Linear, Terms
    from tarvik.core.plan.model import PlanModel

SEED: Final = 8
"""Of seven seeds tried, the one with which sixteen plans of sixteen people (two nights, rules and
kit varied) are proved soonest, all together.
"""
WORKERS: Final = 1
"""One thread, so that the same plan comes out each time; with the search from the bound up and the
fuller linear relaxation that `_stage` asks for, a second one gains nothing on models that are soon
proved.
"""
LARGE_WORKERS: Final = 2
"""Threads for a large model: one of them looks about the best plan so far, and that is how a large
plan gets good in time. Of plans that are equal, or where time runs out, another may come out each
time.
"""
LARGE: Final = 2500
"""With more variables the search is another one (measured on 16 and 40 people)."""
KEPT_SHARE: Final = 0.2
"""Share of the time left that is kept for the aims after the one being settled."""
LOOK_EVERY_S: Final = 0.1
"""How often a search is asked whether it is still wanted."""
ENDLESS: Final = 1 << 60
ROUNDING: Final = 1e-6
"""A bound in floating point is taken to be this much too high."""
FORGET_AFTER: Final = 20
"""Times that a row of the relaxation may not bind before it is left out again; the solver takes 100
by itself.
"""


@dataclass(frozen=True, slots=True)
class Reached:
    """What was reached in one aim, and the least that any plan could reach (given the aims
    before).
    """

    aim: str
    value: int
    bound: int

    @property
    def proven(self) -> bool:
        """Whether no plan does better."""
        return self.value <= self.bound

    @property
    def gap(self) -> float:
        """How much better, as a share, a plan might still be in this aim."""
        return 0.0 if self.proven else (self.value - self.bound) / max(abs(self.value), 1)


@dataclass(frozen=True)
class Chosen:
    """A plan: which offers by number, who sleeps under which sheets (None: without a bed), and what
    it reaches.

    `possible` False: not even a plan with people left out exists (a lock that cannot be kept).
    """

    possible: bool
    offers: tuple[int, ...] = ()
    beds: Mapping[int, tuple[int, ...] | None] = field(default_factory=dict)
    reached: tuple[Reached, ...] = ()
    values: tuple[int, ...] = ()

    @property
    def proven(self) -> bool:
        """Whether the plan is proved best in every aim."""
        return self.possible and all(r.proven for r in self.reached)

    @property
    def gap(self) -> float:
        """How much better, as a share, a plan might be in the first aim that is not proved best; 0
        when all are.
        """
        return next((r.gap for r in self.reached if not r.proven), 0.0)

    def value(self) -> tuple[int, ...]:
        """The aims' values, in their order."""
        return tuple(r.value for r in self.reached)


def never() -> bool:
    """Nobody stops it."""
    return False


@dataclass(frozen=True)
class Limits:
    """How long to look. `left` tells the seconds left in all (None: no limit); `stop` when nobody
    wants the plan any more;
    `good_enough`: the gap of the first aim not proved with which the search ends.
    """

    left: Callable[[], float] | None = None
    stop: Callable[[], bool] = never
    good_enough: float = 0.0
    seed: int = SEED
    workers: int = WORKERS


FREE: Final = Limits()
Start = tuple[Sequence[int], Mapping[int, "tuple[int, ...] | None"]]
"""A plan to begin with: offers by number, and who sleeps under which sheets."""


def to_cp(linear: Linear, rows: Sequence[Row]) -> cp_model.CpModel:
    """These rows over the model's variables, for CP-SAT; variables keep their numbers."""
    model = cp_model.CpModel()
    for low, high, name in zip(linear.low, linear.high, linear.names, strict=True):
        model.new_int_var(low, high, name)
    for row in rows:
        add_row(model, row)
    return model


def without_beds(linear: Linear) -> list[Row]:
    """The rows but those by which everybody must have a bed: who is left without counts in an
    aim.
    """
    return [r for r in linear.rows if r.keeps is None or r.keeps.kind is not Kind.BED]


def add_row(model: cp_model.CpModel, row: Row, unless: Sequence[int] = ()) -> None:
    """One row; with `unless`, it holds only while these flags (by number) are 0. Written into the
    model's own form: a large model's rows take ten times as long one expression at a time.
    """
    added = model.proto.constraints.add()
    for flag in unless:
        added.enforcement_literal.append(-flag - 1)
    added.linear.vars.extend([v for v, _ in row.terms])
    added.linear.coeffs.extend([c for _, c in row.terms])
    added.linear.domain.extend(
        [
            -ENDLESS if row.low is None else row.low,
            ENDLESS if row.high is None else row.high,
        ]
    )


def variables_of(model: cp_model.CpModel, count: int) -> list[cp_model.IntVar]:
    """The first `count` variables."""
    return [model.get_int_var_from_proto_index(v) for v in range(count)]


def solver_for(limits: Limits) -> cp_model.CpSolver:
    """A solver with the limits' seed, threads and time left. No presolve: on these models it takes
    longer than the search.
    """
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = limits.workers
    solver.parameters.random_seed = limits.seed
    solver.parameters.cp_model_presolve = False
    if limits.left is not None:
        solver.parameters.max_time_in_seconds = max(limits.left(), 0.05)
    return solver


@contextmanager
def stopped_by(stop: Callable[[], bool], solver: cp_model.CpSolver) -> Iterator[None]:
    """While the solver works, stop it when nobody wants it any more, also where it finds nothing
    new for long. Raises what `stop` raises.
    """
    if stop is never:
        yield
        return
    over, raised = Event(), list[Exception]()

    def look() -> None:
        try:
            while not over.wait(LOOK_EVERY_S):
                if stop():
                    solver.stop_search()
        except Exception as err:
            raised.append(err)
            solver.stop_search()

    looking = Thread(target=look, daemon=True)
    looking.start()
    try:
        yield
    finally:
        over.set()
        looking.join()
    if raised:
        raise raised[0]


class _Watch(cp_model.CpSolverSolutionCallback):
    """Tells every better solution; stops the search when nobody wants it or it is good enough."""

    def __init__(
        self, variables: list[cp_model.IntVar], seen: Callable[[list[int], float], bool]
    ) -> None:
        super().__init__()
        self._variables, self._seen = variables, seen

    def on_solution_callback(self) -> None:
        """Called by the solver."""
        if self._seen([self.value(v) for v in self._variables], self.best_objective_bound):
            self.stop_search()


def least_of(linear: Linear, terms: Terms) -> int:
    """The least an aim can be, by its variables' bounds."""
    return sum(c * (linear.low[v] if c > 0 else linear.high[v]) for v, c in terms.items())


def choose(
    model: PlanModel,
    limits: Limits = FREE,
    start: Start | None = None,
    tell: Callable[[Chosen], None] = lambda _: None,
    known: list[int] | None = None,
) -> Chosen:
    """The best plan within the limits. `start`: a plan to begin with; told first when it can be
    kept, else what it says of offers and beds is where the search begins; `known`: its values,
    where they are `fixed` already. `tell` is called with every better plan.
    """
    linear = model.linear
    rules = to_cp(linear, without_beds(linear))
    rows: list[Row] = []
    best: list[int] | None = None
    hints: dict[int, int] = {}
    if start is not None:
        best, hints = known or fixed(model, start), said(model, start)
        if best is not None:
            tell(chosen_of(model, best, _floors(model, best, ())))
    reached: list[Reached] = []
    for aim, terms in linear.aims.items():
        least = least_of(linear, terms)
        if best is not None and linear.value(aim, best) == least:
            reached.append(Reached(aim, least, least))
        elif best is not None and (
            limits.stop() or (limits.left is not None and limits.left() <= 0)
        ):
            break
        else:
            last = len(reached) + 1 == len(linear.aims)
            found = _stage(
                model,
                aim,
                rules,
                rows,
                best,
                hints,
                limits if last else _most(limits),
                reached,
                tell,
            )
            if found is None:
                return Chosen(possible=False)
            best, told = found
            reached.append(told)
        rows.append(Row(tuple(terms.items()), None, linear.value(aim, best)))
    if best is None:
        return Chosen(possible=False)
    return chosen_of(model, best, _floors(model, best, reached))


def _most(limits: Limits) -> Limits:
    """Most of the time left: the aims after these get theirs."""
    left = limits.left
    if left is None:
        return limits
    kept = left() * KEPT_SHARE
    return replace(limits, left=lambda: left() - kept)


def _floors(
    model: PlanModel, best: Sequence[int], reached: Sequence[Reached]
) -> list[Reached]:
    """What was reached, and for the aims not yet looked at what their variables' bounds allow."""
    linear = model.linear
    rest = list(linear.aims)[len(reached) :]
    return [
        *reached,
        *(
            Reached(a, linear.value(a, list(best)), least_of(linear, linear.aims[a]))
            for a in rest
        ),
    ]


def _stage(
    model: PlanModel,
    aim: str,
    rules: cp_model.CpModel,
    rows: Sequence[Row],
    best: list[int] | None,
    hints: Mapping[int, int],
    limits: Limits,
    before: Sequence[Reached],
    tell: Callable[[Chosen], None],
) -> tuple[list[int], Reached] | None:
    """Minimise one aim under the `rules` and more `rows`: (values, what was reached); None when no
    plan at all was found. `hints`: where to begin while there is no `best`.
    """
    linear = model.linear
    cp = rules.clone()
    for row in rows:
        add_row(cp, row)
    variables = variables_of(cp, len(linear.low))
    terms = linear.aims[aim]
    cp.minimize(
        cp_model.LinearExpr.weighted_sum(
            [variables[v] for v in terms], list(terms.values())
        )
    )
    for v, value in hints.items() if best is None else enumerate(best):
        cp.add_hint(variables[v], value)
    solver = solver_for(limits)
    solver.parameters.linearization_level = 2
    if len(linear.low) > LARGE:
        solver.parameters.num_workers = max(limits.workers, LARGE_WORKERS)
    else:
        solver.parameters.use_objective_lb_search = True
        # The model's own rows are tight, and cuts slow each step down by more than they spare:
        # without them two nights of sixteen people, each with four seeds, take three fifths of the
        # work, and no seed stands out any more.
        solver.parameters.cut_level = 0
        # Rows that do not bind soon leave the relaxation, and no values are tried one by one
        # beforehand: together two thirds of the work on six such models, each with four seeds.
        solver.parameters.max_consecutive_inactive_count = FORGET_AFTER
        solver.parameters.cp_model_probing_level = 0

    def told(values: Sequence[int], bound: float) -> Reached:
        value = linear.value(aim, list(values))
        floor = max(least_of(linear, terms), math.ceil(bound - ROUNDING))
        return Reached(aim, value, min(floor, value))

    def seen(values: list[int], bound: float) -> bool:
        found = chosen_of(
            model, values, _floors(model, values, [*before, told(values, bound)])
        )
        tell(found)
        return limits.stop() or (limits.good_enough > 0 and found.gap <= limits.good_enough)

    with stopped_by(limits.stop, solver):
        status = solver.solve(cp, _Watch(variables, seen))
    if status not in (
        cp_model.OPTIMAL,
        cp_model.FEASIBLE,
    ):  # no time for anything: the plan begun with stands
        return None if best is None else (best, told(best, -1.0))
    values = [solver.value(v) for v in variables]
    value = linear.value(aim, values)
    bound = value if status == cp_model.OPTIMAL else solver.best_objective_bound
    return values, told(values, bound)


def fixed(model: PlanModel, plan: Start) -> list[int] | None:
    """Values of all variables for a given plan, its kit handed out best; None when the plan breaks
    a rule of the model.
    """
    linear = model.linear
    cp = to_cp(linear, without_beds(linear))
    for v, value in said(model, plan).items():
        _fix(cp, v, value)
    variables = variables_of(cp, len(linear.low))
    summed: Terms = {}
    for terms in linear.aims.values():
        for v, c in terms.items():
            summed[v] = summed.get(v, 0) + c
    cp.minimize(
        cp_model.LinearExpr.weighted_sum(
            [variables[v] for v in summed], list(summed.values())
        )
    )
    solver = solver_for(replace(FREE, workers=1))
    if solver.solve(cp) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None
    return [solver.value(v) for v in variables]


def said(model: PlanModel, plan: Start) -> dict[int, int]:
    """What a plan says of the model's variables: which offers are taken, and who sleeps where."""
    offers, beds = set(plan[0]), plan[1]
    out = {v: int(n in offers) for n, v in enumerate(model.takes)}
    for (i, u), v in model.sleeps.items():
        out[v] = int(beds.get(model.asked.campers[i].number) == model.units[u])
    return out


def _fix(cp: cp_model.CpModel, variable: int, value: int) -> None:
    domain = cp.proto.variables[variable].domain
    domain.clear()
    domain.extend([value, value])


def chosen_of(
    model: PlanModel, values: Sequence[int], reached: Sequence[Reached]
) -> Chosen:
    """A plan read off the values of the model's variables."""
    offers = tuple(n for n, v in enumerate(model.takes) if values[v])
    beds: dict[int, tuple[int, ...] | None] = {c.number: None for c in model.asked.campers}
    for (i, u), v in model.sleeps.items():
        if values[v]:
            beds[model.asked.campers[i].number] = model.units[u]
    return Chosen(True, offers, beds, tuple(reached), tuple(values))
