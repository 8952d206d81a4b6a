"""How high, how far? A drawn shelter: its peak, the distance between two stakes, or the dry ground
under it, estimated by eye and scored against the figure.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.cards import stake_out
from tarvik.core.drills.drill import BY_EYE_HARD_SHARE, BY_EYE_SHARE, LEVELS, Estimate, Kind
from tarvik.core.drills.words import night_words, sheet_words
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sentences import inside
from tarvik.core.units import format_area, format_length

if TYPE_CHECKING:
    from random import Random

    from tarvik.core.drills.material import Material
    from tarvik.core.solve import Solution

LEAST_M: Final = 0.5
"""Shorter distances are not asked for."""


class _Asked(NamedTuple):
    """What is estimated: its name, the question, the value (m, or m2 where `square`)."""

    name: str
    question: str
    value: float
    square: bool = False


def by_eye(material: Material, rng: Random, level: int = 1) -> Estimate | None:
    """A drill; None where what was drawn makes none."""
    sheet, night = rng.choice(material.sheets), rng.choice(material.nights)
    pitch = PITCHES[rng.choice(sorted(PITCHES))]
    question = material.question(sheet, pitch.slug, night)
    if material.solve(question).verdict is not Verdict.FORMS:
        return None
    solution, _ = material.judge(question, night)
    things = _things(solution)
    if not things:
        return None
    thing = rng.choice(things)
    shown = format_area if thing.square else format_length
    share = BY_EYE_HARD_SHARE if level == LEVELS[-1] else BY_EYE_SHARE
    what = inside(pitch.name)
    needs_night = f" {night_words(night, material.units)}" if thing.square else ""
    return Estimate(
        kind=Kind.BY_EYE,
        item=f"{Kind.BY_EYE}:{pitch.slug}:{thing.name}",
        asks=f"{sheet_words(sheet, material.units)} It stands as {what}.{needs_night} "
        f"{thing.question} The person beside it is "
        f"{format_length(material.body.stature_m, material.units)} tall.",
        why=f"It is {shown(thing.value, material.units)}; within {share * 100:.0f} % is right.",
        shelter=solution,
        marked=True,
        value=thing.value,
        square=thing.square,
        share=share,
    )


def _things(solution: Solution) -> list[_Asked]:
    """What of this shelter can be asked for."""
    figures, shelter = solution.figures, solution.shelter
    if figures is None or shelter is None:
        return []
    found = []
    if figures.peak_m >= LEAST_M:
        found.append(_Asked("peak", "How high is its highest point?", figures.peak_m))
    if figures.dry_area_m2 >= LEAST_M:
        words = "How much ground stays dry under it?"
        found.append(_Asked("dry", words, figures.dry_area_m2, square=True))
    found += [
        _Asked("span", f"How far is it from {d.a} to {d.b} on the ground?", d.metres)
        for d in stake_out(shelter)
        if d.metres >= LEAST_M
    ]
    return found
