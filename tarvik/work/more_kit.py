"""What more kit, bought or borrowed, would make all nights of a course work: worked out with the
plan's own model, and proposals compared night by night.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.plan.blocks import WHOLE_MOST
from tarvik.core.plan.choose import choose
from tarvik.core.plan.make import Case, Made, asked, limited
from tarvik.core.plan.model import plan_model
from tarvik.core.plan.more_kit import least_kit, with_ease, with_packs
from tarvik.core.plan.offers import LINE
from tarvik.core.plan.question import NO_LOCKS
from tarvik.core.plan.shopping import By, bag_with, bill
from tarvik.core.units import Units
from tarvik.exchange import more_kit_form
from tarvik.store import courses, library
from tarvik.work.cases import case_of
from tarvik.work.lasting import lasting
from tarvik.work.report import Done
from tarvik.work.told import told

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject
    from tarvik.core.plan.more_kit import LeastKit
    from tarvik.core.plan.offers import Offer
    from tarvik.core.plan.question import PlanQuestion
    from tarvik.core.plan.shopping import Item
    from tarvik.store.models import Course
    from tarvik.work.desk import Desk
    from tarvik.work.report import Report

MORE_KIT_S: Final = 300.0
"""How long all of it may take its worker."""
LEAST_SECONDS: Final = 20.0
"""How long the least is looked for, each time."""
NIGHT_SECONDS: Final = 3.0
"""How long each night of a proposal is planned."""
ROUNDS: Final = 3
"""The least is looked for so often, each time with what did not hold as the sheets hang left
out.
"""
NOW, WORKS, EASE, OWN = "now", "works", "ease", "own"
"""Proposals: what is there; the least with which every night works; with which everybody lies with
ease; and one of the leader's own.
"""


@dataclass(frozen=True, slots=True)
class Asked:
    """A night that is to work. `stopped`: why no kit helps there."""

    night_id: int
    title: str
    case: Case
    stopped: str = ""


@dataclass(slots=True)
class _Night:
    """A night with all offers, those of what might be had among them."""

    asked: Asked
    case: Case
    question: PlanQuestion


@dataclass(frozen=True, slots=True)
class _Made:
    """A proposal planned, night by night; `held`: whether all of it holds as the sheets hang."""

    plans: list[Made]
    held: bool


def items_here(session: Session, course: Course) -> tuple[list[Item], By]:
    """What a course might have more of, its provider's library included, and what the least is
    least of.
    """
    kept = more_kit_form.kept_of(course.rules or {}, Units(course.units))
    return more_kit_form.items_of(kept, library.to_lend(session, course)), kept.by


def packs_of(wish: JsonMapping, items: Sequence[Item]) -> dict[str, int]:
    """A proposal of the leader's own: packs of each thing; no more than is to be had."""
    return {
        item.key: min(int(wish[item.key]), item.most)
        for item in items
        if wish.get(item.key)
    }


