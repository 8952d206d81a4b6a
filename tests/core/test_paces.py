"""Steps over a distance."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.body import Body
from tarvik.core.paces import distances_m, in_halves, strides
from tarvik.core.units import Units


def test_a_man_of_average_height_takes_fourteen_steps_over_ten_metres() -> None:
    """Common practice: a step is 0.414 of the height, 0.72 m at 1.75 m; 10 / 0.72 = 13.8."""
    (stride,) = strides({"Ada": Body(1.75)}, [10.0])
    assert stride.halves == (28,)
    assert stride.step_m == pytest.approx(0.7245)


def test_a_measured_step_comes_before_the_estimate() -> None:
    (stride,) = strides({"Ada": Body(1.75, {"step": 0.5})}, [10.0])
    assert in_halves(stride.halves[0]) == "20"


def test_people_who_walk_alike_stand_together_the_longest_step_first() -> None:
    group = {"Small": Body(1.3), "Ada": Body(1.75), "Ben": Body(1.751), "Tall": Body(1.95)}
    names = [stride.names for stride in strides(group, distances_m(Units.METRIC).values())]
    assert names == [("Tall",), ("Ada", "Ben"), ("Small",)]


@given(st.floats(1.0, 2.2), st.floats(1.0, 100.0))
def test_steps_come_to_the_distance_within_a_quarter_of_a_step(
    stature: float, far: float
) -> None:
    (stride,) = strides({"Ada": Body(stature)}, [far])
    assert abs(stride.halves[0] / 2 * stride.step_m - far) <= stride.step_m / 4 + 1e-9


def test_the_distances_are_whole_in_the_courses_unit() -> None:
    assert distances_m(Units.METRIC)[10] == 10.0
    assert distances_m(Units.IMPERIAL)[10] == pytest.approx(3.048)
