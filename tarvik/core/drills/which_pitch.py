"""Which pitch? A sheet, a night: four pitches, of which the judged worth says the best."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.drills.drill import LEVELS, Choice, Kind
from tarvik.core.drills.words import night_words, sheet_words
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.suggest import weighed

if TYPE_CHECKING:
    from random import Random

    from tarvik.core.drills.material import Material
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Night, Tonight
    from tarvik.core.units import Units

OPTIONS: Final = 4
LEAST_FORM: Final = 2
"""So many of the pitches can be made of the sheet at the least: else there is nothing to weigh."""
ALIKE: Final = constant(
    "drill_alike",
    0.4,
    "grades",
    ENGINEERING,
    "worth by which two pitches are called as good",
)
CLEAR: Final = constant(
    "drill_clear",
    1.0,
    "grades",
    ENGINEERING,
    "worth by which a wrong answer is worse, at first",
)
WORST: Final = -99.0
"""Worth of what does not work at all."""


def which_pitch(material: Material, rng: Random, level: int = 1) -> Choice | None:
    """A drill; None where what was drawn makes none. At the first level wrong answers are clearly
    worse; at the third all but the best still work.
    """
    sheet, night = rng.choice(material.sheets), rng.choice(material.nights)
    slugs = rng.sample(sorted(PITCHES), OPTIONS)
    asked = [material.question(sheet, slug, night) for slug in slugs]
    form = [material.solve(question).verdict is Verdict.FORMS for question in asked]
    if sum(form) < LEAST_FORM or (level == LEVELS[-1] and not all(form)):
        return None
    told = [material.judge(question, night) for question in asked]
    worths = [_worth(solution, judged, night) for solution, judged in told]
    best = max(worths)
    if best == WORST:
        return None
    right = frozenset(n for n, worth in enumerate(worths) if worth >= best - ALIKE)
    wrong = [worth for n, worth in enumerate(worths) if n not in right]
    if not wrong or (level == 1 and max(wrong) > best - CLEAR):
        return None
    if level == LEVELS[-1] and min(worths) == WORST:
        return None
    first = worths.index(best)
    return Choice(
        kind=Kind.WHICH_PITCH,
        item=f"{Kind.WHICH_PITCH}:{slugs[first]}",
        asks=f"{sheet_words(sheet, material.units)} {night_words(night, material.units)} "
        "Which of these would you pitch for one person?",
        why=_why(slugs, told, worths, night, material.units),
        options=tuple(PITCHES[slug].name for slug in slugs),
        right=right,
    )


def _worth(solution: Solution, judged: Tonight, night: Night) -> float:
    if judged.verdict is not Verdict.FORMS or solution.figures is None:
        return WORST
    return weighed(0, solution, judged, night, 1).worth


def _why(
    slugs: list[str],
    told: list[tuple[Solution, Tonight]],
    worths: list[float],
    night: Night,
    units: Units,
) -> str:
    """What speaks for and against each, the best first."""
    parts = []
    for n in sorted(range(len(slugs)), key=lambda n: -worths[n]):
        solution, judged = told[n]
        works = worths[n] > WORST
        reason = (
            weighed(0, solution, judged, night, 1).why
            if works
            else _against(solution, judged, units)
        )
        parts.append(f"{PITCHES[slugs[n]].name}: {reason}.")
    return " ".join(parts)


def _against(solution: Solution, judged: Tonight, units: Units) -> str:
    blocking = [r.text(units) for r in solution.assessment.reasons if r.blocks]
    worst = judged.worst
    return next(
        iter(blocking), worst.message if worst is not None else "does not work here"
    )
