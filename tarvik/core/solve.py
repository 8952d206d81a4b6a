"""One question answered whole: this sheet, this pitch, these people and supports: does it form, and
what does it give?
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.body import DEFAULT_STATURE_M, Body
from tarvik.core.errors import FoldError
from tarvik.core.fitting import Fitting, Misfit, fit
from tarvik.core.handy import handy
from tarvik.core.intent import DEFAULT_INTENT, Intent
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.figures import Figures, measure, more_in_calm, tallest_sleeper_m
from tarvik.core.measure.grades import fits, tight
from tarvik.core.measure.lying import Lying
from tarvik.core.measure.openings import back_to_wind_deg, openings
from tarvik.core.pitches.base import Sought
from tarvik.core.rig.supports import UNLIMITED, Supports
from tarvik.core.rig.verdict import BUTTON, Assessment, Reason, Verdict, assess, refused
from tarvik.core.search.grid import usual_value
from tarvik.core.search.objective import Objective
from tarvik.core.search.refine import best_settings
from tarvik.core.shelter import Refusal, Shelter, fold_sheet, refusals
from tarvik.core.weather.rain import CALM, Weather, rain_slope

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch
    from tarvik.core.sheet import Sheet


ADULT: Final = Body(DEFAULT_STATURE_M)
DEFAULT_CLEARANCE: Final = Clearance()
DEFAULT_LYING: Final = Lying()
_SIDES_TRIED: Final = 3
NO_SUPPORT: Final = "no_support"
"""Codes of reasons that mostly hold whatever the settings are."""


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked. Settings left out are searched for the intent and the `wanted` sleepers (None:
    all that fit).

    `people`: those who are to lie there, each on a mat of their own length; none named: equal
    people like `body`.
    `free_to_turn`: the shelter turns its back to the wind, whatever direction `weather` names.
    `uphill_off_wind_deg`: how far clockwise from where the wind comes the ground rises; with it,
    `lying` need not name uphill in the shelter's frame.
    `shorter`: where nobody fits, settings that serve a shorter person are looked for. `also`:
    settings that have a usual value may leave it. `handy`: settings are to be such as people can
    set. `reached`: how many times as high as worked out it stands once hung, and
    `drawn` how many times as hard as usual its stakes are drawn, by the course's log.
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
    shorter: bool = True
    also: bool = True
    handy: bool = False
    reached: float = 1.0
    drawn: float = 1.0

    def objective(self) -> Objective:
        """What the search looks for: where the shelter may turn its back to the wind, in calm rain
        first.
        """
        weather = CALM if self.free_to_turn else self.weather
        return Objective(
            self.body,
            self.intent,
            self.supports,
            self.clearance,
            self.wanted,
            weather,
            self.shorter,
            self.also,
        )


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


class SolverBackend:
    """What solving works out. A memory may stand in for it."""

    def settings(
        self, pitch: Pitch, sheet: Sheet, objective: Objective, given: Mapping[str, float]
    ) -> dict[str, float] | None:
        """The best settings, those given kept."""
        return best_settings(pitch, sheet, objective, given)

    def shelter(
        self, pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]
    ) -> Shelter | list[Refusal]:
        """The folded sheet, or why the sheet does not allow these settings. The sheet's outline is
        a rectangle.
        """
        fitting = fit(pitch, sheet)
        if isinstance(fitting, Misfit):
            return [Refusal(pitch.settings[0].name, math.nan, math.nan, fitting.why)]
        try:
            return fold_sheet(pitch, sheet, settings)
        except FoldError:
            name = pitch.settings[0].name
            crossed = Refusal(
                name, settings[name], math.nan, "one panel would pass through another"
            )
            return refusals(fitting.pitch, fitting.box, settings) or [crossed]

    def figures(
        self,
        shelter: Shelter,
        body: Body,
        weather: Weather,
        clearance: Clearance,
        lying: Lying,
        people: tuple[Body, ...],
    ) -> Figures:
        """What a shelter gives these people in such rain."""
        return measure(shelter, body, weather, clearance, lying, people)


PLAIN: Final = SolverBackend()


def solve(question: Question, backend: SolverBackend = PLAIN) -> Solution:
    """Answer a question. Raises InputError for settings the pitch does not have or that are out of
    range.

    Doors that only the night opens or shuts stay as the pitch has them, and settings at their usual
    values, where what is at hand does not do for more.
    """
    found = _plainest(question, backend)
    return (
        handy(question, found, lambda q: _answer(q, backend)) if question.handy else found
    )


def _plainest(question: Question, backend: SolverBackend) -> Solution:
    found = _answer(question, backend)
    for plainer in (
        _plainer(question, found, backend) if found.verdict is not Verdict.FORMS else ()
    ):
        plain = _answer(plainer, backend)
        if plain.verdict is Verdict.FORMS:
            return replace(plain, question=question)
    return found


def _plainer(question: Question, found: Solution, backend: SolverBackend) -> list[Question]:
    """What is asked when doors and settings are to stay as the pitch has them: of those that did
    not, the settings, the doors, and both.
    """
    if len(found.settings) < len(question.pitch.settings):
        return []  # the sheet does not take the pitch at all, whatever the settings
    free = [s for s in question.pitch.settings if s.name not in question.settings]
    out = []
    doors = [s for s in free if question.intent.moves_door(s)]
    usual = {
        s.name: usual_value(s, question.supports)
        for s in free
        if s.sought is Sought.ALSO or (s.is_door and s not in doors)
    }
    moved = any(found.settings.get(name, value) != value for name, value in usual.items())
    if moved and not _lacks_what_no_setting_gives(question, found, usual, backend):
        out.append(replace(question, also=False))
    if doors and (
        question.intent.air > 0 or any(found.settings[s.name] != s.default for s in doors)
    ):
        as_they_are = replace(
            question.intent,
            slug=f"{question.intent.slug}, doors as they are",
            air=0.0,
            shut=0.0,
        )
        out += [replace(asked, intent=as_they_are) for asked in (question, *out)]
    return out


def _lacks_what_no_setting_gives(
    question: Question, found: Solution, usual: Mapping[str, float], backend: SolverBackend
) -> bool:
    """Whether something is missing, and is at the usual values too, that other heights would not
    give: then no other search changes that.
    """
    lasting = {NO_SUPPORT} if question.pitch.folds_far_edge else {NO_SUPPORT, BUTTON}
    missing = lasting & {
        reason.code for reason in found.assessment.reasons if reason.blocks
    }
    back = (
        backend.shelter(question.pitch, question.sheet, {**found.settings, **usual})
        if missing
        else None
    )
    if not isinstance(back, Shelter):
        return False
    return any(reason.code in missing for reason in assess(back, question.supports).reasons)


def _answer(question: Question, backend: SolverBackend) -> Solution:
    pitch, sheet = question.pitch, question.sheet
    given = pitch.checked(question.settings)
    fitting = fit(pitch, sheet)
    if isinstance(fitting, Misfit):
        reason = Reason(fitting.code, fitting.why, remedy=fitting.remedy)
        return Solution(
            question, given, Assessment(Verdict.CANNOT, (reason,), None), None, None
        )
    settings = _settings(question, given, backend, question.objective())
    found = _measured(question, settings, backend)
    if isinstance(found, list):
        return Solution(question, settings, refused(found, pitch), None, None)
    made, searched = _Made(settings, *found), len(given) < len(settings)
    if question.free_to_turn and searched:
        made = _with_its_back_to_the_wind(question, given, backend, made)
    if not made.figures.mats and question.shorter and searched:
        made = _for_one_at_a_pinch(question, given, backend, made)
    assessment = assess(made.shelter, question.supports)
    notes = [*_prepared(fitting), *_notes(question, made.figures)]
    return Solution(
        question,
        made.settings,
        replace(assessment, reasons=(*assessment.reasons, *notes)),
        made.shelter,
        made.figures,
    )


class _Made(NamedTuple):
    """A shelter folded at some settings, and what it gives."""

    settings: dict[str, float]
    shelter: Shelter
    figures: Figures


def _made(
    question: Question,
    given: dict[str, float],
    backend: SolverBackend,
    objective: Objective,
) -> _Made | None:
    """What a search for an aim finds; None where that does not fold."""
    settings = _settings(question, given, backend, objective)
    found = _measured(question, settings, backend)
    return None if isinstance(found, list) else _Made(settings, *found)


def _with_its_back_to_the_wind(
    question: Question,
    given: dict[str, float],
    backend: SolverBackend,
    calm: _Made,
) -> _Made:
    """What was best in calm rain; or, where that leaves somebody wet in slanted rain, what is under
    the rain as it comes. A shelter of other settings may turn another side to the wind: then the
    rain comes from there.
    """
    best, latest, tried = calm, calm.figures, set[float]()
    while (
        rain_slope(calm.figures.weather)
        and (question.wanted is None or best.figures.sleepers < question.wanted)
        and latest.weather.wind_from_deg not in tried
        and len(tried) < _SIDES_TRIED
        and (tried or more_in_calm(calm.figures, question.body, question.people))
    ):
        tried.add(latest.weather.wind_from_deg)
        objective = replace(
            question.objective(),
            weather=latest.weather,
            shorter=False,
            more_than=best.figures.sleepers,
        )
        other = _made(question, given, backend, objective)
        if other is None:
            break
        latest = other.figures
        if latest.sleepers > best.figures.sleepers:
            best = other
    return best


def _for_one_at_a_pinch(
    question: Question,
    given: dict[str, float],
    backend: SolverBackend,
    usual: _Made,
) -> _Made:
    """Where nobody lies as usual: settings at which somebody lies tightly, if there are such."""
    if fits(usual.figures).tight:
        return usual
    objective = replace(
        question.objective(), clearance=tight(question.clearance), shorter=False
    )
    other = _made(question, given, backend, objective)
    return usual if other is None or not fits(other.figures).tight else other


def _measured(
    question: Question, settings: dict[str, float], backend: SolverBackend
) -> tuple[Shelter, Figures] | list[Refusal]:
    """The folded sheet and its figures tonight, or why it does not fold so."""
    shelter = backend.shelter(question.pitch, question.sheet, settings)
    if not isinstance(shelter, Shelter):
        return shelter
    weather, lying = question.weather, question.lying
    if question.free_to_turn:
        weather = replace(
            weather, wind_from_deg=back_to_wind_deg(openings(shelter.measured))
        )
    if question.uphill_off_wind_deg is not None:
        lying = replace(
            lying, uphill_deg=(weather.wind_from_deg + question.uphill_off_wind_deg) % 360
        )
    return shelter, backend.figures(
        shelter, question.body, weather, question.clearance, lying, question.people
    )


def _prepared(fitting: Fitting) -> list[Reason]:
    """What is done to the sheet before it takes the pitch."""
    out = []
    if fitting.folded_to_square:
        out.append(
            Reason(
                "fold_to_square",
                "fold the sheet to a square of {0} first: a strip of {1} is doubled under",
                blocks=False,
                lengths=(fitting.box[0], fitting.doubled_m),
            )
        )
    if fitting.cut:
        out.append(
            Reason(
                "shaped_edges",
                "the sheet's shaped edges are taken as straight pieces and never set as tight as a "
                "straight cut",
                blocks=False,
            )
        )
    return out


def _settings(
    question: Question,
    given: dict[str, float],
    backend: SolverBackend,
    objective: Objective,
) -> dict[str, float]:
    pitch = question.pitch
    found = None
    if len(given) < len(pitch.settings):
        found = backend.settings(pitch, question.sheet, objective, given)
    return found or {s.name: given.get(s.name, s.default) for s in pitch.settings}


def _notes(question: Question, figures: Figures) -> list[Reason]:
    """Findings that do not stand in the way of the pitch but matter to who lies there."""
    if figures.mats:
        return []
    stature = question.body.stature_m
    tallest = tallest_sleeper_m(figures)
    if tallest is None:
        return [
            Reason(
                "no_mat_fits",
                "no mat lies here dry with room over it",
                blocks=False,
                remedy="take a larger sheet, or another height",
            )
        ]
    return [
        Reason(
            "no_mat_fits",
            "a person of {0} does not fit: {1} too tall for a dry mat",
            stature - tallest,
            blocks=False,
            remedy="take a larger sheet, or another height",
            lengths=(stature, stature - tallest),
        )
    ]
