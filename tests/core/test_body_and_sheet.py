"""People's measures and the sheet's own rules."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.body import RATIOS, Body
from tarvik.core.errors import InputError
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points


@pytest.mark.parametrize(
    ("name", "ratio"), [("eye", 0.936), ("shoulder", 0.818), ("sitting", 0.520)]
)
def test_ratios_are_the_published_ones(name: str, ratio: float) -> None:
    """Drillis and Contini 1966, as in Winter, Biomechanics and Motor Control of Human Movement,
    figure of segment lengths.
    """
    assert Body(1.0).height(name) == pytest.approx(ratio)


@given(st.floats(0.9, 2.3))
def test_a_body_stands_in_order(stature: float) -> None:
    """Waist under the lowest rib under the shoulder under the eye under the crown under the
    reach.
    """
    heights = [Body(stature).height(n) for n in ("waist", "lowest_rib", "shoulder", "eye")]
    assert heights == sorted(heights)
    assert heights[-1] < stature < Body(stature).height("reach")
    assert all(Body(stature).height(n) > 0 for n in RATIOS)


def test_measured_values_override() -> None:
    assert Body(1.8, {"sitting": 0.99}).height("sitting") == 0.99


@pytest.mark.parametrize("stature", [0.0, -1.7, 17.0, math.nan, math.inf])
def test_no_such_person(stature: float) -> None:
    with pytest.raises(InputError, match="stature_m"):
        Body(stature)


def test_tie_out_patterns() -> None:
    corners = tie_out_points(2, 3, frozenset({TieOuts.CORNERS}))
    assert set(corners) == {(0, 0), (2, 0), (2, 3), (0, 3)}
    assert len(tie_out_points(2, 3, frozenset({TieOuts.MID_SIDES}))) == 8
    assert len(tie_out_points(2, 3, frozenset({TieOuts.THIRDS}))) == 12
    assert len(tie_out_points(2, 3, frozenset({TieOuts.QUARTERS, TieOuts.MID_SIDES}))) == 16
    assert (1.0, 1.5) in tie_out_points(2, 3, frozenset({TieOuts.CENTRE}))
    assert (1.0, 0.75) in tie_out_points(2, 3, frozenset({TieOuts.RIDGE}))
    assert tie_out_points(2, 3, frozenset({TieOuts.NONE})) == ()


@pytest.mark.parametrize(
    ("outline", "words"),
    [
        (((0, 0), (2, 2), (2, 0), (0, 2)), "crosses"),
        (((0, 0), (2, 0)), "three"),
        (((0, 0), (2, 0), (4, 0)), "crosses|holds"),
        (((0, 0), (0.1, 0), (0.1, 0.1)), "holds"),
        (((0, 0), (math.nan, 0), (1, 1)), "no place"),
        (((0, 0), (1e9, 0), (1, 1)), "no place"),
    ],
)
def test_bad_outlines_are_refused(
    outline: tuple[tuple[float, float], ...], words: str
) -> None:
    with pytest.raises(InputError, match=words) as refused:
        Sheet(outline)
    assert refused.value.field.startswith("sheet.outline_m")


def test_tie_outs_lie_on_the_cloth() -> None:
    with pytest.raises(InputError, match=r"tie_outs_m\[1\]"):
        Sheet.rectangle(2, 3, ((0, 0), (2.5, 0)))
    with pytest.raises(InputError, match="hood_m"):
        Sheet.rectangle(2, 3, hood=(9, 9))


def test_a_rectangle_is_known_by_its_outline() -> None:
    assert Sheet(((2, 3), (0, 3), (0, 0), (1, 0), (2, 0))).box == (2, 3)
    assert Sheet(((0, 0), (2, 0), (2.5, 3), (0, 3))).box is None
    assert Sheet.rectangle(2, 3).has_tie_out((1.234, 0.5))
    assert not Sheet.rectangle(2, 3, ()).has_tie_out((0, 0))
