"""Random courses for the plan's tests, and the reference: plain loops over every plan there is, and
an independent checker.
"""

from __future__ import annotations

import itertools
import random
from typing import TYPE_CHECKING

import numpy as np
from shapely import box

from tarvik.core.plan.aims import AIMS
from tarvik.core.plan.offers import LINE, POLE, STAKE, Offer, Pool
from tarvik.core.plan.party import Camper, PlanRules, Shares, Skill
from tarvik.core.plan.question import PlanQuestion, Standing
from tarvik.core.site.placing import Spot

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

JOIN_M = 0.40  # cord lost in a join, as the constants document says


def random_course(
    seed: int, most_people: int = 6, most_sheets: int = 6, trees: int = 8, each: int = 2
) -> PlanQuestion:
    """People, offers, kit and rules of all kinds, tight enough that something is often short."""
    dice = random.Random(seed)
    people, sheets = dice.randint(1, most_people), dice.randint(1, most_sheets)
    side = 4.0 * (people + 1) ** 0.5
    campers = [
        Camper(
            n,
            f"P{n}",
            dice.choice([1.6, 1.7, 1.8, 1.9]),
            leader=n == 1 and dice.random() < 0.7,
            age=dice.choice([None, 13, 16, 19, 30]),
            patrol=dice.choice(["", "A", "B"]),
            quarters=dice.choice(["", "", "x", "y"]),
            shares=dice.choice([Shares.ANYONE] * 4 + [Shares.PATROL, Shares.NOBODY]),
            skill=dice.choice(list(Skill)),
            snores=dice.random() < 0.2,
            lends=dice.random() < 0.8,
        )
        for n in range(1, people + 1)
    ]
    rules = PlanRules(
        leaders_apart=dice.random() < 0.5,
        adults_apart=dice.random() < 0.5,
        patrols_apart=dice.random() < 0.2,
        age_gap=dice.choice([None, None, 2]),
        earshot_m=dice.choice([0.0, 5.0, 10.0]),
        gap_m=dice.choice([0.0, 0.8]),
        join_lines=dice.random() < 0.7,
        never=frozenset({(1, 2)} if people > 2 and dice.random() < 0.3 else ()),
        always=frozenset({(2, 3)} if people > 2 and dice.random() < 0.2 else ()),
    )
    if dice.random() < 0.2:
        campers.append(
            Camper(-1, "Spare", 1.75, shares=Shares.NOBODY, bulk=dice.choice([1, 2]))
        )
    offers = []
    for sheet in range(1, sheets + 1):
        for _ in range(dice.randint(1, each)):
            x, y = dice.uniform(0, side), dice.uniform(0, side)
            room = dice.choice([1, 1, 2, 3])
            beds = (
                ((1.75, room), (1.95, max(room - 1, 1)))
                if dice.random() < 0.5
                else ((1.85, room),)
            )
            tied = tuple(
                sorted(dice.sample([f"t{k}" for k in range(trees)], dice.choice([0, 1, 2])))
            )
            offers.append(
                Offer(
                    (sheet,),
                    dice.choice(["a-frame", "lean-to"]),
                    (("height", float(len(offers))),),
                    beds,
                    Spot((x, y), 0.0),
                    tied,
                    box(x - 1.2, y - 1.2, x + 1.2, y + 1.2),
                    (x, y),
                    sit=dice.randint(0, room),
                    calm=dice.choice([0, room]),
                    ease=dice.randint(0, room),
                    poor=dice.choice([0, 3, 12, 25]),
                    holds=dice.random() < 0.9,
                    unsuited=dice.random() < 0.1,
                    tight=dice.random() < 0.1,
                    minutes=dice.choice([3.0, 5.0, 8.0]),
                    hard=dice.random() < 0.3,
                    stakes=dice.randint(2, 6),
                    poles=tuple(dice.choice([0.9, 1.2, 1.6]) for _ in range(2 - len(tied))),
                    cords=tuple(
                        dice.choice([2.0, 2.8, 4.5]) for _ in range(dice.randint(0, 2))
                    ),
                    buttons=dice.randint(0, 1),
                    out_m=round(dice.uniform(0, 20), 1),
                    cautions=("near_path",) * (dice.random() < 0.2),
                )
            )
    pools = (
        Pool(STAKE, dice.randint(4, 5 * sheets)),
        Pool(POLE, dice.randint(1, sheets), 1.0, 1.4),
        Pool(POLE, dice.randint(0, 2), 0.8, 1.8),
        Pool(LINE, dice.randint(0, sheets + 1), 0.0, 3.0),
        Pool(LINE, dice.randint(0, 2), 0.0, 5.0),
    )
    owners = {s: s for s in range(1, min(people, sheets) + 1) if dice.random() < 0.7}
    standing: tuple[Standing, ...] = ()
    if dice.random() < 0.4:
        some = dice.choice(offers)
        who = tuple(c.number for c in campers[:1])
        standing = (
            Standing(
                some.sheets,
                some.pitch,
                some.settings,
                some.spot.at if some.spot else None,
                0.0,
                who,
            ),
        )
    aims = list(AIMS)
    if dice.random() < 0.3:
        aims[2:] = dice.sample(aims[2:], len(aims) - 2)
    return PlanQuestion(
        tuple(campers),
        tuple(offers),
        pools,
        rules,
        owners,
        standing=standing,
        aims=tuple(aims),
    )


