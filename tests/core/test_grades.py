"""Who fits where, with ease, as usual and tightly: what leaders know of common shelters."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from hypothesis import given, settings

from tarvik.core.body import Body
from tarvik.core.finding import Level
from tarvik.core.measure.figures import measure
from tarvik.core.measure.grades import Fits, fits
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import Sheet, tie_out_points
from tarvik.core.solve import Question, Solution, solve
from tarvik.core.tonight import Night, judge
from tarvik.core.weather.needs import NightNeeds
from tests.core.test_measures import SHELTERS
from tests.core.test_remedies import KIT, TIES

if TYPE_CHECKING:
    from tarvik.core.shelter import Shelter


def solved(slug: str, width: float, length: float, stature: float = 1.75) -> Solution:
    sheet = Sheet.rectangle(width, length, tie_out_points(width, length, TIES))
    return solve(Question(sheet, PITCHES[slug], {}, Body(stature), supports=KIT))


def found(slug: str, width: float, length: float, stature: float = 1.75) -> Fits:
    figures = solved(slug, width, length, stature).figures
    assert figures is not None
    return fits(figures)


@pytest.mark.parametrize(
    ("slug", "side", "ease", "tight"),
    [
        ("lean-to-walled", 2.9, 0, 1),
        ("pole-tent", 2.9, 0, 1),
        ("a-frame", 2.9, 2, 2),
        ("a-frame", 3.05, 2, 2),
        ("plow-point", 3.05, 2, 3),
        ("corner-wrap", 3.05, 1, 1),
        ("closed-wedge", 3.05, 0, 1),
        ("closed-wedge", 4.57, 0, 4),
    ],
)
def test_who_fits_where(slug: str, side: float, ease: int, tight: int) -> None:
    """Common practice, people of 1.75 m: at least so many with ease, so many at a pinch."""
    who = found(slug, side, side)
    assert who.ease >= ease
    assert who.tight >= tight


def test_one_lies_tightly_under_a_poncho() -> None:
    """Common practice: a poncho of 1.45 by 2.2 m keeps one and a pack out of the weather as a low
    A-frame, tightly; never two.
    """
    poncho = solved("a-frame", 1.45, 2.2)
    assert poncho.figures is not None
    assert fits(poncho.figures) == Fits(0, 0, 1)
    one, two = (judge(poncho, Night(NightNeeds(wind_m_s=2.0)), n) for n in (1, 2))
    assert one.verdict is Verdict.FORMS
    assert {f.level for f in one.findings if f.code == "tight"} == {Level.CAUTION}
    assert two.verdict is Verdict.CANNOT


def test_a_small_corner_pitch_takes_a_small_person() -> None:
    """Common practice: 2.13 m takes one of 1.73 m; who is over 1.83 m wants a larger sheet."""
    assert found("plow-point", 2.13, 2.13, 1.73).usual == 1
    assert found("plow-point", 2.13, 2.13, 1.85).usual == 0


@settings(max_examples=40)
@given(shelter=SHELTERS)
def test_more_comfort_never_takes_more_people(shelter: Shelter) -> None:
    figures = measure(shelter, Body(1.75))
    who = fits(figures)
    assert who.ease <= who.usual <= who.tight
    assert who.usual == figures.sleepers
