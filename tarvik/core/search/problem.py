"""A search problem: what is looked for, and what of it is the same for every case."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.measure.figures import sitting_height, standing_height
from tarvik.core.measure.kernel.mats import MOST_MATS
from tarvik.core.search.batch import FoldedBatch, values_of
from tarvik.core.search.grid import combined, usual_value
from tarvik.core.weather.rain import fall_directions

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.fitting import Fitting
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.search.objective import Objective
    from tarvik.core.sheet import Sheet

NAMED_STEPS: Final = 13
"""Values of a setting at which it is looked whether a pitch can be what its name says."""
_FEW: Final = 2
_SOME_WINDS: Final = 3
"""The wind, and both ends of its spread."""
_MANY_WINDS: Final = 9
"""Between them the rain wets a few millimetres more at most."""


@dataclass(frozen=True, slots=True)
class SearchProblem:
    """What is looked for, and what of it is the same for every case: `given` settings stay, the
    others stand at their `usual` values unless searched; `stand` is out of reach where nobody
    weighs it; `rain`: as `rain_to_tell` has it, each (K, 2); `mats` of such `boxes` and length and
    width `mat` are enough. `named`: only what the pitch is by its name is looked at, as what is
    given by hand leaves room for that.
    """

    fitting: Fitting
    sheet: Sheet
    objective: Objective
    given: Mapping[str, float]
    sit: float
    stand: float
    rain: tuple[Floats, ...]
    heights: Floats
    boxes: Floats
    mat: Floats
    mats: int
    usual: Mapping[str, float]
    named: bool

    @classmethod
    def of(
        cls,
        fitting: Fitting,
        sheet: Sheet,
        objective: Objective,
        given: Mapping[str, float],
    ) -> SearchProblem:
        body, clearance = objective.body, objective.clearance
        return cls(
            fitting,
            sheet,
            objective,
            given,
            sitting_height(body),
            standing_height(body) if objective.intent.stand else np.inf,
            rain_to_tell(fall_directions(objective.weather)),
            np.array(clearance.heights()),
            clearance.boxes(body.stature_m),
            np.array([clearance.mat_length(body.stature_m), clearance.mat_width_m]),
            objective.wanted or MOST_MATS,
            {s.name: usual_value(s, objective.supports) for s in fitting.pitch.settings},
            _can_be_named(fitting, given),
        )

    def for_one_shorter(self, stature_m: float) -> SearchProblem:
        """The same for one sleeper of that stature; the room is weighed as for those who were to
        lie there.
        """
        clearance = self.objective.clearance
        mat = np.array([clearance.mat_length(stature_m), clearance.mat_width_m])
        return replace(self, boxes=clearance.boxes(stature_m), mat=mat, mats=1)

    @property
    def airy(self) -> bool:
        """Whether anybody weighs the openings."""
        return self.objective.intent.air != 0

    @property
    def sloped(self) -> bool:
        """Whether anybody weighs how steep the roof is."""
        return self.objective.intent.flat != 0

    @property
    def calm(self) -> bool:
        """Whether the rain falls straight down."""
        return len(self.rain[-1]) == 1

    @property
    def of_own_stature(self) -> bool:
        """Whether it is for people of the body's stature, not for somebody shorter."""
        return float(self.mat[0]) == self.objective.clearance.mat_length(
            self.objective.body.stature_m
        )

    @property
    def few(self) -> bool:
        """Whether so few are wanted that coarse headings find room for them."""
        return self.mats <= _FEW

    def values(self, names: Sequence[str], cases: Floats) -> dict[str, Floats]:
        """Every setting of the pitch (N,): those of the `cases` (N, names), those given, or their
        defaults.
        """
        return values_of(names, cases, self.still(names))

    def still(self, names: Sequence[str]) -> dict[str, float]:
        """The values of the settings but those names."""
        return {
            name: self.given.get(name, value)
            for name, value in self.usual.items()
            if name not in names
        }

    def folded(self, values: Mapping[str, Floats]) -> FoldedBatch:
        """The sheet folded at these settings."""
        return FoldedBatch.folded(
            self.fitting.pitch,
            self.fitting.box,
            values,
            airy=self.airy,
            sloped=self.sloped,
            named=self.named,
        )


def _can_be_named(fitting: Fitting, given: Mapping[str, float]) -> bool:
    """Whether with the given settings the pitch can be what its name says."""
    pitch = fitting.pitch
    if pitch.named is None:
        return False
    grids = [
        np.array([given[s.name]])
        if s.name in given
        else np.linspace(
            s.least, s.most, int(s.most - s.least) + 1 if s.is_choice else NAMED_STEPS
        )
        for s in pitch.settings
    ]
    values = values_of([s.name for s in pitch.settings], combined(grids), {})
    return bool(pitch.named(fitting.box, values).any())


def rain_to_tell(falls: Floats) -> tuple[Floats, ...]:
    """Little of the rain (K, 2), most of it and all of it: each tells sooner where the next is
    worth trying. In calm all.
    """
    fewer = (
        _spread(falls, winds)
        for winds in (_SOME_WINDS, _MANY_WINDS)
        if winds < len(falls) - 1
    )
    return (*fewer, falls)


def _spread(falls: Floats, winds: int) -> Floats:
    """Of all falls the calm one, and so many winds evenly from one end of the spread to the
    other.
    """
    return np.asarray(
        falls[np.append(0, np.rint(np.linspace(1, len(falls) - 1, winds)).astype(np.intp))]
    )
