"""Where a shelter stands, in words that people can walk to: its trees by name, how high on a body
its ridge is, where its front looks, and how far it is from the fire or the nearest named thing.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final

from tarvik.core.quantities import compass
from tarvik.core.site.things import Kind
from tarvik.core.units import FOOT_M, Units, format_length

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.site.things import Ground, Place, Thing

BESIDE_M: Final = 1.0
"""Nearer than this something is beside it."""
FAR_M: Final = 10.0
"""From here on whole metres do."""


def bearing_deg(start: Place, end: Place) -> float:
    """The bearing from one place to another, degrees clockwise from north."""
    return math.degrees(math.atan2(end[0] - start[0], end[1] - start[1])) % 360


def where(
    ground: Ground,
    at: Place,
    trees: Sequence[str],
    front_deg: float | None,
    height: str = "",
    units: Units = Units.METRIC,
    others: Sequence[str] = (),
) -> str:
    """Words for a place. `trees`: those that carry it, by name; `others`: the kinds of what else
    does; `height`: how high the ridge or peak is, in words; `front_deg`: the bearing that the front
    looks to, None where the pitch has none.
    """
    parts = [_carried(trees, others), height]
    if front_deg is not None:
        parts.append(f"front to {compass(front_deg)}")
    first = ", ".join(p for p in parts if p)
    off = _off(ground, at, trees, units)
    return "; ".join(p for p in (first, off) if p)


def _carried(trees: Sequence[str], others: Sequence[str]) -> str:
    """What carries it.

    >>> _carried(["Oak 13"], ["pole"]), _carried([], ["pole", "pole"]), _carried([], ["pole"])
    ('between Oak 13 and a pole', 'between two poles', 'on a pole')
    """
    if not trees and len(others) == 2 and len(set(others)) == 1:
        return f"between two {others[0]}s"
    every = [*trees, *(f"a {kind}" for kind in others)]
    if len(every) > 1:
        return f"between {' and '.join(every)}"
    return "" if not every else f"at {every[0]}" if trees else f"on {every[0]}"


def _off(ground: Ground, at: Place, trees: Sequence[str], units: Units) -> str:
    """How far it is from the fire, or where there is none from the nearest named thing that does
    not carry it.
    """
    some: list[Thing] = ground.of(Kind.FIRE) or [
        t for t in ground.things if t.name not in trees
    ]
    if not some:
        return ""
    near = min(some, key=lambda t: math.dist(t.at, at))
    away = math.dist(near.at, at)
    name = f"the fire spot ({near.name})" if near.kind is Kind.FIRE else near.name
    if away < BESIDE_M:
        return f"beside {name}"
    told = _told(away, units)
    return f"{told} {compass(bearing_deg(near.at, at))} of {name}"


def _told(metres: float, units: Units) -> str:
    if units is Units.METRIC:
        return f"{metres:.0f} m" if metres >= FAR_M else f"{metres:.1f} m"
    return format_length(round(metres / FOOT_M) * FOOT_M, units)
