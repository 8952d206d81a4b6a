"""No more people than an offer sleeps; a sheet, a tree and a place are used once."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.apart import cliques

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft


def rooms(draft: Draft) -> None:
    """No more people than lie dry, by the tallest of them."""
    statures = sorted({c.stature_m for c in draft.asked.campers})
    for u in range(len(draft.units)):
        count = draft.people(u)
        if not count:
            continue
        offers = [draft.asked.offers[n] for n in draft.of_unit[u]]
        tables = [tuple(o.room(s) for o in offers) for s in statures]
        full = sum(
            c
            for c in sorted(
                (draft.asked.campers[i].bulk for (i, w) in draft.sleeps if w == u),
                reverse=True,
            )
        )
        last: tuple[int, ...] | None = None
        for s, table in zip(statures, tables, strict=True):
            if table == last:
                continue
            taller = [
                i
                for (i, w) in draft.sleeps
                if w == u and draft.asked.campers[i].stature_m >= s - 1e-9
            ]
            room = {v: -t for v, t in zip(draft.used(u), table, strict=True)}
            if last is None:
                draft.m.row({**count, **room}, high=0)
            elif taller:
                tall = {draft.sleeps[i, u]: draft.asked.campers[i].bulk for i in taller}
                draft.m.row(
                    {**tall, **room}, high=0
                )  # follows from the rows below, and tells a solver more
                there = draft.m.flag()
                for i in taller:
                    draft.m.row({draft.sleeps[i, u]: 1, there: -1}, high=0)
                bound = min(full, draft.most[u])
                draft.m.row({**count, **room, there: bound}, high=bound)
            last = table


def once(draft: Draft) -> None:
    """A sheet, and a tree, is used once; shelters keep a walking gap; an offer of nobody's is
    not taken.
    """
    for clique in cliques(tuple(draft.asked.offers), draft.asked.rules.gap_m):
        draft.m.row({draft.takes[n]: 1 for n in clique}, high=1)
    for u in range(len(draft.units)):
        draft.m.row({**draft.used(u), **dict.fromkeys(draft.people(u), -1)}, high=0)
