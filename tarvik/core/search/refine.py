"""The search for the settings that serve the sleepers and the night's intent best.

First comes how many lie dry with their clearances, then the intent's weighing of the room. A grid
over the settings is measured at once by the compiled quick figures, then refined round the best of
it; under slanted rain "dry" means dry under it, and room for one more is looked for where it may
lie between the values tried.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from itertools import accumulate, pairwise
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fitting import Misfit, fit
from tarvik.core.fold.pattern import Role
from tarvik.core.pitches.base import Bed, Sought
from tarvik.core.search.candidate import Candidate, candidate_at
from tarvik.core.search.climb import with_room_for
from tarvik.core.search.grid import allowed, combined, in_range
from tarvik.core.search.initial_grid import (
    MOST_SLIDING,
    InitialGrid,
    Steps,
    also_sought,
    doors_left,
)
from tarvik.core.search.objective import MAT_FIRST, SHORTER, most_of_room
from tarvik.core.search.problem import SearchProblem
from tarvik.core.search.scores import BUTTON_FREE, COARSE, FINE, BatchScores

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.fitting import Fitting
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Pitch, Setting
    from tarvik.core.search.objective import Objective
    from tarvik.core.sheet import Sheet

TAPE_COST: Final = constant(
    "tape_cost", 0.01, "1", ENGINEERING, "worth given up for a setting in whole centimetres"
)
USUAL_KEPT: Final = constant(
    "usual_kept",
    0.005,
    "1",
    ENGINEERING,
    "share of the worth given up for a setting's usual value",
)
ALSO_NEAR: Final = constant(
    "also_near",
    1.0,
    "1",
    ENGINEERING,
    "worth less than the best from which more is still sought",
)
FEW: Final = Steps({0: 1, 1: 22, 2: 10, 3: 8})
MANY: Final = Steps({0: 1, 1: 60, 2: 15, 3: 8})
"""For as many as fit: the room for one more is often narrow."""
ALL: Final = Steps({0: 1, 1: 12, 2: 6, 3: 5}, {1: 5, 2: 4, 3: 3})
ALL_SLANTED: Final = Steps({0: 1, 1: 14, 2: 7, 3: 5}, {1: 6, 2: 4, 3: 3})
"""The same in slanted rain, where few places are dry."""
_AROUND: Final = {0: 1, 1: 21, 2: 7, 3: 3, 4: 3, 5: 3, 6: 3}
_EITHER_SIDE: Final = {count: np.linspace(-1.0, 1.0, count) for count in _AROUND.values()}
_ROUNDS: Final = {0: 0, 1: 1, 2: 2, 3: 2, 4: 3, 5: 3, 6: 3}
_STARTS: Final = 2


def best_settings(
    pitch: Pitch,
    sheet: Sheet,
    objective: Objective,
    fixed: Mapping[str, float] | None = None,
) -> dict[str, float] | None:
    """Settings that serve best; `fixed` ones stay. None when the sheet folds into this pitch at no
    setting.

    With any setting fixed, the sheet lies as it is given (`turn` 0) unless `turn` is fixed too.
    Where nobody of that stature fits, the setting that serves the next shorter person.
    """
    fitting = fit(pitch, sheet)
    if isinstance(fitting, Misfit):
        return None
    if fitting.pitch.bed is Bed.WORN:
        return _along_the_sleeper(fitting, fixed or {})
    problem = SearchProblem.of(fitting, sheet, objective, fixed or {})
    stages = _Stages(problem)
    if stages.usual is None:
        return None
    if fitting.pitch.bed is not None:
        return _searched(problem, *stages.usual).settings
    found = stages.off_usual(problem, stages.as_usual(problem, *stages.usual))
    for share in SHORTER if objective.shorter else ():
        if found.mats:
            break
        shorter = problem.for_one_shorter(objective.shorter_m(share))
        served = stages.as_usual(shorter, *stages.usual)
        served = served if served.mats else stages.off_usual(shorter, served, MAT_FIRST / 2)
        found = served if served.mats else found
    return found.settings


class _Stages:
    """What a search goes through: first the settings always searched, the others at their usual
    values; then all of them.
    """

    def __init__(self, problem: SearchProblem) -> None:
        self._problem = problem

    @cached_property
    def usual(self) -> tuple[InitialGrid, BatchScores] | None:
        """The first cases with usual values, and their room; where none folds, those of all
        settings, or None.
        """
        return self._begun(FEW if self._problem.objective.wanted else MANY) or self.all

    @cached_property
    def all(self) -> tuple[InitialGrid, BatchScores] | None:
        """The first cases of all settings but doors; None when none folds, or none has a usual
        value that it may leave.
        """
        return (
            self._begun(self._wide)
            if self._problem.objective.also and also_sought(self._problem)
            else None
        )

    @cached_property
    def with_doors(self) -> tuple[InitialGrid, BatchScores] | None:
        """The same of all settings and doors."""
        if not self._problem.objective.also or not doors_left(self._problem):
            return self.all
        return self._begun(replace(self._wide, doors=True))

    @property
    def _wide(self) -> Steps:
        return ALL if self._problem.calm else ALL_SLANTED

    def _worth_at_most(self, mats: int) -> float:
        """More than which no settings are worth with so many mats."""
        pitch, box = self._problem.fitting.pitch, self._problem.fitting.box
        tallest = max((s.most for s in pitch.settings if s.is_length), default=0.0)
        floored = any(panel.role is Role.FLOOR for panel in pitch.pattern.panels)
        button = BUTTON_FREE if pitch.folds_far_edge else 0.0
        doors = self._problem.objective.intent.shut if pitch.doors else 0.0
        return (
            MAT_FIRST * mats
            + most_of_room(self._problem.objective, box, tallest, floored=floored)
            + button
            + doors
        )

    def _begun(self, steps: Steps) -> tuple[InitialGrid, BatchScores] | None:
        initial = InitialGrid.of(self._problem, steps)
        return None if initial is None else (initial, scores_of(self._problem, initial))

    @staticmethod
    def as_usual(
        problem: SearchProblem, initial: InitialGrid, scores: BatchScores
    ) -> Candidate:
        """The best for a body with usual values, begun by those cases."""
        return _with_more(
            problem,
            initial,
            scores.of_others(problem),
            _searched(problem, initial, scores.of_others(problem)),
        )

    def off_usual(
        self, problem: SearchProblem, found: Candidate, least: float = -np.inf
    ) -> Candidate:
        """Of all settings what lets one more lie dry than found, or is worth clearly more; or just
        what was found. Only first cases worth at least so much are looked into.
        """
        if self._worth_at_most(problem.mats) <= _clearly_more(found):
            return found
        begun = self.with_doors if found.mats < problem.mats else self.all
        if begun is None:
            return found
        initial, scores = begun[0], begun[1].of_others(problem)
        near = _best(initial, scores, max(found.worth - ALSO_NEAR, least))
        other = found
        if near and near[0].mats > problem.objective.more_than:
            other = _refined(problem, initial.sliding, near, initial.width)
        if other is not found and other.worth > found.worth - ALSO_NEAR / 2:
            always = [s for s in initial.sliding if s.sought is Sought.FIRST]
            other = _refined(problem, always, [other], initial.width)
        better = other.mats > found.mats or (
            other.mats == found.mats and other.worth > _clearly_more(found)
        )
        more = _with_more(problem, initial, scores, other if better else found)
        return found if more is found else _as_usual(problem, more)


def _along_the_sleeper(fitting: Fitting, given: Mapping[str, float]) -> dict[str, float]:
    """A bag's settings: the longer side of the sheet along the sleeper."""
    turn = 0.0 if fitting.box[1] >= fitting.box[0] else 1.0
    return {
        s.name: given.get(s.name, turn if s.name == "turn" and not given else s.default)
        for s in fitting.pitch.settings
    }


