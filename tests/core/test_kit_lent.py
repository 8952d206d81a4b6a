"""Kit that is somebody's own: it serves its owner's shelter, others only when it is lent, and what
is lent is counted. The plan against every plan there is and every way of handing the kit out.
"""

from __future__ import annotations

import itertools
import random
from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

import pytest

from tarvik.core.plan.choose import Limits, choose
from tarvik.core.plan.model import plan_model
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tests.plan_cases import JOIN_M, beddings, random_course, sets_that_fit, value_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plan.offers import Offer
    from tarvik.core.plan.question import PlanQuestion

PLENTY = (Pool(STAKE, 99), Pool(POLE, 99, 0.1, 9.0), Pool(LINE, 99, 0.0, 99.0))
Draw = tuple[int, int]  # pool, shelter


def owned_course(seed: int) -> PlanQuestion:
    """Two or three people with stakes, poles and lines of their own, and little of the group's."""
    dice = random.Random(seed)
    asked = random_course(seed, most_people=3, most_sheets=3, each=1)
    campers = tuple(
        replace(c, lends=dice.random() < 0.6) for c in asked.campers if c.number > 0
    )
    offers = tuple(
        replace(
            o, stakes=dice.randint(0, 3), poles=o.poles[:1], cords=o.cords[:1], others=()
        )
        for o in asked.offers
    )
    pools = [Pool(STAKE, dice.randint(0, 3)), Pool(LINE, dice.randint(0, 2), 0.0, 2.6)]
    for camper in campers:
        own = (
            Pool(STAKE, dice.randint(1, 3)),
            Pool(POLE, 1, 0.8, dice.choice([1.0, 1.3, 1.8])),
            Pool(LINE, 1, 0.0, dice.choice([2.2, 3.0, 5.0])),
        )
        pools += [replace(pool, owner=camper.number) for pool in own if dice.random() < 0.6]
    return replace(asked, campers=campers, offers=offers, pools=tuple(pools), standing=())


def needs_of(
    offers: Sequence[Offer], asked: PlanQuestion
) -> list[tuple[int, list[tuple[int, ...]]]]:
    """Each thing needed: in which shelter, and the ways in which pools serve it."""
    pools, out = asked.pools, []
    of_kind = {
        k: [n for n, p in enumerate(pools) if p.kind == k] for k in (STAKE, POLE, LINE)
    }
    for home, offer in enumerate(offers):
        out += [(home, [(n,) for n in of_kind[STAKE]])] * offer.stakes
        for height in offer.poles:
            out.append(
                (
                    home,
                    [
                        (n,)
                        for n in of_kind[POLE]
                        if pools[n].least_m - 1e-9 <= height <= pools[n].most_m + 1e-9
                    ],
                )
            )
        for cord in offer.cords:
            ways: list[tuple[int, ...]] = [
                (n,) for n in of_kind[LINE] if pools[n].most_m >= cord - 1e-9
            ]
            if asked.rules.join_lines:
                short = [n for n in of_kind[LINE] if pools[n].most_m < cord - 1e-9]
                ways += [
                    (a, b)
                    for a, b in itertools.combinations_with_replacement(short, 2)
                    if pools[a].most_m + pools[b].most_m - JOIN_M >= cord - 1e-9
                ]
            out.append((home, ways))
    return out


def least_cost(
    offers: Sequence[Offer], asked: PlanQuestion, where: Mapping[int, int]
) -> int | None:
    """Fewest things lent and lines joined that serve all; None when something is short. `where`:
    person -> shelter.
    """
    pools = asked.pools
    lends = {c.number: c.lends for c in asked.campers}
    states: dict[tuple[tuple[Draw, int], ...], int] = {(): 0}
    for home, ways in needs_of(offers, asked):
        after: dict[tuple[tuple[Draw, int], ...], int] = {}
        for state, joined in states.items():
            for way in ways:
                drawn = Counter(dict(state))
                for n in way:
                    drawn[n, home] += 1
                if any(
                    sum(c for (m, _), c in drawn.items() if m == n) > pools[n].count
                    for n in way
                ):
                    continue
                key, cost = tuple(sorted(drawn.items())), joined + (len(way) > 1)
                after[key] = min(after.get(key, cost), cost)
        states = after
    best: int | None = None
    for state, joined in states.items():
        total: int | None = joined
        for (n, home), count in state:
            owner = pools[n].owner
            if owner is None or total is None:
                continue
            over = max(0, count - (pools[n].count if where.get(owner) == home else 0))
            total = None if over and not lends[owner] else total + over
        if total is not None and (best is None or total < best):
            best = total
    return best


def best_of_all(asked: PlanQuestion) -> dict[str, int]:
    """The lexicographically least aims over every set of offers, every way of going to bed and of
    handing out kit.
    """
    rich = replace(asked, pools=PLENTY)
    best: tuple[int, ...] | None = None
    for offers in sets_that_fit(asked):
        for beds in beddings(asked, offers):
            value = value_of(rich, offers, beds)
            where = {c.number: bed for c, bed in zip(asked.campers, beds, strict=True)}
            cost = None if value is None else least_cost(offers, asked, where)
            if value is None or cost is None:
                continue
            told = tuple(
                (value | {"own kit": value["own kit"] + cost})[a] for a in asked.aims
            )
            best = told if best is None or told < best else best
    assert best is not None
    return dict(zip(asked.aims, best, strict=True))


@pytest.mark.parametrize("part", range(4))
def test_own_kit_is_handed_out_best(part: int) -> None:
    """120 random courses: the plan's aims are the least there are, lent things and joined lines
    counted.
    """
    lent = 0
    for seed in range(part, 120, 4):
        asked = owned_course(seed)
        model = plan_model(asked)
        chosen = choose(model, Limits(workers=1))
        assert chosen.possible
        assert chosen.proven
        told = best_of_all(asked)
        assert {r.aim: r.value for r in chosen.reached} == {
            a: told[a] for a in model.linear.aims
        }, seed
        where = {
            number: next(
                (
                    k
                    for k, n in enumerate(chosen.offers)
                    if asked.offers[n].sheets == sheets
                ),
                -1,
            )
            for number, sheets in chosen.beds.items()
        }
        cost = least_cost([asked.offers[n] for n in chosen.offers], asked, where)
        assert cost is not None
        lent += cost
    assert lent


def test_what_is_not_lent_stays_with_its_owner() -> None:
    """The only stakes are one person's: they serve the shelter that person sleeps in; lent, they
    would serve the other's too, each counted.
    """
    base = owned_course(3)
    one, two = (
        replace(base.campers[0], number=n, name=f"P{n}", lends=True, quarters="", patrol="")
        for n in (1, 2)
    )
    offers = tuple(
        replace(
            base.offers[0],
            sheets=(n,),
            spot=None,
            ground=None,
            at=None,
            trees=(),
            beds=((2.0, 1),),
            stakes=2,
            poles=(),
            cords=(),
            buttons=0,
            cautions=(),
        )
        for n in (1, 2)
    )
    asked = replace(
        base,
        campers=(one, two),
        offers=offers,
        pools=(Pool(STAKE, 4, owner=1),),
        owners={},
        standing=(),
    )
    value = {r.aim: r.value for r in choose(plan_model(asked)).reached}
    assert (value["wet"], value["own kit"]) == (0, 2)
    kept = replace(asked, campers=(replace(one, lends=False), two))
    chosen = choose(plan_model(kept))
    assert {r.aim: r.value for r in chosen.reached}["wet"] == 1
    assert chosen.beds[1] is not None
    assert chosen.beds[2] is None
