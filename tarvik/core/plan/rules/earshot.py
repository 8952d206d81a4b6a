"""A shelter of novices stands within earshot and eyeshot of a leader's."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.plan.earshot import heard
from tarvik.core.plan.party import Skill

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft
    from tarvik.core.plan.linear import Terms

FAR_COST: Final = 3
"""What a shelter of novices out of earshot counts in the aim `rules` (engineering assumption)."""


def add(draft: Draft) -> None:
    """A shelter of novices stands within earshot and eyeshot of a leader's."""
    reach, campers = draft.asked.rules.earshot_m, draft.asked.campers
    offers = draft.asked.offers
    novices = [
        i
        for i, c in enumerate(campers)
        if c.skill is Skill.NOVICE and not c.leader and c.number >= 0
    ]
    placed = [n for n, o in enumerate(offers) if o.at is not None]
    if not reach or not novices or not any(c.leader for c in campers) or not placed:
        return
    hearing = heard(np.array([offers[n].at for n in placed]), reach, draft.asked.blinds)
    kind_of = dict(zip(placed, hearing.kind.tolist(), strict=True))
    stands: list[dict[int, Terms]] = [
        {} for _ in draft.units
    ]  # unit -> kind of place -> its offers there
    for u, numbers in enumerate(draft.of_unit):
        for n in numbers:
            if n in kind_of:
                stands[u].setdefault(kind_of[n], {})[draft.takes[n]] = 1
    led: dict[
        int, Terms
    ] = {}  # kind of place -> flags of the units that stand there with a leader
    for u, here in enumerate(stands):
        leaders = {
            draft.sleeps[i, u]: -1
            for i, c in enumerate(campers)
            if c.leader and (i, u) in draft.sleeps
        }
        for kind, taken in here.items() if leaders else ():
            flag = draft.m.flag()
            led.setdefault(kind, {})[flag] = -1
            draft.m.row({flag: 1, **dict.fromkeys(taken, -1)}, high=0)
            draft.m.row({flag: 1, **leaders}, high=0)
    flags = {kind: draft.any_of(some) for kind, some in led.items()}
    cells = [
        draft.any_of({flags[k]: -1 for k in some if k in flags}) for some in hearing.cells
    ]
    for u, here in enumerate(stands):
        mine = [draft.sleeps[i, u] for i in novices if (i, u) in draft.sleeps]
        if not mine:
            continue
        some, far = draft.m.flag(), draft.m.flag()
        draft.cost("rules", {far: FAR_COST})
        for v in mine:
            draft.m.row({v: 1, some: -1}, high=0)
        for kind, taken in here.items():
            whole, single = hearing.hears[kind]
            hears = {cells[c]: -1 for c in whole} | {
                flags[k]: -1 for k in single if k in flags
            }
            draft.m.row({**taken, some: 1, far: -1, **hears}, high=1)
