"""The tables of the group and its kit."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.exchange.columns import TABLES, Context, Table
from tarvik.store import kit
from tarvik.store.kit import Row
from tarvik.store.models import Course
from tarvik.web.state import parts_of


@dataclass(frozen=True, slots=True)
class TableShown:
    """A table of the group or the kit with its rows, and those deleted: (row, name)."""

    table: Table
    rows: list[kit.Cells]
    gone: list[tuple[int, str]]


def tables_shown(session: Session, course: Course) -> list[TableShown]:
    """All tables."""
    told = kit.context(session, course)
    shown = []
    for table in TABLES.values():
        rows = [
            kit.cells(row, table, told) for row in kit.rows(session, course.id, table.key)
        ]
        gone = [
            (row.id, row_name(row, table, told))
            for row in kit.deleted_rows(session, course.id, table.key)
        ]
        shown.append(TableShown(table, rows, gone))
    return shown


def row_name(row: Row, table: Table, told: Context) -> str:
    """What a row is called when it is spoken of: its first two filled cells."""
    filled = [text for text in kit.cells(row, table, told).text.values() if text]
    return ", ".join(filled[:2]) or table.what


def row_html(
    request: Request, course: Course, table: Table, row: Row, told: Context
) -> str:
    template = parts_of(request).pages.get_template("kit/row.html")
    return template.render(course=course, table=table, row=kit.cells(row, table, told))
