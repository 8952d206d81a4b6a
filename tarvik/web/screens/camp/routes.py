"""The camp sheet: who sleeps where, each shelter's set-up card, and the kit it all takes. On
screen, on paper, as PDF.
"""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.core.errors import InputError
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, fields_of, page, pdf_page
from tarvik.web.screens.camp.practice import practice_view
from tarvik.web.screens.camp.view import Paper, camp_view

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
    wanted = _paper(paper, part, large == "yes", only)
    view = camp_view(request, session, course, night, wanted)
    if part == "practice":
        name = f"practice-night-{night.position}.pdf"
        told = practice_view(session, view)
        return pdf_page(request, "camp/practice.html", name, **fields_of(told))
    name = f"camp-sheet-night-{night.position}.pdf"
    return pdf_page(request, "camp/print.html", name, **fields_of(view))


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
