"""One question answered whole: this sheet, this pitch, these people and supports: does it form, and what does it give?"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.body import DEFAULT_STATURE_M, Body
from tarvik.core.intent import DEFAULT_INTENT, Intent
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.figures import Figures, measure, tallest_sleeper_m
from tarvik.core.rig.supports import UNLIMITED, Supports
from tarvik.core.rig.verdict import Assessment, Reason, Verdict, assess, refused
from tarvik.core.search import Aim, best_settings
from tarvik.core.shelter import Shelter, fold_sheet, refusals
from tarvik.core.weather.rain import CALM, Weather

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.sheet import Sheet


ADULT: Final = Body(DEFAULT_STATURE_M)
DEFAULT_CLEARANCE: Final = Clearance()


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked. Settings left out are searched for the intent and the `wanted` sleepers (None: all that fit)."""

    sheet: Sheet
    pitch: Pitch
    settings: Mapping[str, float]
    body: Body = ADULT
    intent: Intent = DEFAULT_INTENT
    supports: Supports = UNLIMITED
    weather: Weather = CALM
    clearance: Clearance = DEFAULT_CLEARANCE
    wanted: int | None = None


@dataclass(frozen=True, slots=True)
class Solution:
    """The answer. `shelter` and `figures` are None when the verdict is `cannot`."""

    question: Question
    settings: Mapping[str, float]
    assessment: Assessment
    shelter: Shelter | None
    figures: Figures | None

    @property
    def verdict(self) -> Verdict:
        """forms, needs or cannot."""
        return self.assessment.verdict


def solve(question: Question) -> Solution:
    """Answer a question. Raises InputError for settings the pitch does not have or that are out of range."""
    pitch, sheet = question.pitch, question.sheet
    given = pitch.checked(question.settings)
    if sheet.box is None:
        reason = Reason(
            "outline_not_rectangular", f"{pitch.name} is worked out for rectangles, and this outline is none",
            remedy="fold the sheet to a rectangle and give that outline",
        )  # fmt: skip
        return Solution(question, given, Assessment(Verdict.CANNOT, (reason,), None), None, None)
    settings = _settings(question, given)
    broken = refusals(pitch, sheet.box, settings)
    if broken:
        labels = {s.name: s.label for s in pitch.settings}
        return Solution(question, settings, refused(broken, labels), None, None)
    shelter = fold_sheet(pitch, sheet, settings)
    figures = measure(shelter, question.body, question.weather, question.clearance)
    assessment = assess(shelter, question.supports)
    notes = _notes(question, shelter, figures)
    return Solution(question, settings, replace(assessment, reasons=(*assessment.reasons, *notes)), shelter, figures)


def _settings(question: Question, given: dict[str, float]) -> dict[str, float]:
    pitch = question.pitch
    found = None
    if len(given) < len(pitch.settings):
        aim = Aim(question.body, question.intent, question.supports, question.clearance, question.wanted)
        found = best_settings(pitch, question.sheet, aim, given)
    return found or {s.name: given.get(s.name, s.default) for s in pitch.settings}


def _notes(question: Question, shelter: Shelter, figures: Figures) -> list[Reason]:
    """Findings that do not stand in the way of the pitch but matter to who lies there."""
    if figures.mats:
        return []
    stature = question.body.stature_m
    tallest = tallest_sleeper_m(shelter, question.weather, question.clearance)
    if tallest is None:
        return [Reason("no_mat_fits", "no mat lies here dry with room over it", blocks=False,
                       remedy="take a larger sheet, or another height")]  # fmt: skip
    return [
        Reason("no_mat_fits", "a person of {0} does not fit: {1} too tall for a dry mat", stature - tallest, blocks=False,
               remedy="take a larger sheet, or another height", lengths=(stature, stature - tallest))
    ]  # fmt: skip
