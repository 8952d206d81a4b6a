"""The log of a course: on screen, as a table and as JSON, and as a report on paper."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from tarvik.exchange.grid import csv_text
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, fields_of, page
from tarvik.web.screens.log.view import LogRow, log_view
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}")
COLUMNS = (
    "night",
    "pitch",
    "people",
    "changed",
    "minutes",
    "planned_minutes",
    "peak_m",
    "planned_peak_m",
    "wet",
    "where",
    "pulled",
    "force",
    "again",
    "note",
    "by",
    "at",
)


@router.get("/log")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere) -> Response:
    """The screen."""
    view = log_view(session, course)
    return page(request, "log/log.html", units=course.units, **fields_of(view))


@router.get("/log.csv")
@for_role(Role.VIEWER)
def table(session: Db, course: CourseHere) -> Response:
    """The log as a table, in SI units."""
    rows = [[_cell(row, name) for name in COLUMNS] for row in log_view(session, course).rows]
    return Response(
        csv_text(list(COLUMNS), rows),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="log.csv"'},
    )


@router.get("/log.json")
@for_role(Role.VIEWER)
def plain(session: Db, course: CourseHere) -> JSONResponse:
    """The same as JSON."""
    return JSONResponse(
        {"course": course.name, "log": [_plain(row) for row in log_view(session, course).rows]}
    )


@router.get("/report.pdf")
@for_role(Role.VIEWER)
def report(request: Request, session: Db, course: CourseHere, paper: str = "a4") -> Response:
    """Who slept where, what happened, and what was learned, on paper."""
    from tarvik.web.shared.pdf import to_pdf, with_drawing_styles  # noqa: PLC0415 - slow to load

    template = parts_of(request).pages.get_template("log/report.html")
    view = fields_of(log_view(session, course))
    html = template.render(units=course.units, letter=paper == "letter", **view)
    return Response(
        to_pdf(with_drawing_styles(html)),
        media_type="application/pdf",
        headers={"Content-Disposition": 'inline; filename="report.pdf"'},
    )


def _cell(row: LogRow, name: str) -> str:
    value = getattr(row, name)
    if value is None:
        return ""
    if isinstance(value, tuple):
        return ", ".join(value)
    if isinstance(value, float):
        return f"{value:g}" if name == "planned_minutes" else f"{value:.3f}"
    return value.isoformat() if name == "at" else str(value)


def _plain(row: LogRow) -> dict[str, Any]:
    return asdict(row) | {"at": row.at.isoformat()}