def scores_of(problem: SearchProblem, initial: InitialGrid) -> BatchScores:
    """The room of the first cases."""
    return BatchScores.of(
        problem, initial.folded, initial.values, COARSE if problem.few else FINE
    )


def _as_usual(problem: SearchProblem, found: Candidate) -> Candidate:
    """The same with each setting back at its usual value, and each door as the pitch has it, that
    need not leave it.
    """
    for setting in (*also_sought(problem), *doors_left(problem)):
        back = found.settings | {setting.name: problem.usual[setting.name]}
        values = {name: np.array([value]) for name, value in back.items()}
        top = BatchScores.of(problem, problem.folded(values), values, FINE).best()
        if (
            top is not None
            and top[2] >= found.mats
            and found.worth - top[1] <= USUAL_KEPT * abs(found.worth)
        ):
            found = candidate_at(top, values)
    return found


def _with_more(
    problem: SearchProblem, initial: InitialGrid, scores: BatchScores, found: Candidate
) -> Candidate:
    """In slanted rain, for as many as fit, and where three settings have to suit each other,
    settings at which one more lies dry than found, and another.
    """
    close = (
        len(initial.sliding) >= MOST_SLIDING and not initial.wide and problem.of_own_stature
    )
    while found.mats < problem.mats and (
        not problem.calm or problem.objective.wanted is None or close
    ):
        places = with_room_for(
            problem, initial, scores, max(found.mats, problem.objective.more_than) + 1
        )
        if not places:
            break
        width = {name: reach / 4 for name, reach in initial.width.items()}
        found = _refined(problem, initial.sliding, places, width)
    return found


