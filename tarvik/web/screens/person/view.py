"""What one person's page shows."""

from __future__ import annotations

from dataclasses import dataclass

from tarvik.core.advice import Choice
from tarvik.core.body import Body
from tarvik.core.measure.figures import Figures
from tarvik.core.pitches.base import Pitch
from tarvik.core.units import Units
from tarvik.store.models import SheetRow
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.shared.as_hung import Seen
from tarvik.web.shared.judged import said_of
from tarvik.web.shared.questions import owner_name

MOST_SHOWN = 12


@dataclass(frozen=True, slots=True)
class ChoiceShown:
    """One of the shelters this person would do best in."""

    sheet: SheetRow
    owner: str
    pitch: Pitch
    figures: Figures | None
    verdict: str
    why: str
    drawing: str


def choice_shown(
    choice: Choice, shape: Seen, sheet: SheetRow, body: Body, units: Units
) -> ChoiceShown:
    """The same, from what was found."""
    solution, judged = shape.solution, shape.judged(choice.judged, units, 1)
    pitch, shelter = solution.question.pitch, solution.shelter
    best = choice.suggested
    return ChoiceShown(
        sheet=sheet,
        owner=owner_name(sheet),
        pitch=pitch,
        figures=solution.figures,
        verdict=judged.verdict.value,
        why=best.why if best else said_of(solution, judged, units)[0],
        drawing=silhouette(shelter, pitch.name, body.height("sitting")) if shelter else "",
    )
