"""What every job of a worker has at hand: the database, the solver, what was gathered before."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from tarvik.core.errors import InputError
from tarvik.core.finding import Level
from tarvik.core.plan.gather import standing_offers
from tarvik.core.plan.make import Case, Offers, asked
from tarvik.core.plan.model import PlanModel, plan_model
from tarvik.core.site.falling_wood import falling_wood
from tarvik.core.site.open_ground import open_ground
from tarvik.core.units import Units
from tarvik.store import asks, courses, night_plan
from tarvik.store.nights import needs_of
from tarvik.work.cases import case_of
from tarvik.work.hung_plan import HungPlans
from tarvik.work.lasting import lasting

if TYPE_CHECKING:
    from tarvik.core.plan.choose import Limits
    from tarvik.core.plan.offers import Offer
    from tarvik.store.database import Database
    from tarvik.work.report import Report
    from tarvik.work.solving import Solver


class StandingPlan(NamedTuple):
    """What stands, in the model of all offers: the model, chosen offers, beds, and the
    offers.
    """

    model: PlanModel
    chosen: list[int]
    beds: dict[int, tuple[int, ...] | None]
    offers: list[Offer]


class Desk:
    """Keeps solved shelters and gathered offers for the next job. Not for many threads at once."""

    def __init__(self, database: Database, solver: Solver) -> None:
        self.database, self.solver = database, solver
        self.offers = Offers()
        self.hung = HungPlans(solver)

    def case(
        self, course_id: int, night_id: int, *, few_moves: bool = False
    ) -> tuple[Case, int]:
        """A night's case, and for how long its plan may be sought, s."""
        with self.database.session() as session:
            seconds = asks.asked_of(night_plan.of_night(session, night_id))["seconds"]
            return case_of(session, course_id, night_id, few_moves=few_moves), int(seconds)

    def stop_at_a_bad_place(self, night_id: int) -> None:
        """Raises InputError where nobody is given a bed at this place tonight."""
        with self.database.session() as session:
            night = courses.night_by_id(session, night_id)
            units = Units(courses.course(session, night.course_id).units)
            needs = needs_of(night)
        wood, bare = falling_wood(needs, units), open_ground(needs)
        if wood is not None and wood.level is Level.STOPS:
            words = f"{wood.message}: {wood.remedy}, and tick it on the plan for tonight"
            raise InputError("place", words)
        if bare is not None:
            words = f"{bare.message}: {bare.remedy}. Then say on the night's page what stands round"
            raise InputError("place", words)

    def limits(self, report: Report, seconds: float) -> Limits:
        """So many seconds from now, while the job is wanted."""
        return lasting(seconds, report.stop)

    def standing(self, case: Case) -> StandingPlan:
        """What stands, in the model of all offers."""
        stood = standing_offers(
            case.bag, case.night, case.camp, case.standing, self.solver.solve_all
        )
        known = self.offers.of(case, self.solver.solve_all, lambda: False, lambda _: None)
        model = plan_model(asked(case, [*stood, *known]))
        place: dict[tuple[int, ...], int] = {}
        for n, offer in enumerate(stood):
            place.setdefault(offer.sheets, n)
        beds: dict[int, tuple[int, ...] | None] = {
            c.number: None for c in model.asked.campers
        }
        for standing in case.standing:
            if standing.sheets in place:
                beds.update({p: standing.sheets for p in standing.people if p in beds})
        return StandingPlan(model, list(place.values()), beds, stood)
