"""A small plan made before the first is asked for, so that the leader who asks first waits for no
loading.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.plan.camps import Camp
from tarvik.core.plan.gather import Bag, InBag
from tarvik.core.plan.make import Case, make
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tarvik.core.plan.party import Camper
from tarvik.core.rig.supports import Pole, Supports
from tarvik.core.sheet import Sheet
from tarvik.core.site.hazards import hazards
from tarvik.core.site.things import Ground, Kind, Thing
from tarvik.core.tonight import Night
from tarvik.core.weather.needs import NightNeeds

if TYPE_CHECKING:
    from tarvik.work.solving import Solver

SIDES_M: Final = (2.2, 2.7, 3.0, 3.4)
TREES_M: Final = ((0.0, 0.0), (4.2, 0.5), (9.0, 0.0), (0.5, 8.5), (5.0, 9.0), (12.0, 6.0))
WIND_FROM_DEG: Final = 230.0


def small_case() -> Case:
    """Four people with a sheet each among six trees, in wind and rain: all that a plan's making
    calls is called.
    """
    campers = tuple(
        Camper(n, f"Person {n}", 1.6 + 0.1 * n, leader=n == 1) for n in range(1, 5)
    )
    sheets = tuple(
        InBag(n, Sheet.rectangle(side, side), n) for n, side in enumerate(SIDES_M, start=1)
    )
    poles = tuple(Pole(1.05, 1.45) for _ in range(2))
    pools = (Pool(STAKE, 40), Pool(POLE, len(poles), 1.05, 1.45), Pool(LINE, 8, 0.0, 6.0))
    ground = Ground(
        tuple(Thing(f"t{n}", Kind.TREE, at, 0.25) for n, at in enumerate(TREES_M))
    )
    needs = NightNeeds(rain_mm_h=3.0, wind_m_s=6.0, wind_from_deg=WIND_FROM_DEG)
    camp = Camp(
        ground,
        tuple(hazards(ground, wind_from_deg=WIND_FROM_DEG)),
        wind_from_deg=WIND_FROM_DEG,
        longest_line_m=12.0,
    )
    return Case(Bag(sheets, campers, Supports((), poles), pools), Night(needs), camp)


def first_plan(solver: Solver) -> None:
    """Make that plan with the solver's own hands and those of the other process, and forget it."""
    make(small_case(), solver.alone, elsewhere=solver.elsewhere)
    solver.forget()