def barred(a: Camper, b: Camper, rules: PlanRules) -> bool:
    """Whether two people may not share, said once more in plain words."""

    def of_age(c: Camper) -> bool:
        return c.age >= 18 if c.age is not None else c.leader

    young = not of_age(a) and not of_age(b) and a.age is not None and b.age is not None
    return (
        (rules.leaders_apart and a.leader != b.leader)
        or (rules.adults_apart and of_age(a) != of_age(b))
        or (rules.patrols_apart and a.patrol != "" and b.patrol not in ("", a.patrol))
        or (a.quarters != "" and b.quarters not in ("", a.quarters))
        or (young and rules.age_gap is not None and abs(a.age - b.age) > rules.age_gap)
        or Shares.NOBODY in (a.shares, b.shares)
        or (Shares.PATROL in (a.shares, b.shares) and a.patrol != b.patrol)
        or (a.number, b.number) in rules.never
        or (b.number, a.number) in rules.never
    )


def kit_cost(offers: Sequence[Offer], asked: PlanQuestion) -> int | None:
    """Fewest lines joined to serve these offers from the group's kit; None when something is short.
    Every way is tried.
    """
    left = {k: [p for p in asked.pools if p.kind == k] for k in (STAKE, POLE, LINE)}
    if sum(o.stakes for o in offers) > sum(p.count for p in left[STAKE]):
        return None
    heights = sorted(h for o in offers for h in o.poles)
    rods = [(p.least_m, p.most_m) for p in left[POLE] for _ in range(p.count)]

    def poled(need: list[float], free: list[tuple[float, float]]) -> bool:
        if not need:
            return True
        return any(
            poled(need[1:], free[:k] + free[k + 1 :])
            for k, (low, high) in enumerate(free)
            if low - 1e-6 <= need[0] <= high + 1e-6 and free.index((low, high)) == k
        )

    if not poled(heights, rods):
        return None
    needs = sorted((c for o in offers for c in o.cords), reverse=True)

    def corded(need: list[float], free: tuple[float, ...]) -> int | None:
        if not need:
            return 0
        best = None
        for k in range(len(free)):
            if free[k] >= need[0] - 1e-6 and free.index(free[k]) == k:
                rest = corded(need[1:], free[:k] + free[k + 1 :])
                best = rest if best is None or (rest is not None and rest < best) else best
        for a, b in (
            itertools.combinations(range(len(free)), 2) if asked.rules.join_lines else ()
        ):
            short = max(free[a], free[b]) < need[0] - 1e-6
            if short and free[a] + free[b] - JOIN_M >= need[0] - 1e-6:
                rest = corded(
                    need[1:], tuple(f for n, f in enumerate(free) if n not in (a, b))
                )
                if rest is not None and (best is None or rest + 1 < best):
                    best = rest + 1
        return best

    return corded(
        needs, tuple(sorted(p.most_m for p in left[LINE] for _ in range(p.count)))
    )


