"""Why there is no plan with a bed for everyone: the smallest sets of things in each other's way,
and the smallest changes that make room, with their amounts. And what a chosen shelter won against.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.plan.choose import FREE, Chosen, Limits, add_row, solver_for, to_cp, variables_of
from tarvik.core.plan.party import SAFEGUARDS

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from tarvik.core.plan.linear import Row
    from tarvik.core.plan.model import PlanModel

REPAIRS_MOST: Final = 5
TROUBLE: Final = {"kit": 2, "lock": 1, "consent": 6, "never": 6, "always": 4, "lend": 4, "bed": 12}
"""How hard a thing in the way is to set aside (engineering assumption); rules of sharing not named
here weigh 9.
"""
RULE_TROUBLE: Final = 9


@dataclass(frozen=True, slots=True)
class Shortage:
    """How many pieces of a kind a repair wants."""

    kind: str
    pieces: int


@dataclass(frozen=True)
class Repair:
    """Things to set aside so that everybody has a bed; of kit, how many pieces more."""

    tags: tuple[str, ...]
    words: tuple[str, ...]
    short: tuple[Shortage, ...] = ()


@dataclass(frozen=True)
class Impasse:
    """What stands in the way: sets of things that cannot all hold, and the repairs, the easiest
    first.
    """

    sets: tuple[tuple[str, ...], ...]
    repairs: tuple[Repair, ...]
    words: dict[str, str]


def feasible(model: PlanModel, hold: Iterable[str], limits: Limits = FREE) -> bool:
    """Whether a plan exists in which everything named holds; facts always do."""
    held = set(hold)
    cp = to_cp(model.linear, [r for r in model.linear.rows if not r.tag or r.tag in held])
    status = solver_for(limits).solve(cp)
    return bool(status in (cp_model.OPTIMAL, cp_model.FEASIBLE))


def smallest_conflict(
    model: PlanModel, tags: Sequence[str], limits: Limits = FREE
) -> tuple[str, ...]:
    """Things among `tags` that cannot all hold, though any of them left out the rest can. Empty
    when all can hold.

    First the solver names a set that is enough; then each of it is left out in turn, and stays out
    if the rest still cannot.
    """
    linear = model.linear
    named: dict[str, list[Row]] = {t: [] for t in tags}
    for row in linear.rows:
        if row.tag in named:
            named[row.tag].append(row)
    cp = to_cp(linear, [r for r in linear.rows if not r.tag])
    flags: dict[int, str] = {}
    for tag in tags:
        off = cp.new_bool_var("")
        flags[off.index] = tag
        for row in named[tag]:
            add_row(cp, row, unless=[off.index])
    cp.add_assumptions([cp.get_bool_var_from_proto_index(f).Not() for f in flags])
    solver = solver_for(replace(limits, workers=1))
    status = solver.solve(cp)
    if status in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return ()
    enough = [
        flags[f if f >= 0 else -f - 1] for f in solver.sufficient_assumptions_for_infeasibility()
    ]
    core = [t for t in tags if t in enough] or list(tags)
    for tag in sorted(
        core, key=_trouble
    ):  # what is easiest to set aside is asked for last: it stays in the set
        rest = [t for t in core if t != tag]
        if not feasible(model, rest, limits):
            core = rest
    return tuple(core)


def _trouble(tag: str) -> int:
    return -TROUBLE.get(tag.split(maxsplit=1)[0], RULE_TROUBLE)


def repairs(model: PlanModel, limits: Limits = FREE, most: int = REPAIRS_MOST) -> list[Repair]:
    """The smallest sets of things to set aside so that everybody has a bed, the easiest first; no
    set holds another, and none a rule that protects people.
    """
    linear = model.linear
    tags = [t for t in linear.tags() if t not in SAFEGUARDS]
    cp = to_cp(linear, [r for r in linear.rows if not r.tag or r.tag in SAFEGUARDS])
    flags = {tag: cp.new_bool_var("") for tag in tags}
    for row in linear.rows:
        if row.tag in flags:
            add_row(cp, row, unless=[flags[row.tag].index])
    cp.minimize(
        cp_model.LinearExpr.weighted_sum(list(flags.values()), [-_trouble(t) for t in tags])
    )
    out = []
    for _ in range(most):
        solver = solver_for(limits)
        if solver.solve(cp) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            break
        aside = tuple(t for t in tags if solver.value(flags[t]))
        if not aside:
            return []
        aside = _least(model, aside, limits)
        out.append(
            Repair(
                aside, tuple(linear.words.get(t, t) for t in aside), shortages(model, aside, limits)
            )
        )
        cp.add_bool_or([flags[t].Not() for t in aside])
    return out


def _least(model: PlanModel, aside: tuple[str, ...], limits: Limits) -> tuple[str, ...]:
    """Without what need not be set aside: time may have run out before the optimum."""
    tags = model.linear.tags()
    kept = list(aside)
    for tag in aside if len(aside) > 1 else ():
        rest = [t for t in kept if t != tag]
        if feasible(model, [t for t in tags if t not in rest], limits):
            kept = rest
    return tuple(kept)


def shortages(
    model: PlanModel, aside: Sequence[str], limits: Limits = FREE
) -> tuple[Shortage, ...]:
    """The fewest pieces of each kind of kit that are wanted when these things are set aside."""
    linear = model.linear
    kinds = [t for t in aside if t.startswith("kit ")]
    if not kinds:
        return ()
    cp = to_cp(linear, [r for r in linear.rows if not r.tag or (r.tag not in aside)])
    variables = variables_of(cp, len(linear.low))
    over: dict[str, list[cp_model.IntVar]] = {k: [] for k in kinds}
    for row in linear.rows:
        if row.tag in over and row.high is not None:
            short = cp.new_int_var(0, 100_000, "")
            over[row.tag].append(short)
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
        Shortage(k.removeprefix("kit "), sum(solver.value(v) for v in some))
        for k, some in over.items()
    )


def impasse(model: PlanModel, limits: Limits = FREE, most_sets: int = 3) -> Impasse | None:
    """What stands in the way of a bed for everyone; None when nothing does. Sets after the first
    are looked for with the things of those before left out, so that each tells something else.
    """
    tags = model.linear.tags()
    if feasible(model, tags, limits):
        return None
    sets: list[tuple[str, ...]] = []
    left = list(tags)
    while len(sets) < most_sets:
        found = smallest_conflict(model, left, limits)
        if not found:
            break
        sets.append(found)
        left = [t for t in left if t not in found]
    return Impasse(tuple(sets), tuple(repairs(model, limits)), dict(model.linear.words))


@dataclass(frozen=True)
class Rival:
    """An offer that a chosen shelter won against: the first aim in which the plan with it instead
    is worse, and by how much; or that it cannot be had at all beside the rest.
    """

    offer: int
    aim: str
    worse: int


def rivals(model: PlanModel, chosen: Chosen, sheets: tuple[int, ...], most: int = 4) -> list[Rival]:
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
