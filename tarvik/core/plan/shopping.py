"""What a course might buy or borrow, put into the bag that a plan is made from."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.plan.gather import Bag, InBag
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tarvik.core.plan.question import ExtraKit, ExtraSheets
from tarvik.core.rig.supports import MOST_THINGS, Pole

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.rig.supports import Supports
    from tarvik.core.sheet import Sheet

SHEET: Final = "sheet"
FIRST_EXTRA: Final = -1000
"""Number of the first sheet that is not there; the others count down from it."""
SET_FROM: Final = constant(
    "pole_set_from",
    2 / 3,
    "1",
    ENGINEERING,
    "a pole in sections is set from this share of its length up to all of it",
)
CENTS: Final = 100
GRAMS: Final = 1000


class By(StrEnum):
    """What the least is least of."""

    PACKS = "packs"
    PRICE = "price"
    WEIGHT = "weight"


@dataclass(frozen=True, slots=True)
class Item:
    """Something that might be had: at most `most` packs of `pieces`. `sheet`, of sheets alone;
    `length_m`, of poles (as long as they get) and lines. `price` and `kg` are a pack's; `lent`:
    borrowed from the provider's library, which costs nothing.
    """

    key: str
    kind: str
    most: int
    pieces: int = 1
    sheet: Sheet | None = None
    length_m: float = 0.0
    price: float | None = None
    kg: float = 0.0
    lent: bool = False

    @property
    def costs(self) -> float:
        """What a pack costs, 0 where it is lent or no price was given."""
        return 0.0 if self.lent else self.price or 0.0

    def extra_kit(self, by: By) -> ExtraKit:
        """The same for the plan's model."""
        cost = {
            By.PACKS: 1,
            By.PRICE: round(self.costs * CENTS),
            By.WEIGHT: round(self.kg * GRAMS),
        }[by]
        return ExtraKit(self.key, self.pieces, self.most, cost)


@dataclass(frozen=True, slots=True)
class Bill:
    """What some packs come to."""

    price: float
    kg: float


def bill(items: Sequence[Item], packs: Mapping[str, int]) -> Bill:
    """What these packs of the items come to."""
    had = [(item, packs.get(item.key, 0)) for item in items]
    return Bill(
        sum(item.costs * n for item, n in had),
        sum(item.kg * n for item, n in had),
    )


def bag_with(bag: Bag, items: Sequence[Item]) -> Bag:
    """The bag with all that might be had in it; how much is, the plan's model decides."""
    number, sheets, extras, pools = FIRST_EXTRA, list(bag.sheets), [], list(bag.pools)
    for item in items:
        if item.most <= 0:
            continue
        if item.sheet is not None:
            numbers = tuple(range(number, number - item.most, -1))
            number -= item.most
            sheets += [InBag(n, item.sheet) for n in numbers]
            extras.append(ExtraSheets(item.key, numbers, item.most))
            continue
        pieces = item.most * item.pieces
        least, most = {
            STAKE: (0.0, 0.0),
            LINE: (0.0, item.length_m),
            POLE: (item.length_m * SET_FROM, item.length_m),
        }[item.kind]
        pools.append(Pool(item.kind, pieces, least, most, extra=item.key))
    return replace(
        bag,
        sheets=tuple(sheets),
        extras=tuple(extras),
        pools=tuple(pools),
        supports=_supports_with(bag.supports, items),
    )


def _supports_with(supports: Supports, items: Sequence[Item]) -> Supports:
    """What is at hand for one shelter, with what might be had."""
    poles, lines, stakes = supports.poles, supports.lines_m, supports.stakes
    for item in items:
        pieces = item.most * item.pieces
        if item.kind == POLE and poles is not None:
            poles += (Pole(item.length_m * SET_FROM, item.length_m),) * pieces
        elif item.kind == LINE and lines is not None:
            lines += (item.length_m,) * pieces
        elif item.kind == STAKE and stakes is not None:
            stakes = min(stakes + pieces, MOST_THINGS)
    return replace(supports, poles=poles, lines_m=lines, stakes=stakes)
