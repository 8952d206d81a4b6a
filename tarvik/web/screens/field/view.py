"""What a leader's phone shows in the field."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.as_it_stands import AsItStands, as_measured, measurable, planned_m
from tarvik.core.errors import InputError
from tarvik.core.measure.grades import fits
from tarvik.core.plain import JsonObject
from tarvik.core.shelter import Shelter
from tarvik.core.units import Units, format_length, parse_length
from tarvik.core.usual_steps import Step, usual_steps
from tarvik.core.walk_round import checks
from tarvik.core.weather.wind import beaufort
from tarvik.exchange.log_form import PlannedKept
from tarvik.exchange.night_form import BY_NAME, shown
from tarvik.store import (
    asks,
    courses,
    field,
    ground,
    history,
    kit,
    night_plan,
    nights,
    plans,
)
from tarvik.store.accounts import Role
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Course, FieldEntry, Night, Person, ShelterRow, now
from tarvik.web.deps import who
from tarvik.web.drawing.rose import side_words
from tarvik.web.drawing.wet_map import beds, footprint, wet_map
from tarvik.web.screens.board.view import FIRST_ASKED
from tarvik.web.screens.camp.view import CampView, SetUpCard, camp_view
from tarvik.web.screens.field.put_right import TreeShown, place_words, trees_shown
from tarvik.web.shared.as_hung import seen
from tarvik.web.shared.judged import Judge
from tarvik.web.shared.standing import judge_of
from tarvik.web.shipped import version
from tarvik.web.state import STATIC

FELT: Final = ("wind_m_s", "gust_m_s", "wind_from_deg", "rain_mm_h")
"""Fields of the weather that are put right from what is felt."""


@dataclass(frozen=True, slots=True)
class CheckShown:
    """A check with its last word: `state` "ok", "wrong" or empty; who said it, and when."""

    code: str
    words: str
    state: str
    by: str
    at: datetime | None


@dataclass(frozen=True, slots=True)
class Measure:
    """Something that can be measured: its name in addresses, in words, and as planned."""

    what: str
    words: str
    planned: str


@dataclass(frozen=True, slots=True)
class FieldCard:
    """A shelter with its checks, what was noted of it, what can be measured on it, its ground seen
    from above with the wet places of its log, and its place on the map in words.
    """

    card: SetUpCard
    checks: tuple[CheckShown, ...]
    notes: tuple[FieldEntry, ...]
    measures: tuple[Measure, ...]
    logged: FieldEntry | None = None
    wet_map: str = ""
    place: str = ""

    @property
    def done(self) -> int:
        """How many checks are ticked."""
        return sum(check.state == "ok" for check in self.checks)

    @property
    def wrong(self) -> int:
        """How many are not right."""
        return sum(check.state == "wrong" for check in self.checks)


@dataclass(frozen=True, slots=True)
class Felt:
    """A field of the weather as it is kept."""

    name: str
    title: str
    text: str


@dataclass(frozen=True, slots=True)
class FieldView:
    """The screen. `pages`: what the phone keeps, with the `parts` they are made of; `slow`: more of
    it, kept anew only when something of the course was changed, which `as_of` tells; `at`: when
    this was made.
    """

    camp: CampView
    course: Course
    night: Night
    shelters: tuple[FieldCard, ...]
    felt: tuple[Felt, ...]
    version: int
    late: tuple[tuple[Person, int], ...]
    trees: tuple[TreeShown, ...]
    pages: tuple[str, ...]
    parts: tuple[str, ...]
    slow: tuple[str, ...]
    as_of: str
    at: datetime
    may_pack: bool
    tab: str = "field"


def field_view(
    request: Request, session: Session, course: Course, night: Night
) -> FieldView:
    """Everything on the screen."""
    units = Units(course.units)
    camp = camp_view(request, session, course, night)
    said = field.entries(session, night.id)
    needs = nights.needs_of(night)
    text = shown(needs, units)
    late = asks.asked_of(night_plan.of_night(session, night.id))["evening"]["late"]
    shelters = tuple(_field_card(card, said, night, units) for card in camp.cards)
    base = f"/courses/{course.id}/nights"
    here = f"{base}/{night.id}"
    pages = [f"{here}/{page}" for page in ("field", "camp", "plan", "weather", "ground")]
    pages += [f"{base}/{night.id}/field/steps/{s.card.row.sheet_id}" for s in shelters]
    return FieldView(
        camp=camp,
        course=course,
        night=night,
        shelters=shelters,
        felt=tuple(Felt(name, BY_NAME[name].title, text[name]) for name in FELT),
        version=night.version,
        late=tuple(
            (person, int(late.get(str(person.id), 0)))
            for person in kit.rows(session, course.id, "people")
        ),
        trees=_trees(session, night, camp, units),
        pages=tuple(pages),
        parts=_parts(),
        slow=(
            *(
                f"{base}/{n.id}/field"
                for n in courses.nights(session, course.id)
                if n.id != night.id
            ),
            f"{here}/board",
            *_board_rows(session, course, night, here),
        ),
        as_of=str(history.newest(session, course.id)),
        at=now(),
        may_pack=_is_leader(request),
    )


def _parts() -> tuple[str, ...]:
    """Scripts and styles of all screens: other kept pages use more of them than this one."""
    files = sorted(
        file
        for kind in ("app/*.js", "app/*.css", "vendor/*.js")
        for file in STATIC.glob(kind)
    )
    return tuple(
        f"/static/{version()}/{file.relative_to(STATIC).as_posix()}" for file in files
    )


def _trees(
    session: Session, night: Night, camp: CampView, units: Units
) -> tuple[TreeShown, ...]:
    if night.site_id is None:
        return ()
    rows = [card.row for card in camp.cards]
    return trees_shown(ground.items(session, night.site_id), rows, units)


def _board_rows(
    session: Session, course: Course, night: Night, here: str
) -> tuple[str, ...]:
    """Addresses of the board's rows, as the board asks for them at first."""
    away = asks.absent(session, night.id).sheets
    sheets = [s.id for s in kit.rows(session, course.id, "sheets") if s.id not in away]
    return tuple(f"{here}/board/cells?{FIRST_ASKED}&sheets={sheet}" for sheet in sheets)


