"""One question answered whole: this sheet, this pitch, these people and supports: does it form, and what does it give?"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.body import DEFAULT_STATURE_M, Body
from tarvik.core.intent import DEFAULT_INTENT, Intent
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.figures import Figures, measure, tallest_sleeper_m
from tarvik.core.measure.lying import Lying
from tarvik.core.measure.openings import back_to_wind_deg, openings
from tarvik.core.rig.supports import UNLIMITED, Supports
from tarvik.core.rig.verdict import Assessment, Reason, Verdict, assess, refused
from tarvik.core.search import Aim, best_settings
from tarvik.core.shelter import Refusal, Shelter, fold_sheet, refusals
from tarvik.core.weather.rain import CALM, Weather

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.sheet import Sheet


ADULT: Final = Body(DEFAULT_STATURE_M)
DEFAULT_CLEARANCE: Final = Clearance()
DEFAULT_LYING: Final = Lying()


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked. Settings left out are searched for the intent and the `wanted` sleepers (None: all that fit).

    `people`: those who are to lie there, each on a mat of the own length; none named: equal people like `body`.
    `free_to_turn`: the shelter turns its back to the wind, whatever direction `weather` names. `uphill_off_wind_deg`: how
    far clockwise from where the wind comes the ground rises; with it, `lying` need not name uphill in the shelter's frame.
    """

    sheet: Sheet
    pitch: Pitch
    settings: Mapping[str, float]
    body: Body = ADULT
    intent: Intent = DEFAULT_INTENT
    supports: Supports = UNLIMITED
    weather: Weather = CALM
    clearance: Clearance = DEFAULT_CLEARANCE
    wanted: int | None = None
    people: tuple[Body, ...] = ()
    lying: Lying = DEFAULT_LYING
    free_to_turn: bool = False
    uphill_off_wind_deg: float | None = None


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


class Workings:
    """What solving works out before it looks at the weather. A memory may stand in for it."""

    def settings(self, pitch: Pitch, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> dict[str, float] | None:
        """The best settings, those given kept."""
        return best_settings(pitch, sheet, aim, given)

    def shelter(self, pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]) -> Shelter | list[Refusal]:
        """The folded sheet, or why the sheet does not allow these settings. The sheet's outline is a rectangle."""
        box = sheet.box
        broken = refusals(pitch, box, settings) if box else []
        return broken or fold_sheet(pitch, sheet, settings)


PLAIN: Final = Workings()


def solve(question: Question, workings: Workings = PLAIN) -> Solution:
    """Answer a question. Raises InputError for settings the pitch does not have or that are out of range."""
    pitch, sheet = question.pitch, question.sheet
    given = pitch.checked(question.settings)
    if sheet.box is None:
        reason = Reason(
            "outline_not_rectangular", f"{pitch.name} is worked out for rectangles, and this outline is none",
            remedy="fold the sheet to a rectangle and give that outline",
        )  # fmt: skip
        return Solution(question, given, Assessment(Verdict.CANNOT, (reason,), None), None, None)
    settings = _settings(question, given, workings)
    shelter = workings.shelter(pitch, sheet, settings)
    if not isinstance(shelter, Shelter):
        return Solution(question, settings, refused(shelter, pitch), None, None)
    weather = question.weather
    if question.free_to_turn:
        weather = replace(weather, wind_from_deg=back_to_wind_deg(openings(shelter)))
    lying = question.lying
    if question.uphill_off_wind_deg is not None:
        lying = replace(lying, uphill_deg=(weather.wind_from_deg + question.uphill_off_wind_deg) % 360)
    figures = measure(shelter, question.body, weather, question.clearance, lying, question.people)
    assessment = assess(shelter, question.supports)
    notes = _notes(question, figures)
    return Solution(question, settings, replace(assessment, reasons=(*assessment.reasons, *notes)), shelter, figures)


def _settings(question: Question, given: dict[str, float], workings: Workings) -> dict[str, float]:
    pitch = question.pitch
    found = None
    if len(given) < len(pitch.settings):
        aim = Aim(question.body, question.intent, question.supports, question.clearance, question.wanted)
        found = workings.settings(pitch, question.sheet, aim, given)
    return found or {s.name: given.get(s.name, s.default) for s in pitch.settings}


def _notes(question: Question, figures: Figures) -> list[Reason]:
    """Findings that do not stand in the way of the pitch but matter to who lies there."""
    if figures.mats:
        return []
    stature = question.body.stature_m
    tallest = tallest_sleeper_m(figures)
    if tallest is None:
        return [Reason("no_mat_fits", "no mat lies here dry with room over it", blocks=False,
                       remedy="take a larger sheet, or another height")]  # fmt: skip
    return [
        Reason("no_mat_fits", "a person of {0} does not fit: {1} too tall for a dry mat", stature - tallest, blocks=False,
               remedy="take a larger sheet, or another height", lengths=(stature, stature - tallest))
    ]  # fmt: skip
