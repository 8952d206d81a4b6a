"""The camp sheet: who sleeps where, each shelter's set-up card, and the kit it all takes. On
screen, on paper, as PDF.
"""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.core.errors import InputError
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, fields_of, page
from tarvik.web.screens.camp.practice import practice_view
from tarvik.web.screens.camp.view import Paper, camp_view
from tarvik.web.state import parts_of

SIZES = {"a4": "A4", "letter": "letter"}
"""Pages that people print on, as styles name them."""
PARTS = ("all", "glance", "cards", "pocket", "practice")
router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")


@router.get("/camp")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere, night: NightHere) -> Response:
    """On screen, made to be printed."""
    view = camp_view(request, session, course, night)
    return page(request, "camp/camp.html", **fields_of(view))


@router.get("/camp.pdf")
@for_role(Role.VIEWER)
def pdf(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    paper: str = "a4",
    part: str = "all",
    large: str = "",
    only: int = 0,
) -> Response:
    """The same as PDF: all of it, the first page or the cards alone, one shelter's card, cards
    for the pocket, or the page of practice.
    """
    from tarvik.web.shared.pdf import to_pdf, with_drawing_styles  # noqa: PLC0415

    wanted = _paper(paper, part, large == "yes", only)
    view = camp_view(request, session, course, night, wanted)
    pages = parts_of(request).pages
    if part == "practice":
        told = practice_view(session, view)
        html = pages.get_template("camp/practice.html").render(**fields_of(told))
        name = f"practice-night-{night.position}.pdf"
    else:
        html = pages.get_template("camp/print.html").render(**fields_of(view))
        name = f"camp-sheet-night-{night.position}.pdf"
    return Response(
        to_pdf(with_drawing_styles(html)),
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{name}"'},
    )


def _paper(size: str, part: str, large: bool, only: int) -> Paper:
    """What is asked for in an address. Raises InputError."""
    if size not in SIZES:
        raise InputError("paper", f"“{size[:20]}” is none of {', '.join(SIZES)}")
    if part not in PARTS:
        raise InputError("part", f"“{part[:20]}” is none of {', '.join(PARTS)}")
    pocket = part == "pocket"
    return Paper(
        size="A6" if pocket else SIZES[size],
        large=large,
        glance=part in ("all", "glance") and not only,
        cards=part != "glance" or bool(only),
        pocket=pocket,
        only=frozenset({only} if only else ()),
    )
