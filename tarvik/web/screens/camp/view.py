"""What stands on the camp sheet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.cards import CAUTIONS, SHORT_CAUTIONS, WALK_ROUND
from tarvik.core.finding import Finding, Level
from tarvik.core.loads.gale import Gale
from tarvik.core.measure.figures import Figures
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Pitch
from tarvik.core.pitches.move import Move
from tarvik.core.plan.kit_use import Total, left_after, totals
from tarvik.core.rig.carried import Line, Rig
from tarvik.core.rig.supports import Supports
from tarvik.core.rig.verdict import Reason, assess
from tarvik.core.site.things import Ground
from tarvik.core.solve import Solution
from tarvik.core.units import Units
from tarvik.core.weather.needs import Proposal, propose
from tarvik.core.weather.sun import Evening
from tarvik.store import asks, kit, night_plan, nights, plans
from tarvik.store.models import Course, Night, Person, ShelterRow
from tarvik.web.drawing.lanes import clock
from tarvik.web.drawing.rose import side_words
from tarvik.web.drawing.stake_out import from_above, laid_flat, standing
from tarvik.web.screens.camp.half_page import LEAST_MM, drawn_mm
from tarvik.web.shared.judged import Judge, Judged, carried_so
from tarvik.web.shared.night_words import OfThePlace, of_the_place, weather_words
from tarvik.web.shared.questions import cloth_words, front_to
from tarvik.web.shared.shelters_map import camp_of
from tarvik.web.shared.standing import at_hand, ground_of, judge_of

MAP_MM = (108.0, 112.0)
"""How wide and high the camp's map may be on its page, beside the beds."""
LARGE_MAP_MM = (179.0, 150.0)
"""The same where no tasks of the evening stand under it."""


@dataclass(frozen=True, slots=True)
class Pitched:
    """What a card tells of a shelter that folds. `front_to`: bearing of its front, `side` onto
    which the wind then comes; `mats`: who lies on which; `verdict` with the kit that is left;
    `stands`, `above`, `flat`: drawings of it standing, staked out and laid flat; `storm`: what it
    is turned into when the wind rises.
    """

    figures: Figures
    rig: Rig | None
    verdict: str
    findings: list[Finding]
    out_of_room: list[str]
    side: str
    front_to: float | None
    gale: Gale | None
    flat: str
    steps: list[cards.CardStep]
    where: str
    mats: list[tuple[int, str]]
    lines: list[tuple[str, Line]]
    stands: str
    above: str
    storm: Move | None

    @property
    def other_lines(self) -> list[tuple[str, Line]]:
        """Cords that the step about the supports does not tell."""
        told = {s.point for s in self.rig.supports} if self.rig is not None else set()
        return [(mark, line) for mark, line in self.lines if line.start not in told]


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
    def first_names(self) -> list[str]:
        """First names of who sleeps there."""
        return [person.name.split()[0] for person in self.people]

    @property
    def drawn_mm(self) -> int:
        """How high its drawings are printed: they take the room that its words leave."""
        told = self.pitched
        if told is None:
            return LEAST_MM
        reasons = [f"{text} {r.remedy or ''}" for r, text in self.reasons]
        reasons += [f"{f.message} {f.remedy or ''}" for f in told.findings]
        lines = " ".join(
            f"{mark} {line.purpose} 0.00 m," for mark, line in told.other_lines
        )
        faults = " ".join(self.pitch.faults)
        storm = (
            told.storm.title
            if told.storm is not None
            else "this pitch is as low as it goes"
        )
        mats = " ".join(name for _, name in told.mats)
        foot = [
            lines + mats,
            f"Before force 10 (estimate): {storm} {faults} If it goes wrong:",
        ]
        out = [f"no dry room for {', '.join(told.out_of_room)}"] if told.out_of_room else []
        where = f"{told.where} Turn it: front to NNE (000°), wind onto {told.side}"
        return drawn_mm([where, *reasons, *out, *foot], [step.text for step in told.steps])

    @property
    def whose(self) -> str:
        """Whose body its spans and heights are measured with."""
        return self.judged.whose


def shelter_cards(
    judge: Judge, shelters: list[Judged], ground: Ground | None
) -> list[SetUpCard]:
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
    mats = [
        (number, people[who].name.split()[0])
        for number, who in enumerate(figures.who, start=1)
        if who < len(people)
    ]
    trees = _trees(row, rig)
    pitched = Pitched(
        figures=figures,
        rig=rig,
        verdict=assessment.verdict.value,
        findings=[
            f for f in judged.findings if f.code != "nobody_fits" and f.level > Level.NOTE
        ],
        out_of_room=out_of_room if figures.sleepers else [],
        side=side_words(own),
        front_to=front_to(judge.night, own),
        gale=judged.tonight.gale,
        flat=laid_flat(shelter, rig, units),
        steps=cards.in_few(
            cards.steps(shelter, rig, units, body, asked.house, judged.whose)
        ),
        where=judged.where(ground),
        mats=mats,
        stands=standing(shelter, figures, rig),
        above=from_above(shelter, figures, rig, body, units, trees, mats),
        storm=solution.question.pitch.moves[0] if solution.question.pitch.moves else None,
        lines=[(names.get(x.start, x.start), x) for x in rig.lines] if rig else [],
    )
    return SetUpCard(judged, people, cloth, reasons, pitched)


