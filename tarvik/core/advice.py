"""Person first: which of these sheets in which pitch for this person; and, before the course, the
smallest sheet that does.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fitting import Misfit, fit
from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Shape
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import Verdict
from tarvik.core.search.aim import SIT_EACH_M2, worth
from tarvik.core.sheet import Sheet
from tarvik.core.solve import PLAIN, Question, Solution, Workings, solve

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.body import Body
    from tarvik.core.intent import Intent

SUITED: Final[Mapping[str, tuple[str, ...]]] = MappingProxyType(
    {
        "storm": (
            "a-frame",
            "a-frame-closed",
            "a-frame-doored",
            "closed-wedge",
            "plow-point",
            "wind-wedge",
        ),
        "steady-rain": (
            "a-frame",
            "plow-point",
            "plow-point-lifted",
            "lean-to-awning",
            "closed-wedge",
            "half-cone",
        ),
        "cold-fire": ("lean-to", "lean-to-lifted", "lean-to-walled", "corner-wrap", "awning-wedge"),
        "warm-insects": ("a-frame", "a-frame-flown", "diagonal-fly", "a-frame-porch"),
        "fair-view": ("lean-to", "a-frame-porch", "plow-point", "diagonal-fly"),
        "shade": ("four-corner-shade", "a-frame-flown", "diagonal-fly"),
        "lunch": ("lean-to", "boat-porch", "a-frame-flown", "four-corner-shade"),
        "fixed-camp": ("a-frame-porch", "lean-to-awning", "a-frame", "plow-point-awning"),
    }
)
"""Pitches that practitioners take for each kind of night (common practice)."""
PLAIN_PITCHES: Final = ("a-frame", "lean-to", "lean-to-floored", "plow-point", "diagonal-fly")
"""Pitches looked at for any night (common practice: the plain ones that everybody can set up)."""
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
OBLONG_SHARE: Final = 4 / 3
"""Length over width of the sheet tried for a pitch that takes no square."""


@dataclass(frozen=True, slots=True)
class Choice:
    """One sheet in one pitch for one person, and what the search makes of it."""

    sheet: int
    solution: Solution
    worth: float


def asked_for_person(question: Question, sheets: Sequence[Sheet]) -> list[tuple[int, Question]]:
    """The question of one person for every sheet of the bag in every pitch, with the sheet's
    number.
    """
    return [
        (number, replace(question, sheet=sheet, pitch=pitch, settings={}, wanted=1))
        for number, sheet in enumerate(sheets)
        for pitch in PITCHES.values()
    ]


def for_person(solutions: Sequence[tuple[int, Solution]]) -> list[Choice]:
    """Which of the pitches with which sheet of the bag, the best first: those where the person lies
    dry, then by worth; what forms before what needs something. What cannot be is left out.
    """
    out = [
        Choice(number, found, worth(found.figures, found.question.aim()))
        for number, found in solutions
        if found.figures is not None and found.verdict is not Verdict.CANNOT
    ]
    return sorted(
        out,
        key=lambda c: (
            c.solution.figures is None or not c.solution.figures.mats,
            c.solution.verdict is not Verdict.FORMS,
            -c.worth,
        ),
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
    workings: Workings = PLAIN,
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
    if sit:  # under a name of its own, for what is searched for it is kept by the intent's name
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
        found = solve(asked, workings).figures
        if (
            found is not None
            and found.sleepers >= 1
            and (not sit or found.sit_area_m2 >= SIT_EACH_M2)
        ):
            return size
    return None


def kit_advice(body: Body, question: Question, workings: Workings = PLAIN) -> list[Smallest]:
    """For each intent the smallest sheet that would do for a person of this stature, in the best
    suited pitch.
    """
    out = []
    for slug, suited in SUITED.items():
        intent = INTENTS[slug]
        asked = replace(question, intent=intent)
        sit = intent.sit >= SITTING_COUNTS
        best, pitch = None, suited[0]
        for tried in suited:
            least = math.inf if best is None else best[0] * best[1]
            smaller = smallest_for_pitch(tried, body, asked, workings, sit=sit, under_m2=least)
            if smaller is not None:
                best, pitch = smaller, tried
        out.append(Smallest(intent, pitch, best))
    return out
