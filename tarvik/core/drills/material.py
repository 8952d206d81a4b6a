"""What drills are made from: sheets, supports and nights of a course, without anybody's name."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

from tarvik.core.body import DEFAULT_STATURE_M, Body
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import UNLIMITED, Supports
from tarvik.core.solve import Question, solve
from tarvik.core.units import Units

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tarvik.core.sheet import Sheet
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Night, Tonight

    Judge = Callable[[Question, Night], tuple[Solution, Tonight]]
    """Solves a question, hangs it and judges it for a night."""
    Solve = Callable[[Question], Solution]
    """Solves a question alone, which takes a tenth of the time."""

BACK_DEG: Final = 90.0
"""A wind onto the back of a shelter, in its own frame."""


@dataclass(frozen=True, slots=True)
class Material:
    """Sheets and nights to ask about; `judge` answers, `solve` says whether it is worth asking.
    Drills speak of lengths in `units`.
    """

    sheets: tuple[Sheet, ...]
    nights: tuple[Night, ...]
    judge: Judge
    solve: Solve = solve
    supports: Supports = UNLIMITED
    units: Units = Units.METRIC
    body: Body = field(default_factory=lambda: Body(DEFAULT_STATURE_M))

    def question(
        self,
        sheet: Sheet,
        pitch: str,
        night: Night,
        settings: Mapping[str, float] | None = None,
        wind_from_deg: float | None = None,
    ) -> Question:
        """What is asked of a sheet on a night, one person wanted; its back to the wind unless the
        wind is told.
        """
        from_deg = BACK_DEG if wind_from_deg is None else wind_from_deg
        return Question(
            sheet=sheet,
            pitch=PITCHES[pitch],
            settings=dict(settings or {}),
            body=self.body,
            intent=night.needs.wanted,
            supports=self.supports,
            wanted=1,
            weather=night.needs.weather(from_deg),
            lying=night.lying,
            free_to_turn=wind_from_deg is None,
            handy=True,
        )
