"""What a leader may do to a shelter that stands, worked out ahead for where there is no server:
lower it, shut its doors, or see the wind turn.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.solve import Question

LOWER_M: Final = (0.10, 0.20)
"""By how much a ridge or peak is lowered: a hand, and two."""
QUARTER_DEG: Final = 90.0
HEIGHTS: Final = ("height", "pole")
"""What the setting is called that a pitch's high point follows."""


@dataclass(frozen=True, slots=True)
class Step:
    """One of the steps: how far it is lowered (m), whether its doors are shut (None: they stay as
    they are), by how much the wind has turned clockwise, and the question that asks for it.
    """

    lower_m: float
    doors_shut: bool | None
    turned_deg: float
    question: Question


def usual_steps(planned: Question, settings: Mapping[str, float]) -> list[Step]:
    """The steps that a shelter with these settings has, as planned first."""
    here = replace(planned, settings=dict(settings), handy=False, free_to_turn=False)
    steps = [Step(0.0, None, 0.0, here)]
    pitch = planned.pitch
    name = next((n for n in HEIGHTS if any(s.name == n for s in pitch.settings)), None)
    if name is not None and not pitch.setting(name).is_choice:
        for lower in LOWER_M:
            height = round(settings[name] - lower, 3)
            if height >= pitch.setting(name).least:
                steps.append(Step(lower, None, 0.0, _with(here, {name: height})))
    doors = {d.name: d.shut_at for d in pitch.doors if d.shut_at is not None}
    open_ones = {n: shut for n, shut in doors.items() if settings.get(n, shut) != shut}
    if open_ones:
        steps.append(Step(0.0, True, 0.0, _with(here, open_ones)))
    if planned.weather.wind_m_s:
        for quarter in (1, 2, 3):
            turned = quarter * QUARTER_DEG
            wind = (planned.weather.wind_from_deg + turned) % 360.0
            steps.append(
                Step(
                    0.0,
                    None,
                    turned,
                    replace(here, weather=replace(planned.weather, wind_from_deg=wind)),
                )
            )
    return steps


def _with(here: Question, changed: Mapping[str, float]) -> Question:
    return replace(here, settings={**here.settings, **changed})
