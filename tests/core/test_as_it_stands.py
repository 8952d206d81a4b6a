"""One thing measured on a shelter that stands."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tarvik.core.as_it_stands import as_measured, measurable, planned_m
from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.core.units import Units
from tests.core.test_folds import cases_that_fold

HALF_M = 1.5
A_FRAME = fold_sheet(PITCHES["a-frame"], Sheet.rectangle(3.0, 3.0), {"height": 1.2})


def test_a_lower_ridge_wants_its_stakes_further_out() -> None:
    """By Pythagoras: half of a 3 m sheet with its ridge at 1.2 m is staked 0.90 m out, at 1.0 m
    1.118 m.
    """
    told = as_measured(A_FRAME, "P", 1.0)
    assert told.what.name == "height"
    assert told.settings["height"] == pytest.approx(1.0, abs=2e-3)
    assert {shift.mark for shift in told.shifts} == {"1", "2", "3", "4"}
    for shift in told.shifts:
        assert shift.out_m == pytest.approx(math.sqrt(HALF_M**2 - 1.0) - 0.9, abs=3e-3)
        assert shift.along_m == pytest.approx(0.0, abs=3e-3)


def test_stakes_too_far_apart_tell_how_low_the_ridge_is() -> None:
    told = as_measured(A_FRAME, "1-3", 2.0)
    assert told.settings["height"] == pytest.approx(math.sqrt(HALF_M**2 - 1.0), abs=3e-3)


def test_what_measures_as_planned_moves_nothing() -> None:
    assert as_measured(A_FRAME, "P", 1.21).shifts == ()


@pytest.mark.parametrize(
    "slug", ["a-frame", "plow-point", "lean-to", "corner-wrap", "half-cone"]
)
def test_the_shelter_that_is_found_measures_what_was_measured(slug: str) -> None:
    """On random sheets: and its stakes stand where the shifts put those of the plan."""
    for sheet, settings in cases_that_fold(slug, np.random.default_rng(3), 4):
        planned = fold_sheet(PITCHES[slug], sheet, settings)
        try:
            told = as_measured(planned, "P", planned_m(planned, "P") * 0.93)
        except InputError as err:
            assert "between" in err.message or "follows from the sheet" in err.message
            continue
        assert planned_m(told.shelter, "P") == pytest.approx(
            planned_m(planned, "P") * 0.93, abs=5e-3
        )
        assert all(shift.metres > 0.0 for shift in told.shifts)


def test_what_cannot_be_is_refused_in_the_courses_units() -> None:
    with pytest.raises(
        InputError, match="with this sheet and pitch it is between"
    ) as caught:
        as_measured(A_FRAME, "P", 4.0, Units.IMPERIAL)
    assert "ft" in caught.value.message
    with pytest.raises(InputError, match="follows from the sheet"):
        as_measured(A_FRAME, "1-2", 2.5)
    with pytest.raises(InputError, match="nothing that can be measured"):
        as_measured(A_FRAME, "9-1", 2.5)


def test_high_points_and_pairs_of_stakes_can_be_measured() -> None:
    assert list(measurable(A_FRAME))[:2] == ["P", "Q"]
    assert "1-4" in measurable(A_FRAME)
