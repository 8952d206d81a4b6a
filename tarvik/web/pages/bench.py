"""The bench: one sheet, one pitch, its settings under the fingers, drawings and figures
following.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.explain import explain
from tarvik.core.explain_more import (
    explain_catch,
    explain_net,
    explain_panels,
    explain_ridge,
    explain_rose,
    explain_shade,
)
from tarvik.core.fitting import Misfit, fit
from tarvik.core.loads.ridge_line import from_pull, from_sag
from tarvik.core.measure.catch import catches
from tarvik.core.measure.figures import tallest_sleeper_m
from tarvik.core.measure.heading import rose
from tarvik.core.measure.net import hang_net
from tarvik.core.measure.shade import shade_through
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.pitches.base import Setting, batch
from tarvik.core.rig.carried import Rig
from tarvik.core.solve import Solution
from tarvik.core.suggest import weighed
from tarvik.core.tonight import Night as TonightsNight
from tarvik.core.tonight import Tonight, judge
from tarvik.core.units import Units
from tarvik.store import courses, kit, nights, plans
from tarvik.store.accounts import Role
from tarvik.store.models import Course, Night, Person, SheetRow, ShelterRow
from tarvik.web.access import for_role, guarded_router
from tarvik.web.as_hung import Seen, seen
from tarvik.web.drawing import solid, views
from tarvik.web.drawing.rose import rose_drawing, side_words
from tarvik.web.judged import Judged
from tarvik.web.night_words import bed_words, fire_words, weather_words
from tarvik.web.pages.common import (
    front_to,
    given_settings,
    owner_name,
    page,
    question,
    tarvik,
    wanted,
    wind_from,
    with_gear,
)
from tarvik.web.standing import judge_of

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/bench")


MOST_MATES = 8
AS_IF = frozenset({"person", "wanted", "from", "mate", "gear"})
"""Words in a bench's address that ask how the shelter would be for others, or in another wind."""
PULLS_N = (250.0, 500.0, 1000.0, 2000.0)
"""Pulls on the trees for which the sag is shown."""
SAGS = (0.02, 0.03, 0.05, 0.10)
"""Sags of a ridge line, shares of its span, for which the pull is shown."""


def _person(session: Any, request: Request, course_id: int) -> Person | None:
    text = request.query_params.get("person", "")
    return (
        kit.one(session, course_id, "people", int(text))
        if text.isdecimal() and len(text) < 10
        else None
    )


def _sheet(session: Any, course_id: int, sheet_id: int) -> SheetRow:
    sheet: SheetRow = kit.one(session, course_id, "sheets", sheet_id)
    if sheet.deleted_at is not None:
        raise kit.NotFoundError("this sheet was deleted")
    return sheet


def _mates(session: Any, request: Request, course_id: int, person: Person | None) -> list[Person]:
    """Everybody who is to lie there: the person it is drawn for, and those ticked."""
    ticked = [t for t in request.query_params.getlist("mate") if t.isdecimal() and len(t) < 10][
        :MOST_MATES
    ]
    mates = [kit.one(session, course_id, "people", int(t)) for t in dict.fromkeys(ticked)]
    if not mates:
        return []
    return [
        *([person] if person is not None else []),
        *(m for m in mates if person is None or m.id != person.id),
    ]


def shown(
    course: Course,
    night: Night,
    sheet: SheetRow,
    shape: Seen,
    person: Person | None,
    tonight: TonightsNight,
    mates: Sequence[Person] = (),
    standing: Judged | None = None,
) -> dict[str, Any]:
    """Everything the moving part of the bench shows; `standing`: the shelter's judgement where it
    stands, when the bench shows it just so.
    """
    units = Units(course.units)
    solution = shape.solution
    body = solution.question.body
    judged = (
        shape.judged(judge(solution, tonight, max(1, len(mates)), units), units, max(1, len(mates)))
        if standing is None
        else standing.tonight
    )
    out: dict[str, Any] = {
        "course": course,
        "night": night,
        "sheet": sheet,
        "owner": owner_name(sheet),
        "solution": solution,
        "pitch": solution.question.pitch,
        "reasons": [(r, r.text(units)) for r in solution.assessment.reasons],
        "person": person or sheet.owner,
        "body": body,
        "tonight": judged,
        "standing": standing,
        "mates": mates,
        "weather": weather_words(tonight.needs, units),
    }
    shelter, figures, rig = solution.shelter, solution.figures, solution.assessment.rig
    if shelter is None or figures is None:
        return out
    names = cards.marks(shelter)
    out |= {
        "figures": explain(figures, body, units, judged),
        "suits": weighed(0, solution, judged, tonight, max(1, len(mates))),
        "lying": [(mates[who].name, number + 1) for number, who in enumerate(figures.who)]
        if mates
        else [],
        "without": [m.name for i, m in enumerate(mates) if i not in figures.who] if mates else [],
        "own_from": figures.weather.wind_from_deg,
        "wind_onto": side_words(figures.weather.wind_from_deg),
        "front_to": front_to(tonight, figures.weather.wind_from_deg),
        "plan": views.plan(
            shelter, figures, rig, body, units, solution.question.supports.in_the_way
        ),
        "front": views.elevation(shelter, rig, False, units, body),
        "side": views.elevation(shelter, rig, True, units, body),
        "solid": solid.oblique(shelter, figures, rig),
        "mesh": solid.mesh(shelter, figures, rig),
        "section": views.mat_section(shelter, figures, body, units),
        "flat": views.flat_sheet(shelter, rig, units),
        "distances": cards.stake_out(shelter),
        "lines": [(names.get(x.start, x.start), x) for x in rig.lines] if rig else [],
        "stakes": list(zip(cards.stake_marks(shelter, rig), rig.stakes, strict=True))
        if rig
        else [],
        "supports": [(names.get(x.point, x.point), x) for x in rig.supports] if rig else [],
        "tallest": tallest_sleeper_m(figures),
        "pulls": pulls(judged, rig, names, dict(enumerate(cards.stake_marks(shelter, rig))))
        if rig
        else [],
        "rig": rig,
    }
    return out


