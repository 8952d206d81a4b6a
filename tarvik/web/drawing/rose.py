"""The heading rose drawn: how much ground stays dry with the wind from each side of the shelter."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from tarvik.core.fold.pattern import Role
from tarvik.core.units import Units, format_area
from tarvik.web.drawing.svg import Paper

if TYPE_CHECKING:
    from tarvik.core.measure.heading import Petal, Rose
    from tarvik.core.shelter import Shelter

REACH_M = 2.0
INNER_M = 0.75
LABEL_M = 0.32
ARROW_M = 0.6
NEAR_DEG = 30.0


def _at(bearing_deg: float, reach: float) -> tuple[float, float]:
    b = math.radians(bearing_deg)
    return reach * math.sin(b), reach * math.cos(b)


def rose_drawing(shelter: Shelter, rose: Rose, own_from_deg: float, units: Units) -> str:
    """Petals by dry ground, the shelter's outline in the middle, front to the left as in the
    plan.
    """
    paper = Paper(
        "Heading rose: dry ground by the side the wind comes from", "rose", margin=0.3
    )
    most = max(p.dry_m2 for p in rose.petals) or 1.0
    half = 180 / len(rose.petals)
    for petal in rose.petals:
        reach = INNER_M + (REACH_M - INNER_M) * petal.dry_m2 / most
        css = (
            "petal best"
            if petal is rose.best
            else "petal worst"
            if petal is rose.worst
            else "petal"
        )
        corners = [
            _at(petal.from_deg - half * 0.86, INNER_M),
            _at(petal.from_deg - half * 0.86, reach),
            _at(petal.from_deg + half * 0.86, reach),
            _at(petal.from_deg + half * 0.86, INNER_M),
        ]
        paper.polygon(
            corners,
            css,
            f"wind from {side_words(petal.from_deg)}: {format_area(petal.dry_m2, units)} dry, "
            f"{petal.open_share * 100:.0f} % open",
        )
    _outline(paper, shelter)
    for petal, word in ((rose.best, "best"), (rose.worst, "worst")):
        _label(paper, petal, word, units, most, own_from_deg)
    tip, tail = _at(own_from_deg, REACH_M + 0.12), _at(own_from_deg, REACH_M + 0.62)
    paper.line(tail, tip, "wind-shaft")
    left, right = (
        _at(own_from_deg - 4, REACH_M + 0.32),
        _at(own_from_deg + 4, REACH_M + 0.32),
    )
    paper.polygon([tip, left, right], "wind-head")
    return paper.svg((2 * REACH_M, 2 * REACH_M))


def _outline(paper: Paper, shelter: Shelter) -> None:
    xy = shelter.xyz[:, :2]
    middle = (xy.max(axis=0) + xy.min(axis=0)) / 2
    scale = 0.62 / max(float(abs(xy - middle).max()), 1e-6)
    for face in shelter.faces():
        if face.role is not Role.FLOOR:
            paper.polygon([tuple((p[:2] - middle) * scale) for p in face.xyz], "panel")
    paper.text((-0.68, 0.0), "front", "t soft", "end", 15)


def _label(
    paper: Paper, petal: Petal, word: str, units: Units, most: float, own_from_deg: float
) -> None:
    reach = INNER_M + (REACH_M - INNER_M) * petal.dry_m2 / most
    clear = LABEL_M + (
        ARROW_M
        if abs((petal.from_deg - own_from_deg + 180) % 360 - 180) < NEAR_DEG
        else 0.0
    )
    x, y = _at(petal.from_deg, max(reach, INNER_M) + clear)
    paper.text((x, y), f"{word} {format_area(petal.dry_m2, units)}", "t", size=19)


def side_words(own_deg: float) -> str:
    """A side of the shelter in its own frame, seen by one who looks at its front (which faces -x).

    >>> side_words(90), side_words(270), side_words(0), side_words(45)
    ('the back', 'the front', 'the left', 'the back left')
    """
    names = (
        "the left",
        "the back left",
        "the back",
        "the back right",
        "the right",
        "the front right",
        "the front",
        "the front left",
    )
    return names[round(own_deg % 360 / 45) % 8]
