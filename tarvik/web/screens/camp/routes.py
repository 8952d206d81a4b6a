"""The camp sheet: who sleeps where, each shelter's set-up card, and the kit it all takes. On
screen, on paper, as PDF.
"""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, fields_of, page
from tarvik.web.screens.camp.view import camp_view
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")


@router.get("/camp")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere, night: NightHere) -> Response:
    """On screen, made to be printed."""
    view = camp_view(request, session, course, night)
    return page(request, "camp/camp.html", **fields_of(view))


@router.get("/camp.pdf")
@for_role(Role.VIEWER)
def pdf(request: Request, session: Db, course: CourseHere, night: NightHere) -> Response:
    """The same as PDF."""
    from tarvik.web.shared.pdf import to_pdf, with_drawing_styles  # noqa: PLC0415

    view = camp_view(request, session, course, night)
    template = parts_of(request).pages.get_template("camp/print.html")
    html = with_drawing_styles(template.render(**fields_of(view)))
    name = f"camp-sheet-night-{night.position}.pdf"
    return Response(
        to_pdf(html),
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{name}"'},
    )
