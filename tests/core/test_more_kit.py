"""The least kit that makes every night work: against every amount tried one by one."""

from __future__ import annotations

import itertools
import random
from dataclasses import replace
from typing import TYPE_CHECKING

from tarvik.core.plan.choose import Limits, choose
from tarvik.core.plan.model import plan_model
from tarvik.core.plan.more_kit import least_kit, with_ease, with_packs
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tarvik.core.plan.question import ExtraKit, ExtraSheets
from tests.plan_cases import random_course

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plan.question import PlanQuestion

SHEET, BAG, ROD, CORD = "sheet", "stakes", "pole", "line"


def night(seed: int, things: Sequence[ExtraKit]) -> PlanQuestion:
    """A random night, two of whose sheets are not there yet, with kit that might be had."""
    asked = random_course(seed, most_people=5, most_sheets=4)
    pieces = {t.key: t.pieces * t.most for t in things}
    sheets = sorted({s for o in asked.offers for s in o.sheets})[-2:]
    pools = (
        Pool(STAKE, pieces[BAG], extra=BAG),
        Pool(POLE, pieces[ROD], 0.8, 1.8, extra=ROD),
        Pool(LINE, pieces[CORD], 0.0, 5.0, extra=CORD),
    )
    return replace(
        asked,
        pools=(*asked.pools, *pools),
        owners={s: p for s, p in asked.owners.items() if s not in sheets},
        standing=(),
        extras=(ExtraSheets(SHEET, tuple(sheets), len(sheets)),),
    )


def without(asked: PlanQuestion) -> int:
    """The fewest people that a night's plan leaves without a place to sleep."""
    chosen = choose(plan_model(replace(asked, aims=("wet",))), Limits(workers=1))
    assert chosen.possible and chosen.proven
    return sum(r.value for r in chosen.reached if r.aim == "wet")


def tried(
    nights: Sequence[PlanQuestion], things: Sequence[ExtraKit]
) -> tuple[int, int, Mapping[str, int]]:
    """By trying every amount: people left without in all, the cost, and how many packs of each."""
    out = []
    for amounts in itertools.product(*(range(t.most + 1) for t in things)):
        packs = {t.key: n for t, n in zip(things, amounts, strict=True)}
        left = sum(without(with_packs(asked, things, packs)) for asked in nights)
        cost = sum(t.cost * packs[t.key] for t in things)
        out.append((left, cost, sum(amounts), tuple(packs.items())))
    left, cost, _, best = min(out)
    return left, cost, dict(best)


def things_of(dice: random.Random) -> list[ExtraKit]:
    """Prices and packs that differ from course to course."""
    return [
        ExtraKit(SHEET, 1, 2, dice.randint(0, 9)),
        ExtraKit(BAG, 4, 2, dice.randint(1, 4)),
        ExtraKit(ROD, 1, 1, dice.randint(1, 4)),
        ExtraKit(CORD, 1, 1, dice.randint(1, 4)),
    ]


def test_no_other_amount_does_as_well_for_less() -> None:
    """Forty random courses of two nights: what is left without a place, and the cost, are those
    found by trying every amount; the amounts told do what they promise.
    """
    bought = 0
    for seed in range(40):
        dice = random.Random(seed)
        things = things_of(dice)
        nights = [night(2 * seed, things), night(2 * seed + 1, things)]
        if seed % 2:
            nights = [with_ease(asked) for asked in nights]
        found = least_kit([plan_model(asked) for asked in nights], things)
        assert found is not None and found.proved, seed
        left, cost, _ = tried(nights, things)
        assert (found.without, found.cost) == (left, cost), seed
        again = sum(without(with_packs(asked, things, found.packs)) for asked in nights)
        assert again == left, seed
        beds = [bed for plan in found.plans for who, bed in plan.beds.items() if who >= 0]
        assert sum(bed is None for bed in beds) == left, seed
        bought += any(found.packs.values())
    assert bought > 10


def test_nights_share_what_is_had() -> None:
    """What two nights each lack is had once, not twice; and nothing where nothing lacks."""
    things = [
        ExtraKit(SHEET, 1, 2, 5),
        ExtraKit(BAG, 4, 2, 1),
        ExtraKit(ROD),
        ExtraKit(CORD),
    ]
    for seed in range(60):
        one = plan_model(night(seed, things))
        alone, twice = least_kit([one], things), least_kit([one, one], things)
        assert alone is not None and twice is not None
        assert twice.cost == alone.cost and twice.without == 2 * alone.without
        nothing = without(with_packs(one.asked, things, {}))
        assert (alone.cost == 0) == (nothing == alone.without)


def test_with_ease_nobody_lies_closer_than_that() -> None:
    """A shelter beds no more people than lie with ease, and none where people lie tightly."""
    things = things_of(random.Random(1))
    for seed in range(30):
        asked = night(seed, things)
        eased = with_ease(asked)
        for offer in eased.offers:
            assert 0 < offer.most <= offer.ease and not offer.tight
        assert without(eased) >= without(asked)
