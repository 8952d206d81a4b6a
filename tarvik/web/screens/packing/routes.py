"""The packing list: on screen, a page a person on paper, and who carries what of the group's."""

from __future__ import annotations

from typing import Annotated, Final

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.core.quantities import parse_weight
from tarvik.core.units import Units
from tarvik.store import courses, kit
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, fields_of, page, part, pdf_page
from tarvik.web.screens.packing.view import CARRIES, WEIGHTS, own_weights, packing_view

router = guarded_router("/courses/{course_id:number}")
AMOUNT_MOST: Final = 10_000.0
"""Most pieces or metres of a thing."""


@router.get("/packing")
@for_role(Role.VIEWER)
def show(request: Request, course: CourseHere) -> Response:
    """The screen; its list is worked out when it is there."""
    return page(request, "packing/packing.html", course=course, tab="packing")


@router.get("/packing/list")
@for_role(Role.VIEWER)
def listed(request: Request, session: Db, course: CourseHere) -> Response:
    """The list itself."""
    view = packing_view(request, session, course)
    return part(request, "packing/list.html", units=course.units, **fields_of(view))


@router.get("/packing.pdf")
@for_role(Role.VIEWER)
def pdf(request: Request, session: Db, course: CourseHere, paper: str = "a4") -> Response:
    """A page for each person, and one with the cord to cut."""
    view = fields_of(packing_view(request, session, course))
    letter = paper == "letter"
    return pdf_page(
        request,
        "packing/print.html",
        "packing.pdf",
        units=course.units,
        letter=letter,
        **view,
    )


@router.post("/packing/carry")
@for_role(Role.LEADER)
def carry(
    session: Db,
    course_id: int,
    thing: Annotated[str, Form(max_length=60)],
    person: Annotated[str, Form(max_length=12)] = "",
) -> Response:
    """Give a shared thing to somebody, or leave it to the fair split."""
    course = courses.locked(session, course_id)
    given = dict((course.rules or {}).get(CARRIES, {}))
    given.pop(thing, None)
    if person:
        if not person.isdecimal():
            raise InputError("person", "choose somebody of the group")
        given[thing] = kit.one(session, course_id, "people", int(person)).id
    courses.set_rule(session, course_id, CARRIES, given)
    return RedirectResponse(f"/courses/{course_id}/packing", status_code=303)


@router.post("/packing/weigh")
@for_role(Role.LEADER)
def weigh(
    session: Db,
    course: CourseHere,
    thing: Annotated[str, Form(max_length=60)],
    amount: Annotated[float, Form(gt=0, le=AMOUNT_MOST, allow_inf_nan=False)],
    weight: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """Keep what a thing weighs on the scales, of one piece or metre; with nothing typed it is
    reckoned again.
    """
    kept = own_weights(courses.locked(session, course.id).rules or {})
    kept.pop(thing, None)
    if weight.strip():
        kept[thing] = parse_weight(weight, Units(course.units)) / amount
    courses.set_rule(session, course.id, WEIGHTS, kept)
    return RedirectResponse(f"/courses/{course.id}/packing", status_code=303)
