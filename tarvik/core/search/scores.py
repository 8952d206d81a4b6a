"""What the room of many folded cases is worth to an objective."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.measure.kernel.quick import best_case, quick_areas
from tarvik.core.measure.mats import INNER_M
from tarvik.core.search.objective import MAT_FIRST, doors_worth, worth_of_room
from tarvik.core.sheet import TIE_OUT_REACH_M

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.search.batch import FoldedBatch
    from tarvik.core.search.problem import SearchProblem
    from tarvik.core.sheet import Sheet

BUTTON_FREE: Final = constant(
    "button_free", 0.8, "1", ENGINEERING, "worth of a crease that ends on tie-outs"
)
COARSE: Final = 5
"""Headings every 10 degrees."""
FINE: Final = 3
"""Headings every 6 degrees."""
_FINEST: Final = {COARSE: 0.2, FINE: 0.05}  # how finely areas under hollow roofs are taken
_ANYTHING: Final = -1e18  # less than any case that folds is worth


@dataclass(frozen=True, slots=True)
class BatchScores:
    """What the intent makes of many folded cases, their mats apart: `worth` (N,), -inf where a case
    does not fold.
    """

    folded: FoldedBatch
    problem: SearchProblem
    stride: int
    lid: np.ndarray
    dry: Floats
    worth: Floats

    @classmethod
    def of(
        cls,
        problem: SearchProblem,
        folded: FoldedBatch,
        values: Mapping[str, Floats],
        stride: int,
    ) -> BatchScores:
        objective = problem.objective
        out, lid = (
            np.full((len(folded.faces), 4), np.nan),
            np.zeros(len(folded.faces), dtype=np.int64),
        )
        if len(folded.corners):
            quick_areas(
                folded.faces,
                folded.corners,
                problem.sit,
                problem.stand,
                problem.rain[0],
                _FINEST[stride],
                out,
                lid,
            )
        else:  # a floor and nothing over it
            out[:] = 0.0
            out[:, 0] = folded.peak
        peak, dry, sits, stands = np.ascontiguousarray(
            out.T
        )  # else one case alone would have code of its own compiled
        room = worth_of_room(
            objective.intent,
            peak,
            dry,
            sits,
            stands,
            folded.floor,
            folded.open_m2,
            folded.slope_deg,
            objective.wanted or 1,
            objective.mat_m2(),
            problem.sit,
            objective.tall_m(),
        )
        room = room + BUTTON_FREE * _on_tie_outs(
            problem.fitting.pitch, problem.sheet, problem.fitting.box, values
        )
        room = room + doors_worth(
            objective.intent, problem.fitting.pitch, values, len(room)
        )
        return cls(
            folded, problem, stride, lid, dry, np.where(np.isnan(room), -np.inf, room)
        )

    def best(
        self,
        part: slice | None = None,
        apart_from: NDArray[np.bool_] | None = None,
        more_than: float = _ANYTHING,
    ) -> tuple[int, float, int] | None:
        """Number of the best case (of a part of them, or apart from some), its worth and its mats;
        None when none folds, or none is worth more than that.
        """
        worth = self.worth if part is None else self.worth[part]
        worth = worth if apart_from is None else np.where(apart_from, -np.inf, worth)
        order = np.argsort(-worth, kind="stable")
        order = order[np.isfinite(worth[order])] + (0 if part is None else part.start)
        if not len(order):
            return None
        problem, top, mats = self.problem, int(order[0]), 0
        if len(self.folded.corners):
            folded = self.folded
            top, mats = best_case(
                folded.faces,
                folded.corners,
                problem.heights,
                problem.boxes,
                problem.mat,
                self.stride,
                INNER_M,
                problem.mats,
                problem.rain[0],
                problem.rain[-1],
                self.lid,
                self.dry,
                self.worth,
                order,
                MAT_FIRST,
                more_than,
            )
            mats = min(mats, problem.mats)
        if top < 0 or self.worth[top] + MAT_FIRST * mats <= more_than:
            return None
        return int(top), float(self.worth[top] + MAT_FIRST * mats), int(mats)

    def of_others(self, problem: SearchProblem) -> BatchScores:
        """The same for a problem that weighs the room alike."""
        return replace(self, problem=problem)


def _on_tie_outs(
    pitch: Pitch, sheet: Sheet, box: tuple[float, float], values: Mapping[str, Floats]
) -> Floats:
    """1 where a crease across the sheet ends on tie-outs at both edges, 0 where it would take
    buttons.
    """
    out = np.zeros(len(values[pitch.settings[0].name]))
    ties = np.array(sheet.tie_outs or ()).reshape(-1, 2)
    for setting in pitch.settings:
        if not setting.folds_far_edge or not len(ties):
            continue
        for turned in (0, 1):
            across, along = (box[1], box[0]) if turned else box
            u, v = (ties[:, 1], ties[:, 0]) if turned else (ties[:, 0], ties[:, 1])
            near = np.abs(across - values[setting.name][:, None] - u) <= TIE_OUT_REACH_M
            both = (near & (np.abs(v) <= TIE_OUT_REACH_M)).any(1) & (
                near & (np.abs(v - along) <= TIE_OUT_REACH_M)
            ).any(1)
            out += both & ((values["turn"] > 0.5) == bool(turned))
    return out
