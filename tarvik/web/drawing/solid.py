"""The shelter as a body: an oblique view in SVG, and the same mesh as numbers for the view that
turns.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.body import Body
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.figures import sitting_height
from tarvik.core.plain import JsonObject
from tarvik.core.units import Units, format_length
from tarvik.core.weather.rain import fall_directions
from tarvik.web.drawing.svg import Paper

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.mats import Mat
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter

AZIMUTH_DEG: Final = 215.0
"""Where the eye stands, anticlockwise from +x: before the front, a little to the left."""
ELEVATION_DEG: Final = 24.0
ROLE_SHADE: Final = {
    Role.ROOF: 2,
    Role.WALL: 1,
    Role.DOOR: 3,
    Role.AWNING: 4,
    Role.FLOOR: 0,
}


class Axes(NamedTuple):
    """Right, up and towards the eye, unit vectors (3,)."""

    right: Floats
    up: Floats
    eye: Floats


def view_of(azimuth_deg: float, elevation_deg: float) -> Axes:
    """Right, up and towards the eye as unit vectors."""
    a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
    eye = np.array([math.cos(a) * math.cos(e), math.sin(a) * math.cos(e), math.sin(e)])
    right = np.array([-math.sin(a), math.cos(a), 0.0])
    return Axes(right, np.cross(eye, right), eye)


def draw_obliquely(
    paper: Paper,
    shelter: Shelter,
    figures: Figures,
    rig: Rig | None,
    *,
    named: bool = False,
) -> Callable[[Floats], tuple[float, float]]:
    """Draw the shelter as the eye sees it, far faces first, `named` with a title each; returns
    where a place (3,) is on the drawing.
    """
    right, up, eye = view_of(AZIMUTH_DEG, ELEVATION_DEG)

    def flat(p: Floats) -> tuple[float, float]:
        return float(p @ right), float(p @ up)

    for mat in figures.mats:
        paper.polygon([flat(np.array([x, y, 0.0])) for x, y in mat.corners()], "mat")
    for face in sorted(
        shelter.faces(),
        key=lambda f: (f.role is not Role.FLOOR, float((f.xyz @ eye).mean())),
    ):
        shade = f"cloth see-through shade-{ROLE_SHADE[face.role]}"
        css = "cloth-floor" if face.role is Role.FLOOR else shade
        title = f"{face.id}: {face.role.value}" if named else ""
        paper.polygon([flat(p) for p in face.xyz], css, title)
    if rig is not None:
        for line in rig.lines:
            if line.start in shelter.pattern.points:
                paper.line(flat(shelter.at(line.start)), flat(np.array(line.to)), "cord")
        for support in rig.supports:
            foot = np.array([*support.at, 0.0])
            paper.line(flat(foot), flat(foot + np.array([0, 0, support.height_m])), "pole")
    return flat


def oblique(shelter: Shelter, figures: Figures, rig: Rig | None) -> str:
    """The shelter seen obliquely; what a browser without scripts shows."""
    paper = Paper(f"{shelter.pitch.name} seen from the front left", "solid")
    draw_obliquely(paper, shelter, figures, rig, named=True)
    return paper.svg()


def fine(p: Floats) -> list[float]:
    """A place to the millimetre."""
    return [round(float(c), 3) for c in p]


HEAD_M = 0.12
"""Half of a head's height, and so the radius it is drawn with."""
SHOULDERS_M = 0.30
"""From the end of the mat at the head to the shoulders of who lies on it."""


def lying(mat: Mat) -> JsonObject:
    """Who lies on a mat, as the turning view draws them: the head, and a line from shoulders to
    feet.
    """
    left, right, foot_right, foot_left = mat.corners()
    top, end = (left + right) / 2, (foot_left + foot_right) / 2
    down = (end - top) / mat.length_m
    return {
        "head": [*fine(top + 1.4 * HEAD_M * down), HEAD_M],
        "radius": HEAD_M,
        "body": [
            [*fine(top + SHOULDERS_M * down), HEAD_M],
            [*fine(end - HEAD_M * down), HEAD_M],
        ],
    }


LOOK_M: Final = 0.1
"""How far apart places are tried for somebody to sit at."""
LEGS_M: Final = 0.9
"""From the hips to the feet of somebody who sits, along the ground."""


def sitting(figures: Figures) -> JsonObject | None:
    """Somebody who sits in the middle of the ground over which one can, looking out of the front;
    None where nobody sits up.
    """
    if not figures.sits:
        return None
    body = Body(figures.stature_m)
    corners = figures.shelter.xyz[:, :2]
    low, high = corners.min(axis=0), corners.max(axis=0)
    x, y = (np.arange(low[k], high[k], LOOK_M) for k in (0, 1))
    places = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    room = places[figures.roof.height_at(places) >= sitting_height(body)]
    if not len(room):
        return None
    at = room[int(np.linalg.norm(room - room.mean(axis=0), axis=1).argmin())]
    crown = body.height("sitting")
    return {
        "head": [*fine(at), round(crown - HEAD_M, 3)],
        "radius": HEAD_M,
        "body": [[*fine(at), HEAD_M], [*fine(at), round(crown - SHOULDERS_M, 3)]],
        "legs": [[*fine(at), HEAD_M], [*fine(at - np.array([LEGS_M, 0.0])), HEAD_M]],
    }


def mesh(
    shelter: Shelter, figures: Figures, rig: Rig | None, units: Units = Units.METRIC
) -> JsonObject:
    """Everything the turning view draws, in metres: faces with roles, mats and who lies on them,
    somebody who sits, lines, supports, stakes, the height of the peak, the fall of the rain.
    """
    falls = fall_directions(figures.weather)
    fall = falls[len(falls) // 2 + 1] if len(falls) > 1 else falls[0]
    lines = [x for x in (rig.lines if rig else ()) if x.start in shelter.pattern.points]
    top = shelter.xyz[int(shelter.xyz[:, 2].argmax())]
    return {
        "faces": [
            {"role": f.role.value, "at": [fine(p) for p in f.xyz]} for f in shelter.faces()
        ],
        "mats": [[fine(c) for c in mat.corners()] for mat in figures.mats],
        "people": [lying(mat) for mat in figures.mats],
        "sitting": sitting(figures),
        "peak": {"at": fine(top), "words": format_length(float(top[2]), units)},
        "lines": [[fine(shelter.at(x.start)), fine(np.array(x.to))] for x in lines],
        "supports": [
            [*fine(np.array(s.at)), round(s.height_m, 3)]
            for s in (rig.supports if rig else ())
        ],
        "stakes": [fine(np.array(s.at)) for s in (rig.stakes if rig else ())],
        "rain": {"fall": fine(fall), "on": bool(figures.weather.rain_mm_h > 0)},
        "wind_from_deg": figures.weather.wind_from_deg if figures.rain_slope > 0 else None,
        "azimuth_deg": AZIMUTH_DEG,
        "elevation_deg": ELEVATION_DEG,
    }
