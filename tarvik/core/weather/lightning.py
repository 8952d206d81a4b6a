"""Thunder and lightning in the night: where people go, and what they keep away from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.finding import Finding, Level

if TYPE_CHECKING:
    from tarvik.core.weather.needs import NightNeeds

CODE: Final = "lightning"
AWAY: Final = (
    "off ridges and out from under lone trees and wood edges in time, out of gullies and away from "
    "water, people apart from each other; sit on a mat, clear of poles and wet lines, until half "
    "an hour after the last thunder"
)


def lightning(needs: NightNeeds) -> Finding | None:
    """What forecast thunderstorms mean for a camp; None without them. Common practice."""
    if not needs.lightning:
        return None
    where = (
        "a sheet is no shelter from it, and the edge of a wood or a lone tree draws it"
        if needs.around.trees
        else "a sheet is no shelter from it, and open ground is the worst place: find another"
    )
    return Finding(
        CODE, "place", f"thunder and lightning are forecast: {where}", AWAY, Level.CAUTION
    )
