"""Of sheets that are not there yet, no more are pitched than are bought or borrowed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.stores import extra

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft


def add(draft: Draft) -> None:
    """One row for each kind of sheet that might be had."""
    for one in draft.asked.extras:
        alike = set(one.sheets)
        pitched = {
            draft.takes[n]: len(alike & set(offer.sheets))
            for n, offer in enumerate(draft.asked.offers)
            if alike & set(offer.sheets)
        }
        if pitched:
            draft.m.row(pitched, high=one.count, keeps=extra(one.key))
