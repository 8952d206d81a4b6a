"""Points that are taken hold of: each goes where a fold with its setting moved puts it."""

from __future__ import annotations

import numpy as np
import pytest

from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.web.drawing.handles import handles

SHEET = Sheet.rectangle(3.05, 3.05)


@pytest.mark.parametrize("slug", ["a-frame", "plow-point", "lean-to", "pole-tent"])
def test_a_handle_goes_where_its_setting_takes_it(slug: str) -> None:
    """Half a step further, the fold has the point where the handle's way says, to a centimetre."""
    pitch = PITCHES[slug]
    shelter = solve(Question(SHEET, pitch, {})).shelter
    assert shelter is not None
    found = handles(shelter, pitch, SHEET)
    assert found
    for handle in found:
        setting = next(s for s in pitch.settings if s.name == handle.setting)
        by = setting.step / 2
        other = fold_sheet(
            pitch,
            SHEET,
            {**shelter.settings, setting.name: shelter.settings[setting.name] + by},
        )
        point = min(
            shelter.pattern.points,
            key=lambda p: float(np.linalg.norm(shelter.at(p) - handle.at)),
        )
        goes = np.array(handle.at) + by * np.array(handle.way)
        assert np.linalg.norm(other.at(point) - goes) < 0.01


def test_the_peaks_of_an_a_frame_go_straight_up_with_its_height() -> None:
    pitch = PITCHES["a-frame"]
    shelter = solve(Question(SHEET, pitch, {})).shelter
    assert shelter is not None
    tops = [h for h in handles(shelter, pitch, SHEET) if h.at[2] > 0.3]
    assert len(tops) == 2
    for top in tops:
        assert top.setting == "height"
        assert top.way == pytest.approx((0.0, 0.0, 1.0), abs=1e-3)
