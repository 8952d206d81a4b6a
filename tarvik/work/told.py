"""What a plan reaches, as plain values that are kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.aims import aim_named

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.plain import JsonObject
    from tarvik.core.plan.choose import Reached


def told(reached: Sequence[Reached]) -> list[JsonObject]:
    """Aims with their values as plain values."""
    return [
        {"aim": r.aim, "words": aim_named(r.aim).words, "value": r.value, "bound": r.bound}
        for r in reached
    ]
