"""The plan's figures: how long, how good against the leader's rule by eye, on the demo and on large
random courses.
"""

from __future__ import annotations

import resource
import time
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.plan.camps import Camp
from tarvik.core.plan.choose import Limits
from tarvik.core.plan.gather import Bag, InBag
from tarvik.core.plan.make import Case, Made, Offers, make
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tarvik.core.plan.party import Camper, PlanRules, Skill
from tarvik.core.plan.question import Locks, Standing
from tarvik.core.rig.supports import Pole, Supports
from tarvik.core.sheet import Sheet
from tarvik.core.site.hazards import hazards
from tarvik.core.site.things import Ground, Kind, Thing
from tarvik.core.tonight import Night
from tarvik.core.weather.needs import NightNeeds
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from tarvik.core.plan.choose import Chosen
    from tarvik.core.plan.model import PlanModel
    from tarvik.work.searching import Searcher

SIDES_M = (2.13, 2.44, 2.74, 3.0, 3.05, 3.66)


@dataclass
class Timed:
    """A plan with the seconds to its first and its end."""

    made: Made
    first_s: float
    all_s: float
    told: list[tuple[float, float]] = field(default_factory=list)


def timed(case: Case, solver: Solver, seconds: float, kept: Offers | None = None) -> Timed:
    """Make a plan, cold unless `kept` holds its offers, with so many seconds for the search."""
    began = time.perf_counter()
    told: list[tuple[float, float]] = []

    def tell(_: PlanModel, chosen: Chosen) -> None:
        told.append((time.perf_counter() - began, chosen.gap))

    made = make(
        case,
        solver.alone,
        Limits(),
        tell,
        kept,
        (time.perf_counter, seconds),
        solver.elsewhere,
    )
    return Timed(
        made, told[0][0] if told else float("inf"), time.perf_counter() - began, told
    )


