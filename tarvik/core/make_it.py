"""What would make it form? The changes that turn "needs" or "cannot" into "forms", the cheapest
first.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import SIDE_MOST_M, Sheet
from tarvik.core.solve import PLAIN, Question, Solution, SolverBackend, solve

if TYPE_CHECKING:
    from tarvik.core.rig.verdict import Reason

SHEET_STEP_M: Final = constant(
    "larger_sheet_step",
    0.05,
    "m",
    ENGINEERING,
    "step in which a larger sheet is looked for",
)
SHEET_MORE_M: Final = constant(
    "larger_sheet_most", 3.0, "m", ENGINEERING, "how much larger a sheet is looked for"
)
EFFORT: Final = {
    "button": 1.0,
    "stakes_short": 1.0,
    "line_short": 1.5,
    "line_joined": 0.0,
    "pole_long": 1.5,
    "pole_short": 2.0,
    "trees_too_close": 2.5,
    "no_support": 3.0,
    "no_lift": 2.0,
    "carrier_low": 3.0,
    "carrier_high": 2.0,
    "carrier_short": 3.0,
    "tripod_short": 2.5,
}
"""Trouble of putting a shortfall right, in steps of about five minutes (engineering assumption)."""
SETTING_EFFORT: Final = 0.5
SHEET_EFFORT: Final = 6.0


@dataclass(frozen=True, slots=True)
class Change:
    """One way to make it form: what to do, its trouble, and the settings or sheet it comes to."""

    what: str
    effort: float
    template: str
    lengths: tuple[float, ...] = ()
    settings: tuple[tuple[str, float], ...] = ()
    sheet_m: tuple[float, float] | None = None


def changes(solution: Solution, backend: SolverBackend = PLAIN) -> list[Change]:
    """Every change found, the least trouble first; empty when it forms already."""
    if solution.verdict is Verdict.FORMS:
        return []
    found = [
        *_other_settings(solution, backend),
        *_put_right(solution),
        *_larger_sheet(solution, backend),
    ]
    return sorted(found, key=lambda c: c.effort)


def _blocking(solution: Solution) -> list[Reason]:
    return [r for r in solution.assessment.reasons if r.blocks]


def _put_right(solution: Solution) -> list[Change]:
    """All shortfalls of the rig put right together."""
    if solution.verdict is not Verdict.NEEDS:
        return []
    reasons = _blocking(solution)
    effort = sum(EFFORT.get(r.code, 2.0) + (r.short_by_m or 0.0) for r in reasons)
    texts: list[str] = []
    lengths: list[float] = []
    for r in reasons:
        text = r.template
        for i in reversed(range(len(r.lengths))):
            text = text.replace(f"{{{i}}}", f"{{{i + len(lengths)}}}")
        texts.append(f"{text} ({r.remedy})" if r.remedy else text)
        lengths += list(r.lengths)
    return [Change("kit", effort, "; ".join(texts), tuple(lengths))] if reasons else []


def _other_settings(solution: Solution, backend: SolverBackend) -> list[Change]:
    """The same sheet and kit at other settings, searched within what the supports reach."""
    question = solution.question
    again = solve(replace(question, settings={}), backend)
    if again.verdict is not Verdict.FORMS or dict(again.settings) == dict(
        solution.settings
    ):
        return []
    told: list[str] = []
    lengths: list[float] = []
    for s in question.pitch.settings:
        if abs(again.settings[s.name] - solution.settings.get(s.name, s.default)) < 1e-6:
            continue
        if s.is_length:
            told.append(f"{s.label.lower()} {{{len(lengths)}}}")
            lengths.append(again.settings[s.name])
        else:
            told.append(
                f"{s.label.lower()} {again.settings[s.name]:.0f}{'' if s.is_choice else '°'}"
            )
    return [
        Change(
            "settings",
            SETTING_EFFORT,
            "set " + ", ".join(told),
            tuple(lengths),
            tuple(again.settings.items()),
        )
    ]


def _larger_sheet(solution: Solution, backend: SolverBackend) -> list[Change]:
    """The next larger sheet of the same shape that takes the settings asked for, by bisection in
    steps of 5 cm.
    """
    question = solution.question
    box = question.sheet.box
    if solution.verdict is not Verdict.CANNOT or box is None:
        return []

    def forms(steps: int) -> Question | None:
        more = steps * SHEET_STEP_M
        size = (box[0] + more, box[1] + more)
        if max(size) > SIDE_MOST_M:
            return None
        asked = replace(
            question,
            sheet=Sheet.rectangle(round(size[0], 4), round(size[1], 4)),
            supports=UNLIMITED,
        )
        return asked if solve(asked, backend).verdict is not Verdict.CANNOT else None

    low, high = 0, int(SHEET_MORE_M / SHEET_STEP_M)
    if forms(high) is None:
        return []
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if forms(middle) else (middle, high)
    asked = forms(high)
    if asked is None or asked.sheet.box is None:
        return []
    size = asked.sheet.box
    return [
        Change(
            "sheet",
            SHEET_EFFORT + high * SHEET_STEP_M,
            "take a sheet of {0} x {1}",
            size,
            sheet_m=size,
        )
    ]
