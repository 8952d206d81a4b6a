"""`./run folds`: for every pitch a drawing of its fold, the sheet laid flat beside the folded body,
in docs/folds.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from tarvik.core.measure.figures import measure
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Shape
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import assess
from tarvik.core.sheet import Sheet
from tarvik.core.solve import ADULT, Question, solve
from tarvik.core.units import Units
from tarvik.web.drawing import solid, views
from tarvik.web.shared.pdf import with_drawing_styles

if TYPE_CHECKING:
    from pathlib import Path

SIDE_M = 3.2
OBLONG_M = 4.2


def fold_drawing(slug: str) -> str:
    """One SVG: creases and marks on the flat sheet at the left, the fold seen obliquely at the
    right.
    """
    pitch = PITCHES[slug]
    sheet = Sheet.rectangle(SIDE_M, OBLONG_M if pitch.shape is Shape.OBLONG else SIDE_M)
    found = solve(Question(sheet, pitch, {}, wanted=1))
    if found.shelter is None:
        raise RuntimeError(
            f"{slug} does not form from the sheet that its drawing is made of"
        )
    rig = assess(found.shelter, UNLIMITED).rig
    parts = [
        views.flat_sheet(found.shelter, rig, Units.METRIC),
        solid.oblique(found.shelter, measure(found.shelter, ADULT), rig),
    ]
    placed = [
        re.sub(
            r"<svg ",
            f'<svg x="{10 + 310 * i}" y="10" overflow="visible" width="300" height="280" ',
            part,
            count=1,
        )
        for i, part in enumerate(parts)
    ]
    head = (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 630 300"><rect width="630" '
        'height="300" fill="#fffdf7"/>'
    )
    return head + with_drawing_styles("".join(placed)) + "</svg>\n"


def write_folds(checkout: Path) -> int:
    """Write docs/folds/*.svg."""
    folder = checkout / "docs" / "folds"
    folder.mkdir(parents=True, exist_ok=True)
    for slug in PITCHES:
        (folder / f"{slug}.svg").write_text(fold_drawing(slug))
    return 0