def large_case(people: int, trees: int, seed: int = 5, patrols: int = 0) -> Case:
    """Random people, sheets and wood; kit a little too scarce."""
    dice = np.random.default_rng(seed)
    side = float(np.sqrt(trees) * 4.6)
    things: list[Thing] = []
    while len(things) < trees:
        x, y = dice.uniform(0, side, 2)
        if all(np.hypot(x - t.at[0], y - t.at[1]) > 1.8 for t in things):
            things.append(
                Thing(
                    f"t{len(things)}",
                    Kind.TREE,
                    (float(x), float(y)),
                    float(dice.uniform(0.1, 0.4)),
                )
            )
    ground = Ground(tuple(things))
    campers = tuple(
        Camper(
            n,
            f"P{n}",
            round(float(dice.uniform(1.55, 1.95)), 2),
            leader=n % 8 == 1,
            patrol=f"patrol {n * patrols // (people + 1)}" if patrols else "",
            skill=Skill.PRACTISED if n % 8 == 1 else list(Skill)[int(dice.integers(3))],
            snores=bool(dice.random() < 0.1),
        )
        for n in range(1, people + 1)
    )
    sheets = []
    for n in range(1, people + 1):
        a, b = sorted(dice.choice(SIDES_M, 2))
        sheets.append(
            InBag(
                n,
                Sheet.rectangle(float(a), float(b), None),
                n if dice.random() < 0.85 else None,
            )
        )
    pools = (
        Pool(STAKE, int(3.5 * people)),
        Pool(POLE, people // 3, 1.05, 1.45),
        Pool(LINE, people // 2, 0.0, 5.5),
        Pool(LINE, people, 0.0, 3.0),
    )
    supports = Supports((), tuple(Pole(1.05, 1.45) for _ in range(max(people // 3, 1))))
    needs = NightNeeds(rain_mm_h=4.0, wind_m_s=7.0, wind_from_deg=230.0)
    rules = PlanRules(patrols_apart=bool(patrols))
    camp = Camp(
        ground,
        tuple(hazards(ground, wind_from_deg=230.0, rain_mm=20.0)),
        wind_from_deg=230.0,
        longest_line_m=11.0,
    )
    return Case(Bag(tuple(sheets), campers, supports, pools), Night(needs), camp, rules)


def against_the_rule(name: str, made: Made) -> list[tuple[str, float, str, float]]:
    """(name, value, unit, by the leader's rule) of what matters: wet and exposed people, kit lent
    or improvised.
    """
    rule = {r.aim: r.value for r in made.by_rule}
    ours = {r.aim: r.value for r in made.chosen.reached}
    return [
        (
            f"plan_{name}_{aim.replace(' ', '_')}",
            float(ours[aim]),
            unit,
            float(rule.get(aim, -1)),
        )
        for aim, unit in (("wet", "people"), ("exposed", "people"), ("own kit", "pieces"))
        if aim in ours
    ]


def small_change(
    case: Case, solver: Solver, kept: Offers, made: Made
) -> tuple[float, float]:
    """Seconds to plan again when one person was put elsewhere by hand and fixed there, the offers
    known: until the best plan with the untouched shelters left standing is on the screen, and until
    the best of all plans is proved.
    """
    beds = {p: s for p, s in made.chosen.beds.items() if s is not None and p >= 0}
    person = next(iter(beds))
    beds[person] = next((s for s in beds.values() if s != beds[person]), beds[person])
    standing = tuple(
        Standing(
            o.sheets,
            o.pitch,
            o.settings,
            o.spot.at,
            o.spot.front_deg,
            tuple(p for p, s in beds.items() if s == o.sheets),
        )
        for o in made.offers
        if o.spot is not None
    )
    began = time.perf_counter()
    told: list[tuple[int, float]] = []

    def tell(model: PlanModel, _: Chosen) -> None:
        told.append((len(model.asked.offers), time.perf_counter() - began))

    held = replace(case, standing=standing, locks=Locks(people={person: beds[person][0]}))
    again = make(held, solver.alone, Limits(), tell, kept, elsewhere=solver.elsewhere)
    every = time.perf_counter() - began
    return max(
        (at for count, at in told if count < len(again.model.asked.offers)), default=every
    ), every


def measured(
    demo: Case, searcher: Searcher
) -> list[tuple[str, float, str, float, float | None]]:
    """Every figure: (name, value, unit, target, by the leader's rule where it is compared)."""
    solver, kept = Solver(searcher), Offers()
    cold = timed(demo, solver, 30.0, kept)
    warm = timed(demo, solver, 30.0, kept)
    changed = small_change(demo, solver, kept, warm.made)
    out: list[tuple[str, float, str, float, float | None]] = [
        ("plan_demo_cold_s", cold.all_s, "s", 5.0, None),
        ("plan_demo_first_s", cold.first_s, "s", 2.0, None),
        ("plan_demo_solved_s", warm.all_s, "s", 5.0, None),
        ("plan_demo_gap_pct", 100 * warm.made.chosen.gap, "%", 0.0, None),
        ("plan_demo_small_change_s", changed[0], "s", 1.0, None),
        ("plan_demo_small_change_proved_s", changed[1], "s", 5.0, None),
    ]
    out += [(n, v, u, rule, rule) for n, v, u, rule in against_the_rule("demo", warm.made)]
    forty = timed(large_case(40, 200), solver, 20.0, Offers())
    out += [
        ("plan_40_first_s", forty.first_s, "s", 3.0, None),
        ("plan_40_all_s", forty.all_s, "s", 23.0, None),
        ("plan_40_gap_pct", 100 * forty.made.chosen.gap, "%", 2.0, None),
    ]
    out += [(n, v, u, rule, rule) for n, v, u, rule in against_the_rule("40", forty.made)]
    many = timed(large_case(120, 600, patrols=15), solver, 30.0, Offers())
    out += [
        ("plan_120_all_s", many.all_s, "s", 60.0, None),
        ("plan_120_gap_pct", 100 * many.made.chosen.gap, "%", 100.0, None),
    ]
    out += [(n, v, u, rule, rule) for n, v, u, rule in against_the_rule("120", many.made)]
    memory = (
        resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        + searcher.own_kib() / 1024
    )
    return [*out, ("plan_memory_mb", memory, "MB", 1000.0, None)]
