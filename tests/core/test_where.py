"""Where a shelter stands, in words that people can walk to."""

from __future__ import annotations

import re
from itertools import pairwise

import pytest

from tarvik.core.body import Body
from tarvik.core.cards import body_place, marks, steps
from tarvik.core.measure.openings import open_round, openings
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.site.things import Ground, Kind, Thing
from tarvik.core.site.where import bearing_deg, where
from tarvik.core.solve import Question, solve
from tarvik.core.units import Units, parse_length
from tarvik.core.weather.rain import Weather

OAK, BIRCH, FIRE = (
    Thing("Oak 13", Kind.TREE, (0.0, 12.0)),
    Thing("Birch 23", Kind.TREE, (4.0, 12.0)),
    Thing("Fire", Kind.FIRE, (2.0, 0.0)),
)
WOOD = Ground((OAK, BIRCH, FIRE))


def test_between_trees_and_off_the_fire() -> None:
    told = where(WOOD, (2.0, 12.0), ("Oak 13", "Birch 23"), 45.0, "ridge at Isaura's waist")
    assert told == (
        "between Oak 13 and Birch 23, ridge at Isaura's waist, front to NE; "
        "12 m N of the fire spot (Fire)"
    )


def test_one_tree_poles_and_no_fire() -> None:
    assert where(WOOD, (0.0, 11.0), ("Oak 13",), None).startswith("at Oak 13; ")
    assert where(WOOD, (2.5, 0.0), (), None) == "beside the fire spot (Fire)"
    bare = Ground((OAK,))
    assert where(bare, (0.0, 6.0), (), 180.0, others=("pole",)) == (
        "on a pole, front to S; 6.0 m S of Oak 13"
    )
    assert (
        where(Ground(), (0.0, 0.0), (), None, others=("pole", "pole"))
        == "between two poles"
    )
    assert where(Ground(), (0.0, 0.0), ("Oak 13",), None, others=("pole",)) == (
        "between Oak 13 and a pole"
    )
    assert "20 ft" in where(bare, (0.0, 12.0 - 6.096), (), None, units=Units.IMPERIAL)


@pytest.mark.parametrize(
    ("end", "bearing"), [((0, 1), 0), ((1, 0), 90), ((0, -1), 180), ((-1, 0), 270)]
)
def test_bearings_go_clockwise_from_north(end: tuple[float, float], bearing: float) -> None:
    assert bearing_deg((0.0, 0.0), end) == pytest.approx(bearing)


def test_heights_are_told_on_a_body() -> None:
    body = Body(1.70)
    assert body_place(body.height("waist"), body) in ("waist", "lowest rib")
    assert body_place(body.height("shoulder"), body) == "shoulder"
    assert body_place(0.3, body) == ""


def forming() -> list[str]:
    return [slug for slug, pitch in PITCHES.items() if pitch.bed is None]


@pytest.mark.parametrize("slug", forming())
def test_a_card_tells_how_far_its_supports_stand_apart(slug: str) -> None:
    size = (2.4, 3.4) if slug == "plow-point-awning" else (3.0, 3.0)
    found = solve(Question(Sheet.rectangle(*size), PITCHES[slug], {}, Body(1.75), wanted=1))
    assert found.shelter is not None
    assert found.assessment.rig is not None
    text = " ".join(
        s.text
        for s in steps(
            found.shelter, found.assessment.rig, body=Body(1.75), whose="Isaura's"
        )
    )
    assert "your" not in re.findall(r"\((your|Isaura's) ", text)
    names = marks(found.shelter)
    high = [p for p in PITCHES[slug].high_points() if p in names]
    for one, two in pairwise(high):
        told = re.search(rf"{names[one]} and {names[two]} stand (\S+ m) apart", text)
        assert told is not None
        a, b = found.shelter.at(one)[:2], found.shelter.at(two)[:2]
        assert parse_length(told[1]) == pytest.approx(
            float(((a - b) ** 2).sum() ** 0.5), abs=0.006
        )


SIDE, BACK = (0.0, 180.0), (45.0, 90.0, 135.0)
"""Bearings in a shelter's own frame: its sides, and its back."""


@pytest.mark.parametrize("slug", forming())
def test_the_steps_turn_it_as_the_figures_do(slug: str) -> None:
    """Where a step says which side goes to the wind, that is the side the figures put there: the
    least open one.
    """
    pitch = PITCHES[slug]
    text = " ".join(step.text for step in pitch.steps)
    size = (2.4, 3.4) if slug == "plow-point-awning" else (3.0, 3.0)
    asked = Question(
        Sheet.rectangle(*size),
        pitch,
        {},
        Body(1.75),
        weather=Weather(4, 6, 90.0),
        wanted=1,
        free_to_turn=True,
    )
    found = solve(asked)
    if found.figures is None or found.shelter is None:
        return
    own = round(found.figures.weather.wind_from_deg) % 360
    if re.search(r"side goes to the wind|side, not an end, faces", text):
        assert own in SIDE
    elif re.search(r"(back|edge|end|fold)[^.]{0,30} (to|towards) the wind", text):
        assert own in BACK
    round_it = open_round(found.shelter, openings(found.shelter), [float(own), own + 180.0])
    assert round_it[0] <= round_it[1] + 1e-6
