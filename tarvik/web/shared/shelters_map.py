"""The night's shelters with what is found of them, and the map they stand on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.core.rig.carried import Rig
from tarvik.core.units import Units
from tarvik.store import nights, plans
from tarvik.web.drawing.ground_map import ground_map
from tarvik.web.shared.standing import (
    StandingShelter,
    in_the_way,
    judge_of,
    on_map,
    scene_of,
    standing_of,
)

if TYPE_CHECKING:
    from fastapi import Request
    from sqlalchemy.orm import Session

    from tarvik.store.models import Course, Night


@dataclass(frozen=True, slots=True)
class Camp:
    """The night's shelters, and their map when the site has one."""

    shelters: list[StandingShelter]
    map: str | None

    @property
    def rigs(self) -> list[Rig]:
        """What those on the map take of the kit."""
        placed = (s.placed for s in self.shelters if s.placed is not None)
        return [p.rig for p in placed if p.rig is not None]


def camp_of(request: Request, session: Session, course: Course, night: Night) -> Camp:
    """The night's shelters with their findings."""
    units = Units(course.units)
    if night.site_id is None:
        judge = judge_of(request, session, course, nights.night_of(session, course, night))
        return Camp(
            [
                StandingShelter(j.row, j.number, units, j, findings=tuple(j.warnings))
                for j in judge.each(plans.shelters(session, night.id))
            ],
            None,
        )
    scene = scene_of(session, course.id, night.id)
    shelters = in_the_way(standing_of(request, session, scene))
    ground, needs = scene.known.ground, scene.tonight.needs
    if not (ground.things or ground.areas):
        return Camp(shelters, None)
    wind = needs.wind_from_deg if needs.wind_m_s else None
    drawing = ground_map(ground, {}, scene.found, on_map(shelters), (), wind, units=units)
    return Camp(shelters, drawing)