def _trees(row: ShelterRow, rig: Rig | None) -> dict[str, str]:
    """Names of the trees that carry a shelter, by the point each carries: in the order in which
    they were given to it.
    """
    names = list((row.spot or {}).get("trees", ()))
    carried = [s.point for s in rig.supports if s.kind == "tree"] if rig is not None else []
    return dict(zip(carried, names, strict=False))


@dataclass(frozen=True, slots=True)
class Paper:
    """What is printed, and how: the page's size as styles name it, its letters, whether the page
    with the whole evening and the cards are on it, and which shelters' cards: all where `only` is
    empty. `pocket`: small cards, each a page by itself.
    """

    size: str = "A4"
    large: bool = False
    glance: bool = True
    cards: bool = True
    pocket: bool = False
    only: frozenset[int] = frozenset()


USUAL_PAPER = Paper()


@dataclass(frozen=True, slots=True)
class Doing:
    """A task of the evening: when, which shelter, what, and who does it."""

    at: str
    shelter: int
    what: str
    who: str


@dataclass(frozen=True, slots=True)
class CampView:
    """The camp sheet. `seen`: the night's last change, so that a removal is of what was seen;
    `map` is drawn at 1:`scale`; `doings` is empty where no evening was planned; `unplaced` have no
    shelter; `first_change`: when the first shelter must be changed, in words.
    """

    course: Course
    night: Night
    place: OfThePlace
    cards: list[SetUpCard]
    unplaced: list[Person]
    totals: list[Total]
    map: str | None
    scale: int
    doings: list[Doing]
    first_change: str
    weather: str
    evening: Evening | None
    proposal: Proposal
    undo: str | None
    seen: int
    paper: Paper
    tab: str = "camp"
    short_cautions: Sequence[str] = SHORT_CAUTIONS
    cautions: Sequence[str] = CAUTIONS
    walk_round: Sequence[str] = WALK_ROUND


def camp_view(
    request: Request,
    session: Session,
    course: Course,
    night: Night,
    paper: Paper = USUAL_PAPER,
) -> CampView:
    """Everything on the camp sheet."""
    units, tonight = Units(course.units), nights.night_of(session, course, night)
    judge = judge_of(request, session, course, tonight, night.id)
    rows = list(plans.shelters(session, night.id))
    made = shelter_cards(judge, judge.each(rows), ground_of(session, night.site_id))
    placed = any(row.spot for row in rows)
    people = list(kit.rows(session, course.id, "people"))
    slept = {p.id for card in made for p in card.people}
    rigs = [
        c.pitched.rig for c in made if c.pitched is not None and c.pitched.rig is not None
    ]
    gales = [c.pitched.gale for c in made if c.pitched and c.pitched.gale]
    weakest = min(gales, key=lambda gale: gale.move_at_m_s, default=None)
    step = plans.last_step(session, night)
    doings = _doings(session, night, {p.id: p.name for p in people})
    drawn = None
    if placed:
        room = MAP_MM if doings else LARGE_MAP_MM
        drawn = camp_of(request, session, course, night).paper_map(*room)
    return CampView(
        course=course,
        night=night,
        place=of_the_place(tonight.needs, units),
        cards=made,
        unplaced=[
            p for p in people if p.id not in slept | asks.absent(session, night.id).people
        ],
        totals=totals(rigs, at_hand(session, course.id, night)),
        map=drawn[0] if drawn else None,
        scale=drawn[1] if drawn else 0,
        doings=doings,
        first_change=weakest.change_when if weakest else "",
        weather=weather_words(tonight.needs, units),
        evening=tonight.needs.evening,
        proposal=propose(tonight.needs, units),
        undo=step.what if step else None,
        seen=step.id if step else 0,
        paper=paper,
    )


def _doings(session: Session, night: Night, names: Mapping[int, str]) -> list[Doing]:
    """The evening's tasks in their order, where one was planned for the shelters that are."""
    found = (night_plan.of_night(session, night.id).found or {}).get("evening")
    if not found or found.get("step") != plans.current_step(session, night):
        return []
    return [
        Doing(
            clock(found["on"], task["start"]),
            task["shelter"],
            task["stage"],
            ", ".join(names.get(p, "?").split()[0] for p in task["who"]),
        )
        for task in sorted(found["tasks"], key=lambda t: (t["start"], t["shelter"]))
    ]
