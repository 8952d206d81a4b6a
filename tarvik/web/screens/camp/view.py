"""What stands on the camp sheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.cards import CAUTIONS, WALK_ROUND
from tarvik.core.finding import Finding, Level
from tarvik.core.loads.gale import Gale
from tarvik.core.measure.figures import Figures
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Pitch
from tarvik.core.plan.kit_use import Total, left_after, totals
from tarvik.core.rig.carried import Line, Rig
from tarvik.core.rig.supports import Supports
from tarvik.core.rig.verdict import Reason, assess
from tarvik.core.site.things import Ground
from tarvik.core.solve import Solution
from tarvik.core.units import Units
from tarvik.core.weather.needs import Proposal, propose
from tarvik.core.weather.sun import Evening
from tarvik.store import kit, nights, plans
from tarvik.store.models import Course, Night, Person, ShelterRow
from tarvik.web.drawing import views
from tarvik.web.drawing.ground_map import fitting_scale, ruled_mm
from tarvik.web.drawing.rose import side_words
from tarvik.web.shared.judged import Judge, Judged, carried_so
from tarvik.web.shared.night_words import OfThePlace, of_the_place, weather_words
from tarvik.web.shared.questions import cloth_words, front_to
from tarvik.web.shared.shelters_map import camp_of
from tarvik.web.shared.standing import at_hand, ground_of, judge_of

PAPER_MM = 178.0
"""Width of a page between its margins."""
MAP_SCALES = (50, 100, 200, 500, 1000)


@dataclass(frozen=True, slots=True)
class Pitched:
    """What a card tells of a shelter that folds. `front_to`: bearing of its front, `side` onto
    which the wind then comes; `mats`: who lies on which; `verdict` with the kit that is left.
    """

    figures: Figures
    rig: Rig | None
    verdict: str
    findings: list[Finding]
    out_of_room: list[str]
    side: str
    front_to: float | None
    gale: Gale | None
    plan: str
    flat: str
    steps: list[cards.CardStep]
    where: str
    mats: list[tuple[int, str]]
    lines: list[tuple[str, Line]]


@dataclass(frozen=True, slots=True)
class SetUpCard:
    """A shelter's card; `pitched` is None where the sheet makes no such pitch, and `reasons` say
    why.
    """

    judged: Judged
    people: list[Person]
    cloth: str
    reasons: list[tuple[Reason, str]]
    pitched: Pitched | None

    @property
    def number(self) -> int:
        """Its number on the plan, the map and the camp sheet."""
        return self.judged.number

    @property
    def row(self) -> ShelterRow:
        """Its row."""
        return self.judged.row

    @property
    def solution(self) -> Solution:
        """The shelter as it hangs."""
        return self.judged.solution

    @property
    def pitch(self) -> Pitch:
        """Its pitch."""
        return PITCHES[self.row.pitch]

    @property
    def whose(self) -> str:
        """Whose body its spans and heights are measured with."""
        return self.judged.whose


def shelter_cards(judge: Judge, shelters: list[Judged], ground: Ground | None) -> list[SetUpCard]:
    """A card for each shelter. The kit is handed out in order, so that what is short shows at the
    shelter that lacks it. `ground`: that of the night, where it is mapped.
    """
    left = judge.supports
    out = []
    for judged in shelters:
        card = _card(judge, judged, left, ground)
        out.append(card)
        if card.pitched is not None and card.pitched.rig is not None:
            left = left_after(left, card.pitched.rig)
    return out


def _card(judge: Judge, judged: Judged, left: Supports, ground: Ground | None) -> SetUpCard:
    """One card, the shelter rigged from the kit that is left."""
    units, row, solution = judge.units, judged.row, judged.solution
    people, body = plans.sleepers(row), solution.question.body
    cloth, told = cloth_words(row, units), list(solution.assessment.reasons)
    shelter, figures = solution.shelter, solution.figures
    if shelter is None or figures is None:
        return SetUpCard(judged, people, cloth, [(r, r.text(units)) for r in told], None)
    assessment = assess(shelter, carried_so(left, row))
    rig = assessment.rig
    notes = [r for r in told if not r.blocks and r.code == "no_mat_fits"]
    reasons = [(r, r.text(units)) for r in (*assessment.reasons, *notes)]
    out_of_room = [p.name for i, p in enumerate(people) if i not in figures.who]
    own = figures.weather.wind_from_deg
    asked = solution.question.supports
    names = cards.marks(shelter)
    pitched = Pitched(
        figures=figures,
        rig=rig,
        verdict=assessment.verdict.value,
        findings=[f for f in judged.findings if f.code != "nobody_fits" and f.level > Level.NOTE],
        out_of_room=out_of_room if figures.sleepers else [],
        side=side_words(own),
        front_to=front_to(judge.night, own),
        gale=judged.tonight.gale,
        plan=views.plan(shelter, figures, rig, body, units, asked.in_the_way),
        flat=views.flat_sheet(shelter, rig, units),
        steps=cards.steps(shelter, rig, units, body, asked.house, judged.whose),
        where=judged.where(ground),
        mats=[
            (number, people[who].name.split()[0])
            for number, who in enumerate(figures.who, start=1)
            if who < len(people)
        ],
        lines=[(names.get(x.start, x.start), x) for x in rig.lines] if rig else [],
    )
    return SetUpCard(judged, people, cloth, reasons, pitched)


@dataclass(frozen=True, slots=True)
class CampView:
    """The camp sheet. `seen`: the night's last change, so that a removal is of what was seen;
    `map` is drawn at 1:`scale`.
    """

    course: Course
    night: Night
    place: OfThePlace
    cards: list[SetUpCard]
    people: list[tuple[Person, SetUpCard | None]]
    totals: list[Total]
    map: str | None
    scale: int
    weather: str
    evening: Evening | None
    proposal: Proposal
    undo: str | None
    seen: int
    tab: str = "camp"
    cautions: Sequence[str] = CAUTIONS
    walk_round: Sequence[str] = WALK_ROUND


def camp_view(request: Request, session: Session, course: Course, night: Night) -> CampView:
    """Everything on the camp sheet."""
    units, tonight = Units(course.units), nights.night_of(session, course, night)
    judge = judge_of(request, session, course, tonight)
    rows = list(plans.shelters(session, night.id))
    made = shelter_cards(judge, judge.each(rows), ground_of(session, night.site_id))
    placed = any(row.spot for row in rows)
    drawing = camp_of(request, session, course, night).map if placed else None
    scale = fitting_scale(drawing, PAPER_MM, MAP_SCALES) if drawing else 0
    where = {p.id: card for card in made for p in card.people}
    rigs = [c.pitched.rig for c in made if c.pitched is not None and c.pitched.rig is not None]
    step = plans.last_step(session, night)
    return CampView(
        course=course,
        night=night,
        place=of_the_place(tonight.needs, units),
        cards=made,
        people=[(p, where.get(p.id)) for p in kit.rows(session, course.id, "people")],
        totals=totals(rigs, at_hand(session, course.id, night.site_id)),
        map=ruled_mm(drawing, scale) if drawing else None,
        scale=scale,
        weather=weather_words(tonight.needs, units),
        evening=tonight.needs.evening,
        proposal=propose(tonight.needs, units),
        undo=step.what if step else None,
        seen=step.id if step else 0,
    )
