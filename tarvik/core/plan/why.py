"""Why there is no plan with a bed for everyone: the smallest sets of things in each other's way,
and the smallest changes that make room, with their amounts. And what a chosen shelter won against.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.plan.choose import (
    FREE,
    Chosen,
    Limits,
    add_row,
    solver_for,
    to_cp,
    variables_of,
)
from tarvik.core.plan.constraint import Constraint, Kind

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from tarvik.core.plan.linear import Row
    from tarvik.core.plan.model import PlanModel

REPAIRS_MOST: Final = 5


@dataclass(frozen=True, slots=True)
class Shortage:
    """How many pieces of a kind a repair wants."""

    kind: str
    pieces: int


@dataclass(frozen=True)
class Repair:
    """Things to set aside so that everybody has a bed; of kit, how many pieces more."""

    aside: tuple[Constraint, ...]
    short: tuple[Shortage, ...] = ()


@dataclass(frozen=True)
class Impasse:
    """What stands in the way: sets of things that cannot all hold, and the repairs, the easiest
    first.
    """

    sets: tuple[tuple[Constraint, ...], ...]
    repairs: tuple[Repair, ...]


def feasible(model: PlanModel, hold: Iterable[Constraint], limits: Limits = FREE) -> bool:
    """Whether a plan exists in which all of these hold; facts always do."""
    held = set(hold)
    cp = to_cp(
        model.linear, [r for r in model.linear.rows if r.keeps is None or r.keeps in held]
    )
    status = solver_for(limits).solve(cp)
    return bool(status in (cp_model.OPTIMAL, cp_model.FEASIBLE))


def smallest_conflict(
    model: PlanModel, among: Sequence[Constraint], limits: Limits = FREE
) -> tuple[Constraint, ...]:
    """Some of these that cannot all hold, though any of them left out the rest can. Empty when all
    can hold.

    First the solver names a set that is enough; then each of it is left out in turn, and stays out
    if the rest still cannot.
    """
    linear = model.linear
    named: dict[Constraint, list[Row]] = {kept: [] for kept in among}
    for row in linear.rows:
        if row.keeps is not None and row.keeps in named:
            named[row.keeps].append(row)
    cp = to_cp(linear, [r for r in linear.rows if r.keeps is None])
    flags: dict[int, Constraint] = {}
    for kept in among:
        off = cp.new_bool_var("")
        flags[off.index] = kept
        for row in named[kept]:
            add_row(cp, row, unless=[off.index])
    cp.add_assumptions([cp.get_bool_var_from_proto_index(f).Not() for f in flags])
    solver = solver_for(replace(limits, workers=1))
    status = solver.solve(cp)
    if status in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return ()
    enough = [
        flags[f if f >= 0 else -f - 1]
        for f in solver.sufficient_assumptions_for_infeasibility()
    ]
    core = [kept for kept in among if kept in enough] or list(among)
    # What is easiest to set aside is asked for last: it stays in the set.
    for one in sorted(core, key=lambda kept: -kept.effort):
        rest = [kept for kept in core if kept != one]
        if not feasible(model, rest, limits):
            core = rest
    return tuple(core)


def repairs(
    model: PlanModel, limits: Limits = FREE, most: int = REPAIRS_MOST
) -> list[Repair]:
    """The smallest sets of things to set aside so that everybody has a bed, the easiest first; no
    set holds another, and none a rule that protects people.
    """
    linear = model.linear
    some = [kept for kept in linear.constraints() if not kept.protects]
    cp = to_cp(linear, [r for r in linear.rows if r.keeps is None or r.keeps.protects])
    flags = {kept: cp.new_bool_var("") for kept in some}
    for row in linear.rows:
        if row.keeps is not None and row.keeps in flags:
            add_row(cp, row, unless=[flags[row.keeps].index])
    cp.minimize(
        cp_model.LinearExpr.weighted_sum(
            list(flags.values()), [kept.effort for kept in some]
        )
    )
    out = []
    for _ in range(most):
        solver = solver_for(limits)
        if solver.solve(cp) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            break
        aside = tuple(kept for kept in some if solver.value(flags[kept]))
        if not aside:
            return []
        aside = _least(model, aside, limits)
        out.append(Repair(aside, shortages(model, aside, limits)))
        cp.add_bool_or([flags[kept].Not() for kept in aside])
    return out


def _least(
    model: PlanModel, aside: tuple[Constraint, ...], limits: Limits
) -> tuple[Constraint, ...]:
    """Without what need not be set aside: time may have run out before the optimum."""
    every = model.linear.constraints()
    least = list(aside)
    for one in aside if len(aside) > 1 else ():
        rest = [kept for kept in least if kept != one]
        if feasible(model, [kept for kept in every if kept not in rest], limits):
            least = rest
    return tuple(least)


def shortages(
    model: PlanModel, aside: Sequence[Constraint], limits: Limits = FREE
) -> tuple[Shortage, ...]:
    """The fewest pieces of each kind of kit that are wanted when these things are set aside."""
    linear = model.linear
    kinds = [kept for kept in aside if kept.kind is Kind.KIT]
    if not kinds:
        return ()
    cp = to_cp(linear, [r for r in linear.rows if r.keeps is None or r.keeps not in aside])
    variables = variables_of(cp, len(linear.low))
    over: dict[Constraint, list[cp_model.IntVar]] = {kept: [] for kept in kinds}
    for row in linear.rows:
        if row.keeps is not None and row.keeps in over and row.high is not None:
            short = cp.new_int_var(0, 100_000, "")
            over[row.keeps].append(short)
            terms = [variables[v] for v, _ in row.terms]
            cp.add(
                cp_model.LinearExpr.weighted_sum(terms, [c for _, c in row.terms]) - short
                <= row.high
            )
    cp.minimize(cp_model.LinearExpr.sum([v for some in over.values() for v in some]))
    solver = solver_for(limits)
    if solver.solve(cp) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return ()
    return tuple(
        Shortage(str(kept.subjects[0]), sum(solver.value(v) for v in some))
        for kept, some in over.items()
    )


def impasse(model: PlanModel, limits: Limits = FREE, most_sets: int = 3) -> Impasse | None:
    """What stands in the way of a bed for everyone; None when nothing does. Sets after the first
    are looked for with the things of those before left out, so that each tells something else.
    """
    every = model.linear.constraints()
    if feasible(model, every, limits):
        return None
    sets: list[tuple[Constraint, ...]] = []
    left = list(every)
    while len(sets) < most_sets:
        found = smallest_conflict(model, left, limits)
        if not found:
            break
        sets.append(found)
        left = [kept for kept in left if kept not in found]
    return Impasse(tuple(sets), tuple(repairs(model, limits)))


@dataclass(frozen=True)
class Rival:
    """An offer that a chosen shelter won against: the first aim in which the plan with it instead
    is worse, and by how much; or that it cannot be had at all beside the rest.
    """

    offer: int
    aim: str
    worse: int


def rivals(
    model: PlanModel, chosen: Chosen, sheets: tuple[int, ...], most: int = 4
) -> list[Rival]:
    """Against what the choice for these sheets won: each other pitch of theirs, at its best spot,
    the rest of the plan as it is, everybody sleeping where they do.
    """
    from tarvik.core.plan.choose import fixed  # noqa: PLC0415

    offers = model.asked.offers
    mine = next((n for n in chosen.offers if offers[n].sheets == sheets), None)
    if mine is None:
        return []
    here = sum(1 for s in chosen.beds.values() if s == sheets)
    others = [n for n in chosen.offers if n != mine]
    out: list[Rival] = []
    seen = {offers[mine].pitch}
    order = sorted(
        (n for n, o in enumerate(offers) if o.sheets == sheets),
        key=lambda n: (
            max(0, here - offers[n].calm),
            offers[n].poor,
            max(0, here - offers[n].sit),
            offers[n].minutes,
            offers[n].out_m,
        ),
    )
    for n in order:
        if offers[n].pitch in seen or len(out) == most:
            continue
        seen.add(offers[n].pitch)
        values = fixed(model, ([*others, n], chosen.beds))
        if values is None:
            out.append(Rival(n, "", 0))
            continue
        for r in chosen.reached:
            worse = model.linear.value(r.aim, values) - r.value
            if worse:
                out.append(Rival(n, r.aim, worse))
                break
    return out
