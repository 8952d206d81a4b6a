"""A shelter as a drill shows it: standing, somebody beside it to judge sizes by, no figures."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.cards import marks
from tarvik.core.drills.placed_faults import PATH_M
from tarvik.web.drawing.solid import draw_obliquely
from tarvik.web.drawing.svg import Paper

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.solve import Solution

BESIDE_M: Final = 0.7
"""How far beside the shelter the person stands."""
PAST_M: Final = 0.5
"""How far a path goes on past the shelter in the drawing."""
HEAD_SHARE: Final = 0.065
"""Radius of a head, in statures."""


def shown_shelter(
    solution: Solution,
    *,
    marked: bool = False,
    path: Sequence[tuple[float, float]] = (),
) -> str:
    """SVG; nothing for what does not fold. `marked`: points named as on the card. `path`: the ends
    of a path that passes, drawn as far as the shelter and its lines reach.
    """
    shelter, figures = solution.shelter, solution.figures
    if shelter is None or figures is None:
        return ""
    paper = Paper(f"{shelter.pitch.name} as it stands", "drill-stands", margin=0.3)
    flat = draw_obliquely(paper, shelter, figures, solution.assessment.rig)
    low = shelter.xyz.min(axis=0)
    high = shelter.xyz.max(axis=0)
    stature = solution.question.body.stature_m
    feet = np.array([float(low[0]), float(high[1]) + BESIDE_M, 0.0])
    up = np.array([0.0, 0.0, 1.0])
    wide = np.array([0.0, 0.12 * stature, 0.0])

    def at(share: float, side: float = 0.0) -> tuple[float, float]:
        return flat(feet + share * stature * up + side * wide)

    for a, b in (
        (at(0.0, -0.5), at(0.48)),
        (at(0.0, 0.5), at(0.48)),
        (at(0.48), at(0.86)),
        (at(0.5, -1.0), at(0.8)),
        (at(0.5, 1.0), at(0.8)),
    ):
        paper.line(a, b, "limb")
    paper.circle(at(1 - HEAD_SHARE), HEAD_SHARE * stature, "body")
    if path:
        _path(paper, flat, solution, path)
    if marked:
        for point, name in marks(shelter).items():
            paper.mark(flat(shelter.at(point)), name)
    return paper.svg()


def _path(
    paper: Paper,
    flat: Callable[[Floats], tuple[float, float]],
    solution: Solution,
    path: Sequence[tuple[float, float]],
) -> None:
    """A path's two edges, cut where the drawing would only grow by more of it."""
    shelter, rig = solution.shelter, solution.assessment.rig
    if shelter is None:
        return
    feet = [line.to[:2] for line in (rig.lines if rig else ())]
    reach = np.concatenate([shelter.xyz[:, :2], np.array(feet).reshape(-1, 2)])
    a, b = (np.array(end) for end in path)
    way = (b - a) / np.hypot(*(b - a))
    along = (reach - a) @ way
    aside = PATH_M / 2 * np.array([-way[1], way[0]])
    ends = [a + (along.min() - PAST_M) * way, a + (along.max() + PAST_M) * way]
    for side in (-1.0, 1.0):
        one, two = (flat(np.array([*(end + side * aside), 0.0])) for end in ends)
        paper.line(one, two, "path-edge")
    paper.text(flat(np.array([*ends[0], 0.0])), "path", "small")
