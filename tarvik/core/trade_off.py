"""The trade-off behind one setting: what headroom costs in dry ground and shelter from the wind,
point by point.

One setting is drawn along its whole stretch; at each of its values the others are searched anew for
the intent. The points are the very shelters: exact figures, not an interpolation.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fitting import Misfit, fit
from tarvik.core.pitches.base import Sought
from tarvik.core.search.objective import worth
from tarvik.core.solve import PLAIN, Question, SolverBackend, solve

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Setting

POINTS: Final = 17
"""Values of the drawn setting that are tried."""


@dataclass(frozen=True, slots=True)
class Point:
    """One shelter on the curve. Metres, square metres; `open_to_wind` a share; `worth` the search's
    own yardstick.
    """

    value: float
    settings: Mapping[str, float]
    peak_m: float
    dry_m2: float
    sit_m2: float
    open_to_wind: float
    sleepers: int
    worth: float


@dataclass(frozen=True, slots=True)
class Curve:
    """The points in order of the drawn setting; `chosen` is the place of the one nearest to what is
    set.
    """

    setting: Setting
    points: tuple[Point, ...]
    chosen: int


def drawn_setting(question: Question) -> Setting | None:
    """The setting the curve follows: the first always searched one that slides; None when there is
    none.
    """
    return next(iter(_moved(question)), None)


def _moved(question: Question) -> list[Setting]:
    """The sliding settings that a search always moves."""
    return [
        s for s in question.pitch.settings if s.sought is Sought.FIRST and not s.is_choice
    ]


def trade_off(question: Question, backend: SolverBackend = PLAIN) -> Curve | None:
    """The curve of a question's first sliding setting; None when the pitch has none or the sheet
    never takes it.

    Settings given in the question besides the drawn one stay as they are only if the search does
    not move them.
    """
    drawn = drawn_setting(question)
    fitting = fit(question.pitch, question.sheet)
    if drawn is None or isinstance(fitting, Misfit):
        return None
    moved = {s.name for s in _moved(question)}
    kept = {name: value for name, value in question.settings.items() if name not in moved}
    here = question.settings.get(drawn.name)
    if here is None:
        best = solve(question, backend)
        here = best.settings.get(drawn.name, drawn.default)
        kept |= {name: value for name, value in best.settings.items() if name not in moved}
    spans = question.supports.height_spans() if drawn.name.startswith("height") else None
    values = sorted(
        {
            *(round(float(v), 3) for v in np.linspace(drawn.least, drawn.most, POINTS)),
            round(here, 3),
        }
    )
    points = []
    for value in values:
        if (
            spans is not None
            and not any(a - 1e-9 <= value <= b + 1e-9 for a, b in spans)
            and abs(value - here) > 1e-3
        ):
            continue
        given = replace(question, settings={**kept, drawn.name: value})
        solution = solve(given, backend)
        if solution.figures is None:
            continue
        f = solution.figures
        points.append(
            Point(
                value,
                dict(solution.settings),
                f.peak_m,
                f.dry_area_m2,
                f.sit_area_m2,
                f.open_to_wind,
                f.sleepers,
                worth(f, question.objective()),
            )
        )
    if not points:
        return None
    nearest = min(range(len(points)), key=lambda i: abs(points[i].value - here))
    return Curve(drawn, tuple(points), nearest)
