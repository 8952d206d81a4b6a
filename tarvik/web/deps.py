"""What a route asks for by a parameter: a session, the course and night of its address, who is
signed in; and the answer as a page.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import fields
from typing import TYPE_CHECKING, Annotated

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from tarvik.core.plain import JsonObject
from tarvik.store import courses, provider_people
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Account, Course, Night
from tarvik.web.access import RefusedError, Who
from tarvik.web.shared.frame import NIGHT_COOKIE, NIGHT_KEPT_S, frame_of
from tarvik.web.state import parts_of

if TYPE_CHECKING:
    from _typeshed import DataclassInstance


def session_of(request: Request) -> Iterator[Session]:
    """A session that commits when the route has made its answer, or rolls back on an error."""
    with parts_of(request).database.session() as session:
        yield session


Db = Annotated[Session, Depends(session_of, scope="function")]
"""The request's session. It ends with the route's function, before the answer is sent: whoever gets
the answer finds what it changed, and an answer that is sent piece by piece opens its own.
"""


def course_of(session: Db, course_id: int) -> Course:
    """The course of the address. Raises NotFoundError."""
    return courses.course(session, course_id)


CourseHere = Annotated[Course, Depends(course_of)]


def night_of(session: Db, course_id: int, night_id: int) -> Night:
    """The night of the address. Raises NotFoundError."""
    return courses.night(session, course_id, night_id)


NightHere = Annotated[Night, Depends(night_of)]


def who(request: Request) -> Who | None:
    """Who is signed in, None for nobody."""
    return request.state.who  # type: ignore[no-any-return]


def me(request: Request) -> Who:
    """Who is signed in. Raises NotFoundError."""
    found = who(request)
    if found is None:
        raise NotFoundError("sign in first")
    return found


def require_making_courses(request: Request, session: Session) -> None:
    """Raises RefusedError where the provider's owners keep this to others."""
    account = session.get_one(Account, me(request).account_id)
    if not provider_people.may_make_courses(session, account):
        raise RefusedError(403, "who may make courses is the owner's choice: ask an owner")


def part(request: Request, name: str, status: int = 200, **context: object) -> HTMLResponse:
    """Render a template as it is: a part that a page fetches, or a page without the frame."""
    return parts_of(request).pages.TemplateResponse(
        request, name, context, status_code=status
    )


def page(request: Request, name: str, status: int = 200, **context: object) -> HTMLResponse:
    """Render a whole page, in the frame of its course where it is about one."""
    frame = frame_of(request, context)
    answer = part(request, name, status, frame=frame, **context)
    if frame is not None and frame.night is not None and "night" in context:
        answer.set_cookie(
            NIGHT_COOKIE,
            f"{frame.night.course_id}.{frame.night.id}",
            max_age=NIGHT_KEPT_S,
            httponly=True,
            samesite="lax",
            secure=parts_of(request).settings.tls,
        )
    return answer


def pdf_page(
    request: Request,
    template: str,
    name: str,
    *,
    drawn: bool = True,
    headers: Mapping[str, str] | None = None,
    **context: object,
) -> Response:
    """A template as a PDF of that name. `drawn`: it has drawings, which take their styles along."""
    from tarvik.web.shared.pdf import to_pdf, with_drawing_styles  # noqa: PLC0415 - slow to load

    html = parts_of(request).pages.get_template(template).render(**context)
    return Response(
        to_pdf(with_drawing_styles(html) if drawn else html),
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{name}"', **(headers or {})},
    )


def file_name(course: Course) -> str:
    """A course's name as that of a file, without its ending."""
    return re.sub(r"[^a-z0-9]+", "-", course.name.lower()).strip("-")[:60] or "course"


def fields_of(view: DataclassInstance) -> JsonObject:
    """A view's fields by their names, as a template reads them: the view itself, not a copy of
    what it holds.
    """
    return {each.name: getattr(view, each.name) for each in fields(view)}
