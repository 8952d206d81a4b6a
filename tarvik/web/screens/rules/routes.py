"""A course's house rules (how people lie, what stakes and cords hold, the net) and its sites."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.core.loads.holding import GROUNDS
from tarvik.core.plain import JsonObject
from tarvik.core.units import Units
from tarvik.core.weather.surroundings import SURROUNDINGS, surroundings_named
from tarvik.exchange.grid_reference import with_positions
from tarvik.exchange.night_form import BY_NAME, rules_shown
from tarvik.store import courses, nights
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, page
from tarvik.web.screens.course.routes import FieldChange
from tarvik.web.screens.rules.view import QUESTIONS
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}/rules")
SITE_TEXTS = ("latitude", "longitude", "zone", "surroundings")


def _shown(request: Request, course_id: int, status: int = 200, **more: Any) -> Response:
    with parts_of(request).database.session() as session:
        course = courses.course(session, course_id)
        return page(
            request,
            "rules/rules.html",
            status,
            course=course,
            tab="rules",
            questions=QUESTIONS,
            text=rules_shown(course.rules or {}, Units(course.units)),
            sites=nights.sites(session, course_id),
            surroundings=SURROUNDINGS,
            surroundings_named=surroundings_named,
            grounds=GROUNDS,
            **({"typed": {}, "fault": None} | more),
        )


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int) -> Response:
    """House rules and sites."""
    return _shown(request, course_id)


@router.patch("")
@for_role(Role.LEADER)
def change(
    session: Db, course: CourseHere, course_id: int, change: FieldChange
) -> dict[str, object]:
    """Change one rule, as typed."""
    units = Units(course.units)
    row = nights.change_rule(
        session, course_id, change.column, change.text, change.version, change.was, units
    )
    return {"version": row.version, "text": rules_shown(row.rules, units)[change.column]}


@router.post("/sites")
@for_role(Role.LEADER)
def add_site(
    request: Request,
    course_id: int,
    name: Annotated[str, Form()] = "",
    latitude: Annotated[str, Form()] = "",
    longitude: Annotated[str, Form()] = "",
    zone: Annotated[str, Form()] = "",
    surroundings: Annotated[str, Form()] = "open",
    ground: Annotated[str, Form()] = "turf",
    uphill: Annotated[str, Form()] = "",
) -> Response:
    """Keep a site; on a mistake the form is shown again with everything typed still there."""
    typed = {
        "name": name,
        "latitude": latitude,
        "longitude": longitude,
        "zone": zone,
        "surroundings": surroundings,
        "ground": ground,
        "uphill": uphill,
    }
    try:
        values: JsonObject = {"name": name, "ground": ground}
        told = with_positions(typed)
        for field in SITE_TEXTS:
            if told[field].strip():
                values[field] = BY_NAME[field].read(told[field], Units.METRIC, field)
        if uphill.strip():
            values["uphill_deg"] = BY_NAME["wind_from_deg"].read(
                uphill, Units.METRIC, "uphill"
            )
        with parts_of(request).database.session() as session:
            courses.course(session, course_id)
            nights.add_site(session, course_id, values)
    except InputError as err:
        return _shown(request, course_id, 422, typed=typed, fault=err)
    return RedirectResponse(f"/courses/{course_id}/rules#sites", status_code=303)


@router.post("/sites/{site_id:number}/delete")
@for_role(Role.LEADER)
def delete_site(request: Request, course_id: int, site_id: int) -> Response:
    """Mark a site deleted; the page offers to bring it back."""
    with parts_of(request).database.session() as session:
        site = nights.delete_site(session, course_id, site_id)
        gone = {"id": site.id, "name": site.name}
    return _shown(request, course_id, gone=gone)


@router.post("/sites/{site_id:number}/restore")
@for_role(Role.LEADER)
def restore_site(session: Db, course_id: int, site_id: int) -> Response:
    """Bring a deleted site back."""
    nights.delete_site(session, course_id, site_id, undo=True)
    return RedirectResponse(f"/courses/{course_id}/rules#sites", status_code=303)
