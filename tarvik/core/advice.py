"""Person first: which of these sheets in which pitch for this person; and, before the course, the
smallest sheet that does.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fitting import Misfit, fit
from tarvik.core.held import held
from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Shape
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import Verdict
from tarvik.core.search.objective import SIT_EACH_M2, worth
from tarvik.core.sheet import Sheet
from tarvik.core.solve import PLAIN, Question, Solution, SolverBackend, solve
from tarvik.core.suggest import suggestions
from tarvik.core.suited import practised, suit_here
from tarvik.core.tonight import judge, lacks_only_buttons

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from tarvik.core.body import Body
    from tarvik.core.intent import Intent
    from tarvik.core.suggest import Suggestion
    from tarvik.core.tonight import Night, Tonight

ADVICE_LEAST_M: Final = constant(
    "advice_least", 1.4, "m", ENGINEERING, "smallest square sheet considered"
)
ADVICE_MOST_M: Final = constant(
    "advice_most", 4.6, "m", ENGINEERING, "largest square sheet considered"
)
ADVICE_STEP_M: Final = constant(
    "advice_step", 0.05, "m", ENGINEERING, "step of the sheets considered"
)
SITTING_COUNTS: Final = constant(
    "sitting_counts",
    0.8,
    "1",
    ENGINEERING,
    "an intent that weighs sitting so much wants room for it",
)
SIT_FIRST: Final = constant(
    "sit_first",
    30.0,
    "1/m2",
    ENGINEERING,
    "weight with which a search finds sitting room if there is any",
)
SHORTLIST: Final = 24
"""Shelters that are judged for one person."""
OBLONG_SHARE: Final = 4 / 3
"""Length over width of the sheet tried for a pitch that takes no square."""


@dataclass(frozen=True, slots=True)
class Choice:
    """One sheet in one pitch for one person, how it is judged tonight, and what it is worth there;
    `suggested` None where it is not to be suggested.
    """

    sheet: int
    solution: Solution
    judged: Tonight
    suggested: Suggestion | None


def asked_for_person(
    question: Question, sheets: Sequence[Sheet]
) -> list[tuple[int, Question]]:
    """The question of one person for every sheet of the bag in every pitch, with the sheet's
    number.
    """
    return [
        (number, replace(question, sheet=sheet, pitch=pitch, settings={}, wanted=1))
        for number, sheet in enumerate(sheets)
        for pitch in PITCHES.values()
    ]


def for_person(
    solutions: Sequence[tuple[int, Solution]],
    night: Night,
    answer: Callable[[Question], Solution],
) -> list[Choice]:
    """The sheets of the bag in their pitches that are worth a look for one person tonight, the best
    first: what may be suggested, then what something stops. Of what there is only the SHORTLIST
    that suits such a night best is judged. What cannot be is left out.
    """
    some = [
        (number, found)
        for number, found in solutions
        if found.figures is not None and found.verdict is not Verdict.CANNOT
    ]
    some.sort(key=lambda item: _at_first_sight(item[1], night), reverse=True)
    held_ones = [(n, held(found, night, 1, answer)) for n, found in some[:SHORTLIST]]
    judged = [(found, judge(found, night)) for _, found in held_ones]
    best = {s.number: s for s in suggestions(judged, night, 1)}
    order = [*best, *(n for n in range(len(judged)) if n not in best)]
    return [Choice(held_ones[n][0], *judged[n], best.get(n)) for n in order]


class FirstSight(NamedTuple):
    """How good advice looks before it is worked out: the greater the better, in this
    order.
    """

    dry: bool
    lacks_only_buttons: bool
    suit: int
    worth: float


def _at_first_sight(found: Solution, night: Night) -> FirstSight:
    asked, figures = found.question, found.figures
    if figures is None:
        return FirstSight(False, False, 0, 0.0)
    suit = suit_here(asked.pitch, asked.sheet, asked.supports, night.needs)
    dry = bool(figures.mats) or not night.beds_wanted
    return FirstSight(
        dry, lacks_only_buttons(found), int(suit), worth(figures, asked.objective())
    )


@dataclass(frozen=True, slots=True)
class Smallest:
    """The smallest sheet for one intent: width and length, and the pitch it is for; None when none
    up to the most does.
    """

    intent: Intent
    pitch: str
    size_m: tuple[float, float] | None


def smallest_for_pitch(
    slug: str,
    body: Body,
    question: Question,
    backend: SolverBackend = PLAIN,
    *,
    sit: bool = False,
    under_m2: float = math.inf,
) -> tuple[float, float] | None:
    """The smallest square (or oblong, where the pitch wants one) under which the person can lie
    dry, and with `sit` also has room to sit up, at some setting, in steps of 5 cm. Every size from
    the smallest on is tried: under slanted rain a larger sheet may do worse than a smaller one.
    None when none under `under_m2` does.
    """
    pitch = PITCHES[slug]
    share = OBLONG_SHARE if pitch.shape is Shape.OBLONG else 1.0
    intent = question.intent
    if (
        sit
    ):  # under a name of its own, for what is searched for it is kept by the intent's name
        intent = replace(intent, slug=f"{intent.slug}, sitting", sit=SIT_FIRST)
    for step in range(round((ADVICE_MOST_M - ADVICE_LEAST_M) / ADVICE_STEP_M) + 1):
        side = ADVICE_LEAST_M + step * ADVICE_STEP_M
        size = round(side, 2), round(side * share, 2)
        if size[0] * size[1] >= under_m2:
            break
        sheet = Sheet.rectangle(*size)
        if isinstance(fit(pitch, sheet), Misfit):
            continue
        asked = replace(
            question,
            sheet=sheet,
            pitch=pitch,
            settings={},
            body=body,
            wanted=1,
            supports=UNLIMITED,
            intent=intent,
            shorter=False,
        )
        found = solve(asked, backend).figures
        if (
            found is not None
            and found.sleepers >= 1
            and (not sit or found.sit_area_m2 >= SIT_EACH_M2)
        ):
            return size
    return None


def kit_advice(
    body: Body, question: Question, backend: SolverBackend = PLAIN
) -> list[Smallest]:
    """For each intent the smallest sheet that would do for a person of this stature, in the best
    suited pitch.
    """
    out = []
    for slug, intent in INTENTS.items():
        suited = practised(slug)
        asked = replace(question, intent=intent)
        sit = intent.sit >= SITTING_COUNTS
        best, pitch = None, suited[0]
        for tried in suited:
            least = math.inf if best is None else best[0] * best[1]
            smaller = smallest_for_pitch(
                tried, body, asked, backend, sit=sit, under_m2=least
            )
            if smaller is not None:
                best, pitch = smaller, tried
        out.append(Smallest(intent, pitch, best))
    return out
