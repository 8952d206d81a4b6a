"""Which knot? What a knot of this course's rigging is for: its name is chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.drills.drill import Choice, Kind
from tarvik.core.knots import KNOTS, knots_for
from tarvik.core.pitches import PITCHES

if TYPE_CHECKING:
    from random import Random

    from tarvik.core.drills.material import Material
    from tarvik.core.knots import Knot

OPTIONS: Final = 3


def which_knot(material: Material, rng: Random, level: int = 1) -> Choice | None:
    """A drill about a knot that one of the course's shelters takes; None where what was drawn makes
    none.
    """
    sheet, night = rng.choice(material.sheets), rng.choice(material.nights)
    pitch = PITCHES[rng.choice(sorted(PITCHES))]
    solution = material.solve(material.question(sheet, pitch.slug, night))
    rig = solution.assessment.rig
    if rig is None:
        return None
    hitch = material.supports.house.hitch
    taken = knots_for(
        {line.purpose for line in rig.lines}, hitch, buttons=solution.assessment.buttons > 0
    )
    knot: Knot = rng.choice(taken)
    others = [k for k in KNOTS.values() if k.use != knot.use]
    shown = [knot, *rng.sample(others, min(len(others), OPTIONS + level - 2))]
    rng.shuffle(shown)
    return Choice(
        kind=Kind.KNOT,
        item=f"{Kind.KNOT}:{knot.slug}",
        asks=f"Setting up the {pitch.name}. Which knot {knot.use}?",
        why=f"{knot.name}: {' '.join(knot.steps)} Then look: {knot.check}",
        options=tuple(k.name for k in shown),
        right=frozenset(n for n, k in enumerate(shown) if k.use == knot.use),
    )
