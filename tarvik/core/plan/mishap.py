"""When it goes wrong: what each shelter turns into when the wind passes a force, or who goes where;
and where a casualty lies, with whom, and who moves for that.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import product
from typing import TYPE_CHECKING

from tarvik.core.moves import Outcome, outcomes
from tarvik.core.plan.party import may_share

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plan.offers import Offer
    from tarvik.core.plan.party import Camper, PlanRules
    from tarvik.core.plan.question import PlanQuestion
    from tarvik.core.solve import Solution, SolverBackend


@dataclass(frozen=True)
class Foul:
    """One shelter's storm plan: the force at which to act; the move that keeps all its people dry,
    or where each goes (person -> sheets), and who finds no place.
    """

    sheets: tuple[int, ...]
    force: int
    move: Outcome | None
    go_to: Mapping[int, tuple[int, ...]]
    without: tuple[int, ...]


def foul_weather(
    standing: Sequence[tuple[Offer, Sequence[Camper], Solution]],
    rules: PlanRules,
    backend: SolverBackend | None = None,
) -> list[Foul]:
    """For each shelter (its offer, its people, the shelter solved) what to do when the wind passes
    what it stands.
    """
    found: list[_Stormy] = []
    for offer, people, solution in standing:
        some = outcomes(solution, backend) if backend is not None else outcomes(solution)
        holds = [
            o
            for o in some
            if o.after is not None
            and o.after is not solution
            and o.after.figures is not None
            and o.after.figures.sleepers >= len(people)
        ]
        lower = min(
            holds,
            key=lambda o: o.after.figures.peak_m if o.after and o.after.figures else 9.0,
            default=None,
        )
        found.append(_Stormy(offer, list(people), lower))
    out = []
    for shelter in found:
        go: dict[int, tuple[int, ...]] = {}
        without: list[int] = []
        for person in shelter.people if shelter.move is None else ():
            host = _host(person, shelter, found, rules)
            if host is None:
                without.append(person.number)
            else:
                host.guests.append(person)
                go[person.number] = host.offer.sheets
        out.append(
            Foul(
                shelter.offer.sheets,
                shelter.offer.gale_force,
                shelter.move,
                go,
                tuple(without),
            )
        )
    return out


@dataclass
class _Stormy:
    """A shelter when the wind rises: the move that brings it down, if there is one, and who has
    come from others.
    """

    offer: Offer
    people: list[Camper]
    move: Outcome | None
    guests: list[Camper] = field(default_factory=list)

    def room(self, stature_m: float) -> int:
        """How many of that stature lie dry then."""
        after = (
            self.move.after.figures
            if self.move is not None and self.move.after is not None
            else None
        )
        return (
            self.offer.room(stature_m)
            if after is None
            else min(after.sleepers, self.offer.room(stature_m))
        )


def _host(
    person: Camper, own: _Stormy, shelters: Sequence[_Stormy], rules: PlanRules
) -> _Stormy | None:
    """A shelter that stands in more wind than the own, or comes down for it, with room for one more
    who may lie there.
    """
    for shelter in sorted(shelters, key=lambda s: len(s.people) + len(s.guests)):
        if shelter is own or (
            shelter.move is None and shelter.offer.gale_force <= own.offer.gale_force
        ):
            continue
        there = [*shelter.people, *shelter.guests]
        tallest = max([person.stature_m, *(c.stature_m for c in there)])
        if len(there) < shelter.room(tallest) and all(
            may_share(person, c, rules) is None for c in there
        ):
            return shelter
    return None


@dataclass(frozen=True)
class Casualty:
    """Where a casualty lies: the sheets, who sits by, and who moves where for it; `words` say why
    there, `bent` a rule that could not be kept.
    """

    sheets: tuple[int, ...] | None
    carer: int | None
    moves: Mapping[int, tuple[int, ...]]
    words: str
    bent: str = ""


def casualty(
    asked: PlanQuestion,
    offers: Sequence[int],
    beds: Mapping[int, tuple[int, ...] | None],
    hurt: int,
) -> Casualty:
    """Where somebody hurt lies best: a shelter with two dry beds near a leader, where all who stay
    may share with those who come, the fewest people moved for it. Where there is none such the rule
    is told.
    """
    people = {c.number: c for c in asked.campers if c.number >= 0}
    who = people[hurt]
    leaders = [
        c for c in people.values() if c.leader and c.number != hurt and beds.get(c.number)
    ]
    by_unit = {asked.offers[n].sheets: asked.offers[n] for n in offers}
    inside = {
        u: [people[p] for p, s in beds.items() if s == u and p in people and p != hurt]
        for u in by_unit
    }
    best: tuple[tuple[float, ...], Casualty] | None = None
    carers: list[Camper | None] = [*leaders] or [None]
    for (unit, offer), carer in product(by_unit.items(), carers):
        tall = max(who.stature_m, carer.stature_m if carer else 0.0)
        wanted = 2 if carer else 1
        if offer.room(tall) < wanted:
            continue
        others = [c for c in inside[unit] if carer is None or c.number != carer.number]
        come = [c for c in (who, carer) if c is not None and beds.get(c.number) != unit]
        barred = {
            c.number: why
            for c in others
            for new in come
            if (why := may_share(c, new, asked.rules)) is not None
        }
        others = [c for c in others if c.number not in barred] + [
            c for c in others if c.number in barred
        ]
        free = max(offer.room(max([tall, *(c.stature_m for c in others)])) - wanted, 0)
        # Who may not share with those who come moves too; only where there is no other bed for them
        # do they stay.
        for moving in (others[min(free, len(others) - len(barred)) :], others[free:]):
            go = _rehoused(moving, by_unit, inside, unit, asked.rules)
            if go is None:
                continue
            stay = [
                barred[c.number]
                for c in others
                if c.number in barred and c.number not in go
            ]
            key = (
                float(len(stay)),
                float(len(go)),
                float(len(come)),
                float(offer.sit < 1),
                offer.out_m,
            )
            if best is None or key < best[0]:
                words = "nobody moves for it" if not go else f"{len(go)} move for it"
                best = (
                    key,
                    Casualty(
                        unit,
                        carer.number if carer else None,
                        go,
                        words,
                        next(iter(stay), ""),
                    ),
                )
    return (
        best[1]
        if best
        else Casualty(
            None, None, {}, "no shelter has two dry places to sleep; keep a spare sheet"
        )
    )


def _rehoused(
    moving: Sequence[Camper],
    by_unit: Mapping[tuple[int, ...], Offer],
    inside: Mapping[tuple[int, ...], Sequence[Camper]],
    without: tuple[int, ...],
    rules: PlanRules,
) -> dict[int, tuple[int, ...]] | None:
    """Other beds for these people, each allowed and dry; None when one has none."""
    there = {u: list(some) for u, some in inside.items() if u != without}
    out: dict[int, tuple[int, ...]] = {}
    for person in moving:
        for unit, some in sorted(there.items(), key=lambda item: len(item[1])):
            tallest = max([person.stature_m, *(c.stature_m for c in some)])
            if len(some) < by_unit[unit].room(tallest) and all(
                may_share(person, c, rules) is None for c in some
            ):
                some.append(person)
                out[person.number] = unit
                break
        else:
            return None
    return out
