"""Rows of the plan's model that hand out the kit: poles that reach, lines long enough or joined,
stakes, other carriers.

Kit of a person may serve another's shelter when it is lent; then it is counted.
"""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING, Final

from tarvik.core.plan.constraint import Constraint, Kind
from tarvik.core.plan.offers import LINE, LONG_STAKE, POLE, STAKE, Offer, Pool, servers

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plan.linear import Linear, Terms

KIT_WORDS: Final = {
    STAKE: "stakes",
    LONG_STAKE: "longer stakes",
    POLE: "poles and sticks",
    LINE: "lines",
    "tree": "trees",
    "branch": "branches",
}
JOIN_COST, CUT_COST, LENT_COST = 1, 1, 1
"""Weights within the aim “own kit” (engineering assumptions)."""
Way = tuple[int, ...]


def ways_for(
    pools: Sequence[Pool], offer: Offer, *, join: bool
) -> Counter[tuple[str, tuple[Way, ...]]]:
    """What an offer needs, alike needs together: (kind, the ways in which pools by number serve it)
    -> how often.
    """
    out: Counter[tuple[str, tuple[Way, ...]]] = Counter()
    numbers = {
        kind: [n for n, p in enumerate(pools) if p.kind == kind]
        for kind in (POLE, LINE, STAKE)
    }
    for height in offer.poles:
        out[POLE, tuple((n,) for n in numbers[POLE] if pools[n].serves(height))] += 1
    lines = [pools[n] for n in numbers[LINE]]
    for need in offer.cords:
        ways = tuple(
            tuple(numbers[LINE][k] for k in way) for way in servers(need, lines, join)
        )
        out[LINE, ways] += 1
    if offer.stakes:
        out[STAKE, tuple((n,) for n in numbers[STAKE])] += offer.stakes
    for kind in offer.others:
        out[kind, tuple((n,) for n, p in enumerate(pools) if p.kind == kind)] += 1
    return out


def kit_rows(
    model: Linear,
    used: Sequence[tuple[int, Offer, int]],
    pools: Sequence[Pool],
    there: Mapping[tuple[int, int], int],
    lends: Mapping[int, bool],
    *,
    join: bool,
) -> Terms:
    """Add the rows; returns what the handing out costs in the aim “own kit”.

    `used`: (variable, offer, unit). `there`: (person, unit) -> variable that says the person sleeps
    there.
    """
    needs: dict[tuple[str, tuple[Way, ...]], dict[int, dict[int, int]]] = {}
    for variable, offer, home in used:
        for need, count in ways_for(pools, offer, join=join).items():
            needs.setdefault(need, {}).setdefault(home, {})[variable] = count
    owned = {p.kind for p in pools if p.owner is not None}
    drawn: dict[int, dict[int | None, Terms]] = {n: {} for n in range(len(pools))}
    cost: Terms = {}
    for (kind, ways), by_unit in needs.items():
        scarce = _scarce(kind)
        groups: list[tuple[int | None, dict[int, int]]] = []
        if kind in owned:
            groups += by_unit.items()
        else:
            merged: dict[int, int] = {}
            for terms in by_unit.values():
                merged |= terms
            groups = [(None, merged)]
        for unit, wanted in groups:
            bound = (
                sum(max(some.values()) for some in by_unit.values())
                if unit is None
                else max(wanted.values())
            )
            flow = {way: model.var(0, bound) for way in ways}
            model.row(
                {**wanted, **dict.fromkeys(flow.values(), -1)},
                high=0,
                keeps=None if ways else scarce,
            )
            for way, v in flow.items():
                for n in way:
                    use = drawn[n].setdefault(unit, {})
                    use[v] = use.get(v, 0) + 1
                if len(way) > 1:
                    cost[v] = cost.get(v, 0) + JOIN_COST
                if (
                    pools[way[0]].kind == POLE
                    and pools[way[0]].owner is None
                    and pools[way[0]].count >= UNENDING
                ):
                    cost[v] = cost.get(v, 0) + CUT_COST
    _supplies(model, pools, drawn, there, lends, cost)
    return cost


def _scarce(kind: str) -> Constraint:
    """That there is no more of a kind of kit than there is."""
    words = f"there are not enough {KIT_WORDS.get(kind, f'{kind}s')}"
    return Constraint(Kind.KIT, (kind,), words)


def extra(key: str) -> Constraint:
    """That there is no more of something than is bought or borrowed."""
    return Constraint(Kind.EXTRA, (key,), "no more is bought or borrowed")


UNENDING: Final = 1000
"""A pool this large has no end: sticks that may be cut."""


def _supplies(
    model: Linear,
    pools: Sequence[Pool],
    drawn: Mapping[int, Mapping[int | None, Terms]],
    there: Mapping[tuple[int, int], int],
    lends: Mapping[int, bool],
    cost: Terms,
) -> None:
    """No pool gives more than it has; a person's own serves others only when it is lent."""
    for n, by_unit in drawn.items():
        pool = pools[n]
        total: Terms = {}
        for terms in by_unit.values():
            for v, c in terms.items():
                total[v] = total.get(v, 0) + c
        if total and pool.count < UNENDING:
            keeps = extra(pool.extra) if pool.extra else _scarce(pool.kind)
            model.row(total, high=pool.count, keeps=keeps)
        if pool.owner is None:
            continue
        for unit, terms in by_unit.items():
            home = there.get((pool.owner, unit)) if unit is not None else None
            mine = {} if home is None else {home: -pool.count}
            if lends.get(pool.owner, True):
                lent = model.var(0, pool.count)
                model.row({**terms, **mine, lent: -1}, high=0)
                cost[lent] = cost.get(lent, 0) + LENT_COST
            else:
                model.row({**terms, **mine}, high=0)
