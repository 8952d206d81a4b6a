"""Would more kit help: the page, and what might be had."""

from __future__ import annotations

from typing import Annotated, Final

from fastapi import Depends, Request
from fastapi.responses import RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.core.units import Units
from tarvik.exchange import more_kit_form
from tarvik.store import courses, library
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, fields_of, page
from tarvik.web.screens.packing.more_kit_view import more_kit_view

MOST_FIELDS: Final = 400
LONGEST: Final = 80
"""Most fields of the form, and letters of one."""
router = guarded_router("/courses/{course_id:number}/packing/more-kit")


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere) -> Response:
    """The page."""
    view = more_kit_view(session, course)
    return page(
        request, "packing/more_kit.html", units=course.units, fault=None, **fields_of(view)
    )


async def _typed(request: Request) -> dict[str, str]:
    """The form's fields, whatever their names: they follow what the library has."""
    form = await request.form(max_fields=MOST_FIELDS, max_files=0)
    return {key[:LONGEST]: str(value)[:LONGEST] for key, value in form.items()}


@router.post("")
@for_role(Role.LEADER)
def keep(
    request: Request,
    session: Db,
    course: CourseHere,
    typed: Annotated[dict[str, str], Depends(_typed)],
) -> Response:
    """Keep what might be had; on a mistake show the form again with everything typed."""
    units = Units(course.units)
    try:
        kept = more_kit_form.read(typed, library.to_lend(session, course), units)
    except InputError as err:
        view = more_kit_view(session, course, typed)
        return page(
            request,
            "packing/more_kit.html",
            422,
            units=course.units,
            fault=err,
            **fields_of(view),
        )
    courses.set_rule(session, course.id, more_kit_form.RULE, kept.model_dump(mode="json"))
    return RedirectResponse(
        f"/courses/{course.id}/packing/more-kit?work=1", status_code=303
    )
