"""One sleeper more where no plain grid of settings has room: places found by measuring thousands of
settings one by one, and what the search says of itself.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.fitting import Misfit, fit
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import Pole, Supports
from tarvik.core.search.climb import with_room_for
from tarvik.core.search.initial_grid import InitialGrid
from tarvik.core.search.objective import worth
from tarvik.core.search.problem import SearchProblem
from tarvik.core.search.refine import MANY, scores_of
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import CALM, Weather

NARROW = [
    (
        "a-frame-porch",
        (2.19, 2.97),
        1.57,
        Weather(1.49, 2.91, 341),
        {"height": 0.587, "angle": -8.48, "turn": 0},
        4,
    ),
    (
        "lean-to-awning",
        (2.4, 2.4),
        1.91,
        Weather(3.54, 8.67, 160),
        {"height": 0.778, "awning": 0.522, "turn": 1},
        1,
    ),
    (
        "four-corner-shade",
        (3.59, 4.31),
        1.9,
        Weather(5.48, 2.37, 244),
        {"height": 0.8, "low": 0.2},
        9,
    ),
    (
        "plow-point-lifted",
        (4.12, 4.12),
        1.64,
        Weather(3.74, 3.33, 95),
        {"height": 1.1, "lift": 0.49},
        7,
    ),
    (
        "a-frame",
        (2.67, 2.67),
        1.74,
        Weather(7.01, 6.65, 72),
        {"height": 0.73, "turn": 0},
        2,
    ),
    (
        "plow-point-floored",
        (4.24, 2.33),
        1.68,
        Weather(7.28, 8.3, 1),
        {"height": 1.63913, "tip": 0.74348},
        3,
    ),
]
"""Pitch, sheet (m), stature (m), rain, and settings at which so many lie dry: each was missed once.
"""


def asked(
    slug: str, box: tuple[float, float], stature_m: float, weather: Weather
) -> Question:
    """As many as fit under this sheet."""
    return Question(
        Sheet.rectangle(*box), PITCHES[slug], {}, body=Body(stature_m), weather=weather
    )


def test_three_settings_that_have_to_suit_each_other() -> None:
    """A small pole tent holds one at hardly any height, front and tuck: between the values of the
    first grid.
    """
    question = replace(asked("pole-tent", (2.68, 2.68), 1.53, CALM), wanted=1)
    there = solve(
        replace(question, settings={"height": 1.32, "front": 0.3, "tuck": 0.98})
    ).figures
    found = solve(question).figures
    assert there is not None
    assert found is not None
    assert there.sleepers == found.sleepers == 1


def sleepers(question: Question) -> int:
    """How many lie dry by the exact figures."""
    figures = solve(question).figures
    return 0 if figures is None else figures.sleepers


@pytest.mark.parametrize(
    ("slug", "box", "stature_m", "weather", "settings", "mats"), NARROW
)
def test_a_narrow_place_is_found(
    slug: str,
    box: tuple[float, float],
    stature_m: float,
    weather: Weather,
    settings: dict[str, float],
    mats: int,
) -> None:
    question = asked(slug, box, stature_m, weather)
    assert sleepers(replace(question, settings=settings)) == mats
    assert sleepers(question) >= mats


@pytest.mark.parametrize(
    ("slug", "box", "stature_m", "weather", "settings", "mats"), NARROW[:3]
)
def test_a_place_found_holds_what_it_claims(
    slug: str,
    box: tuple[float, float],
    stature_m: float,
    weather: Weather,
    settings: dict[str, float],
    mats: int,
) -> None:
    """Measured exactly, so many lie there: at each of the places found."""
    question = asked(slug, box, stature_m, weather)
    fitting = fit(question.pitch, question.sheet)
    assert not isinstance(fitting, Misfit)
    problem = SearchProblem.of(fitting, question.sheet, question.objective(), {})
    first = InitialGrid.of(problem, MANY)
    assert first is not None
    places = with_room_for(problem, first, scores_of(problem, first), mats)
    assert places
    assert all(
        sleepers(replace(question, settings=place.settings)) >= mats for place in places
    )
    assert not with_room_for(
        problem, first, scores_of(problem, first), 30
    )  # more than the sheet has ground for


def test_more_is_found_within_the_poles_alone() -> None:
    """Poles of an odd length: a height in whole centimetres beyond them is not taken."""
    slug, box, stature_m, weather, _, _ = NARROW[0]
    poles = Supports(trees=(), poles=(Pole(0.583, 0.594), Pole(0.583, 0.594)))
    found = solve(replace(asked(slug, box, stature_m, weather), supports=poles))
    assert 0.583 <= found.settings["height"] <= 0.594
    assert found.figures is not None
    assert found.figures.sleepers == 4


FREE = [
    (
        "a-frame-flown",
        (2.8, 3.47),
        1.57,
        Weather(5.34, 7.36),
        {"height": 0.587, "angle": 10, "turn": 0},
        5,
    ),
    (
        "four-corner-shade",
        (2.6, 2.6),
        1.89,
        Weather(6.95, 2.81),
        {"height": 0.8, "low": 0.3739},
        4,
    ),
]


@pytest.mark.parametrize(("slug", "box", "stature_m", "weather", "settings", "mats"), FREE)
def test_free_to_turn_as_many_lie_dry_as_at_settings_tried_one_by_one(
    slug: str,
    box: tuple[float, float],
    stature_m: float,
    weather: Weather,
    settings: dict[str, float],
    mats: int,
) -> None:
    """The shelter turns its back to the wind, at other settings another side: rain from there
    counts too.
    """
    question = replace(asked(slug, box, stature_m, weather), free_to_turn=True)
    assert sleepers(replace(question, settings=settings)) == mats
    assert sleepers(question) >= mats


def test_in_calm_rain_a_ridge_between_the_values_tried_has_room_for_one_more() -> None:
    question = asked("a-frame", (4.26, 3.23), 1.54, CALM)
    assert (
        sleepers(replace(question, settings={"height": 0.97, "offset": 0.0, "turn": 1}))
        == 6
    )
    assert sleepers(question) >= 6


@pytest.mark.parametrize("weather", [CALM, Weather(4.0, 6.0, 140.0)])
@pytest.mark.parametrize("slug", ["plow-point", "lean-to-awning", "closed-wedge"])
def test_where_nobody_fits_no_setting_serves_a_shorter_person_better(
    slug: str, weather: Weather
) -> None:
    """The yardstick counts how tall somebody is who would lie dry, and the search goes by it there
    too.
    """
    question = asked(slug, (1.7, 1.75), 1.9, weather)
    found = solve(question)
    assert found.figures is not None
    assert found.figures.sleepers == 0
    ours = worth(found.figures, question.objective())
    height = next(s for s in question.pitch.settings if s.name == "height")
    for value in np.linspace(height.least, height.most, 40):
        figures = solve(
            replace(question, settings=found.settings | {"height": float(value)})
        ).figures
        assert figures is None or worth(figures, question.objective()) <= 1.01 * ours
