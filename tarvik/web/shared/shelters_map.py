"""The night's shelters with what is found of them, and the map they stand on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import shapely

from tarvik.core.rig.carried import Rig
from tarvik.core.site.things import Kind
from tarvik.core.units import Units
from tarvik.store import nights, plans
from tarvik.web.drawing.ground_map import Cut, fitting_scale, ground_map, ruled_mm
from tarvik.web.drawing.svg import PX_PER_M
from tarvik.web.shared.standing import (
    Scene,
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
    from tarvik.web.drawing.svg import XY

    Bounds = tuple[float, float, float, float]


EDGE_M: Final = 1.5
"""Ground that is printed round the shelters and the fire."""
LETTER_MM: Final = 3.0
"""Height of names on a printed map, at any scale: about 8.5 points."""
PHONE_LETTER: Final = 1 / 28
"""Height of names on a phone's map as a share of its longer side: 12 px of 340."""
MAP_SCALES: Final = {
    Units.METRIC: (50, 75, 100, 150, 200, 250, 300, 400, 500, 1000),
    Units.IMPERIAL: (48, 72, 96, 144, 192, 240, 288, 384, 480, 960),
}
"""Scales of printed maps: a centimetre is whole or half metres, an inch is whole feet."""


@dataclass(frozen=True, slots=True)
class Camp:
    """The night's shelters, and the `scene` they stand in where the site is mapped."""

    shelters: list[StandingShelter]
    scene: Scene | None = None

    @property
    def map(self) -> str | None:
        """The whole map, drawn when it is asked for."""
        return None if self.scene is None else _drawn(self.scene, self.shelters)

    def paper_map(self, wide_mm: float, tall_mm: float) -> tuple[str, int] | None:
        """The map of the shelters and the fire for paper of that size, and its scale; None where
        nothing is on the map.
        """
        if self.scene is None or (frame := self._frame()) is None:
            return None
        low, high = frame
        scales = MAP_SCALES[Units(self.scene.course.units)]
        scale = fitting_scale(high[0] - low[0], high[1] - low[1], wide_mm, tall_mm, scales)
        paper = (wide_mm * scale, tall_mm * scale)
        low, high = _filled(low, high, self.scene.known.ground.bounds(), paper)
        letter_px = LETTER_MM * scale / 1000 * PX_PER_M
        cut = Cut(low, high, letter_px, self._used_trees)
        return ruled_mm(_drawn(self.scene, self.shelters, cut), scale), scale

    def phone_map(self, own: int) -> str | None:
        """The same for a phone's screen, with "you" at the shelter of the row `own`; None where
        that shelter is not on the map.
        """
        placed = {s.id for s in self.shelters if s.placed is not None}
        if self.scene is None or own not in placed or (frame := self._frame()) is None:
            return None
        low, high = frame
        across = max(high[0] - low[0], high[1] - low[1])
        letter_px = across * PX_PER_M * PHONE_LETTER
        cut = Cut(low, high, letter_px, self._used_trees)
        return _drawn(self.scene, self.shelters, cut, own)

    def _frame(self) -> tuple[XY, XY] | None:
        """The corners of the ground that the shelters and the fire take; None where nothing is on
        the map.
        """
        placed = [s.placed for s in self.shelters if s.placed is not None]
        if self.scene is None or not placed:
            return None
        things = self.scene.known.ground.things
        fires = [shapely.Point(t.at) for t in things if t.kind is Kind.FIRE]
        x0, y0, x1, y1 = shapely.union_all([*(p.taken for p in placed), *fires]).bounds
        return (x0 - EDGE_M, y0 - EDGE_M), (x1 + EDGE_M, y1 + EDGE_M)

    @property
    def _used_trees(self) -> frozenset[str]:
        """Names of the trees that carry a shelter."""
        return frozenset(
            name for s in self.shelters for name in (s.row.spot or {}).get("trees", ())
        )

    @property
    def rigs(self) -> list[Rig]:
        """What those on the map take of the kit."""
        placed = (s.placed for s in self.shelters if s.placed is not None)
        return [p.rig for p in placed if p.rig is not None]


def _filled(low: XY, high: XY, ground: Bounds, paper_mm: XY) -> tuple[XY, XY]:
    """The frame made as large as the paper is, as far as there is ground on the map."""
    out: list[tuple[float, float]] = []
    for axis in (0, 1):
        spare = max(paper_mm[axis] / 1000 - (high[axis] - low[axis]), 0.0)
        below = min(max(low[axis] - ground[axis], 0.0), spare / 2)
        above = min(max(ground[axis + 2] - high[axis], 0.0), spare - below)
        out.append((low[axis] - below, high[axis] + above))
    return (out[0][0], out[1][0]), (out[0][1], out[1][1])


def camp_of(request: Request, session: Session, course: Course, night: Night) -> Camp:
    """The night's shelters with their findings."""
    units = Units(course.units)
    if night.site_id is None:
        judge = judge_of(
            request, session, course, nights.night_of(session, course, night), night.id
        )
        return Camp(
            [
                StandingShelter(j.row, j.number, units, j, findings=tuple(j.warnings))
                for j in judge.each(plans.shelters(session, night.id))
            ]
        )
    scene = scene_of(session, course.id, night.id)
    shelters = in_the_way(standing_of(request, session, scene))
    ground = scene.known.ground
    if not (ground.things or ground.areas):
        return Camp(shelters)
    return Camp(shelters, scene)


def _drawn(
    scene: Scene,
    shelters: list[StandingShelter],
    cut: Cut | None = None,
    own: int | None = None,
) -> str:
    """The map of a scene, cut to a frame; `own`: the row of the shelter at which "you" is."""
    needs = scene.tonight.needs
    labelled = [
        (row, f"{number} you" if row == own else number, placed, troubled)
        for row, number, placed, troubled in on_map(shelters)
    ]
    return ground_map(
        scene.known.ground,
        {},
        scene.found,
        labelled,
        (),
        needs.wind_from_deg if needs.wind_m_s else None,
        units=Units(scene.course.units),
        cut=cut,
    )
