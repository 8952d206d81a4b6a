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
from tarvik.core.search.aim import MAT_FIRST, SHORTER, most_of_room
from tarvik.core.search.cases import BUTTON_FREE, COARSE, FINE, Hunt, Room
from tarvik.core.search.first import MOST_SLIDING, First, Steps, also_sought, doors_left
from tarvik.core.search.found import Found, found_at
from tarvik.core.search.grids import allowed, combined, in_range
from tarvik.core.search.more import with_room_for

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.fitting import Fitting
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Pitch, Setting
    from tarvik.core.search.aim import Aim
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
    pitch: Pitch, sheet: Sheet, aim: Aim, fixed: Mapping[str, float] | None = None
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
    hunt = Hunt.of(fitting, sheet, aim, fixed or {})
    stages = _Stages(hunt)
    if stages.usual is None:
        return None
    if fitting.pitch.bed is not None:
        return _searched(hunt, *stages.usual).settings
    found = stages.off_usual(hunt, stages.as_usual(hunt, *stages.usual))
    for share in SHORTER if aim.shorter else ():
        if found.mats:
            break
        shorter = hunt.for_one_shorter(aim.shorter_m(share))
        served = stages.as_usual(shorter, *stages.usual)
        served = served if served.mats else stages.off_usual(shorter, served, MAT_FIRST / 2)
        found = served if served.mats else found
    return found.settings


class _Stages:
    """What a search goes through: first the settings always searched, the others at their usual
    values; then all of them.
    """

    def __init__(self, hunt: Hunt) -> None:
        self._hunt = hunt

    @cached_property
    def usual(self) -> tuple[First, Room] | None:
        """The first cases with usual values, and their room; where none folds, those of all
        settings, or None.
        """
        return self._begun(FEW if self._hunt.aim.wanted else MANY) or self.all

    @cached_property
    def all(self) -> tuple[First, Room] | None:
        """The first cases of all settings but doors; None when none folds, or none has a usual
        value that it may leave.
        """
        return (
            self._begun(self._wide)
            if self._hunt.aim.also and also_sought(self._hunt)
            else None
        )

    @cached_property
    def with_doors(self) -> tuple[First, Room] | None:
        """The same of all settings and doors."""
        if not self._hunt.aim.also or not doors_left(self._hunt):
            return self.all
        return self._begun(replace(self._wide, doors=True))

    @property
    def _wide(self) -> Steps:
        return ALL if self._hunt.calm else ALL_SLANTED

    def _worth_at_most(self, mats: int) -> float:
        """More than which no settings are worth with so many mats."""
        pitch, box = self._hunt.fitting.pitch, self._hunt.fitting.box
        tallest = max((s.most for s in pitch.settings if s.is_length), default=0.0)
        floored = any(panel.role is Role.FLOOR for panel in pitch.pattern.panels)
        button = BUTTON_FREE if pitch.folds_far_edge else 0.0
        doors = self._hunt.aim.intent.shut if pitch.doors else 0.0
        return (
            MAT_FIRST * mats
            + most_of_room(self._hunt.aim, box, tallest, floored=floored)
            + button
            + doors
        )

    def _begun(self, steps: Steps) -> tuple[First, Room] | None:
        first = First.of(self._hunt, steps)
        return None if first is None else (first, room_of(self._hunt, first))

    @staticmethod
    def as_usual(hunt: Hunt, first: First, room: Room) -> Found:
        """The best for a body with usual values, begun by those cases."""
        return _with_more(
            hunt, first, room.of_others(hunt), _searched(hunt, first, room.of_others(hunt))
        )

    def off_usual(self, hunt: Hunt, found: Found, least: float = -np.inf) -> Found:
        """Of all settings what lets one more lie dry than found, or is worth clearly more; or just
        what was found. Only first cases worth at least so much are looked into.
        """
        if self._worth_at_most(hunt.mats) <= _clearly_more(found):
            return found
        begun = self.with_doors if found.mats < hunt.mats else self.all
        if begun is None:
            return found
        first, room = begun[0], begun[1].of_others(hunt)
        near = _best(first, room, max(found.worth - ALSO_NEAR, least))
        other = found
        if near and near[0].mats > hunt.aim.more_than:
            other = _refined(hunt, first.sliding, near, first.width)
        if other is not found and other.worth > found.worth - ALSO_NEAR / 2:
            always = [s for s in first.sliding if s.sought is Sought.FIRST]
            other = _refined(hunt, always, [other], first.width)
        better = other.mats > found.mats or (
            other.mats == found.mats and other.worth > _clearly_more(found)
        )
        more = _with_more(hunt, first, room, other if better else found)
        return found if more is found else _as_usual(hunt, more)


def _along_the_sleeper(fitting: Fitting, given: Mapping[str, float]) -> dict[str, float]:
    """A bag's settings: the longer side of the sheet along the sleeper."""
    turn = 0.0 if fitting.box[1] >= fitting.box[0] else 1.0
    return {
        s.name: given.get(s.name, turn if s.name == "turn" and not given else s.default)
        for s in fitting.pitch.settings
    }


def room_of(hunt: Hunt, first: First) -> Room:
    """The room of the first cases."""
    return Room.of(hunt, first.folded, first.values, COARSE if hunt.few else FINE)


