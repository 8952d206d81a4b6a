"""What a plan is asked: people, offers, kit, rules, what stands and what the leader fixed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.plan.aims import AIMS
from tarvik.core.plan.party import PlanRules

if TYPE_CHECKING:
    from collections.abc import Mapping

    from shapely.geometry.base import BaseGeometry

    from tarvik.core.plan.offers import Offer, Pool
    from tarvik.core.plan.party import Camper

SPARE: Final = -1
"""Number of the camper who stands for the spare shelter."""


@dataclass(frozen=True, slots=True)
class Standing:
    """A shelter as it stands, or as the leader fixed it."""

    sheets: tuple[int, ...]
    pitch: str
    settings: tuple[tuple[str, float], ...]
    at: tuple[float, float] | None
    front_deg: float | None
    people: tuple[int, ...]
    anchor: tuple[float, float] = (0.0, 0.0)
    trees: tuple[str, ...] = ()


@dataclass(frozen=True)
class Locks:
    """What the leader fixed: people to a sheet, sheets to a pitch, to what they stand as, or to
    stay in the bag.
    """

    people: Mapping[int, int] = field(default_factory=dict)
    pitches: Mapping[int, str] = field(default_factory=dict)
    standing: frozenset[int] = frozenset()
    unused: frozenset[int] = frozenset()


NO_LOCKS: Final = Locks()


@dataclass(frozen=True, slots=True)
class ExtraSheets:
    """Sheets alike, by number, that might be bought or borrowed as `key`; `count` of them are."""

    key: str
    sheets: tuple[int, ...]
    count: int


@dataclass(frozen=True, slots=True)
class ExtraKit:
    """Something that may be had more, by the pack: at most `most` packs of `pieces` each. `cost`:
    what a pack counts, in whole numbers of any unit.
    """

    key: str
    pieces: int = 1
    most: int = 1
    cost: int = 1


@dataclass(frozen=True)
class PlanQuestion:
    """All that a plan is made from. `owners`: sheet -> person. `standing`: what stands already, for
    the fewest moves.
    `blinds`: ground through which nobody sees, such as thickets. `extras`: sheets that are not
    there yet.
    """

    campers: tuple[Camper, ...]
    offers: tuple[Offer, ...]
    pools: tuple[Pool, ...] = ()
    rules: PlanRules = field(default_factory=PlanRules)
    owners: Mapping[int, int] = field(default_factory=dict)
    locks: Locks = NO_LOCKS
    standing: tuple[Standing, ...] = ()
    aims: tuple[str, ...] = AIMS
    blinds: BaseGeometry | None = None
    extras: tuple[ExtraSheets, ...] = ()


def stands_as(offer: Offer, standing: Standing) -> bool:
    """Whether an offer is the shelter that stands."""
    if (
        offer.sheets != standing.sheets
        or offer.pitch != standing.pitch
        or dict(offer.settings) != dict(standing.settings)
    ):
        return False
    if offer.spot is None or standing.at is None:
        return offer.spot is None and standing.at is None
    near = (
        np.hypot(offer.spot.at[0] - standing.at[0], offer.spot.at[1] - standing.at[1])
        < 0.05
    )
    turned = abs((offer.spot.front_deg - (standing.front_deg or 0.0) + 180) % 360 - 180)
    return bool(near and turned < 1.0)
