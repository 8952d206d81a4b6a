"""The search against a fine exhaustive grid over every pitch's settings, in calm and in slanted
rain: no setting of the grid sleeps one more, or is worth more by over one part in a hundred. The
grid's best is measured anew by the exact figures.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.fitting import Misfit, fit
from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Sought
from tarvik.core.search.grid import combined
from tarvik.core.search.objective import worth
from tarvik.core.search.problem import SearchProblem
from tarvik.core.search.refine import best_settings
from tarvik.core.search.scores import BatchScores
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.weather.rain import CALM, Weather

if TYPE_CHECKING:
    from numpy.typing import NDArray

SEARCHED = [slug for slug, pitch in PITCHES.items() if pitch.bed is None]
FINE = {0: 1, 1: 240, 2: 45, 3: 15}
"""Values tried of each of so many sliding settings."""
EVERY_STEP = {1: 60, 2: 30, 3: 13, 4: 7}
EVERY = (Sought.FIRST, Sought.ALSO)
WITH_USUAL = [
    slug
    for slug in SEARCHED
    if any(s.sought is Sought.ALSO for s in PITCHES[slug].settings)
]
PART = 2000
BETTER = 1.01


def grid_of(
    question: Question, steps: dict[int, int], sought: tuple[Sought, ...] = (Sought.FIRST,)
) -> tuple[SearchProblem, list[str], NDArray[np.float64]]:
    """Every combination of finely stepped settings, so sought: the names of those stepped, and
    their values (N, names).
    """
    fitting = fit(question.pitch, question.sheet)
    assert not isinstance(fitting, Misfit)
    free = [s for s in fitting.pitch.settings if s.sought in sought]
    sliding = [s for s in free if not s.is_choice]
    grids = {
        s.name: np.arange(s.least, s.most + 0.5)
        if s.is_choice
        else np.linspace(s.least, s.most, steps[len(sliding)])
        for s in free
    }
    return (
        SearchProblem.of(fitting, question.sheet, question.objective(), {}),
        list(grids),
        combined(list(grids.values())),
    )


def best_of_grid(question: Question, every: bool) -> dict[str, float] | None:
    """The best of every combination of finely stepped settings, by the same yardstick as the
    search's; `every`: coarser, of those too that have a usual value.
    """
    problem, names, cases = (
        grid_of(question, EVERY_STEP, EVERY) if every else grid_of(question, FINE)
    )
    best: tuple[float, dict[str, float]] | None = None
    for start in range(0, len(cases), PART):
        values = problem.values(names, cases[start : start + PART])
        folded = problem.folded(values)
        top = (
            BatchScores.of(problem, folded, values, 3).best()
            if np.isfinite(folded.peak).any()
            else None
        )
        if top is not None and (best is None or top[1] > best[0]):
            best = top[1], {name: float(array[top[0]]) for name, array in values.items()}
    return None if best is None else best[1]


def asked_at_random(slug: str, seed: int, weather: Weather) -> Question:
    """A sheet, a stature and one to three sleepers, the same each time; square sheets as often as
    not.
    """
    dice = np.random.default_rng([seed, SEARCHED.index(slug)])
    width, length = (round(float(x), 2) for x in dice.uniform(2.0, 4.4, 2))
    sheet = Sheet.rectangle(
        width, width if dice.random() < 0.5 and slug != "plow-point-awning" else length
    )
    body, wanted = Body(round(float(dice.uniform(1.5, 1.95)), 2)), int(dice.integers(1, 4))
    return Question(
        sheet, PITCHES[slug], {}, body=body, weather=weather, wanted=wanted, shorter=False
    )


def fault(question: Question, every: bool = False) -> str:
    """What a setting of the grid does better than the one found; nothing where none does."""
    found, dense = (
        best_settings(question.pitch, question.sheet, question.objective(), {}),
        best_of_grid(question, every),
    )
    theirs = None if dense is None else solve(replace(question, settings=dense)).figures
    if (
        theirs is None
    ):  # the sheet folds at no setting, or the grid's best has one panel through another
        return ""
    if found is None:
        return f"nothing found, and {dense} folds"
    ours = solve(replace(question, settings=found)).figures
    assert ours is not None
    wanted, told = (
        question.wanted or 1,
        f"{question.pitch.slug} {question.sheet.box}: {found}, and {dense}",
    )
    if min(ours.sleepers, wanted) < min(theirs.sleepers, wanted):
        return f"{told} sleeps {theirs.sleepers} instead of {ours.sleepers}"
    better = worth(theirs, question.objective()) > BETTER * worth(
        ours, question.objective()
    )
    return f"{told} is worth more" if better else ""


@pytest.mark.parametrize("slug", SEARCHED)
@pytest.mark.parametrize("seed", range(5))
def test_no_setting_of_a_fine_grid_is_better(slug: str, seed: int) -> None:
    assert not fault(asked_at_random(slug, seed, CALM))


@pytest.mark.parametrize("seed", range(8, 13))
def test_in_slanted_rain_none_is_either(seed: int) -> None:
    """The wind from one side or another: the only dry bed may be a few centimetres of height wide,
    or the place of one more a single setting.
    """
    weather = Weather(4.0, 6.0, 85.0 * seed % 360)
    faults = [
        told for slug in SEARCHED if (told := fault(asked_at_random(slug, seed, weather)))
    ]
    assert not faults


ALONE = [
    slug
    for slug in SEARCHED
    if sum(s.sought is Sought.FIRST and not s.is_choice for s in PITCHES[slug].settings)
    == 1
]
"""Pitches with one sliding setting."""


@pytest.mark.parametrize("slug", ALONE)
@pytest.mark.parametrize("seed", range(13, 17))
def test_as_many_lie_dry_as_at_any_single_setting(slug: str, seed: int) -> None:
    """As many as fit, in slanted rain: of one setting every value counts, and the search misses
    none.
    """
    weather = Weather(5.0, 5.0, 65.0 * seed % 360)
    assert not fault(replace(asked_at_random(slug, seed, weather), wanted=None))


@pytest.mark.parametrize("slug", WITH_USUAL)
@pytest.mark.parametrize("seed", range(19, 27))
def test_nor_is_any_off_the_usual_values(slug: str, seed: int) -> None:
    """Awnings turned, corners held off, creases off the middle: for each intent, in calm and in
    slanted rain.
    """
    intent = list(INTENTS.values())[seed % len(INTENTS)]
    weather = Weather(4.0, 5.0, 65.0 * seed % 360) if seed % 2 else CALM
    question = replace(asked_at_random(slug, seed, weather), intent=intent, shorter=True)
    assert not fault(question, every=True)


@pytest.mark.parametrize("slug", WITH_USUAL)
def test_a_setting_leaves_its_usual_value_only_for_more(slug: str) -> None:
    for seed in range(27, 31):
        question = replace(
            asked_at_random(slug, seed, CALM),
            intent=INTENTS["shade" if seed % 2 else "storm"],
        )
        found = best_settings(question.pitch, question.sheet, question.objective(), {})
        plain = best_settings(
            question.pitch, question.sheet, replace(question.objective(), also=False), {}
        )
        if found is None or plain is None or found == plain:
            continue
        ours, theirs = (
            solve(replace(question, settings=settings)).figures
            for settings in (found, plain)
        )
        assert ours is not None
        assert theirs is not None
        assert worth(ours, question.objective()) > worth(theirs, question.objective())
        assert all(
            plain[s.name] == s.default
            for s in question.pitch.settings
            if s.sought is Sought.ALSO
        )


COARSE = {0: 1, 1: 80, 2: 16, 3: 7}
MEASURED = 25
"""Settings measured exactly for each sheet: those with most dry ground among those where nearly so
many may lie.
"""


def more_by_the_figures(question: Question, ours: int) -> str:
    """A setting of a grid at which, measured exactly, more lie dry than ours; nothing where there
    is none.
    """
    problem, names, cases = grid_of(question, COARSE)
    values = problem.values(names, cases)
    folded = problem.folded(values)
    room = BatchScores.of(problem, folded, values, 3)
    order = [
        int(i)
        for i in np.argsort(-room.dry)
        if room.dry[i] >= (ours + 1) * question.objective().mat_m2()
    ]
    smaller = replace(
        problem,
        boxes=0.95 * problem.boxes,
        mat=0.95 * problem.mat,
        mats=ours + 1,
        rain=problem.rain[:1],
    )
    tops = ((i, room.of_others(smaller).best(slice(i, i + 1))) for i in order)
    near = [i for i, top in tops if top is not None and top[2] > ours]
    for case in near[:MEASURED]:
        settings = {name: float(array[case]) for name, array in values.items()}
        figures = solve(replace(question, settings=settings)).figures
        if figures is not None and figures.sleepers > ours:
            return (
                f"{question.pitch.slug} {question.sheet.box}: {settings} sleeps "
                f"{figures.sleepers} instead of {ours}"
            )
    return ""


@pytest.mark.parametrize("slug", SEARCHED)
@pytest.mark.parametrize("seed", range(17, 19))
def test_by_the_exact_figures_no_setting_sleeps_more(slug: str, seed: int) -> None:
    """As many as fit, in slanted rain: the exact figures, whose headings are finer than the
    search's, find no more either.
    """
    question = replace(
        asked_at_random(slug, seed, Weather(4.0, 5.0, 65.0 * seed % 360)), wanted=None
    )
    figures = solve(question).figures
    if figures is not None:
        assert not more_by_the_figures(question, figures.sleepers)
