"""A small silhouette of the very shelter: seen from the front left and a little above, one scale
for a whole board.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.fold.pattern import Role
from tarvik.web.drawing.svg import Paper

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.shelter import Shelter

    Floats = NDArray[np.float64]

TURN_DEG, TILT_DEG = 60.0, 30.0
FRAME_M = (4.6, 2.4)
_LIGHT = np.array([-0.5, 0.35, 0.79])


def view(
    xyz: Floats, turn_deg: float = TURN_DEG, tilt_deg: float = TILT_DEG
) -> tuple[Floats, Floats]:
    """Picture places (N, 2) and depths (N,) for somebody standing in front (-x), turned to the
    right by `turn_deg`.
    """
    a, b = math.radians(turn_deg), math.radians(tilt_deg)
    right = np.array([math.sin(a), -math.cos(a), 0.0])
    ahead = np.array([math.cos(a), math.sin(a), 0.0])
    up = np.array([-math.sin(-b) * ahead[0], -math.sin(-b) * ahead[1], math.cos(b)])
    return np.stack([xyz @ right, xyz @ up], axis=-1), xyz @ ahead * math.cos(b) - xyz[
        ..., 2
    ] * math.sin(b)


def _shade(face: Floats) -> int:
    normal = np.cross(face[1] - face[0], face[2] - face[0])
    size = float(np.linalg.norm(normal))
    if size < 1e-12:
        return 1
    normal = normal / size * (1 if normal[2] >= 0 else -1)
    return int(np.clip(round(float(normal @ _LIGHT) * 4), 0, 4))


def silhouette(shelter: Shelter, title: str, sitter_m: float | None = None) -> str:
    """The shelter in axonometry, lit from the front left; a person sitting beside it gives the
    scale.
    """
    paper = Paper(title, "silhouette", margin=0.12)
    faces = sorted(shelter.faces(), key=lambda f: -float(view(f.xyz)[1].mean()))
    ground = [f for f in faces if f.role is Role.FLOOR]
    for face in [*ground, *(f for f in faces if f.role is not Role.FLOOR)]:
        flat, _ = view(face.xyz)
        css = (
            "cloth-floor" if face.role is Role.FLOOR else f"cloth shade-{_shade(face.xyz)}"
        )
        paper.polygon([(float(x), float(y)) for x, y in flat], css)
    for point in shelter.pitch.high_points():
        top = shelter.at(point)
        (foot, head), _ = view(np.array([[top[0], top[1], 0.0], top]))
        paper.line(
            (float(foot[0]), float(foot[1])), (float(head[0]), float(head[1])), "pole"
        )
    if sitter_m:
        (seat,), _ = view(
            np.array(
                [
                    [
                        float(shelter.xyz[:, 0].min()) - 0.25,
                        float(shelter.xyz[:, 1].max()) + 0.35,
                        0.0,
                    ]
                ]
            )
        )
        sitter(paper, (float(seat[0]), float(seat[1])), sitter_m, 1)
    return paper.svg(FRAME_M)


def sitter(
    paper: Paper, seat: tuple[float, float], height_m: float, facing: int, css: str = ""
) -> None:
    """A person sitting on the ground, `facing` +1 to the right, crown at `height_m`."""
    x, y = seat
    s, f = height_m / 0.9, facing
    paper.circle((x, y + height_m - 0.11 * s), 0.11 * s, f"body{css}")
    paper.path(
        [
            (x, y + height_m - 0.22 * s),
            (x - 0.06 * s * f, y + 0.12 * s),
            (x + 0.38 * s * f, y + 0.34 * s),
            (x + 0.62 * s * f, y + 0.05 * s),
        ],
        f"limb{css}",
    )
