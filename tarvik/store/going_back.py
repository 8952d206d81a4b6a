"""Earlier versions of a course, a night or a plan, made again from the trail of changes."""

from __future__ import annotations

import json
from collections import defaultdict
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import delete, select, text

from tarvik.core.plain import JsonObject
from tarvik.store import asks, plans
from tarvik.store.history import PLAN
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Base, Change, Night

if TYPE_CHECKING:
    from collections.abc import Mapping

    from sqlalchemy import Table
    from sqlalchemy.orm import Session

ORDER: Final = (
    "course",
    "person",
    "sheet",
    "support",
    "line",
    "stake",
    "site",
    "ground_item",
    "night",
    "forecast",
    "shelter",
    "shelter_member",
    "night_plan",
    "named_plan",
)
"""Tables traced, parents first."""
STAYS: Final[Mapping[str, frozenset[str]]] = defaultdict(
    frozenset, {"course": frozenset(("deleted_at", "provider_id", "demo", "created_at"))}
)
"""Columns that going back leaves as they are."""


def restore(
    session: Session,
    course_id: int,
    since: int,
    night_id: int | None = None,
    *,
    plan_only: bool = False,
) -> int:
    """Make a course, or one night of it, or only that night's plan, what it was before change
    `since`; says how many rows changed. It is itself a change, so it can be taken back; a plan goes
    back by its own undo too. What was erased for good stays away, and whether the course itself is
    deleted stays as it is. Raises NotFoundError.
    """
    first = session.get(Change, since)
    if first is None or first.course_id != course_id:
        raise NotFoundError("there is no such change in this course")
    session.execute(
        text("select id from course where id = :course for update"), {"course": course_id}
    )
    wanted = _wanted(session, course_id, since, night_id, plan_only=plan_only)
    _meet_plans(session, {night for _, night in wanted.values() if night is not None})
    count = 0
    for kind in reversed(ORDER):
        for (table, key), (row, _) in wanted.items():
            if kind == "course":
                continue  # a course does not go back to before it was made
            if table == kind and (row is None or kind in ("shelter", "shelter_member")):
                count += _take_away(session, Base.metadata.tables[kind], key)
    for kind in ORDER:
        for (table, key), (row, _) in wanted.items():
            if table == kind and row is not None:
                count += _put_back(session, Base.metadata.tables[kind], key, row)
    session.expire_all()
    return count


_Wanted = dict[tuple[str, str], tuple[JsonObject | None, int | None]]
"""By table and key: the row as it was, None for not there, and the night it belongs to."""


def _wanted(
    session: Session, course_id: int, since: int, night_id: int | None, *, plan_only: bool
) -> _Wanted:
    """What the rows changed since were before."""
    query = select(Change).where(
        Change.course_id == course_id, Change.id >= since, Change.kind.in_(ORDER)
    )
    if night_id is not None:
        query = query.where(Change.night_id == night_id)
    if plan_only:
        query = query.where(Change.kind.in_(PLAN))
    wanted: _Wanted = {}
    for change in session.scalars(query.order_by(Change.id)):
        wanted.setdefault((change.kind, change.row_key), (change.before, change.night_id))
    return wanted


def _meet_plans(session: Session, nights: set[int]) -> None:
    """The nights' choices change: their present ones are kept for undo under a new step, open jobs
    are called off, and what was found of them no longer holds.
    """
    for night in session.scalars(
        select(Night).where(Night.id.in_(nights)).order_by(Night.id)
    ):
        plans.lock(session, night)
        plans.remember(session, night, "going back in history")
        asks.call_off_open(session, night.id)
        asks.forget_found(session, night.id)


def _where(table: Table, key: str) -> Any:
    parts = [int(p) for p in key.split("/")]
    columns = (
        [table.c.shelter_id, table.c.person_id]
        if table.name == "shelter_member"
        else list(table.primary_key.columns)
    )
    clause = columns[0] == parts[0]
    return clause & (columns[1] == parts[1]) if len(parts) > 1 else clause


def _take_away(session: Session, table: Table, key: str) -> int:
    """A row that was not there: marked deleted where rows are, else gone."""
    where = _where(table, key)
    if "deleted_at" in table.c and table.name not in ("shelter",):
        made = table.update().where(where, table.c.deleted_at.is_(None))
        values = {"deleted_at": text("now()"), "version": table.c.version + 1}
        return int(session.execute(made.values(values)).rowcount)  # type: ignore[attr-defined]
    return int(session.execute(delete(table).where(where)).rowcount)  # type: ignore[attr-defined]


def _put_back(session: Session, table: Table, key: str, row: JsonObject) -> int:
    """A row as it was, with a version of its own so that nobody's older page overwrites it. What it
    points at and is gone for good is left out; a row that cannot do without stays away.
    """
    kept = _without_what_is_gone(session, table, row)
    if kept is None:
        return 0
    if table.name == "forecast":  # one a night, whatever its number
        session.execute(delete(table).where(table.c.night_id == row["night_id"]))
    there = (
        session.execute(select(table).where(_where(table, key)).with_for_update())
        .mappings()
        .one_or_none()
    )
    if there is None and table.name == "night_plan":
        kept = {
            "found": {},
            **kept,
        }  # what was worked out is not traced: it is worked out again
    names = [
        c.name for c in table.columns if c.name in kept and c.name not in STAYS[table.name]
    ]
    told = ", ".join(f'"{n}"' for n in names)
    source = (
        f'jsonb_populate_record(null::public."{table.name}", '
        "cast(:row as jsonb))"
    )  # our own names: nobody's words
    if there is None:
        sql = f'insert into "{table.name}" ({told}) select {told} from {source}'  # noqa: S608
    else:
        sets = ", ".join(f'"{n}" = r."{n}"' for n in names if n not in ("id", "version"))
        sets += ", version = t.version + 1" if "version" in table.c else ""
        keys = " and ".join(
            f't."{c.name}" = r."{c.name}"' for c in table.primary_key.columns
        )
        sql = f'update "{table.name}" t set {sets} from {source} r where {keys}'  # noqa: S608
    done = session.execute(text(sql), {"row": json.dumps(kept)})
    return int(done.rowcount)  # type: ignore[attr-defined]


def _without_what_is_gone(
    session: Session, table: Table, row: JsonObject
) -> JsonObject | None:
    """A row without its references to rows that are gone; None when it cannot do without one."""
    kept = dict(row)
    for column in table.columns:
        for reference in column.foreign_keys:
            value, parent = kept.get(column.name), reference.column
            if value is None or _there(session, parent, value):
                continue
            if not column.nullable:
                return None
            kept[column.name] = None
    return kept


def _there(session: Session, column: Any, value: Any) -> bool:
    query = select(column).where(column == value)
    return session.execute(query).first() is not None
