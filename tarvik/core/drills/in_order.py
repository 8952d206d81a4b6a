"""In which order? The set-up steps of a shelter, or a knot's steps, to be sorted."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.cards import steps
from tarvik.core.drills.drill import Kind, Order
from tarvik.core.drills.words import sheet_words
from tarvik.core.knots import KNOTS
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict

if TYPE_CHECKING:
    from collections.abc import Sequence
    from random import Random

    from tarvik.core.drills.material import Material

FEW: Final = 2
"""Steps to sort at the first level, less one."""


def in_order(material: Material, rng: Random, level: int = 1) -> Order | None:
    """Set-up steps that follow each other; None where what was drawn makes none."""
    sheet, night = rng.choice(material.sheets), rng.choice(material.nights)
    pitch = PITCHES[rng.choice(sorted(PITCHES))]
    solution = material.solve(material.question(sheet, pitch.slug, night))
    if solution.verdict is not Verdict.FORMS or solution.shelter is None:
        return None
    told = steps(solution.shelter, solution.assessment.rig, material.units, material.body)
    texts = [step.text for step in told]
    many = FEW + level
    if len(texts) < many:
        return None
    first = rng.randrange(len(texts) - many + 1)
    return _shuffled(
        rng,
        texts[first : first + many],
        f"{Kind.ORDER}:{pitch.slug}",
        f"{sheet_words(sheet, material.units)} Setting up the {pitch.name}: in which order?",
    )


def knot_in_order(rng: Random) -> Order | None:
    """A knot's steps."""
    knot = KNOTS[rng.choice(sorted(KNOTS))]
    if len(knot.steps) < FEW:
        return None
    asks = f"{knot.name}: it {knot.use}. In which order is it tied?"
    return _shuffled(rng, list(knot.steps), f"{Kind.ORDER}:knot:{knot.slug}", asks)


def _shuffled(rng: Random, right: Sequence[str], item: str, asks: str) -> Order | None:
    shown = list(right)
    while shown == list(right):
        if len(set(right)) == 1:
            return None
        rng.shuffle(shown)
    why = " ".join(f"{n}. {text}" for n, text in enumerate(right, start=1))
    return Order(
        kind=Kind.ORDER,
        item=item,
        asks=asks,
        why=why,
        shown=tuple(shown),
        right=tuple(right),
    )
