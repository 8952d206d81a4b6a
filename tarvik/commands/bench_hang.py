"""Speeds of the hung shape: two meshes, a general optimiser on the same energy in the same run, and
the demo's whole board.
"""

from __future__ import annotations

import statistics
import time
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from scipy.optimize import minimize

from tarvik.core.hang.hung import Hanging, Hung, hang, kept_mesh
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.units import Units
from tarvik.web.screens.board.view import judged_board
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.tonight import Night
    from tarvik.work.hanging import Hangings
    from tarvik.work.searching import Searcher

Measured = tuple[str, float, str, str, float, float | None]
"""Name, value, unit, which way is better, target, baseline."""


def _folded() -> tuple[Shelter, Rig]:
    solution = solve(
        Question(Sheet.rectangle(3.0, 3.0), PITCHES["plow-point"], {"height": 1.2})
    )
    if solution.shelter is None or solution.assessment.rig is None:
        raise ValueError("the corner pitch of the benchmark does not fold")
    return solution.shelter, solution.assessment.rig


def _hung(lines: int) -> Hung:
    """The folded sheet hung, its mesh made anew."""
    kept_mesh.cache_clear()
    return hang(*_folded(), Hanging(lines=lines))


def _median(lines: int, times: int) -> float:
    taken, folded = [], _folded()
    for _ in range(times):
        kept_mesh.cache_clear()
        start = time.perf_counter()
        hang(*folded, Hanging(lines=lines))
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def _general(lines: int) -> float:
    """SciPy's L-BFGS-B on the same energy and its gradient, both in the compiled kernels, to a pull
    of 1 mN left over.
    """
    found = _hung(lines)
    free = np.flatnonzero(~found.system.held)
    x = found.rest.x.copy()
    x[: len(found.mesh.uv)] = np.where(
        found.system.held[: len(found.mesh.uv), None],
        x[: len(found.mesh.uv)],
        found.mesh.xyz,
    )

    def value(flat: np.ndarray) -> tuple[float, np.ndarray]:
        x[free] = flat.reshape(-1, 3)
        return found.system.energy(x, found.load), -found.system.pulls(x, found.load)[
            free
        ].ravel()

    start = time.perf_counter()
    minimize(
        value,
        x[free].ravel(),
        jac=True,
        method="L-BFGS-B",
        options={
            "maxiter": 60_000,
            "maxfun": 80_000,
            "maxcor": 20,
            "ftol": 1e-15,
            "gtol": 1e-3,
        },
    )
    return time.perf_counter() - start


def measured() -> list[Measured]:
    """One shape on two meshes, and how many times faster than the general optimiser."""
    _hung(9)
    small, large, general = _median(17, 7), _median(25, 5), _general(17)
    return [
        ("hang_9_ms", _median(9, 15) * 1e3, "ms", "lower", 5.0, None),
        ("hang_13_ms", _median(13, 15) * 1e3, "ms", "lower", 15.0, None),
        ("hang_17_s", small, "s", "lower", 0.3, None),
        ("hang_25_s", large, "s", "lower", 0.8, None),
        (
            "hang_times_faster_than_optimiser",
            general / small,
            "times",
            "higher",
            10.0,
            None,
        ),
    ]


def board(
    hangings: Hangings,
    searcher: Searcher,
    asked: Sequence[Question],
    night: Night,
) -> list[Measured]:
    """The demo's board from nothing, searched, hung and judged; then once more with one sheet of
    another size.
    """
    solver = Solver(searcher)

    def taken(asked: Sequence[Question]) -> float:
        start = time.perf_counter()
        judged_board(solver, hangings, asked, night, 1, Units.METRIC)
        return time.perf_counter() - start

    cold = taken(asked)
    other = Sheet.rectangle(2.83, 3.17)
    changed = [
        replace(q, sheet=other) if n < len(PITCHES) else q for n, q in enumerate(asked)
    ]
    return [
        ("board_16_all_hung_cold_s", cold, "s", "lower", 6.0, None),
        ("board_one_sheet_changed_hung_s", taken(changed), "s", "lower", 0.6, None),
    ]
