"""The bench: one sheet, one pitch, its settings under the fingers, drawings and figures following."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request

from tarvik.core import cards
from tarvik.core.explain import explain
from tarvik.core.measure.figures import sitting_height, tallest_sleeper_m
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.pitches.base import Setting, batch
from tarvik.core.solve import Solution
from tarvik.core.units import Units
from tarvik.store import courses, kit, plans
from tarvik.store.models import Course, Night, Person, SheetRow
from tarvik.web.drawing import views
from tarvik.web.pages.common import given_settings, owner_name, page, question, tarvik, wanted

router = APIRouter(prefix="/courses/{course_id}/nights/{night_id}/bench", include_in_schema=False)


def _person(session: Any, request: Request, course_id: int) -> Person | None:
    text = request.query_params.get("person", "")
    return kit.one(session, course_id, "people", int(text)) if text.isdecimal() and len(text) < 10 else None


def _sheet(session: Any, course_id: int, sheet_id: int) -> SheetRow:
    sheet: SheetRow = kit.one(session, course_id, "sheets", sheet_id)
    if sheet.deleted_at is not None:
        raise kit.NotFoundError("this sheet was deleted")
    return sheet


def shown(course: Course, night: Night, sheet: SheetRow, solution: Solution, person: Person | None) -> dict[str, Any]:
    """Everything the moving part of the bench shows."""
    units = Units(course.units)
    body = solution.question.body
    out: dict[str, Any] = {
        "course": course, "night": night, "sheet": sheet, "owner": owner_name(sheet), "solution": solution,
        "pitch": solution.question.pitch, "reasons": [(r, r.text(units)) for r in solution.assessment.reasons],
        "person": person or sheet.owner, "body": body,
    }  # fmt: skip
    shelter, figures, rig = solution.shelter, solution.figures, solution.assessment.rig
    if shelter is None or figures is None:
        return out
    names = cards.marks(shelter)
    out |= {
        "figures": explain(figures, body, units),
        "plan": views.plan(shelter, figures, rig, sitting_height(body), units),
        "front": views.elevation(shelter, rig, False, units, body),
        "side": views.elevation(shelter, rig, True, units, body),
        "section": views.mat_section(shelter, figures, body, units),
        "flat": views.flat_sheet(shelter, rig, units),
        "distances": cards.stake_out(shelter),
        "lines": [(names.get(x.start, x.start), x) for x in rig.lines] if rig else [],
        "stakes": list(zip(cards.stake_marks(shelter, rig), rig.stakes, strict=True)) if rig else [],
        "supports": [(names.get(x.point, x.point), x) for x in rig.supports] if rig else [],
        "tallest": tallest_sleeper_m(shelter),
        "rig": rig,
    }
    return out


def limits(solution: Solution) -> dict[str, float]:
    """The most of each setting that this sheet allows, the others as they are, never under what is set."""
    pitch, box = solution.question.pitch, solution.question.sheet.box
    most = {s.name: s.most for s in pitch.settings}
    if box is not None:
        for limit in pitch.limits(box, batch(solution.settings, pitch)):
            value = float(limit.most[0])
            if math.isfinite(value) and value >= solution.settings[limit.setting] - 1e-9:
                most[limit.setting] = min(most[limit.setting], int(value * 100) / 100)
    return most


def _sliders(solution: Solution) -> list[tuple[Setting, float, float]]:
    most = limits(solution)
    return [(s, solution.settings[s.name], max(most[s.name], s.least)) for s in solution.question.pitch.settings]


@dataclass(frozen=True)
class Asked:
    """What a bench's address asks for."""

    course: Course
    night: Night
    sheet: SheetRow
    person: Person | None
    given: dict[str, float]


def _asked(request: Request, session: Any, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Asked:
    pitch_named(pitch)
    return Asked(
        courses.course(session, course_id), courses.night(session, course_id, night_id), _sheet(session, course_id, sheet_id),
        _person(session, request, course_id), given_settings(request, pitch),
    )  # fmt: skip


def _solved(request: Request, session: Any, asked: Asked, pitch: str, given: dict[str, float]) -> Solution:
    supports = kit.supports_of(session, asked.course.id)
    return tarvik(request).solver.solve(
        question(asked.sheet, pitch, asked.night, supports, given, asked.person, wanted=wanted(request))
    )


@router.get("/{sheet_id}/{pitch}")
def show(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """The whole bench. Without settings in the address, the chosen ones if this was chosen, else the best."""
    with tarvik(request).database.session() as session:
        asked = _asked(request, session, course_id, night_id, sheet_id, pitch)
        standing = (r for r in plans.shelters(session, night_id) if r.sheet_id == sheet_id and r.pitch == pitch)
        chosen = next(standing, None)
        keep = chosen is not None and not asked.given and "best" not in request.query_params
        solution = _solved(request, session, asked, pitch, dict(chosen.settings) if chosen and keep else asked.given)
        return page(
            request, "bench.html", sliders=_sliders(solution), pitches=PITCHES.values(), tab="board", chosen=chosen,
            people=kit.rows(session, course_id, "people"), cautions=cards.CAUTIONS,
            **shown(asked.course, asked.night, asked.sheet, solution, asked.person),
        )  # fmt: skip


@router.get("/{sheet_id}/{pitch}/view")
def view(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """Only the part that moves with the sliders."""
    with tarvik(request).database.session() as session:
        asked = _asked(request, session, course_id, night_id, sheet_id, pitch)
        solution = _solved(request, session, asked, pitch, asked.given)
        return page(request, "bench_view.html", **shown(asked.course, asked.night, asked.sheet, solution, asked.person))
