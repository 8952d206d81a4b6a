"""The stakes of a bag: those that a leader may count on, and the longer ones among them for where
more is pulled.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.loads.holding import DEFAULT_GROUND, Holding, StakeKind, stake_holds_n

if TYPE_CHECKING:
    from collections.abc import Iterable

SHORT_SHARE: Final = constant(
    "short_stakes",
    0.25,
    "1",
    ENGINEERING,
    "the weakest stakes of a bag are left out of the count, up to this share of all",
)


@dataclass(frozen=True, slots=True)
class Stakes:
    """Stakes of a bag, sorted: the `usual` kind, which all that count hold at least as well as;
    `count` of them, `longer` ones included; the `longer` kinds, the weakest first; and kinds too
    weak to be counted.
    """

    usual: StakeKind
    count: int
    longer: tuple[StakeKind, ...]
    left_out: tuple[StakeKind, ...] = ()

    def held_by(self, holding: Holding) -> Holding:
        """What stakes hold on a ground, when these are driven."""
        return replace(
            holding,
            stake_depth_m=self.usual.depth_m,
            stake_width_m=self.usual.width_m,
            longer=self.longer,
        )


def sorted_stakes(kinds: Iterable[StakeKind], otherwise: StakeKind) -> Stakes:
    """Stakes sorted by what they hold in ordinary ground; `otherwise` is usual where there are
    none. Of a bag in which the weakest are few, these do not make all others weak: they are left
    out of the count.
    """
    order = sorted((k for k in kinds if k.count), key=_holds_n)
    total = sum(kind.count for kind in order)
    if not order:
        return Stakes(otherwise, 0, ())
    usual, below = order[0], 0
    for kind in order:
        if below > SHORT_SHARE * total:
            break
        usual, below = kind, below + kind.count
    # The kind that the share ends in is usual; what is as good counts, whatever its row.
    least = _holds_n(usual)
    counted = [kind for kind in order if _holds_n(kind) >= least]
    return Stakes(
        usual,
        sum(kind.count for kind in counted),
        tuple(kind for kind in counted if _holds_n(kind) > least),
        tuple(kind for kind in order if _holds_n(kind) < least),
    )


def _holds_n(kind: StakeKind) -> float:
    return stake_holds_n(DEFAULT_GROUND, kind.depth_m, kind.width_m)