def _searched(
    problem: SearchProblem, initial: InitialGrid, scores: BatchScores
) -> Candidate:
    """The best of the first cases, refined unless it is of no use: one more is climbed for then."""
    starts = _best(initial, scores)
    return (
        _refined(problem, initial.sliding, starts, initial.width)
        if starts[0].mats > problem.objective.more_than
        else starts[0]
    )


def _refined(
    problem: SearchProblem,
    sliding: list[Setting],
    starts: list[Candidate],
    width: Mapping[str, float],
) -> Candidate:
    """The best about any of the starts; `width`: how far about each sliding setting's value to
    look.
    """
    rounds, count = _ROUNDS[len(sliding)], _AROUND[len(sliding)]
    if not rounds:
        return starts[0]
    # Every start is followed one round, in one batch; then only the one that is ahead.
    ends = _round(problem, sliding, starts, width, last=rounds == 1)
    found = max(ends, key=lambda end: (end.mats, end.worth))
    for turn in range(2, rounds + 1):
        # The next grid reaches as far as this one's neighbours lie apart, and half as far at most.
        width = {name: reach * min(2 / (count - 1), 0.5) for name, reach in width.items()}
        found = _round(problem, sliding, [found], width, last=turn == rounds)[0]
    return found


def _round(
    problem: SearchProblem,
    sliding: list[Setting],
    starts: list[Candidate],
    width: Mapping[str, float],
    *,
    last: bool,
) -> list[Candidate]:
    """For each start the best of a finer grid about it, or the start itself; `width`: how far that
    grid reaches.
    """
    count = _AROUND[len(sliding)]
    grids = []
    for start in starts:
        settings = start.settings
        finer = {
            s.name: _around(
                s, settings[s.name], width[s.name], count, last, problem.objective
            )
            for s in sliding
        }
        grids.append(
            {
                name: np.array([value])
                for name, value in settings.items()
                if name not in problem.given
            }
            | finer
        )
    better = _best_of_each(problem, grids)
    slack = TAPE_COST if last else 0.0
    return [
        new
        if new is not None and new.worth >= old.worth - slack and new.mats >= old.mats
        else old
        for old, new in zip(starts, better, strict=True)
    ]


def _around(
    setting: Setting, best: float, step: float, count: int, last: bool, objective: Objective
) -> Floats:
    """Finer values about the best one; in the last round whole centimetres, as a tape reads, or
    whole degrees.
    """
    values = best + step * _EITHER_SIDE[count]
    if last:
        values = np.round(values, 2 if setting.is_length else 0)
    return allowed(in_range(values, setting), setting, objective.supports)


def _clearly_more(found: Candidate) -> float:
    """What settings off their usual values have to be worth."""
    return found.worth + USUAL_KEPT * abs(found.worth)


def _best(
    initial: InitialGrid, scores: BatchScores, more_than: float = -np.inf
) -> list[Candidate]:
    """The best of the first cases that are worth more than that and, of several settings, also the
    best that is no neighbour of it.
    """
    out: list[Candidate] = []
    near = np.zeros(len(initial.cases), dtype=np.bool_)
    while len(out) < (_STARTS if initial.cases.shape[1] > 1 else 1):
        top = scores.best(apart_from=near, more_than=more_than)
        if top is None:
            break
        out.append(candidate_at(top, initial.values))
        reach = np.ptp(initial.cases, axis=0) / 6 + 1e-9
        near |= (np.abs(initial.cases - initial.cases[top[0]]) <= reach).all(axis=1)
    return out


def _best_of_each(
    problem: SearchProblem, grids: Sequence[Mapping[str, Floats]]
) -> list[Candidate | None]:
    """The best of all combinations for each of several sets of grids over the same settings, folded
    together.
    """
    parts = [combined(list(g.values())) for g in grids]
    values = problem.values(list(grids[0]), np.vstack(parts))
    scores = BatchScores.of(problem, problem.folded(values), values, FINE)
    ends = accumulate((len(part) for part in parts), initial=0)
    tops = [scores.best(slice(a, b)) for a, b in pairwise(ends)]
    return [None if top is None else candidate_at(top, values) for top in tops]
