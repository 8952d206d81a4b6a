"""A whole plan made: the offers gathered, a first plan by the leader's rule, then the best one,
told as it gets better.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import partial
from typing import TYPE_CHECKING, Final

from tarvik.core.plan.aims import AIMS
from tarvik.core.plan.blocks import WHOLE_MOST, block_case, blocks_of
from tarvik.core.plan.choose import (
    FREE,
    Chosen,
    Limits,
    Reached,
    choose,
    chosen_of,
    fixed,
    least_of,
)
from tarvik.core.plan.gather import Bag, Gatherer, standing_offers
from tarvik.core.plan.leader import leaders_rule
from tarvik.core.plan.model import PlanModel, plan_model
from tarvik.core.plan.offers import at_most
from tarvik.core.plan.party import Camper, PlanRules, Shares
from tarvik.core.plan.question import (
    NO_LOCKS,
    SPARE,
    Locks,
    PlanQuestion,
    Standing,
    stands_as,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Mapping, Sequence

    from tarvik.core.plan.camps import Camp
    from tarvik.core.plan.choose import Start
    from tarvik.core.plan.forms import SolveAll
    from tarvik.core.plan.gather import Elsewhere
    from tarvik.core.plan.offers import Offer
    from tarvik.core.site.placing import Spot
    from tarvik.core.tonight import Night

    OfferKey = tuple[tuple[int, ...], str, tuple[tuple[str, float], ...], bool]
    Place = tuple[OfferKey, Spot | None, tuple[str, ...]]


@dataclass(frozen=True)
class Case:
    """All that a night's plan is made from. `few_moves`: what stands is to be changed as little as
    can be.
    """

    bag: Bag
    night: Night
    camp: Camp | None = None
    rules: PlanRules = field(default_factory=PlanRules)
    locks: Locks = NO_LOCKS
    standing: tuple[Standing, ...] = ()
    aims: tuple[str, ...] = AIMS
    few_moves: bool = False


@dataclass(frozen=True)
class Made:
    """The plan with its model, and what the leader's rule reaches on the same offers."""

    model: PlanModel
    chosen: Chosen
    by_rule: tuple[Reached, ...]

    @property
    def offers(self) -> list[Offer]:
        """The offers taken."""
        return [self.model.asked.offers[n] for n in self.chosen.offers]


def asked(case: Case, offers: Sequence[Offer]) -> PlanQuestion:
    """The question of a case over these offers."""
    campers: tuple[Camper, ...] = case.bag.campers
    if case.rules.spare_beds and campers:
        tallest = max(c.stature_m for c in campers)
        spare = Camper(
            SPARE,
            "Spare shelter",
            tallest,
            shares=Shares.NOBODY,
            bulk=case.rules.spare_beds,
        )
        campers = (*campers, spare)
    owners = {b.number: b.owner for b in case.bag.sheets if b.owner is not None}
    keep = case.few_moves or case.locks.standing
    return PlanQuestion(
        campers,
        tuple(offers),
        case.bag.pools,
        case.rules,
        owners,
        case.locks,
        case.standing if keep else (),
        case.aims if case.few_moves else tuple(a for a in case.aims if a != "moves"),
        None if case.camp is None else case.camp.blinds,
        case.bag.extras,
    )


class Offers:
    """Offers of the cases seen last, so that a small change gathers nothing anew, and what was
    gathered of one until it was stopped, so that the next goes on from there. Not for many threads
    at once.
    """

    MOST: Final = 6

    def __init__(self) -> None:
        self._kept: dict[object, tuple[Offer, ...]] = {}
        self._begun: tuple[object, Gatherer] | None = None

    def of(
        self,
        case: Case,
        solve_all: SolveAll,
        stop: Callable[[], bool],
        first: Callable[[list[Offer]], None],
        elsewhere: Elsewhere | None = None,
    ) -> tuple[Offer, ...]:
        """Every offer of a case; `first` is called with those that are there soon."""
        camp = case.camp
        key = (
            case.bag,
            case.night,
            None
            if camp is None
            else (camp.ground, camp.rules, camp.wind_from_deg, camp.uphill_deg),
        )
        if key not in self._kept:
            if self._begun is None or self._begun[0] != key:
                self._begun = key, Gatherer(case.bag, case.night, camp)
            offers: list[Offer] = []
            for number, batch in enumerate(
                self._begun[1].batches(solve_all, stop, elsewhere)
            ):
                offers = batch
                if number == 0:
                    first(offers)
            if stop():
                return tuple(offers)
            while len(self._kept) >= self.MOST:
                del self._kept[next(iter(self._kept))]
            self._kept[key], self._begun = tuple(offers), None
        return self._kept[key]