def fits_together(offers: Sequence[Offer], gap_m: float) -> bool:
    """No sheet or tree twice, and a walking gap between the shelters."""
    for a, b in itertools.combinations(offers, 2):
        if set(a.sheets) & set(b.sheets) or set(a.trees) & set(b.trees):
            return False
        distance = (
            a.ground.distance(b.ground)
            if a.ground is not None and b.ground is not None
            else 99.0
        )
        if distance < gap_m - 1e-9 or (gap_m == 0 and a.ground.intersects(b.ground)):
            return False
    return True


def value_of(
    asked: PlanQuestion, offers: Sequence[Offer], beds: Sequence[int]
) -> dict[str, int] | None:
    """Every aim of one plan, counted person by person; None when it breaks a rule. `beds`: the
    offer's place, -1 for none.
    """
    campers, rules = asked.campers, asked.rules
    inside = [
        [c for c, bed in zip(campers, beds, strict=True) if bed == n]
        for n in range(len(offers))
    ]
    out = dict.fromkeys(AIMS, 0)
    sheet_of = {
        c.number: offers[bed].sheets if bed >= 0 else None
        for c, bed in zip(campers, beds, strict=True)
    }
    for offer, people in zip(offers, inside, strict=True):
        wanted = sum(c.bulk for c in people)
        if not people or wanted > min(offer.room(c.stature_m) for c in people):
            return None
        alone = [c for c in people if c.shares is Shares.NOBODY or c.number < 0]
        if (alone and len(people) > 1) or any(
            barred(a, b, rules) for a, b in itertools.combinations(people, 2)
        ):
            return None
        real = sum(c.bulk for c in people if c.number >= 0)
        out["exposed"] += max(0, real - offer.calm)
        out["holds"] += not offer.holds
        out["comfort"] += offer.poor + 15 * max(0, real - 2)
        out["comfort"] += 4 * max(0, real - offer.sit) + 4 * max(0, real - offer.ease)
        out["few"] += 1
        out["quick"] += round(10 * offer.minutes)
        out["compact"] += round(10 * offer.out_m)
        out["rules"] += (
            5 * offer.unsuited
            + 10 * offer.tight
            + len(offer.cautions)
            + 2
            * (
                offer.hard
                and not any(c.skill is Skill.PRACTISED or c.leader for c in people)
            )
        )
        if (
            any(c.snores for c in people)
            and max(o.most for o in asked.offers if o.sheets == offer.sheets) > 1
        ):
            out["rules"] += sum(c.bulk for c in people if not c.snores)
        for sheet in offer.sheets:
            owner = next((c for c in campers if c.number == asked.owners.get(sheet)), None)
            if owner is not None and owner not in people:
                if not owner.lends:
                    return None
                out["own kit"] += 4
        out["own kit"] += offer.buttons
        mine = {
            c.number: {s for s, o in asked.owners.items() if o == c.number} for c in people
        }
        out["own kit"] += 10 * sum(
            bool(mine[c.number]) and not mine[c.number] & set(offer.sheets) for c in people
        )
        novices = any(
            c.skill is Skill.NOVICE and not c.leader and c.number >= 0 for c in people
        )
        if novices and rules.earshot_m and any(c.leader for c in campers):
            led = [
                o
                for o, some in zip(offers, inside, strict=True)
                if any(c.leader for c in some)
            ]
            near = any(
                np.hypot(o.at[0] - offer.at[0], o.at[1] - offer.at[1]) <= rules.earshot_m
                for o in led
            )
            out["rules"] += 3 * (not near)
    for a, b in rules.always:
        if a in sheet_of and b in sheet_of and sheet_of[a] != sheet_of[b]:
            return None
    out["wet"] = sum(s is None for n, s in sheet_of.items() if n >= 0)
    out["rules"] += 10 * sum(s is None for n, s in sheet_of.items() if n < 0)
    kit = kit_cost(offers, asked)
    if kit is None:
        return None
    out["own kit"] += kit
    if asked.standing:
        for offer in offers:
            out["moves"] += not any(_stands(offer, s) for s in asked.standing)
        for s in asked.standing:
            out["moves"] += not any(o.sheets == s.sheets for o in offers) and any(
                o.sheets == s.sheets for o in asked.offers
            )
            out["moves"] += sum(
                sheet_of.get(p) != s.sheets for p in s.people if p in sheet_of
            )
    return out


