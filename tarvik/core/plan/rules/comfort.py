"""What the aims count of a shelter: wind, sitting and lying, snoring, skill, time, distance."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.plan.party import Skill

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.plan.draft import Draft
    from tarvik.core.plan.offers import Offer

UNSKILLED_COST: Final = 2
SNORE_COST: Final = 1
UNSUITED_COST: Final = 5
TIGHT_COST: Final = 10
"""Weights within the aim `rules` (engineering assumptions)."""
NO_SEAT_COST: Final = 4
NO_EASE_COST: Final = 4
ABREAST_COST: Final = 15
"""Weights within the aim `comfort` (engineering assumptions)."""
ABREAST: Final = 2
"""More people than this under one sheet lie three abreast: only where nothing else does."""
_PEOPLE_BEYOND: Final[tuple[tuple[str, int, Callable[[Offer], int]], ...]] = (
    ("exposed", 1, lambda o: o.calm),
    ("comfort", NO_SEAT_COST, lambda o: o.sit),
    ("comfort", NO_EASE_COST, lambda o: o.ease),
    ("comfort", ABREAST_COST, lambda _: ABREAST),
)
"""Aims that count the people beyond what an offer has places for: (aim, weight, places)."""


def add(draft: Draft) -> None:
    """Wind, how people sit and lie, snoring, skill, time, distance."""
    for u in range(len(draft.units)):
        count = draft.people(u)
        real = {
            v: c
            for (i, w), v in draft.sleeps.items()
            if w == u
            and (c := draft.asked.campers[i].bulk)
            and draft.asked.campers[i].number >= 0
        }
        for aim, weight, share in _PEOPLE_BEYOND:
            if all(share(draft.asked.offers[n]) >= draft.most[u] for n in draft.of_unit[u]):
                continue
            over = draft.m.var(0, max(draft.most[u], 0))
            draft.m.row(
                {**real, **{v: -c for v, c in draft.used(u, share).items()}, over: -1},
                high=0,
            )
            draft.cost(aim, {over: weight})
        draft.cost("comfort", draft.used(u, lambda o: o.poor))
        draft.cost("holds", draft.used(u, lambda o: int(not o.holds)))
        draft.cost("few", draft.used(u))
        hard = {v: c for v, c in draft.used(u, lambda o: int(o.hard)).items() if c}
        if hard:
            skilled = {
                i
                for i, c in enumerate(draft.asked.campers)
                if c.skill is Skill.PRACTISED or c.leader
            }
            able = {v: -1 for (i, w), v in draft.sleeps.items() if w == u and i in skilled}
            short = draft.m.flag()
            draft.m.row({**hard, **able, short: -1}, high=0)
            draft.cost("rules", {short: UNSKILLED_COST})
        snorers = [i for (i, w) in draft.sleeps if w == u and draft.asked.campers[i].snores]
        if snorers and draft.most[u] > 1:
            kept = draft.m.var(0, draft.most[u])
            quiet = {
                v: c
                for v, c in count.items()
                if v not in {draft.sleeps[i, u] for i in snorers}
            }
            for i in snorers:
                draft.m.row(
                    {**quiet, draft.sleeps[i, u]: draft.most[u], kept: -1},
                    high=draft.most[u],
                )
            draft.cost("rules", {kept: SNORE_COST})
        bent = draft.used(
            u, lambda o: len(o.cautions) + UNSUITED_COST * o.unsuited + TIGHT_COST * o.tight
        )
        draft.cost("rules", bent)
        draft.cost("quick", draft.used(u, lambda o: round(10 * o.minutes)))
        draft.cost("compact", draft.used(u, lambda o: round(10 * o.out_m)))
