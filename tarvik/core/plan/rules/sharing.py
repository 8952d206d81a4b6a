"""Who never lies beside whom, and who always does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.constraint import Constraint, Kind
from tarvik.core.plan.party import Shares, alone, bars, pair_bars

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft


def apart(draft: Draft) -> None:
    """Who never lies beside whom."""
    rules, campers = draft.asked.rules, draft.asked.campers
    kinds = [(bar, [bar.kind_of(c) for c in campers]) for bar in bars(rules)]
    pairs = pair_bars(campers, rules)
    for u in range(len(draft.units)):
        here = [i for i in range(len(campers)) if (i, u) in draft.sleeps]
        if draft.most[u] < 2 or len(here) < 2:
            continue
        present: dict[tuple[int, ...], int] = {}
        for bar, kind in kinds:
            alike: dict[str, list[int]] = {}
            for i in here:
                if (k := kind[i]) is not None:
                    alike.setdefault(k, []).append(i)
            if len(alike) > 1:
                flags = [
                    _present(draft, u, tuple(some), present) for some in alike.values()
                ]
                used = dict.fromkeys(draft.used(u), -1)
                draft.m.row(
                    {**dict.fromkeys(flags, 1), **used}, high=0, keeps=bar.constraint
                )
        for why, i, j in pairs:
            if (i, u) in draft.sleeps and (j, u) in draft.sleeps:
                draft.m.row(
                    {draft.sleeps[i, u]: 1, draft.sleeps[j, u]: 1}, high=1, keeps=why
                )
        count = draft.people(u)
        for i in here:
            spare = campers[i].number < 0
            if campers[i].shares is not Shares.NOBODY and not spare:
                continue
            bound = draft.most[u]
            others = {v: c for v, c in count.items() if v != draft.sleeps[i, u]}
            asked = None if spare else alone(campers[i])
            draft.m.row({**others, draft.sleeps[i, u]: bound}, high=bound, keeps=asked)


def _present(
    draft: Draft, unit: int, people: tuple[int, ...], known: dict[tuple[int, ...], int]
) -> int:
    """The flag that says that some of these people (by place) are in a unit; rules that part
    the same share it.
    """
    if people not in known:
        known[people] = flag = draft.m.flag()
        beds = {draft.sleeps[i, unit]: draft.asked.campers[i].bulk for i in people}
        for v in beds:
            draft.m.row({v: 1, flag: -1}, high=0)
        # Follows from the rows before, and tells a solver far more: people of one kind share
        # what their part is given.
        draft.m.row({**beds, flag: -min(draft.most[unit], sum(beds.values()))}, high=0)
    return known[people]


def together(draft: Draft) -> None:
    """The leader's rule that two people always share."""
    for a, b in sorted(draft.asked.rules.always):
        if a not in draft.place or b not in draft.place:
            continue
        i, j = draft.place[a], draft.place[b]
        one, two = draft.asked.campers[i].name, draft.asked.campers[j].name
        why = Constraint(Kind.ALWAYS, (a, b), f"{one} and {two} always share")
        for u in range(len(draft.units)):
            terms = {
                v: c
                for v, c in ((draft.sleeps.get((i, u)), 1), (draft.sleeps.get((j, u)), -1))
                if v is not None
            }
            if terms:
                draft.m.row(terms, low=0, high=0, keeps=why)