def _stands(offer: Offer, standing: Standing) -> bool:
    return (offer.sheets, offer.pitch, dict(offer.settings), offer.spot.at) == (
        standing.sheets,
        standing.pitch,
        dict(standing.settings),
        standing.at,
    )


def best_by_looking_at_all(asked: PlanQuestion) -> tuple[int, ...]:
    """The lexicographically least aims over every set of offers that fits together and every way of
    going to bed.

    Sets whose kit is short are passed over at once; beds are handed out person by person, those
    that cannot be not followed.
    """
    best: tuple[int, ...] | None = None
    for offers in sets_that_fit(asked):
        if kit_cost(offers, asked) is None:
            continue
        for beds in beddings(asked, offers):
            value = value_of(asked, offers, beds)
            if value is not None:
                told = tuple(value[a] for a in asked.aims)
                best = told if best is None or told < best else best
    assert best is not None
    return best


def sets_that_fit(asked: PlanQuestion) -> Iterator[list[Offer]]:
    """Every set of offers, one of each sheet at most, that stand beside each other."""
    by_sheet: dict[tuple[int, ...], list[Offer | None]] = {}
    for offer in asked.offers:
        by_sheet.setdefault(offer.sheets, [None]).append(offer)
    for chosen in itertools.product(*by_sheet.values()):
        offers = [o for o in chosen if o is not None]
        if fits_together(offers, asked.rules.gap_m):
            yield offers


def beddings(asked: PlanQuestion, offers: Sequence[Offer]) -> list[tuple[int, ...]]:
    """Every way of going to bed under these offers, none of them left empty: each person's offer,
    -1 for none.
    """
    found: list[tuple[int, ...]] = [()]
    for camper in asked.campers:
        fits = [n for n, o in enumerate(offers) if o.room(camper.stature_m) >= camper.bulk]
        found = [
            (*beds, n)
            for beds in found
            for n in (-1, *fits)
            if n < 0
            or sum(asked.campers[k].bulk for k, b in enumerate(beds) if b == n)
            < offers[n].most
        ]
    return [b for b in found if set(range(len(offers))) <= set(b)]


def broken_rules(
    asked: PlanQuestion, offers: Sequence[Offer], beds: Mapping[int, tuple[int, ...] | None]
) -> list[str]:
    """What a plan breaks, by Shapely and plain loops: overlap, double use, a wet mat, forbidden
    sharing, kit short.
    """
    out = []
    if not fits_together(offers, asked.rules.gap_m):
        out.append("overlap or double use")
    place = {o.sheets: n for n, o in enumerate(offers)}
    if any(s is not None and s not in place for s in beds.values()):
        return [*out, "a bed without a shelter"]
    value = value_of(
        asked,
        offers,
        [-1 if beds[c.number] is None else place[beds[c.number]] for c in asked.campers],
    )
    if value is None:
        out.append("room, sharing, lending or kit")
    return out