def pulls(
    judged: Tonight, rig: Rig, names: dict[str, str], stakes: dict[int, str]
) -> list[tuple[str, str, float, float]]:
    """What each part takes in tonight's gust: (part, mark, newtons, trusted newtons), the most used
    first.
    """
    if judged.gale is None:
        return []
    marks = {rig.stakes[i].point: mark for i, mark in stakes.items()} | names
    parts = sorted(judged.gale.parts, key=lambda p: -p.used)
    return [(p.kind, marks.get(p.where, p.where), p.pull_n, p.holds_n) for p in parts]


def limits(solution: Solution) -> dict[str, float]:
    """The most of each setting that this sheet allows, the others as they are, never under what is
    set.
    """
    fitting = fit(solution.question.pitch, solution.question.sheet)
    most = {s.name: s.most for s in solution.question.pitch.settings}
    if not isinstance(fitting, Misfit):
        for limit in fitting.pitch.limits(fitting.box, batch(solution.settings, fitting.pitch)):
            value = float(limit.most[0])
            if math.isfinite(value) and value >= solution.settings[limit.setting] - 1e-9:
                most[limit.setting] = min(most[limit.setting], int(value * 100) / 100)
    return most


def _sliders(solution: Solution) -> list[tuple[Setting, float, float]]:
    most = limits(solution)
    return [
        (s, solution.settings.get(s.name, s.default), max(most[s.name], s.least))
        for s in solution.question.pitch.settings
    ]


@dataclass(frozen=True)
class Asked:
    """What a bench's address asks for."""

    course: Course
    night: Night
    sheet: SheetRow
    person: Person | None
    given: dict[str, float]
    tonight: TonightsNight
    mates: list[Person]