def _as_usual(hunt: Hunt, found: Found) -> Found:
    """The same with each setting back at its usual value, and each door as the pitch has it, that
    need not leave it.
    """
    for setting in (*also_sought(hunt), *doors_left(hunt)):
        back = found.settings | {setting.name: hunt.usual[setting.name]}
        values = {name: np.array([value]) for name, value in back.items()}
        top = Room.of(hunt, hunt.folded(values), values, FINE).best()
        if (
            top is not None
            and top[2] >= found.mats
            and found.worth - top[1] <= USUAL_KEPT * abs(found.worth)
        ):
            found = found_at(top, values)
    return found


def _with_more(hunt: Hunt, first: First, room: Room, found: Found) -> Found:
    """In slanted rain, for as many as fit, and where three settings have to suit each other,
    settings at which one more lies dry than found, and another.
    """
    close = len(first.sliding) >= MOST_SLIDING and not first.wide and hunt.of_own_stature
    while found.mats < hunt.mats and (not hunt.calm or hunt.aim.wanted is None or close):
        places = with_room_for(hunt, first, room, max(found.mats, hunt.aim.more_than) + 1)
        if not places:
            break
        width = {name: reach / 4 for name, reach in first.width.items()}
        found = _refined(hunt, first.sliding, places, width)
    return found


def _searched(hunt: Hunt, first: First, room: Room) -> Found:
    """The best of the first cases, refined unless it is of no use: one more is climbed for then."""
    starts = _best(first, room)
    return (
        _refined(hunt, first.sliding, starts, first.width)
        if starts[0].mats > hunt.aim.more_than
        else starts[0]
    )


def _refined(
    hunt: Hunt, sliding: list[Setting], starts: list[Found], width: Mapping[str, float]
) -> Found:
    """The best about any of the starts; `width`: how far about each sliding setting's value to
    look.
    """
    rounds, count = _ROUNDS[len(sliding)], _AROUND[len(sliding)]
    if not rounds:
        return starts[0]
    # Every start is followed one round, in one batch; then only the one that is ahead.
    ends = _round(hunt, sliding, starts, width, last=rounds == 1)
    found = max(ends, key=lambda end: (end.mats, end.worth))
    for turn in range(2, rounds + 1):
        # The next grid reaches as far as this one's neighbours lie apart, and half as far at most.
        width = {name: reach * min(2 / (count - 1), 0.5) for name, reach in width.items()}
        found = _round(hunt, sliding, [found], width, last=turn == rounds)[0]
    return found


def _round(
    hunt: Hunt,
    sliding: list[Setting],
    starts: list[Found],
    width: Mapping[str, float],
    *,
    last: bool,
) -> list[Found]:
    """For each start the best of a finer grid about it, or the start itself; `width`: how far that
    grid reaches.
    """
    count = _AROUND[len(sliding)]
    grids = []
    for start in starts:
        settings = start.settings
        finer = {
            s.name: _around(s, settings[s.name], width[s.name], count, last, hunt.aim)
            for s in sliding
        }
        grids.append(
            {
                name: np.array([value])
                for name, value in settings.items()
                if name not in hunt.given
            }
            | finer
        )
    better = _best_of_each(hunt, grids)
    slack = TAPE_COST if last else 0.0
    return [
        new
        if new is not None and new.worth >= old.worth - slack and new.mats >= old.mats
        else old
        for old, new in zip(starts, better, strict=True)
    ]


def _around(
    setting: Setting, best: float, step: float, count: int, last: bool, aim: Aim
) -> Floats:
    """Finer values about the best one; in the last round whole centimetres, as a tape reads, or
    whole degrees.
    """
    values = best + step * _EITHER_SIDE[count]
    if last:
        values = np.round(values, 2 if setting.is_length else 0)
    return allowed(in_range(values, setting), setting, aim.supports)


def _clearly_more(found: Found) -> float:
    """What settings off their usual values have to be worth."""
    return found.worth + USUAL_KEPT * abs(found.worth)


def _best(first: First, room: Room, more_than: float = -np.inf) -> list[Found]:
    """The best of the first cases that are worth more than that and, of several settings, also the
    best that is no neighbour of it.
    """
    out: list[Found] = []
    near = np.zeros(len(first.cases), dtype=np.bool_)
    while len(out) < (_STARTS if first.cases.shape[1] > 1 else 1):
        top = room.best(apart_from=near, more_than=more_than)
        if top is None:
            break
        out.append(found_at(top, first.values))
        reach = np.ptp(first.cases, axis=0) / 6 + 1e-9
        near |= (np.abs(first.cases - first.cases[top[0]]) <= reach).all(axis=1)
    return out


def _best_of_each(hunt: Hunt, grids: Sequence[Mapping[str, Floats]]) -> list[Found | None]:
    """The best of all combinations for each of several sets of grids over the same settings, folded
    together.
    """
    parts = [combined(list(g.values())) for g in grids]
    values = hunt.values(list(grids[0]), np.vstack(parts))
    room = Room.of(hunt, hunt.folded(values), values, FINE)
    ends = accumulate((len(part) for part in parts), initial=0)
    tops = [room.best(slice(a, b)) for a, b in pairwise(ends)]
    return [None if top is None else found_at(top, values) for top in tops]
