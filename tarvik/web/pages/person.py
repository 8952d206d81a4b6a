"""Person first: for this person, which sheet of the bag in which pitch; and the smallest sheet to
bring.
"""

from __future__ import annotations

from typing import Any

from fastapi import Request

from tarvik.core.advice import Choice, asked_for_person, for_person, kit_advice
from tarvik.core.body import Body
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question
from tarvik.core.units import Units
from tarvik.store import courses, kit, nights
from tarvik.store.accounts import Role
from tarvik.store.kit import body_of, sheet_of
from tarvik.store.models import SheetRow
from tarvik.web.access import for_role, guarded_router
from tarvik.web.as_hung import Seen, seen
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.judged import said_of
from tarvik.web.pages.common import every_pitch, owner_name, page, question, tarvik

router = guarded_router("/courses/{course_id:number}")
MOST_SHOWN = 12


@router.get("/nights/{night_id:number}/people/{person_id:number}")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int, person_id: int) -> Any:
    """The frame; the answers follow with progress shown meanwhile."""
    with tarvik(request).database.session() as session:
        return page(
            request,
            "person.html",
            course=courses.course(session, course_id),
            night=courses.night(session, course_id, night_id),
            person=kit.one(session, course_id, "people", person_id),
            people=kit.rows(session, course_id, "people"),
            tab="board",
            sheets=kit.rows(session, course_id, "sheets"),
        )


@router.get("/nights/{night_id:number}/people/{person_id:number}/choices")
@for_role(Role.VIEWER)
def choices(request: Request, course_id: int, night_id: int, person_id: int) -> Any:
    """The best shelters of the bag for this person tonight."""
    with tarvik(request).database.session() as session:
        course, night = (
            courses.course(session, course_id),
            courses.night(session, course_id, night_id),
        )
        person = kit.one(session, course_id, "people", person_id)
        rows = list(kit.rows(session, course_id, "sheets"))
        tonight, supports = (
            nights.night_of(session, course, night),
            kit.supports_of(session, course_id),
        )
        if not rows:
            return page(
                request, "person_choices.html", course=course, night=night, person=person, best=[]
            )
        asked = question(rows[0], every_pitch()[0], tonight, supports, person=person)
        every = asked_for_person(asked, [sheet_of(r) for r in rows])
        solved = tarvik(request).solver.solve_all([q for _, q in every])
        found = for_person(
            [(number, s) for (number, _), s in zip(every, solved, strict=True)],
            tonight,
            tarvik(request).solver.solve,
        )
        best = found[:MOST_SHOWN]
        shapes = seen(tarvik(request).hangings, [(rows[c.sheet], c.solution) for c in best])
        shown = [
            _shown(c, shape, rows[c.sheet], body_of(person), Units(course.units))
            for c, shape in zip(best, shapes, strict=True)
        ]
        return page(
            request, "person_choices.html", course=course, night=night, person=person, best=shown
        )


@router.get("/people/{person_id:number}/kit-advice")
@for_role(Role.VIEWER)
def advice(request: Request, course_id: int, person_id: int) -> Any:
    """The smallest sheet that would do for this person under each kind of night."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        person = kit.one(session, course_id, "people", person_id)
        asked = Question(Sheet.rectangle(3.0, 3.0), PITCHES["a-frame"], {})
        rows = kit_advice(body_of(person), asked, tarvik(request).solver.workings)
        return page(
            request, "kit_advice.html", course=course, person=person, rows=rows, pitches=PITCHES
        )


def _shown(
    choice: Choice, shape: Seen, sheet: SheetRow, body: Body, units: Units
) -> dict[str, Any]:
    solution, judged = shape.solution, shape.judged(choice.judged, units, 1)
    pitch, shelter = solution.question.pitch, solution.shelter
    best = choice.suggested
    return {
        "sheet": sheet,
        "owner": owner_name(sheet),
        "pitch": pitch,
        "figures": solution.figures,
        "verdict": judged.verdict.value,
        "why": best.why if best else said_of(solution, judged, units)[0],
        "drawing": silhouette(shelter, pitch.name, body.height("sitting")) if shelter else "",
    }
