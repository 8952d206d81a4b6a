"""Sheets lent, left and joined; who does not lend keeps their own sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.plan.constraint import Constraint, Kind

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft

LENT_SHEET_COST: Final = 4
JOINED_SHEET_COST: Final = 3
GUEST_COST: Final = 10
"""Weights within the aim `own kit` (engineering assumptions)."""


def add(draft: Draft) -> None:
    """Sheets used without their owners, people who leave theirs, buttons, sheets joined. Who
    does not lend sleeps under their own sheet, or it stays in the bag.
    """
    campers = {c.number: c for c in draft.asked.campers}
    for u, sheets in enumerate(draft.units):
        for sheet in sheets:
            owner = campers.get(draft.asked.owners.get(sheet, 0))
            if owner is None:
                continue
            there = draft.sleeps.get((draft.place[owner.number], u))
            mine = {} if there is None else {there: -1}
            if owner.lends:
                away = draft.m.flag()
                draft.m.row({**draft.used(u), **mine, away: -1}, high=0)
                draft.cost("own kit", {away: LENT_SHEET_COST})
            else:
                why = Constraint(Kind.LEND, (owner.number,), f"{owner.name} does not lend")
                draft.m.row({**draft.used(u), **mine}, high=0, keeps=why)
        guests = []
        for (i, w), v in draft.sleeps.items():
            own = draft.owned.get(draft.asked.campers[i].number, set())
            if w == u and own and not own & set(sheets):
                guests.append(v)
        draft.cost(
            "own kit",
            {**draft.used(u, lambda o: o.buttons), **dict.fromkeys(guests, GUEST_COST)},
        )
        if len(sheets) > 1:
            draft.cost("own kit", draft.used(u, lambda _: JOINED_SHEET_COST))
