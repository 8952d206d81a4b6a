"""A plan's model while its rules are added: rows, what each variable says, what the aims cost."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.aims import AIMS
from tarvik.core.plan.linear import Linear

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tarvik.core.plan.linear import Terms
    from tarvik.core.plan.offers import Offer
    from tarvik.core.plan.question import PlanQuestion


class Draft:
    """One model in the making. `units`: sheets, or pairs joined, that have offers; `sleeps`:
    (camper's place, unit) -> the flag that says the person sleeps there; `takes`: offer -> the flag
    that says it is taken; `wet`: camper's place -> the flag that says there is no bed.
    """

    def __init__(self, asked: PlanQuestion) -> None:
        self.asked, self.m = asked, Linear()
        self.units = tuple(dict.fromkeys(o.sheets for o in asked.offers))
        self.unit_of = {u: n for n, u in enumerate(self.units)}
        self.of_unit: list[list[int]] = [[] for _ in self.units]
        for n, offer in enumerate(asked.offers):
            self.of_unit[self.unit_of[offer.sheets]].append(n)
        self.most = [max(asked.offers[n].most for n in some) for some in self.of_unit]
        self.takes = [self.m.flag(f"offer {n}") for n in range(len(asked.offers))]
        self.place = {c.number: i for i, c in enumerate(asked.campers)}
        self.sleeps: dict[tuple[int, int], int] = {}
        self.wet: list[int] = []
        self.costs: dict[str, Terms] = {aim: {} for aim in AIMS}
        self.owned: dict[int, set[int]] = {}
        for sheet, person in asked.owners.items():
            self.owned.setdefault(person, set()).add(sheet)

    def cost(self, aim: str, terms: Mapping[int, int]) -> None:
        """Add to an aim."""
        for v, c in terms.items():
            self.costs[aim][v] = self.costs[aim].get(v, 0) + c

    def people(self, unit: int) -> Terms:
        """Beds taken in a unit."""
        return {
            v: self.asked.campers[i].bulk for (i, u), v in self.sleeps.items() if u == unit
        }

    def used(self, unit: int, share: Callable[[Offer], int] = lambda _: 1) -> Terms:
        """Sum over a unit's offers of what each gives."""
        return {self.takes[n]: share(self.asked.offers[n]) for n in self.of_unit[unit]}

    def any_of(self, some: Terms) -> int:
        """A flag that is 1 only where one of these (each with -1) is; of one alone, that itself."""
        if len(some) == 1:
            return next(iter(some))
        flag = self.m.flag()
        self.m.row({flag: 1, **some}, high=0)
        return flag
