"""A shelter as a drill shows it: standing, somebody beside it to judge sizes by, no figures."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.cards import marks
from tarvik.web.drawing.solid import draw_obliquely
from tarvik.web.drawing.svg import Paper

if TYPE_CHECKING:
    from tarvik.core.solve import Solution

BESIDE_M: Final = 0.7
"""How far beside the shelter the person stands."""
HEAD_SHARE: Final = 0.065
"""Radius of a head, in statures."""


def shown_shelter(solution: Solution, *, marked: bool = False) -> str:
    """SVG; nothing for what does not fold. `marked`: points named as on the card."""
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
    if marked:
        for point, name in marks(shelter).items():
            paper.mark(flat(shelter.at(point)), name)
    return paper.svg()
