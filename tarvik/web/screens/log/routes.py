"""The log of a course: on screen, as a table and as JSON, and as a report on paper."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Literal

from fastapi import Form, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.core.own_values import OwnValues
from tarvik.core.plain import JsonObject
from tarvik.exchange.grid import csv_text
from tarvik.exchange.night_form import own_values_of
from tarvik.store import courses
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, fields_of, me, page, pdf_page
from tarvik.web.screens.log.rows import LogRow, logged_rows
from tarvik.web.screens.log.view import lessons_here, log_view

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
    "span",
    "span_m",
    "planned_span_m",
    "wet",
    "where",
    "taut",
    "pulled",
    "force",
    "forecast_force",
    "rain",
    "forecast_rain_mm_h",
    "lowest_c",
    "forecast_lowest_c",
    "again",
    "damage",
    "note",
    "by",
    "at",
)


@router.get("/log")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere) -> Response:
    """The screen."""
    view = log_view(session, course)
    may_choose = me(request).may("leader")
    return page(
        request,
        "log/log.html",
        units=course.units,
        may_choose=may_choose,
        **fields_of(view),
    )


@router.post("/log/own-values")
@for_role(Role.LEADER)
def own_values(
    session: Db,
    course_id: int,
    kind: Annotated[Literal["holding", "minutes", "peak", "taut"], Form()],
    slug: Annotated[str, Form(max_length=40)],
    use: Annotated[Literal["yes", ""], Form()] = "",
) -> Response:
    """Go by what the entries teach of one value, as they stand now, or by the built-in value
    again.
    """
    course = courses.locked(session, course_id)
    chosen = own_values_of(course.rules or {})
    values = {
        "holding": dict(chosen.holding),
        "minutes": dict(chosen.minutes),
        "peak": dict(chosen.peak),
        "taut": dict(chosen.taut),
    }
    values[kind].pop(slug, None)
    if use:
        lessons = lessons_here(session, course)
        taught = [one for one in lessons if (one.kind, one.slug) == (kind, slug)]
        if not taught:
            raise InputError("slug", "no entry of your logs says anything about this")
        values[kind][slug] = round(taught[0].factor, 4)
    OwnValues(**values)
    courses.set_rule(session, course_id, "own_values", values)
    return RedirectResponse(f"/courses/{course_id}/log#lessons", status_code=303)


@router.get("/log.csv")
@for_role(Role.VIEWER)
def table(session: Db, course: CourseHere) -> Response:
    """The log as a table, in SI units."""
    rows = [
        [_cell(row, name) for name in COLUMNS] for row in logged_rows(session, course.id)
    ]
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
def report(
    request: Request, session: Db, course: CourseHere, paper: str = "a4"
) -> Response:
    """Who slept where, what happened, and what was learned, on paper."""
    view = fields_of(log_view(session, course))
    letter = paper == "letter"
    return pdf_page(
        request,
        "log/report.html",
        "report.pdf",
        units=course.units,
        letter=letter,
        may_choose=False,
        **view,
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


def _plain(row: LogRow) -> JsonObject:
    return asdict(row) | {"at": row.at.isoformat()}