def asked_of(
    request: Request, session: Any, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Asked:
    """What the address asks for, read from the store. Raises InputError and NotFoundError."""
    pitch_named(pitch)
    course, night = courses.course(session, course_id), courses.night(session, course_id, night_id)
    sheet, person = _sheet(session, course_id, sheet_id), _person(session, request, course_id)
    return Asked(
        course,
        night,
        sheet,
        person,
        given_settings(request, pitch),
        with_gear(request, nights.night_of(session, course, night)),
        _mates(session, request, course_id, person or sheet.owner),
    )


def solved(
    request: Request, session: Any, asked: Asked, pitch: str, given: dict[str, float]
) -> Solution:
    """The shelter at these settings, or the best where none are given."""
    supports = kit.supports_of(session, asked.course.id)
    return tarvik(request).solver.solve(
        question(
            asked.sheet,
            pitch,
            asked.tonight,
            supports,
            given,
            asked.person,
            wanted=wanted(request),
            people=tuple(kit.body_of(m) for m in asked.mates),
            wind_from_deg=wind_from(request),
        )
    )


def hung(request: Request, session: Any, asked: Asked, pitch: str, given: dict[str, float]) -> Seen:
    """The same as it hangs."""
    solution = solved(request, session, asked, pitch, given)
    return seen(tarvik(request).hangings, [(asked.sheet, solution)])[0]


@router.get("/{sheet_id:number}/{pitch}")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """The whole bench. Without settings in the address, the chosen ones if this was chosen, else
    the best.
    """
    with tarvik(request).database.session() as session:
        asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
        standing = (
            r
            for r in plans.shelters(session, night_id)
            if r.sheet_id == sheet_id and r.pitch == pitch
        )
        chosen = next(standing, None)
        keep = chosen is not None and not asked.given and "best" not in request.query_params
        as_it_is = keep and not set(request.query_params) & AS_IF
        stands = (
            _standing(request, session, asked, chosen) if chosen is not None and as_it_is else None
        )
        shape = (
            stands.shape
            if stands is not None
            else hung(
                request,
                session,
                asked,
                pitch,
                dict(chosen.settings) if chosen and keep else asked.given,
            )
        )
        return page(
            request,
            "bench.html",
            course_units=Units(asked.course.units),
            sliders=_sliders(shape.solution),
            pitches=PITCHES.values(),
            tab="board",
            chosen=chosen,
            people=kit.rows(session, course_id, "people"),
            cautions=cards.CAUTIONS,
            slant_known=bool(asked.tonight.needs.wind_m_s),
            fixed_from=wind_from(request),
            **shown(
                asked.course,
                asked.night,
                asked.sheet,
                shape,
                asked.person,
                asked.tonight,
                asked.mates,
                stands,
            ),
        )


def _standing(request: Request, session: Session, asked: Asked, row: ShelterRow) -> Judged:
    """The chosen shelter judged where it stands."""
    rows = [r.id for r in plans.shelters(session, asked.night.id)]
    judge = judge_of(request, session, asked.course, asked.tonight)
    return judge.of(row, rows.index(row.id) + 1)


@router.get("/{sheet_id:number}/{pitch}/view")
@for_role(Role.VIEWER)
def view(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """Only the part that moves with the sliders."""
    with tarvik(request).database.session() as session:
        asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
        shape = hung(request, session, asked, pitch, asked.given)
        return page(
            request,
            "bench_view.html",
            **shown(
                asked.course,
                asked.night,
                asked.sheet,
                shape,
                asked.person,
                asked.tonight,
                asked.mates,
            ),
        )


@router.get("/{sheet_id:number}/{pitch}/more")
@for_role(Role.VIEWER)
def more(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """What takes longer: the heading rose, the net, shade through the day, water at the low
    corners, the ridge line.
    """
    with tarvik(request).database.session() as session:
        asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
        solution = solved(request, session, asked, pitch, asked.given)
        if solution.shelter is None or solution.figures is None:
            return page(request, "bench_more.html", figures=None)
        return page(request, "bench_more.html", **more_of(asked.course, asked.tonight, solution))


def more_of(course: Course, tonight: TonightsNight, solution: Solution) -> dict[str, Any]:
    """Everything the slower part of the bench shows, for a shelter that stands."""
    shelter, figures, needs = solution.shelter, solution.figures, tonight.needs
    if shelter is None or figures is None:
        raise ValueError("the sheet makes no such pitch")
    units = Units(course.units)
    names = cards.marks(shelter)
    own = figures.weather.wind_from_deg
    petals = rose(shelter, figures.weather)
    front = front_to(tonight, own)
    shade = (
        shade_through(figures.roof, needs.place, needs.on, 270.0 if front is None else front)
        if needs.place and needs.on
        else []
    )
    judged = judge(solution, tonight)
    ridge = judged.gale.ridge if judged.gale else None
    sags = (
        [from_sag(ridge.span_m, ridge.load_n, share * ridge.span_m) for share in SAGS]
        if ridge and ridge.load_n
        else []
    )
    return {
        "course": course,
        "units": units,
        "figures": figures,
        "rose": petals,
        "side_of": side_words,
        "own_from": own,
        "explained": {
            "rose": explain_rose(petals, figures, units),
            "net": explain_net(units),
            "shade": explain_shade(),
            "catch": explain_catch(figures.weather.rain_mm_h, units),
            "panels": explain_panels(judged.gale, units) if judged.gale else None,
            "ridge": explain_ridge(judged.gale, units) if judged.gale else None,
        },
        "pulled": [
            from_pull(ridge.span_m, ridge.load_n, n) for n in PULLS_N if n > ridge.load_n / 2
        ]
        if ridge and ridge.load_n
        else [],
        "rose_svg": rose_drawing(shelter, petals, own, units),
        "front_to": front,
        "best_front": front_to(tonight, petals.best.from_deg),
        "net": tonight.net,
        "fit": hang_net(figures.roof, tonight.net)
        if tonight.net and figures.roof.faces.size
        else None,
        "shade": shade,
        "ridge": ridge,
        "sags": sags,
        "catches": [
            (names.get(c.point, c.point), c)
            for c in catches(shelter, figures.weather.rain_mm_h)
            if c.drains_m2 > 0.05
        ],
        "rain": figures.weather.rain_mm_h,
        "bed": bed_words(solution.question.body, figures.clearance, units),
        "fire": fire_words(units),
    }
