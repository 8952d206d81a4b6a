"""The log of a course: on screen, as a table and as JSON, and as a report on paper."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from tarvik.exchange.grid import csv_text
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, fields_of, page, pdf_page
from tarvik.web.screens.log.view import LogRow, log_view, logged_rows

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
    rows = [[_cell(row, name) for name in COLUMNS] for row in logged_rows(session, course.id)]
    return Response(
        csv_text(list(COLUMNS), rows),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="log.csv"'},
    )


@router.get("/log.json")
@for_role(Role.VIEWER)
def plain(session: Db, course: CourseHere) -> JSONResponse:
    """The same as JSON."""
    rows = [_plain(row) for row in logged_rows(session, course.id)]
    return JSONResponse({"course": course.name, "log": rows})


@router.get("/report.pdf")
@for_role(Role.VIEWER)
def report(request: Request, session: Db, course: CourseHere, paper: str = "a4") -> Response:
    """Who slept where, what happened, and what was learned, on paper."""
    view = fields_of(log_view(session, course))
    letter = paper == "letter"
    return pdf_page(
        request, "log/report.html", "report.pdf", units=course.units, letter=letter, **view
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
