"""Drills of a kind for somebody: what is due first."""

from __future__ import annotations

from random import Random
from typing import TYPE_CHECKING, Final

from tarvik.core.drills.boxes import level_of, urgency
from tarvik.core.drills.by_eye import by_eye
from tarvik.core.drills.drill import Kind
from tarvik.core.drills.faults import fault
from tarvik.core.drills.in_order import in_order, knot_in_order
from tarvik.core.drills.knots import which_knot
from tarvik.core.drills.which_pitch import which_pitch

if TYPE_CHECKING:
    from collections.abc import Mapping
    from datetime import datetime

    from tarvik.core.drills.boxes import Learnt
    from tarvik.core.drills.drill import Drill
    from tarvik.core.drills.material import Material

TRIES: Final = 60
"""How often something is drawn until it makes a drill of a kind."""
SPARE: Final = 2
"""So many times as many drills are made as are asked once anything was answered, so that those that
are due can be chosen.
"""
KNOT_STEPS: Final = 0.4
"""Share of the orders that are a knot's."""


def drill_of(kind: Kind, material: Material, rng: Random, level: int) -> Drill | None:
    """One drill of a kind, or None where what was drawn makes none."""
    if kind is Kind.ORDER and rng.random() < KNOT_STEPS:
        return knot_in_order(rng)
    makers = {
        Kind.WHICH_PITCH: which_pitch,
        Kind.BY_EYE: by_eye,
        Kind.FAULT: fault,
        Kind.ORDER: in_order,
        Kind.KNOT: which_knot,
    }
    return makers[kind](material, rng, level)


def drills(
    kind: Kind,
    material: Material,
    seed: int,
    most: int,
    known: Mapping[str, Learnt],
    now: datetime,
) -> list[Drill]:
    """Up to `most` drills of a kind, what is due first. The same for the same seed, material and
    answers.
    """
    if not material.sheets or not material.nights:
        return []
    rng = Random(f"{kind} {seed}")  # noqa: S311 - a drill is no secret
    found: dict[str, Drill] = {}
    for _ in range(TRIES):
        if len(found) == (SPARE if known else 1) * most:
            break
        drill = drill_of(kind, material, rng, level_of(known, kind))
        if drill is not None:
            found.setdefault(drill.item, drill)
    return sorted(found.values(), key=lambda d: urgency(known, d.item, now))[:most]