def make(
    case: Case,
    solve_all: SolveAll,
    limits: Limits = FREE,
    tell: Callable[[PlanModel, Chosen], None] = lambda *_: None,
    kept: Offers | None = None,
    clock: tuple[Callable[[], float], float] | None = None,
    elsewhere: Elsewhere | None = None,
) -> Made:
    """Make the plan. `tell` hears of every better plan with the model it belongs to. `clock`: a
    clock, and the seconds by it that the search may take once all offers are there. `elsewhere`:
    other hands that gather offers (see `Gatherer`).
    """

    if len(case.bag.campers) > WHOLE_MOST:
        return _in_blocks(case, solve_all, limits, tell, clock, elsewhere)

    def first(offers: list[Offer]) -> None:
        model = plan_model(asked(case, offers))
        values = fixed(model, leaders_rule(model.asked))
        if values is not None:
            tell(model, _read(model, values))

    known = (kept or Offers()).of(case, solve_all, limits.stop, first, elsewhere)
    held = case.standing if case.few_moves or case.locks.standing else ()
    stood = (
        standing_offers(case.bag, case.night, case.camp, held, solve_all) if held else []
    )
    offers = [*stood, *known]
    if clock is not None:
        now, seconds = clock
        end = now() + seconds
        limits = replace(limits, left=lambda: end - now())
    as_is = _as_it_stands(case, offers) if case.standing else None
    near = None if as_is is None else _round_about(case, offers, as_is, limits, tell)
    model = plan_model(asked(case, offers))
    rule = leaders_rule(model.asked)
    values = fixed(model, rule)
    by_rule = _reached(model, values)
    start: Start | None = rule if values is not None else None
    if near is not None:
        start, values = near, None
    elif as_is is not None and (still := fixed(model, as_is)) is not None:
        start, values = as_is, still
    chosen = choose(model, limits, start, lambda c: tell(model, c), values)
    made = Made(model, chosen, by_rule)
    beds_first = case.aims[:1] == ("wet",)
    if not (beds_first and _without(made)) or limits.stop():
        return made
    close = replace(case, bag=replace(case.bag, tightly=True))
    more = (kept or Offers()).of(close, solve_all, limits.stop, lambda _: None, elsewhere)
    stood = (
        standing_offers(close.bag, case.night, case.camp, held, solve_all) if held else []
    )
    return _tightly(case, made, [*stood, *more], limits, tell)


def _without(made: Made) -> int:
    """How many people a plan leaves without a bed."""
    return sum(bed is None for who, bed in made.chosen.beds.items() if who != SPARE)


def _tightly(
    case: Case,
    made: Made,
    more: Sequence[Offer],
    limits: Limits,
    tell: Callable[[PlanModel, Chosen], None],
) -> Made:
    """The plan that takes shelters in which people lie tightly too, where it gives a bed to
    somebody who had none; else as it was.
    """
    model = plan_model(asked(case, [*made.model.asked.offers, *more]))
    start = made.chosen.offers, made.chosen.beds
    chosen = choose(model, limits, start, lambda c: tell(model, c))
    found = replace(made, model=model, chosen=chosen)
    return found if chosen.possible and _without(found) < _without(made) else made


def key_of(offer: Offer) -> OfferKey:
    """What offers of one sheet in one form have in common, wherever they stand."""
    return offer.sheets, offer.pitch, offer.settings, offer.tight


def stands_at(offer: Offer) -> Place:
    """An offer's form where it stands."""
    return key_of(offer), offer.spot, offer.trees


def limited(
    offers: Sequence[Offer], beds: Mapping[OfferKey, int], stopped: Collection[Place]
) -> tuple[Offer, ...]:
    """The offers, of which these forms bed no more people than so, and nobody where they are
    stopped.
    """

    def left(offer: Offer) -> int | None:
        return 0 if stands_at(offer) in stopped else beds.get(key_of(offer))

    return tuple(
        o if (most := left(o)) is None else replace(o, beds=at_most(o.beds, most))
        for o in offers
    )


