"""A plan's shelters as the sheets hang where they stand: what holds of it, and the plan made anew
where something does not.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.body import Body
from tarvik.core.held import ELSEWHERE
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.forms import closer
from tarvik.core.plan.make import Case, Made, key_of, stands_at, with_beds
from tarvik.core.site.placing import wind_in_frame
from tarvik.core.solve import Question
from tarvik.core.tonight import judge
from tarvik.work.cases import choices_of
from tarvik.work.hung_true import hung_true
from tarvik.work.lasting import lasting

if TYPE_CHECKING:
    from tarvik.core.plan.make import OfferKey, Place
    from tarvik.core.plan.offers import Offer
    from tarvik.store import plans
    from tarvik.work.report import Report
    from tarvik.work.solving import Solver

HUNG_ROUNDS: Final = 2
HUNG_SECONDS: Final = 10.0
"""A plan is made anew so often, and so long each time, with the beds that hold as sheets hang."""


class AsTheyHang(NamedTuple):
    """Choices with heights corrected as the sheets hang; the forms whose beds do not hold,
    with how many do; and places at which a shelter is stopped.
    """

    choices: list[plans.Choice]
    short: dict[OfferKey, int]
    stopped: set[Place]


class HungPlans:
    """Looks at plans as their sheets hang."""

    def __init__(self, solver: Solver) -> None:
        self._solver = solver

    def true_to_hang(
        self, case: Case, made: Made, report: Report
    ) -> tuple[Made, list[plans.Choice]]:
        """The plan with its choices as the sheets hang where they stand: heights corrected until
        the beds hold, and made anew, twice at the most, where a form beds fewer people than it does
        as folded, or does not hold in the wind that meets it there.
        """
        beds: dict[OfferKey, int] = {}
        stopped: set[Place] = set()
        for _ in range(HUNG_ROUNDS):
            choices, short, here = self.checked(case, made)
            if not (short or here) or not report.wanted:
                return made, choices
            beds |= short
            stopped |= here
            report.say(
                "planning again with the beds that hold as the sheets hang", at_once=True
            )
            # As long however long the plan took before, for beds come first.
            limits = lasting(HUNG_SECONDS, lambda: not report.wanted)
            made = with_beds(made, beds, stopped, limits)
        return made, self.checked(case, made)[0]

    def checked(self, case: Case, made: Made) -> AsTheyHang:
        """The plan's choices, their heights corrected until their beds hold as the sheets hang; the
        forms whose beds do not, with how many do; and the places at which a shelter is stopped.
        """
        tall = {c.number: c.stature_m for c in case.bag.campers}
        out, short, stopped = [], {}, set()
        for choice in choices_of(made.offers, made.chosen.beds):
            offer = next(o for o in made.offers if o.sheets == choice.sheets)
            bodies = tuple(Body(tall[p]) for p in choice.people)
            asked = replace(
                self.question(case, offer, len(bodies)),
                body=max(bodies, key=lambda body: body.stature_m),
                people=bodies,
            )
            settings, beds = hung_true(asked, case.night, len(bodies), self._solver.solve)
            out.append(replace(choice, settings=settings))
            if beds < len(bodies):
                short[key_of(offer)] = beds
            elif self._stopped(case, replace(asked, settings=settings), offer):
                stopped.add(stands_at(offer))
        return AsTheyHang(out, short, stopped)

    def _stopped(self, case: Case, asked: Question, offer: Offer) -> bool:
        """Whether something but its beds stops a shelter where it stands tonight, carried as the
        plan carries it.
        """
        high = len(asked.pitch.high_points())
        supports = asked.supports
        if offer.spot is not None:
            supports = supports.on_trees(len(offer.trees), high)
        found = self._solver.solve(replace(asked, supports=supports))
        return judge(found, case.night, asked.wanted or 1).stopped_besides(ELSEWHERE)

    def question(self, case: Case, offer: Offer, people: int) -> Question:
        """What an offer asks of the search, with so many people in it."""
        sheet = case.bag.cloth(offer.sheets)
        night = case.night
        wind = night.needs.wind_from_deg
        turned = offer.spot is not None and wind is not None
        from_deg = (
            wind_in_frame(wind, offer.spot.front_deg)
            if offer.spot is not None and wind is not None
            else 90.0
        )
        tall = max((c.stature_m for c in case.bag.campers), default=1.75)
        asked = Question(
            sheet=sheet,
            pitch=PITCHES[offer.pitch],
            settings=dict(offer.settings),
            body=Body(tall),
            intent=night.needs.wanted,
            supports=case.bag.supports,
            weather=night.needs.weather(from_deg),
            wanted=max(people, 1),
            lying=night.lying,
            free_to_turn=not turned,
            uphill_off_wind_deg=night.uphill_off_wind_deg,
            reached=night.own.reached,
            drawn=night.own.drawn,
        )
        return closer(asked) if offer.tight else asked
