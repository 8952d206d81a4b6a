"""The turning view: who sits in it sits under the roof, and nobody where there is no room to."""

from __future__ import annotations

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.web.drawing.solid import HEAD_M, sitting


@pytest.mark.parametrize(
    ("slug", "settings"),
    [
        ("a-frame", {"height": 1.3}),
        ("lean-to", {}),
        ("pole-tent", {}),
        ("a-frame", {"height": 0.9}),
    ],
)
def test_who_sits_has_the_roof_above_the_crown(
    slug: str, settings: dict[str, float]
) -> None:
    figures = solve(Question(Sheet.rectangle(3.05, 3.05), PITCHES[slug], settings)).figures
    assert figures is not None
    seen = sitting(figures)
    assert (seen is not None) == figures.sits
    if seen is None:
        return
    x, y, head = seen["head"]
    crown = head + HEAD_M
    assert crown == pytest.approx(Body(figures.stature_m).height("sitting"), abs=1e-3)
    assert figures.roof.height_at(np.array([[x, y]]))[0] > crown
