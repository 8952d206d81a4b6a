"""A whole course as one file, out and in, and the published schema of such files."""

from __future__ import annotations

from fastapi import Request, UploadFile
from fastapi.responses import JSONResponse, RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.exchange import course_file as form
from tarvik.exchange.field_pack import course_within
from tarvik.store import accounts, course_file, course_in, courses
from tarvik.store.accounts import Role
from tarvik.web.access import for_anyone, for_members, for_role, guarded_router
from tarvik.web.deps import file_name, me, require_making_courses
from tarvik.web.screens.course.routes import start_page
from tarvik.web.state import parts_of

router = guarded_router()
MOST_PACK_BYTES = 20_000_000
"""The largest field pack that is read."""


@router.get("/schema/course.json")
@for_anyone
def schema() -> JSONResponse:
    """The JSON Schema of course files."""
    return JSONResponse(form.schema(), media_type="application/schema+json")


@router.get("/courses/{course_id:number}/file")
@for_role(Role.LEADER)
def out(request: Request, course_id: int) -> Response:
    """The course as a file."""
    with parts_of(request).database.session() as session:
        told = course_file.export(session, course_id)
        name = file_name(courses.course(session, course_id))
    return Response(
        form.write(told),
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name}.json"'},
    )


@router.post("/course-file")
@for_members
def bring_in(request: Request, file: UploadFile) -> Response:
    """A course from a file or a field pack, as a new course of one's own."""
    asker, raw = me(request), file.file.read(MOST_PACK_BYTES + 1)
    try:
        text = course_within(raw)
        with parts_of(request).database.session() as session:
            require_making_courses(request, session)
            made = course_in.bring_in(session, form.read(text))
            accounts.set_role(session, made.id, asker.account_id, accounts.Role.OWNER)
            number = made.id
    except InputError as err:
        with parts_of(request).database.session() as session:
            return start_page(request, session, 422, file_fault=err)
    return RedirectResponse(f"/courses/{number}", status_code=303)
