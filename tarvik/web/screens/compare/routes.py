"""Two to four shelters side by side at one scale."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from tarvik.core.errors import InputError
from tarvik.core.measure.figures import Figures
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.pitches.base import Pitch
from tarvik.core.rig.supports import Supports
from tarvik.core.solve import Solution
from tarvik.core.tonight import Night as TonightsNight
from tarvik.core.tonight import judge
from tarvik.core.units import Units
from tarvik.store import kit, nights
from tarvik.store.accounts import Role
from tarvik.store.models import Course, SheetRow
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, page
from tarvik.web.drawing import views
from tarvik.web.drawing.svg import at_one_scale
from tarvik.web.shared.as_hung import seen
from tarvik.web.shared.questions import owner_name, question, wanted
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")
MOST = 4


class Asked(NamedTuple):
    """A sheet, by its number, in a pitch, by its slug."""

    sheet: int
    pitch: str


def _asked(request: Request) -> list[Asked]:
    """The shelters asked for, as `c=sheet:pitch`. Raises InputError."""
    found = []
    for text in request.query_params.getlist("c")[:MOST]:
        sheet, _, pitch = text.partition(":")
        if not sheet.isdecimal() or len(sheet) > 9:
            raise InputError(
                "c", f"“{text[:40]}” is no sheet and pitch, such as 12:a-frame"
            )
        found.append(Asked(int(sheet), pitch_named(pitch).slug))
    return list(dict.fromkeys(found))


@dataclass(frozen=True, slots=True)
class Column:
    """One of the shelters; `plan` and `side` are drawn at the scale of all."""

    sheet: SheetRow
    owner: str
    pitch: Pitch
    solution: Solution
    figures: Figures | None
    verdict: str
    reasons: list[str]
    minutes: float
    plan: str = ""
    side: str = ""


def _column(
    request: Request,
    session: Session,
    course: Course,
    tonight: TonightsNight,
    supports: Supports,
    asked: Asked,
) -> Column:
    units = Units(course.units)
    sheet = kit.one(session, course.id, "sheets", asked.sheet)
    parts = parts_of(request)
    taut = parts.solver.solve(
        question(sheet, asked.pitch, tonight, supports, wanted=wanted(request))
    )
    shape = seen(parts.hangings, [taut])[0]
    solution = shape.solution
    column = Column(
        sheet,
        owner_name(sheet),
        PITCHES[asked.pitch],
        solution,
        solution.figures,
        shape.judged(judge(solution, tonight, 1, units), units).verdict.value,
        [r.text(units) for r in solution.assessment.reasons if r.blocks],
        tonight.own.minutes_of(PITCHES[asked.pitch]),
    )
    shelter, figures = solution.shelter, solution.figures
    if shelter is None or figures is None:
        return column
    rig, body = solution.assessment.rig, solution.question.body
    trunks = solution.question.supports.in_the_way
    return replace(
        column,
        plan=views.plan(shelter, figures, rig, body, units, trunks),
        side=views.elevation(shelter, rig, True, units, body),
    )


def _at_one_scale(columns: list[Column]) -> list[Column]:
    drawn = [c for c in columns if c.plan]
    plans = at_one_scale([c.plan for c in drawn])
    sides = at_one_scale([c.side for c in drawn])
    scaled = {
        id(c): replace(c, plan=plan, side=side)
        for c, plan, side in zip(drawn, plans, sides, strict=True)
    }
    return [scaled.get(id(c), c) for c in columns]


@router.get("/compare")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere, night: NightHere) -> Response:
    """The chosen shelters beside each other: the same views at the same scale, the same figures row
    by row.
    """
    tonight = nights.night_of(session, course, night)
    supports = kit.supports_of(session, course.id, night.id)
    columns = [
        _column(request, session, course, tonight, supports, asked)
        for asked in _asked(request)
    ]
    return page(
        request,
        "compare/compare.html",
        course=course,
        night=night,
        columns=_at_one_scale(columns),
        units=Units(course.units),
        tab="board",
    )