def with_beds(
    made: Made, beds: Mapping[OfferKey, int], stopped: Collection[Place], limits: Limits
) -> Made:
    """The plan made anew where these forms bed no more people than so, and nobody where they are
    stopped; as it was where that leaves no plan.
    """
    asked_now = made.model.asked
    offers = limited(asked_now.offers, beds, stopped)
    model = plan_model(replace(asked_now, offers=offers))
    chosen = choose(model, limits, (made.chosen.offers, made.chosen.beds))
    if not chosen.possible:
        return made
    return Made(model, chosen, _reached(model, fixed(model, leaders_rule(model.asked))))


def _round_about(
    case: Case,
    offers: Sequence[Offer],
    as_is: Start,
    limits: Limits,
    tell: Callable[[PlanModel, Chosen], None],
) -> Start | None:
    """The best plan in which every shelter that the leader's hand did not touch stays where it is
    or comes down: soon there, and a start for the whole search. None when there is no such plan, or
    nothing was touched.
    """
    locks = case.locks
    touched = {*locks.people.values(), *locks.pitches, *locks.unused} - locks.standing
    if not touched:
        return None
    kept = set(as_is[0])
    up = {s for n in kept for s in offers[n].sheets}
    held = up - touched
    start: Start = as_is
    found = None
    # First with the sheets that are up, which is soon settled and where the search with those in
    # the bag begins.
    for from_bag in (False, True):
        numbers = [
            n
            for n, o in enumerate(offers)
            if n in kept
            or (held.isdisjoint(o.sheets) and (from_bag or up.issuperset(o.sheets)))
        ]
        few = plan_model(asked(case, [offers[n] for n in numbers]))
        place = {n: k for k, n in enumerate(numbers)}
        chosen = choose(
            few, limits, ([place[n] for n in start[0]], start[1]), partial(tell, few)
        )
        if chosen.possible:
            start = found = [numbers[k] for k in chosen.offers], chosen.beds
    return found


def _in_blocks(
    case: Case,
    solve_all: SolveAll,
    limits: Limits,
    tell: Callable[[PlanModel, Chosen], None],
    clock: tuple[Callable[[], float], float] | None,
    elsewhere: Elsewhere | None,
) -> Made:
    """A large course, block after block; then all the blocks' offers together as one plan, its aims
    counted anew.
    """
    blocks = blocks_of(case)
    offers: list[Offer] = []
    beds: dict[int, tuple[int, ...] | None] = {}
    by_rule: dict[str, int] = {}
    for number, people in enumerate(blocks):
        part = block_case(case, people, number, len(blocks), offers)
        each = None if clock is None else (clock[0], clock[1] / len(blocks))
        made = make(part, solve_all, limits, lambda *_: None, None, each, elsewhere)
        offers += made.offers
        beds |= made.chosen.beds
        for reached in made.by_rule:
            by_rule[reached.aim] = by_rule.get(reached.aim, 0) + reached.value
        known = asked(replace(case, locks=NO_LOCKS), offers)
        model = plan_model(known)
        values = fixed(
            model,
            (range(len(offers)), {c.number: beds.get(c.number) for c in known.campers}),
        )
        if values is not None:
            tell(model, _read(model, values))
    model = plan_model(asked(replace(case, locks=NO_LOCKS), offers))
    values = fixed(
        model,
        (range(len(offers)), {c.number: beds.get(c.number) for c in model.asked.campers}),
    )
    chosen = Chosen(possible=False) if values is None else _read(model, values)
    return Made(model, chosen, tuple(Reached(a, v, v) for a, v in by_rule.items()))


def _as_it_stands(case: Case, offers: Sequence[Offer]) -> Start:
    """What stands, as far as it is among the offers, as a plan to begin with."""
    beds: dict[int, tuple[int, ...] | None] = {c.number: None for c in case.bag.campers}
    taken = []
    for standing in case.standing:
        here = next((n for n, o in enumerate(offers) if stands_as(o, standing)), None)
        there = [p for p in standing.people if p in beds]
        if here is not None and there:
            taken.append(here)
            beds.update(dict.fromkeys(there, standing.sheets))
    return taken, beds


def _reached(model: PlanModel, values: Sequence[int] | None) -> tuple[Reached, ...]:
    """What a plan reaches of each aim; nothing where there is none."""
    return () if values is None else _read(model, values).reached


def _read(model: PlanModel, values: Sequence[int]) -> Chosen:
    """A plan's values as a plan nothing is proved of."""
    linear = model.linear
    reached = [
        Reached(a, linear.value(a, list(values)), least_of(linear, t))
        for a, t in linear.aims.items()
    ]
    return chosen_of(model, values, reached)
