"""Group and kit: five tables that save as they are typed, paste and CSV with a preview, undo for
deletions.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Request, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonObject
from tarvik.exchange.columns import Context, Table, table_named
from tarvik.exchange.grid import (
    MOST_BYTES,
    MOST_CELL,
    MOST_COLUMNS,
    Grid,
    decode,
    read_grid,
)
from tarvik.store import courses, kit, library
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, page, part
from tarvik.web.screens.course.routes import FieldChange
from tarvik.web.screens.kit.view import row_html, row_name, tables_shown
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}/kit")
Text = Annotated[str, Field(max_length=MOST_CELL)]


class NewRow(BaseModel):
    """A new row's cells as typed, by column."""

    cells: dict[str, Text]


class Pasted(BaseModel):
    """Text from a spreadsheet. `headings`: columns by headings that are none of the table's own;
    `skip`: rows with a fault are left out.
    """

    text: Annotated[str, Field(max_length=MOST_BYTES)]
    headings: dict[Text, Text] = Field(default={}, max_length=MOST_COLUMNS)
    skip: bool = False


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course: CourseHere, course_id: int) -> Response:
    """All tables."""
    tables = tables_shown(session, course)
    names = sorted(p.name for p in kit.rows(session, course_id, "people"))
    return page(
        request,
        "kit/kit.html",
        course=course,
        tables=tables,
        names=names,
        library=library.items(session, course.provider_id),
        loans=library.loans(session, course.id),
        clashes=library.clashes(session, course.id),
        conditions=library.CONDITIONS,
        tab="kit",
    )


@router.post("/{table}")
@for_role(Role.LEADER)
def add(
    request: Request, session: Db, course: CourseHere, table: str, body: NewRow
) -> JsonObject:
    """Add one row. Every bad cell is named at once, and nothing is added then."""
    kind = table_named(table)
    told = kit.context(session, course)
    values: JsonObject = {}
    for column in kind.columns:
        text = body.cells.get(column.key, "")
        if not column.import_only and (text.strip() or column.needed):
            values.update(_read(kind, column.key, text, told))
    if table == "sheets":
        values.setdefault("tie_outs", ["corners"])
    row = kit.add(session, course.id, table, [values])[0]
    told = kit.context(session, course)
    session.refresh(row)
    html = row_html(request, course, kind, row, told)
    return {"html": html}


def _read(kind: Table, column: str, text: str, told: Context) -> JsonObject:
    try:
        return kind.column(column).read(text, told)
    except InputError as err:
        raise InputError(column, err.message) from err


@router.patch("/{table}/{row_id:number}")
@for_role(Role.LEADER)
def change(
    session: Db, course: CourseHere, table: str, row_id: int, body: FieldChange
) -> JsonObject:
    """Save one cell."""
    kind = table_named(table)
    if len(body.text) > MOST_CELL:
        raise InputError(
            body.column, f"{len(body.text)} letters are too many; at most {MOST_CELL}"
        )
    row = kit.change(
        session, course, table, row_id, body.column, body.text, body.version, body.was
    )
    cells = kit.cells(row, kind, kit.context(session, course))
    return {"version": cells.version, "text": cells.text[body.column]}


@router.delete("/{table}/{row_id:number}")
@for_role(Role.LEADER)
def delete(
    session: Db, course: CourseHere, course_id: int, table: str, row_id: int
) -> JsonObject:
    """Delete a row; `restore` brings it back."""
    kind = table_named(table)
    row = kit.delete(session, course_id, table, row_id)
    return {"what": row_name(row, kind, kit.context(session, course))}


@router.post("/{table}/{row_id:number}/restore")
@for_role(Role.LEADER)
def restore(
    request: Request,
    session: Db,
    course: CourseHere,
    course_id: int,
    table: str,
    row_id: int,
) -> JsonObject:
    """Undo a deletion."""
    kind = table_named(table)
    row = kit.restore(session, course_id, table, row_id)
    html = row_html(request, course, kind, row, kit.context(session, course))
    return {"html": html}


def _preview(
    request: Request,
    course: Any,
    grid: Grid,
    table: Table,
    text: str,
    headings: dict[str, str] | None = None,
) -> Response:
    return part(
        request,
        "kit/preview.html",
        course=course,
        grid=grid,
        table=table,
        text=text,
        headings=headings or {},
    )


@router.post("/{table}/preview")
@for_role(Role.LEADER)
def preview(
    request: Request, session: Db, course: CourseHere, table: str, body: Pasted
) -> Response:
    """What a paste would add, with every bad cell named by row and column. Nothing is stored."""
    kind = table_named(table)
    grid = read_grid(kind, body.text, kit.context(session, course), body.headings)
    return _preview(request, course, grid, kind, body.text, body.headings)


@router.post("/{table}/preview-file")
@for_role(Role.LEADER)
def preview_file(
    request: Request, session: Db, course: CourseHere, table: str, file: UploadFile
) -> Response:
    """The same for an uploaded CSV file."""
    kind = table_named(table)
    text = decode(file.file.read(MOST_BYTES + 1))
    grid = read_grid(kind, text, kit.context(session, course))
    return _preview(request, course, grid, kind, text)


@router.post("/{table}/import")
@for_role(Role.LEADER)
def import_rows(session: Db, course: CourseHere, table: str, body: Pasted) -> JsonObject:
    """Add all rows of a paste, or those with no fault where that is wanted, or none. Raises
    InputError naming the first bad cell.
    """
    kind = table_named(table)
    grid = read_grid(kind, body.text, kit.context(session, course), body.headings)
    rows = grid.sound if body.skip else grid.rows
    if not rows or not (grid.good or body.skip):
        raise InputError("text", "; ".join(grid.faults[:3]) or "there are no rows")
    made = kit.add(
        session, course.id, table, [_complete(kind, dict(row.values)) for row in rows]
    )
    return {"added": len(made)}


def _complete(kind: Table, values: JsonObject) -> JsonObject:
    if kind.key == "sheets":
        values.setdefault("tie_outs", ["corners"])
    return values


@router.get("/{table}.csv")
@for_role(Role.VIEWER)
def download(request: Request, course_id: int, table: str) -> Response:
    """The table as CSV."""
    kind = table_named(table)
    with parts_of(request).database.session() as session:
        course = courses.course(session, course_id)
        text = kit.table_csv(session, course, kind)
    return Response(
        text,
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{table}.csv"'},
    )
