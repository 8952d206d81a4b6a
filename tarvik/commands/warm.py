"""Compile the geometry kernels ahead of the first request; afterwards they are read from disk."""

from __future__ import annotations

from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import Weather


def warm() -> None:
    """Touch every compiled function once: pairs, triples, rows and obstacles come up among these."""
    for pitch in PITCHES.values():
        for side in (1.8, 2.2, 3.0, 4.2):
            question = Question(Sheet.rectangle(side, side), pitch, {})
            found = solve(question)
            if found.shelter is not None:
                solve(Question(question.sheet, pitch, found.settings, weather=Weather(4, 8, 200)))