def _is_leader(request: Request) -> bool:
    asker = who(request)
    return asker is not None and asker.role is not None and asker.role >= Role.LEADER


def _field_card(
    card: SetUpCard, said: Sequence[FieldEntry], night: Night, units: Units
) -> FieldCard:
    shelter = card.solution.shelter
    own = [e for e in said if e.sheet_id == card.row.sheet_id]
    if shelter is None or card.pitched is None:
        return FieldCard(card, (), (), ())
    of_pitch = [e for e in own if e.data.get("pitch") == card.row.pitch]
    last = field.checked(of_pitch)
    wanted = checks(
        shelter, card.pitched.rig, nights.needs_of(night), card.judged.tonight.remedies
    )
    shown_checks = []
    for check in wanted:
        entry = last.get((card.row.sheet_id, check.code))
        shown_checks.append(
            CheckShown(
                check.code,
                check.words,
                str(entry.data.get("state", "")) if entry else "",
                entry.by if entry else "",
                entry.said_at if entry else None,
            )
        )
    notes = tuple(e for e in own if e.kind == field.NOTE)
    told = {frozenset((d.a, d.b)) for d in cards.stake_out(shelter)}
    measures = [
        Measure(
            what,
            _measured_words(what),
            format_length(planned_m(shelter, what), units),
        )
        for what, points in measurable(shelter).items()
        if len(points) == 1 or frozenset(what.split("-")) in told
    ]
    logs = [e for e in own if e.kind == field.LOG]
    log = logs[-1] if logs else None
    figures = card.pitched.figures
    places = (
        [(float(x), float(y)) for x, y in (log.data.get("wet_at") or ())] if log else []
    )
    drawn = wet_map(
        footprint(figures),
        beds(figures),
        places,
        f"{card.pitch.name} from above: tap where it got wet",
    )
    place = place_words(card.row.spot, units)
    return FieldCard(card, tuple(shown_checks), notes, tuple(measures), log, drawn, place)


def _measured_words(what: str) -> str:
    """What is measured, in words: marks on the card, or one of them."""
    return what.replace("-", " to ") if "-" in what else f"height at {what}"


def shelter_of(session: Session, night: Night, sheet_id: int) -> tuple[ShelterRow, int]:
    """The shelter of a sheet on a night, and its number. Raises NotFoundError."""
    for number, row in enumerate(plans.shelters(session, night.id), start=1):
        if row.sheet_id == sheet_id:
            return row, number
    raise NotFoundError("this sheet is not pitched on this night any more")


def planned_of(
    request: Request,
    session: Session,
    course: Course,
    night: Night,
    sheet_id: int,
    span: str = "",
) -> JsonObject:
    """What was predicted of a shelter, to stand beside what its log says, and who lies there;
    `span`: the distance that was measured.
    """
    judge = judge_of(
        request, session, course, nights.night_of(session, course, night), night.id
    )
    row, number = shelter_of(session, night, sheet_id)
    judged = judge.of(row, number)
    figures, gale = judged.solution.figures, judged.tonight.gale
    holding, needs = judge.night.holding, judge.night.needs
    # Learned against the built-in values, whatever the course goes by: stakes, and the peak below.
    used = [holding.own * p.used for p in gale.parts if p.kind == "stake"] if gale else []
    planned = PlannedKept(
        peak_m=figures.peak_m / judge.night.own.reached if figures else None,
        minutes=judged.solution.question.pitch.minutes,
        stake_used=max(used, default=None),
        ground=holding.ground.slug,
        force=None if needs.wind_m_s is None else beaufort(needs.wind_m_s),
        rain_mm_h=needs.rain_mm_h,
        lowest_c=needs.lowest_c,
        rain_slope=figures.rain_slope if figures else None,
        span_m=_span_m(judged.solution.shelter, span),
        footprint=footprint(figures) if figures else (),
        mats=beds(figures) if figures else (),
    )
    return {
        "pitch": row.pitch,
        "people": [person.name for person in plans.sleepers(row)],
        "planned": planned.model_dump(mode="json"),
    }


