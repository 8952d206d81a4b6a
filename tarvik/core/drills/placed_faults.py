"""What is wrong with a sound shelter that stands across a path, or whose mat was pushed under an
edge that drips: found by the checks of the ground and of the drips, as on the map and the bench.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np
from shapely import LineString, Polygon, unary_union

from tarvik.core.finding import Level
from tarvik.core.hang.fabric import fabric_named
from tarvik.core.measure.drips import under_drips
from tarvik.core.measure.heading import FRONT_DEG
from tarvik.core.site.hazards import hazards, met
from tarvik.core.site.placing import Placed, Spot
from tarvik.core.site.things import Area, Ground, Sort

if TYPE_CHECKING:
    from random import Random

    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Night

PATH_M: Final = 0.5
PATH_LONG_M: Final = 8.0
"""A path in the wood, as it is drawn beside a shelter: so wide, and so far each way."""
OUT: Final = 0.7
"""Share of a guy, from the cloth out, where the path crosses it."""
TRIPS_M: Final = 0.05
"""A line that ends as low stands on the ground."""
PUSHED_M: Final = np.arange(0.1, 1.0, 0.05)
"""How far a mat may have been pushed aside."""


@dataclass(frozen=True, slots=True)
class PlacedFault:
    """A shelter spoilt so: the fault, what was done, in words, what the check says, what is drawn,
    and the path beside it, two corners of a line in the shelter's own frame.
    """

    fault: str
    words: str
    told: str
    shelter: Solution
    path: tuple[tuple[float, float], ...] = ()


def across_a_path(solution: Solution, rng: Random) -> PlacedFault | None:
    """A path along one side that passes under a guy and clear of the cloth; None where there is no
    such guy.
    """
    shelter, rig = solution.shelter, solution.assessment.rig
    if shelter is None or rig is None:
        return None
    # In the shelter's own frame: its front looks where the frame's front does.
    placed = Placed(shelter, Spot((0.0, 0.0), FRONT_DEG), rig)
    cloth = unary_union([placed.cloth])
    # Guys down to the ground, drawn from the cloth: a line up to a trunk trips nobody.
    guys = [
        course
        for line, (_, course) in zip(rig.lines, placed.lines, strict=True)
        if line.to[2] < TRIPS_M and line.start in shelter.pattern.points
    ]
    for course in rng.sample(guys, len(guys)):
        start, end = (np.array(p) for p in course.coords)
        away = end - start
        long = float(np.hypot(*away))
        if long < PATH_M:
            continue
        way = np.array([-away[1], away[0]]) / long
        middle = start + OUT * away
        one, two = (middle + s * PATH_LONG_M * way for s in (-1.0, 1.0))
        ends = (float(one[0]), float(one[1])), (float(two[0]), float(two[1]))
        if LineString(ends).buffer(PATH_M / 2, cap_style="flat").intersects(cloth):
            continue
        ground = Ground(areas=(Area("a path", Sort.PATH, ends, PATH_M),))
        fabric = fabric_named(shelter.sheet.fabric)
        found = met(hazards(ground), placed.taken, cloth, fabric)
        worst = next((f for f in found if f.level is Level.STOPS), None)
        if worst is not None and worst.code == "on_path":
            own = tuple(placed.own(end) for end in ends)
            words = "a path passes beside it, as drawn"
            return PlacedFault(
                "path", words, f"{worst.message}; {worst.remedy}", solution, own
            )
    return None


def under_a_drip(solution: Solution, night: Night, rng: Random) -> PlacedFault | None:
    """A mat pushed aside until an edge drips on it; None where none comes there, or no rain is
    forecast.
    """
    figures, shelter = solution.figures, solution.shelter
    if not night.needs.rain_mm_h or figures is None or shelter is None or not figures.mats:
        return None
    if under_drips(figures.mats, shelter) or shelter.pitch.bed is not None:
        return None
    n = rng.randrange(len(figures.mats))
    mat = figures.mats[n]
    across = np.radians(mat.heading_deg + 90.0)
    others = [Polygon(m.corners()) for k, m in enumerate(figures.mats) if k != n]
    for side in rng.sample((-1.0, 1.0), 2):
        for out in PUSHED_M:
            x = mat.x + side * out * float(np.cos(across))
            y = mat.y + side * out * float(np.sin(across))
            pushed = replace(mat, x=x, y=y)
            if any(Polygon(pushed.corners()).intersects(other) for other in others):
                break
            if not under_drips((pushed,), shelter):
                continue
            mats = tuple(pushed if k == n else m for k, m in enumerate(figures.mats))
            moved = replace(solution, figures=replace(figures, mats=mats))
            told = "water falls from the edge onto the mat or beside it; keep it a hand's width in"
            return PlacedFault(
                "drip", "somebody has pushed a mat aside, as drawn", told, moved
            )
    return None
