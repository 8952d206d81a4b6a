"""Few changes to what stands."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.question import stands_as

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft


def add(draft: Draft) -> None:
    """Changes to what stands: shelters not left as they are, new ones put up, people who change
    the sheet.
    """
    stood = {s.sheets: s for s in draft.asked.standing}
    for u, sheets in enumerate(draft.units):
        standing = stood.get(sheets)
        as_is = [
            n
            for n in draft.of_unit[u]
            if standing is not None and stands_as(draft.asked.offers[n], standing)
        ]
        if not draft.asked.standing:
            continue
        draft.cost("moves", {draft.takes[n]: 1 for n in draft.of_unit[u] if n not in as_is})
        if standing is not None:
            gone = draft.m.flag()  # taken down: neither as it was nor otherwise
            draft.m.row({gone: 1, **draft.used(u)}, low=1)
            draft.cost("moves", {gone: 1})
    for standing in draft.asked.standing:
        unit = draft.unit_of.get(standing.sheets)
        for person in standing.people:
            i = draft.place.get(person)
            if i is None:
                continue
            moved = draft.m.flag()
            draft.cost("moves", {moved: 1})
            stays = draft.sleeps.get((i, unit)) if unit is not None else None
            draft.m.row({moved: 1, **({stays: 1} if stays is not None else {})}, low=1)
