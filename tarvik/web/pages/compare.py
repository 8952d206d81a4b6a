"""Two to four shelters side by side at one scale."""

from __future__ import annotations

from typing import Any

from fastapi import Request

from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.tonight import judge
from tarvik.core.units import Units
from tarvik.store import courses, kit, nights
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.as_hung import seen
from tarvik.web.drawing import views
from tarvik.web.drawing.svg import at_one_scale
from tarvik.web.pages.common import owner_name, page, question, tarvik, wanted

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")
MOST = 4


def _pairs(request: Request) -> list[tuple[int, str]]:
    """The shelters asked for, as `c=sheet:pitch`. Raises InputError."""
    found = []
    for text in request.query_params.getlist("c")[:MOST]:
        sheet, _, pitch = text.partition(":")
        if not sheet.isdecimal() or len(sheet) > 9:
            raise InputError("c", f"«{text[:40]}» is no sheet and pitch, such as 12:a-frame")
        found.append((int(sheet), pitch_named(pitch).slug))
    return list(dict.fromkeys(found))


@router.get("/compare")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int) -> Any:
    """The chosen shelters beside each other: the same views at the same scale, the same figures row
    by row.
    """
    with tarvik(request).database.session() as session:
        course, night = (
            courses.course(session, course_id),
            courses.night(session, course_id, night_id),
        )
        tonight, supports = (
            nights.night_of(session, course, night),
            kit.supports_of(session, course_id),
        )
        units, columns = Units(course.units), []
        for sheet_id, slug in _pairs(request):
            sheet = kit.one(session, course_id, "sheets", sheet_id)
            taut = tarvik(request).solver.solve(
                question(sheet, slug, tonight, supports, wanted=wanted(request))
            )
            shape = seen(tarvik(request).hangings, [(sheet, taut)])[0]
            solution = shape.solution
            column: dict[str, Any] = {
                "sheet": sheet,
                "owner": owner_name(sheet),
                "pitch": PITCHES[slug],
                "solution": solution,
                "figures": solution.figures,
                "verdict": shape.judged(judge(solution, tonight, 1, units), units).verdict.value,
                "reasons": [r.text(units) for r in solution.assessment.reasons if r.blocks],
            }
            if solution.shelter is not None and solution.figures is not None:
                rig, body = solution.assessment.rig, solution.question.body
                trunks = solution.question.supports.in_the_way
                column |= {
                    "plan": views.plan(
                        solution.shelter, solution.figures, rig, body, units, trunks
                    ),
                    "side": views.elevation(solution.shelter, rig, True, units, body),
                }
            columns.append(column)
        for view in ("plan", "side"):
            drawn = [c for c in columns if c.get(view)]
            for c, svg in zip(drawn, at_one_scale([c[view] for c in drawn]), strict=True):
                c[view] = svg
        return page(
            request,
            "compare.html",
            course=course,
            night=night,
            columns=columns,
            units=units,
            tab="board",
        )