def _span_m(shelter: Shelter | None, span: str) -> float | None:
    """What was planned of the distance that was measured; None where none of them is."""
    if shelter is None or span not in measurable(shelter):
        return None
    return planned_m(shelter, span)


@dataclass(frozen=True, slots=True)
class StepShown:
    """A step that may be taken, and what the shelter gives then. `change`: when to
    change pitch, empty where it holds whatever is forecast.
    """

    words: str
    peak: str
    fits: str
    dry_m2: float
    change: str
    stops: tuple[str, ...]


def steps_view(
    request: Request, session: Session, course: Course, night: Night, sheet_id: int
) -> list[StepShown]:
    """The usual steps of a shelter, each judged. Raises NotFoundError."""
    judge = judge_of(
        request, session, course, nights.night_of(session, course, night), night.id
    )
    row, _ = shelter_of(session, night, sheet_id)
    planned = judge.stands(row).solution
    asked = planned.question
    return [
        _step(judge, row, step, asked.weather.wind_from_deg)
        for step in usual_steps(asked, planned.settings)
    ]


def _step(judge: Judge, row: ShelterRow, step: Step, wind_deg: float) -> StepShown:
    solution = judge.solver.solve(step.question)
    shape = seen(judge.hangings, [solution])[0]
    tonight = judge.weighed(shape, len(row.members))
    figures = shape.solution.figures
    return StepShown(
        _step_words(step, judge.units, wind_deg),
        format_length(figures.peak_m, judge.units) if figures else "",
        fits(figures).words if figures else "",
        figures.dry_area_m2 if figures else 0.0,
        tonight.gale.change_when if tonight.gale else "",
        tuple(f.message for f in tonight.findings if f.code in tonight.stops),
    )


def _step_words(step: Step, units: Units, wind_deg: float) -> str:
    if step.lower_m:
        return f"{format_length(step.lower_m, units)} lower"
    if step.doors_shut:
        return "doors shut"
    if step.turned_deg:
        return f"wind onto {side_words((wind_deg + step.turned_deg) % 360)}"
    return "as planned"


@dataclass(frozen=True, slots=True)
class MeasuredView:
    """What follows from one measurement: what the plan has there, the stakes to move, and the room
    of the shelter as it stands once they are.
    """

    asked: str
    measured: str
    planned: str
    same: bool
    setting: str
    value: str
    moves: tuple[tuple[str, str], ...]
    peak: str
    fits: str
    stops: tuple[str, ...]
    units: str


def measured_view(
    request: Request,
    session: Session,
    course: Course,
    night: Night,
    sheet_id: int,
    what: str,
    text: str,
) -> MeasuredView:
    """What a measurement on a shelter tells. Raises InputError, NotFoundError."""
    units = Units(course.units)
    judge = judge_of(
        request, session, course, nights.night_of(session, course, night), night.id
    )
    row, _ = shelter_of(session, night, sheet_id)
    planned = judge.stands(row).solution
    if planned.shelter is None:
        raise InputError("what", "this shelter does not fold as it is planned")
    metres = parse_length(text, units, field="value")
    stands = as_measured(planned.shelter, what, metres, units)
    step = usual_steps(planned.question, stands.settings)[0]
    then = _step(judge, row, step, planned.question.weather.wind_from_deg)
    return MeasuredView(
        asked=_measured_words(what),
        measured=format_length(metres, units),
        planned=format_length(planned_m(planned.shelter, what), units),
        same=not stands.shifts and stands.settings == dict(planned.shelter.settings),
        setting=stands.what.label,
        value=stands.what.shown(stands.settings[stands.what.name], units),
        moves=_move_words(stands, units),
        peak=then.peak,
        fits=then.fits,
        stops=then.stops,
        units=course.units,
    )


def _move_words(stands: AsItStands, units: Units) -> tuple[tuple[str, str], ...]:
    """Each stake that moves, and how: out from or in to the high point, left or right of that."""
    told = []
    for shift in stands.shifts:
        parts = []
        if abs(shift.out_m) >= LEAST_TOLD_M:
            way = "out" if shift.out_m > 0 else "in"
            parts.append(f"{format_length(abs(shift.out_m), units)} {way}")
        if abs(shift.along_m) >= LEAST_TOLD_M:
            way = "left" if shift.along_m > 0 else "right"
            parts.append(f"{format_length(abs(shift.along_m), units)} to the {way}")
        told.append((shift.mark, " and ".join(parts)))
    return tuple(told)


LEAST_TOLD_M: Final = 0.02
"""A part of a move that is shorter is left out."""
