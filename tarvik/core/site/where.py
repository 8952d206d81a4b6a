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
) -> str:
    """Words for a place. `height`: how high the ridge or peak is, in words; `front_deg`: the
    bearing that the front looks to, None where the pitch has none.
    """
    parts = [_carried(trees), height]
    if front_deg is not None:
        parts.append(f"front to {compass(front_deg)}")
    first = ", ".join(p for p in parts if p)
    off = _off(ground, at, trees, units)
    return "; ".join(p for p in (first, off) if p)


def _carried(trees: Sequence[str]) -> str:
    if not trees:
        return "on poles"
    if len(trees) == 1:
        return f"at {trees[0]}"
    return f"between {' and '.join(trees)}"


def _off(ground: Ground, at: Place, trees: Sequence[str], units: Units) -> str:
    """How far it is from the fire, or where there is none from the nearest named thing that does
    not carry it.
    """
    some: list[Thing] = ground.of(Kind.FIRE) or [t for t in ground.things if t.name not in trees]
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