class Advisor:
    """Works the proposals out."""

    def __init__(self, desk: Desk, report: Report) -> None:
        self._solver, self._offers, self._hung = desk.solver, desk.offers, desk.hung
        self._report = report

    def advice(
        self, every: Sequence[Asked], items: Sequence[Item], by: By, own: Mapping[str, int]
    ) -> JsonObject:
        """The proposals, as plain values. Raises InputError where there is nothing to work out."""
        if not any(one.case.bag.campers for one in every):
            raise InputError("people", "add people on the group and kit page first")
        if any(len(one.case.bag.campers) > WHOLE_MOST for one in every):
            words = f"this is worked out for groups of up to {WHOLE_MOST} people"
            raise InputError("people", words)
        nights = []
        for number, one in enumerate(every, start=1):
            if one.stopped:
                continue
            self._report.say(f"pitches for night {number} of {len(every)}", at_once=True)
            nights.append(self._night(one, items))
        out = [self._given(NOW, nights, items, {})]
        out += [
            self._least(name, nights, items, by)
            for name in (WORKS, EASE)
            if nights and not self._report.stop()
        ]
        if own and nights and not self._report.stop():
            out += [self._given(OWN, nights, items, own)]
        return {
            "by": by.value,
            "items": [_plain(item) for item in items],
            "nights": [
                {"night": one.night_id, "title": one.title, "stopped": one.stopped}
                for one in every
            ],
            "proposals": out,
        }

    def _night(self, one: Asked, items: Sequence[Item]) -> _Night:
        """Offers of the bag as it is, as the plan knows them, and of all that might be had."""
        plain = replace(one.case, locks=NO_LOCKS, standing=())
        bag = bag_with(plain.bag, items)
        lengths = sorted((i.length_m for i in items if i.kind == LINE), reverse=True)[:2]
        camp = plain.camp
        if camp is not None and camp.longest_line_m is not None and lengths:
            longest = max(camp.longest_line_m, sum(lengths))
            camp = replace(camp, longest_line_m=longest)
        more = replace(plain, bag=bag, camp=camp)
        offers: dict[object, Offer] = {}
        for case in (plain, more):
            found = self._offers.of(
                case,
                self._solver.alone,
                self._report.still,
                lambda _: None,
                self._solver.elsewhere,
            )
            for offer in found:
                key = (
                    offer.sheets,
                    offer.pitch,
                    offer.settings,
                    offer.spot,
                    offer.trees,
                    offer.poles,
                    offer.cords,
                    offer.others,
                )
                offers.setdefault(key, offer)
        return _Night(one, more, asked(more, list(offers.values())))

    def _given(
        self,
        name: str,
        nights: Sequence[_Night],
        items: Sequence[Item],
        packs: Mapping[str, int],
    ) -> JsonObject:
        """What given packs come to, planned anew where something does not hold as it hangs."""
        for _ in range(ROUNDS):
            made = self._planned(nights, items, packs)
            if made.held or self._report.stop():
                break
        return self._told(name, nights, items, packs, made, None)

    def _least(
        self, name: str, nights: Sequence[_Night], items: Sequence[Item], by: By
    ) -> JsonObject:
        """The least kit, found anew where a night's plan with it does not hold as it hangs."""
        things = [item.extra_kit(by) for item in items]
        for left in reversed(range(ROUNDS)):
            self._report.say(LOOKING[name], at_once=True)
            questions = [
                with_ease(n.question) if name == EASE else n.question for n in nights
            ]
            found = least_kit(
                [plan_model(replace(q, aims=("wet",))) for q in questions],
                things,
                lasting(LEAST_SECONDS, self._report.still),
            )
            packs = {} if found is None else found.packs
            made = self._planned(nights, items, packs, eased=name == EASE)
            if made.held or not left or self._report.stop():
                break
        return self._told(name, nights, items, packs, made, found)

    def _planned(
        self,
        nights: Sequence[_Night],
        items: Sequence[Item],
        packs: Mapping[str, int],
        *,
        eased: bool = False,
    ) -> _Made:
        """Each night planned with these packs. What does not hold as the sheets hang is left out of
        the night's offers from then on.
        """
        things = [item.extra_kit(By.PACKS) for item in items]
        plans, held = [], True
        for number, night in enumerate(nights, start=1):
            self._report.say(f"planning night {number} of {len(nights)}")
            question = with_packs(night.question, things, packs)
            model = plan_model(with_ease(question) if eased else question)
            limits = lasting(NIGHT_SECONDS, self._report.still)
            made = Made(model, choose(model, limits), ())
            plans.append(made)
            if not made.chosen.possible:
                continue
            _, short, stopped = self._hung.checked(night.case, made)
            if short or stopped:
                held = False
                kept = limited(night.question.offers, short, stopped)
                night.question = replace(
                    night.question, offers=tuple(o for o in kept if o.beds)
                )
        return _Made(plans, held)

    def _told(
        self,
        name: str,
        nights: Sequence[_Night],
        items: Sequence[Item],
        packs: Mapping[str, int],
        made: _Made,
        found: LeastKit | None,
    ) -> JsonObject:
        """A proposal as plain values."""
        cost = bill(items, packs)
        return {
            "name": name,
            "packs": {key: n for key, n in packs.items() if n},
            "price": cost.price,
            "kg": cost.kg,
            "held": made.held,
            "proved": found.proved if found is not None else None,
            "cost": found.cost if found is not None else None,
            "bound": found.bound if found is not None else None,
            "nights": [
                {
                    "night": night.asked.night_id,
                    "without": _without(plan),
                    "close": _close(plan),
                    "reached": told(plan.chosen.reached),
                }
                for night, plan in zip(nights, made.plans, strict=True)
            ],
        }


LOOKING: Final = {
    WORKS: "looking for the least with which every night works",
    EASE: "looking for the least with which everybody lies with ease",
}


def _without(made: Made) -> int:
    """How many people a plan leaves without a place to sleep."""
    if not made.chosen.possible:
        return sum(c.number >= 0 for c in made.model.asked.campers)
    return sum(bed is None for who, bed in made.chosen.beds.items() if who >= 0)


def _close(made: Made) -> int:
    """How many people lie closer than with ease."""
    beds = list(made.chosen.beds.values())
    return sum(max(beds.count(o.sheets) - o.ease, 0) for o in made.offers)


def _plain(item: Item) -> JsonObject:
    """A thing as it is kept with the result."""
    box = None if item.sheet is None else item.sheet.box
    return {
        "key": item.key,
        "kind": item.kind,
        "pieces": item.pieces,
        "size_m": list(box or (item.length_m,)),
        "most": item.most,
        "price": item.price,
        "kg": item.kg,
        "lent": item.lent,
    }


def more_kit_for_all(
    desk: Desk, course_id: int, _night: int, wish: JsonMapping, report: Report
) -> Done:
    """What more kit would make all of the course's nights work."""
    report.cap(MORE_KIT_S)
    with desk.database.session() as session:
        course = courses.course(session, course_id)
        items, by = items_here(session, course)
        own = packs_of(wish.get("own") or {}, items)
        asked = [
            Asked(night.id, night.title, case_of(session, course_id, night.id))
            for night in courses.nights(session, course_id)
        ]
    told = []
    for one in asked:
        try:
            desk.stop_at_a_bad_place(one.night_id)
            told.append(one)
        except InputError as err:
            told.append(replace(one, stopped=err.message))
    advisor = Advisor(desk, report)
    return Done("done", advisor.advice(told, items, by, own))
