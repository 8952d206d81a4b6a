"""What to measure next on a site, from the first tape on."""

from __future__ import annotations

from tarvik.core.site.reading import Reading, tape
from tarvik.core.site.survey import surveyed
from tarvik.core.site.walk import Step, steps


def asked(*tapes: tuple[str, str, float]) -> list[Step]:
    readings: list[Reading] = [tape(*each) for each in tapes]
    return steps(surveyed(readings, []) if readings else None, readings)


def test_a_survey_begins_with_a_triangle_of_trees() -> None:
    """Common practice: three trees wide apart, their three sides taped one after the other."""
    (first,) = asked()
    assert (first.start, first.end) == ("", "")
    assert "triangle" in first.why
    (second,) = asked(("Oak 1", "Oak 2", 6.0))
    assert (second.start, second.end) == ("Oak 2", "")
    closing = asked(("Oak 1", "Oak 2", 6.0), ("Oak 2", "Ash 1", 5.0))[0]
    assert {closing.start, closing.end} == {"Oak 1", "Ash 1"}


def test_a_new_point_is_taped_until_it_is_held_and_checked() -> None:
    sides = (("Oak 1", "Oak 2", 6.0), ("Oak 2", "Ash 1", 5.0), ("Ash 1", "Oak 1", 5.0))
    closed = asked(*sides)
    assert closed[-1].end == ""
    assert "new" in closed[-1].why
    loose = asked(*sides, ("Oak 1", "Birch 1", 4.0))[0]
    assert loose.end == "Birch 1"
    assert loose.start in {"Oak 2", "Ash 1"}
    assert "swing" in loose.why
    either = asked(*sides, ("Oak 1", "Birch 1", 4.0), ("Oak 2", "Birch 1", 4.5))[0]
    assert {either.start, either.end} == {"Ash 1", "Birch 1"}
    assert either.far_m is not None
    assert "either side" in either.why


def test_only_two_points_known_ask_for_a_third_off_their_line() -> None:
    (step,) = asked(("Oak 1", "Oak 2", 6.0), ("Oak 1", "Oak 2", 6.1))
    assert step == Step("Oak 2", "", None, step.why)
    assert "third tree" in step.why
