"""Person first: for this person, which sheet of the bag in which pitch; and the smallest sheet to
bring.
"""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.core.advice import asked_for_person, for_person, kit_advice
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question
from tarvik.core.units import Units
from tarvik.store import kit, nights
from tarvik.store.accounts import Role
from tarvik.store.kit import body_of, sheet_of
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, page, part
from tarvik.web.screens.person.view import MOST_SHOWN, choice_shown
from tarvik.web.shared.as_hung import seen
from tarvik.web.shared.questions import every_pitch, question
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}")


@router.get("/nights/{night_id:number}/people/{person_id:number}")
@for_role(Role.VIEWER)
def show(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    person_id: int,
) -> Response:
    """The frame; the answers follow with progress shown meanwhile."""
    return page(
        request,
        "person/person.html",
        course=course,
        night=night,
        person=kit.one(session, course_id, "people", person_id),
        people=kit.rows(session, course_id, "people"),
        tab="board",
        sheets=kit.rows(session, course_id, "sheets"),
    )


@router.get("/nights/{night_id:number}/people/{person_id:number}/choices")
@for_role(Role.VIEWER)
def choices(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    person_id: int,
) -> Response:
    """The best shelters of the bag for this person tonight."""
    person = kit.one(session, course_id, "people", person_id)
    rows = list(kit.rows(session, course_id, "sheets"))
    tonight, supports = (
        nights.night_of(session, course, night),
        kit.supports_of(session, course_id, night.id),
    )
    if not rows:
        return part(
            request,
            "person/choices.html",
            course=course,
            night=night,
            person=person,
            best=[],
        )
    asked = question(rows[0], every_pitch()[0], tonight, supports, person=person)
    every = asked_for_person(asked, [sheet_of(r) for r in rows])
    solved = parts_of(request).solver.solve_all([q for _, q in every])
    found = for_person(
        [(number, s) for (number, _), s in zip(every, solved, strict=True)],
        tonight,
        parts_of(request).solver.solve,
    )
    best = found[:MOST_SHOWN]
    shapes = seen(parts_of(request).hangings, [c.solution for c in best])
    shown = [
        choice_shown(c, shape, rows[c.sheet], body_of(person), Units(course.units))
        for c, shape in zip(best, shapes, strict=True)
    ]
    return part(
        request,
        "person/choices.html",
        course=course,
        night=night,
        person=person,
        best=shown,
    )


@router.get("/people/{person_id:number}/kit-advice")
@for_role(Role.VIEWER)
def advice(
    request: Request, session: Db, course: CourseHere, course_id: int, person_id: int
) -> Response:
    """The smallest sheet that would do for this person under each kind of night."""
    person = kit.one(session, course_id, "people", person_id)
    asked = Question(Sheet.rectangle(3.0, 3.0), PITCHES["a-frame"], {})
    rows = kit_advice(body_of(person), asked, parts_of(request).solver.backend)
    return part(
        request,
        "person/kit_advice.html",
        course=course,
        person=person,
        rows=rows,
        pitches=PITCHES,
    )
