"""The plan an experienced leader makes by eye: each under their own sheet in the simplest pitch,
the biggest sheets to the biggest needs, at the nearest free trees, guests where there is room. It
proves nothing; a better plan is measured by it, and the search begins with it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from tarvik.core.plan.party import may_share
from tarvik.core.plan.stores import ways_for

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.plan.choose import Start
    from tarvik.core.plan.offers import Offer, Pool
    from tarvik.core.plan.party import Camper
    from tarvik.core.plan.question import PlanQuestion


@dataclass
class _Bag:
    """Kit left, by pool."""

    pools: Sequence[Pool]
    join: bool
    left: list[int] = field(init=False)

    def __post_init__(self) -> None:
        self.left = [p.count for p in self.pools]

    def take(self, offer: Offer, people: set[int], lends: dict[int, bool]) -> bool:
        """Take an offer's kit; False, and nothing taken, when something is short."""
        before = list(self.left)
        for (_, ways), count in sorted(
            ways_for(self.pools, offer, join=self.join).items(), key=lambda n: len(n[0][1])
        ):
            for _ in range(count):
                # one's own before the group's, the shortest line that does, two joined last
                free = [w for w in ways if self._free(w, people, lends)]
                if not free:
                    self.left = before
                    return False
                best = min(
                    free,
                    key=lambda w: (
                        len(w),
                        self._lent(w, people),
                        sum(self.pools[n].most_m for n in w),
                    ),
                )
                for n in best:
                    self.left[n] -= 1
        return True

    def _lent(self, way: tuple[int, ...], people: set[int]) -> int:
        return sum(
            o is not None and o not in people for n in way for o in (self.pools[n].owner,)
        )

    def _free(self, way: tuple[int, ...], people: set[int], lends: dict[int, bool]) -> bool:
        if any(self.left[n] < way.count(n) for n in way):
            return False
        return all(
            o is None or o in people or lends.get(o, True)
            for n in way
            for o in (self.pools[n].owner,)
        )


def leaders_rule(asked: PlanQuestion) -> Start:
    """A plan by the leader's rule: offers taken by number, and under which sheets each sleeps
    (None: without a bed).
    """
    bag = _Bag(asked.pools, asked.rules.join_lines)
    lends = {c.number: c.lends for c in asked.campers}
    taken: dict[tuple[int, ...], int] = {}
    inside: dict[tuple[int, ...], list[Camper]] = {}
    people = sorted(asked.campers, key=lambda c: (c.number < 0, -c.stature_m, c.number))
    own = {
        p: {s for s, o in asked.owners.items() if o == p} for p in {*asked.owners.values()}
    }
    order = sorted(
        range(len(asked.offers)),
        key=lambda n: (asked.offers[n].minutes, asked.offers[n].out_m, n),
    )

    def stands_free(n: int) -> bool:
        offer = asked.offers[n]
        for m in taken.values():
            other = asked.offers[m]
            if set(offer.sheets) & set(other.sheets) or set(offer.trees) & set(other.trees):
                return False
            if offer.ground is not None and other.ground is not None:
                apart = offer.ground.distance(other.ground)
                if apart < asked.rules.gap_m or apart == 0:
                    return False
        return True

    def put_up(person: Camper, sheets: set[int]) -> bool:
        for n in order:
            offer = asked.offers[n]
            if (
                set(offer.sheets) <= sheets
                and offer.room(person.stature_m) >= person.bulk
                and stands_free(n)
                and bag.take(offer, {person.number}, lends)
            ):
                taken[offer.sheets], inside[offer.sheets] = n, [person]
                return True
        return False

    guests = [p for p in people if not put_up(p, own.get(p.number, set()))]
    group = {s for o in asked.offers for s in o.sheets if s not in asked.owners}
    for guest in guests:
        if put_up(guest, group):
            continue
        for sheets, there in sorted(inside.items(), key=lambda item: len(item[1])):
            offer = asked.offers[taken[sheets]]
            tallest = max(guest.stature_m, *(c.stature_m for c in there))
            wanted = sum(c.bulk for c in there) + guest.bulk
            alone = (
                guest.number < 0
                or guest.shares.value == "nobody"
                or any(c.number < 0 or c.shares.value == "nobody" for c in there)
            )
            if (
                not alone
                and wanted <= offer.room(tallest)
                and all(may_share(guest, c, asked.rules) is None for c in there)
            ):
                there.append(guest)
                break
    beds: dict[int, tuple[int, ...] | None] = {c.number: None for c in asked.campers}
    for sheets, there in inside.items():
        beds.update({c.number: sheets for c in there})
    return tuple(taken.values()), beds
