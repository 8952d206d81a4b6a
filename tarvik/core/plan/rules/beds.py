"""Everybody has a bed, or counts as without one."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.plan.constraint import Constraint, Kind

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft
    from tarvik.core.plan.linear import Terms

SPARE_COST: Final = 10
"""What the spare shelter not there counts in the aim `rules` (engineering assumption)."""


def add(draft: Draft) -> None:
    """Everybody sleeps somewhere, or is without a bed; nobody where no offer takes so tall a
    person.
    """
    takes: dict[tuple[int, tuple[int, ...]], int] = {}
    for i, camper in enumerate(draft.asked.campers):
        without = draft.m.flag(f"no bed {camper.number}")
        draft.wet.append(without)
        mine: Terms = {without: 1}
        for u in range(len(draft.units)):
            fits = tuple(
                n
                for n in draft.of_unit[u]
                if draft.asked.offers[n].room(camper.stature_m) >= camper.bulk
            )
            if not fits:
                continue
            v = draft.m.flag(f"{camper.number} under {draft.units[u]}")
            draft.sleeps[i, u] = mine_v = v
            mine[mine_v] = 1
            if (
                (u, fits) not in takes
            ):  # whom the same offers take share a row of them: a solver is spared much
                takes[u, fits] = draft.any_of({draft.takes[n]: -1 for n in fits})
            draft.m.row({v: 1, takes[u, fits]: -1}, high=0)
        draft.m.row(mine, low=1, high=1)
        if camper.number < 0:
            draft.cost("rules", {without: SPARE_COST})
        else:
            draft.cost("wet", {without: 1})
            words = f"{camper.name} needs a dry place to sleep"
            why = Constraint(Kind.BED, (camper.number,), words)
            draft.m.row({without: 1}, high=0, keeps=why)
