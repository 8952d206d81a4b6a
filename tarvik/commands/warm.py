"""Compile the geometry kernels ahead of the first request; afterwards they are read from disk."""

from __future__ import annotations

from typing import Final

from tarvik.core.hang.hung import Hanging, hang
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import Weather

WARMING: Final = ("a-frame", "plow-point-lifted", "closed-wedge")
"""A convex lid, a roof whose cloth gives, and one hollow and shut: between them every compiled function is called."""
SIDES_M: Final = (1.8, 2.2, 3.0, 4.2)


def warm() -> None:
    """Touch every compiled function once: pairs, triples, rows and obstacles come up among these."""
    for pitch in (PITCHES[slug] for slug in WARMING):
        for side in SIDES_M:
            question = Question(Sheet.rectangle(side, side), pitch, {})
            found = solve(question)
            if found.shelter is not None:
                solve(Question(question.sheet, pitch, found.settings, weather=Weather(4, 8, 200)))
            if found.shelter is not None and found.assessment.rig is not None and side == SIDES_M[-1]:
                hang(found.shelter, found.assessment.rig, Hanging(lines=5)).forces  # noqa: B018 - for what it compiles
