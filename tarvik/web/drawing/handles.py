"""Points of a shelter that are taken hold of in the turning view, and which setting each moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from tarvik.core.errors import FoldError
from tarvik.core.pitches.base import Pitch, Setting
from tarvik.core.rig.rigging import ON_GROUND_M
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.web.drawing.solid import fine

LEAST_WAY: Final = 0.1
"""Metres that a point goes for a metre (or for TURN_DEG of an angle), less than which the setting
is not its own.
"""
TURN_DEG: Final = 30.0


@dataclass(frozen=True, slots=True)
class Handle:
    """A point that can be dragged: where it is, the setting it moves, and where it goes for one
    unit of that setting, m.
    """

    at: list[float]
    setting: str
    way: list[float]


def handles(shelter: Shelter, pitch: Pitch, sheet: Sheet) -> list[Handle]:
    """A handle for each high point, and for each corner on the ground, that some setting moves: of
    several settings the one that moves it furthest. A setting that cannot be moved a step from
    where it is has none.
    """
    high = pitch.high_points()
    points = [*high, *(p for p in shelter.pattern.points if _staked(shelter, p, high))]
    best: dict[str, tuple[float, Handle]] = {}
    for setting in pitch.settings:
        if setting.is_choice or setting.is_door:
            continue
        moved = _a_step_on(shelter, pitch, sheet, setting)
        if moved is None:
            continue
        step, other = moved
        for point in points:
            if point not in other.pattern.points:
                continue
            way = (other.at(point) - shelter.at(point)) / step
            far = float(np.linalg.norm(way)) * (
                TURN_DEG if setting.unit == "degrees" else 1.0
            )
            if far >= LEAST_WAY and far > best.get(point, (0.0,))[0]:
                handle = Handle(fine(shelter.at(point)), setting.name, fine(way))
                best[point] = (far, handle)
    return [handle for _, handle in best.values()]


def _staked(shelter: Shelter, point: str, high: tuple[str, ...]) -> bool:
    return point not in high and float(shelter.at(point)[2]) <= ON_GROUND_M


def _a_step_on(
    shelter: Shelter, pitch: Pitch, sheet: Sheet, setting: Setting
) -> tuple[float, Shelter] | None:
    """The same sheet with one setting a step larger or, where that does not fold, smaller."""
    now = shelter.settings[setting.name]
    for step in (setting.step, -setting.step):
        if setting.least <= now + step <= setting.most:
            try:
                return step, fold_sheet(
                    pitch, sheet, {**shelter.settings, setting.name: now + step}
                )
            except FoldError:
                continue
    return None
