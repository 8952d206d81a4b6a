"""The least that a course buys or borrows so that every night works: the plans of all its nights as
one model in whole numbers, which share what is had more.

Solved by OR-Tools' CP-SAT in two steps: first as few people without a place to sleep as any amount
of the things offered allows, all nights together; then the least cost with so few.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.plan.choose import FREE, chosen_of, fixed, solver_for, stopped_by
from tarvik.core.plan.constraint import Kind
from tarvik.core.plan.leader import leaders_rule
from tarvik.core.plan.offers import at_most

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plan.choose import Chosen, Limits
    from tarvik.core.plan.model import PlanModel
    from tarvik.core.plan.question import ExtraKit, PlanQuestion

WORKERS: Final = 2
"""Threads of the search: the models of several nights together are large."""


@dataclass(frozen=True)
class LeastKit:
    """The least that serves. `packs`: of each thing; `without`: people left without a place to
    sleep, added up over the nights; `cost`, and `bound`: with so few left without, nothing costs
    less; `fewest`: whether no amount leaves fewer without; `plans`: a plan of each night with it.
    """

    packs: Mapping[str, int]
    without: int
    cost: int
    bound: int
    fewest: bool
    plans: tuple[Chosen, ...]

    @property
    def proved(self) -> bool:
        """Whether nothing does better."""
        return self.fewest and self.cost <= self.bound


def with_ease(asked: PlanQuestion) -> PlanQuestion:
    """The question in which everybody lies with ease: no shelter takes more than do."""
    offers = tuple(
        replace(o, beds=at_most(o.beds, o.ease)) for o in asked.offers if not o.tight
    )
    return replace(asked, offers=tuple(o for o in offers if o.beds))


def with_packs(
    asked: PlanQuestion, things: Sequence[ExtraKit], packs: Mapping[str, int]
) -> PlanQuestion:
    """The question when just so many packs of the things are had."""
    pieces = {t.key: t.pieces * packs.get(t.key, 0) for t in things}
    extras = tuple(replace(e, count=pieces[e.key]) for e in asked.extras)
    gone = {n for e in extras if not e.count for n in e.sheets}
    pools = (
        replace(p, count=pieces[p.extra]) if p.extra else p
        for p in asked.pools
        if not p.extra or pieces[p.extra]
    )
    return replace(
        asked,
        offers=tuple(o for o in asked.offers if gone.isdisjoint(o.sheets)),
        pools=tuple(pools),
        extras=tuple(e for e in extras if e.count),
    )


def least_kit(
    models: Sequence[PlanModel], things: Sequence[ExtraKit], limits: Limits = FREE
) -> LeastKit | None:
    """The least of these things with which the nights' plans leave as few people as can be without
    a place to sleep; None where some night has no plan at all (a lock that cannot be kept), or the
    time was over before one was found.
    """
    return _Joint(models, things).solved(limits)


class _Joint:
    """All nights' models side by side, and how many packs of each thing are had."""

    def __init__(self, models: Sequence[PlanModel], things: Sequence[ExtraKit]) -> None:
        self.models, self.things = models, things
        self.cp = cp_model.CpModel()
        self.packs = {t.key: self.cp.new_int_var(0, t.most, t.key) for t in things}
        self.pieces = {t.key: t.pieces for t in things}
        self.nights = [self._night(model) for model in models]

    def _night(self, model: PlanModel) -> list[cp_model.IntVar]:
        """Add one night; its variables, by their numbers in its own model."""
        linear = model.linear
        variables = [
            self.cp.new_int_var(low, high, "")
            for low, high in zip(linear.low, linear.high, strict=True)
        ]
        for row in linear.rows:
            if row.keeps is not None and row.keeps.kind is Kind.BED:
                continue
            some, shares = [variables[v] for v, _ in row.terms], [c for _, c in row.terms]
            high = row.high
            if row.keeps is not None and row.keeps.kind is Kind.EXTRA:
                key = str(row.keeps.subjects[0])
                some, shares, high = (
                    [*some, self.packs[key]],
                    [*shares, -self.pieces[key]],
                    0,
                )
            self.cp.add_linear_constraint(
                cp_model.LinearExpr.weighted_sum(some, shares),
                cp_model.INT32_MIN if row.low is None else row.low,
                cp_model.INT32_MAX if high is None else high,
            )
        return variables

    def _begin(self) -> None:
        """Where the search begins: with all that may be had, each night by the leader's rule."""
        for t in self.things:
            self.cp.add_hint(self.packs[t.key], t.most)
        for model, variables in zip(self.models, self.nights, strict=True):
            values = fixed(model, leaders_rule(model.asked))
            for variable, value in zip(variables, values or (), strict=False):
                self.cp.add_hint(variable, value)

    def solved(self, limits: Limits) -> LeastKit | None:
        """The two steps, one after the other."""
        wet = [
            variables[v]
            for model, variables in zip(self.models, self.nights, strict=True)
            for v, camper in zip(model.wet, model.asked.campers, strict=True)
            if camper.number >= 0
        ]
        self._begin()
        without = cp_model.LinearExpr.sum(wet)
        self.cp.minimize(without)
        first = self._searched(_half(limits))
        if first is None:
            return None
        values, bound, _ = first
        left = sum(values[v.index] for v in wet)
        fewest = left <= bound + 0.5
        self.cp.add(without <= left)
        # Of two choices that cost alike, the one with fewer packs.
        most = sum(t.most for t in self.things) + 1
        self.cp.minimize(
            cp_model.LinearExpr.weighted_sum(
                list(self.packs.values()), [t.cost * most + 1 for t in self.things]
            )
        )
        self.cp.clear_hints()  # type: ignore[no-untyped-call]  # the library has no types here
        for variable in (*self.packs.values(), *(v for some in self.nights for v in some)):
            self.cp.add_hint(variable, values[variable.index])
        second = self._searched(limits)
        proved = False
        if second is not None:
            values, bound, proved = second
        packs = {t.key: values[self.packs[t.key].index] for t in self.things}
        cost = sum(t.cost * packs[t.key] for t in self.things)
        least = cost if proved else max(math.ceil(bound - 0.5) // most, 0) if second else 0
        plans = tuple(
            chosen_of(model, [values[v.index] for v in variables], ())
            for model, variables in zip(self.models, self.nights, strict=True)
        )
        return LeastKit(packs, left, cost, min(least, cost), fewest, plans)

    def _searched(self, limits: Limits) -> tuple[list[int], float, bool] | None:
        """The best values found, the bound of the aim, and whether they are proved best; None where
        nothing was found.
        """
        solver = solver_for(replace(limits, workers=WORKERS))
        solver.parameters.cp_model_presolve = True
        with stopped_by(limits.stop, solver):
            status = solver.solve(self.cp)
        if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            return None
        values = [
            solver.value(self.cp.get_int_var_from_proto_index(v))
            for v in range(len(self.cp.proto.variables))
        ]
        return values, solver.best_objective_bound, status == cp_model.OPTIMAL


def _half(limits: Limits) -> Limits:
    """Half of the time that is left."""
    left = limits.left
    if left is None:
        return limits
    kept = left() / 2
    return replace(limits, left=lambda: left() - kept)
