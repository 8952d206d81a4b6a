"""Large courses planned in blocks: patrols that lie near each other are planned together, one block
after another, each with its part of the ground and its share of the kit. What one block takes, the
next finds taken.

The whole is no proved optimum, only its blocks are; so of an aim that is not nought only the
trivial bound is told.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik.core.finding import Finding, Level
from tarvik.core.plan.camps import GOLDEN_RAD, SHELTER_M2
from tarvik.core.plan.stores import UNENDING
from tarvik.core.site.hazards import Hazard

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.plan.make import Case
    from tarvik.core.plan.offers import Offer, Pool
    from tarvik.core.plan.party import Camper

WHOLE_MOST: Final = 60
"""Most people planned at once."""
BLOCK: Final = 30
"""People of a block, if patrols allow."""


def blocks_of(case: Case) -> list[set[int]]:
    """People by number in blocks: patrols stay whole, those who always share stay together."""
    groups: dict[str, list[Camper]] = {}
    for camper in case.bag.campers:
        groups.setdefault(camper.patrol, []).append(camper)
    out: list[set[int]] = [set()]
    for _, some in sorted(groups.items()):
        pieces = [some[k : k + BLOCK] for k in range(0, len(some), BLOCK)]
        for piece in pieces:
            if out[-1] and len(out[-1]) + len(piece) > BLOCK + BLOCK // 3:
                out.append(set())
            out[-1] |= {c.number for c in piece}
    for a, b in case.rules.always:
        one, two = (next((s for s in out if p in s), None) for p in (a, b))
        if one is not None and two is not None and one is not two:
            two.discard(b)
            one.add(b)
    return [s for s in out if s]


def block_case(
    case: Case, people: set[int], number: int, count: int, before: Sequence[Offer]
) -> Case:
    """The case of one block beside what the blocks before it took."""
    share = [
        b
        for n, b in enumerate(b for b in case.bag.sheets if b.owner is None)
        if n % count == number
    ]
    own = [b for b in case.bag.sheets if b.owner in people]
    held = {s for o in before for s in o.sheets}
    sheets = tuple(b for b in (*own, *share) if b.number not in held)
    campers = tuple(c for c in case.bag.campers if c.number in people)
    camp = case.camp
    if camp is not None:
        radius = math.sqrt(len(case.bag.sheets) * SHELTER_M2 / math.pi) * math.sqrt(
            (number + 0.5) / count
        )
        x, y = camp.heart
        turn = number * GOLDEN_RAD
        taken = Finding("taken", "shelter", "another shelter stands here", "", Level.STOPS)
        stops = tuple(
            Hazard(taken, o.ground.buffer(case.rules.gap_m, quad_segs=4))
            for o in before
            if o.ground is not None
        )
        camp = replace(
            camp,
            hazards=(*camp.hazards, *stops),
            middle=(x + radius * math.cos(turn), y + radius * math.sin(turn)),
        )
    bag = replace(
        case.bag,
        sheets=sheets,
        campers=campers,
        pools=_share_of(case.bag.pools, people, number, count),
        light=True,
    )
    return replace(case, bag=bag, camp=camp)


def _share_of(
    pools: Sequence[Pool], people: set[int], number: int, count: int
) -> tuple[Pool, ...]:
    """A block's kit: its people's own, and its share of the group's, the odd pieces going round."""
    out = []
    for n, pool in enumerate(pools):
        if pool.owner is not None:
            pieces = pool.count if pool.owner in people else 0
        elif pool.count >= UNENDING:
            pieces = pool.count
        else:
            pieces = pool.count // count + ((number + n) % count < pool.count % count)
        if pieces:
            out.append(replace(pool, count=pieces))
    return tuple(out)
