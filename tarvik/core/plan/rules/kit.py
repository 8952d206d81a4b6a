"""The kit there is serves what is pitched; what is lent, joined or cut for it counts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.stores import kit_rows

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft


def add(draft: Draft) -> None:
    """Poles, lines, stakes and carriers, piece by piece."""
    used = [
        (draft.takes[n], offer, draft.unit_of[offer.sheets])
        for n, offer in enumerate(draft.asked.offers)
    ]
    there = {
        (c.number, u): draft.sleeps[draft.place[c.number], u]
        for c in draft.asked.campers
        for u in range(len(draft.units))
        if (draft.place[c.number], u) in draft.sleeps
    }
    lends = {c.number: c.lends for c in draft.asked.campers}
    costs = kit_rows(
        draft.m, used, draft.asked.pools, there, lends, join=draft.asked.rules.join_lines
    )
    draft.cost("own kit", costs)
