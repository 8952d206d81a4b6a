"""The trail of changes, written by the database itself; earlier versions of a course, a night or a
plan restored from it.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import delete, select, text

from tarvik.store.kit import NotFoundError
from tarvik.store.models import Account, Base, Change

if TYPE_CHECKING:
    from collections.abc import Sequence

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
    "shelter",
    "shelter_member",
    "night_plan",
    "named_plan",
)
"""Tables traced, parents first."""
PLAN: Final = ("shelter", "shelter_member", "night_plan", "named_plan")
WORDS: Final = {
    "course": "course",
    "person": "person",
    "sheet": "sheet",
    "support": "support",
    "line": "line",
    "stake": "stakes",
    "site": "site",
    "ground_item": "ground",
    "night": "night",
    "shelter": "shelter",
    "shelter_member": "who sleeps where",
    "night_plan": "what is asked of the plan",
    "named_plan": "plan kept by name",
}
HIDDEN: Final = frozenset(
    ("id", "version", "course_id", "night_id", "position", "created_at", "made_at", "provider_id")
)
MOST: Final = 200
TOGETHER_S: Final = 2.0
"""Changes of one person so close to each other are told as one."""


@dataclass(frozen=True)
class Told:
    """Changes made together: the first one's number, when, by whom, and each in words; the one
    night they are about, if it is one; whether they touch a plan; whether the course itself was
    made then, so that there is nothing before.
    """

    first: int
    at: Any
    by: str
    lines: tuple[str, ...]
    night_id: int | None
    plan: bool
    made: bool


def _value(value: Any) -> str:
    if value is None or value == "":
        return "nothing"
    shown = str(value)
    return shown if len(shown) <= 40 else shown[:39] + "…"


def words_of(change: Change) -> str:
    """One change as a sentence."""
    what = WORDS.get(change.kind, change.kind)
    row = change.after or change.before or {}
    named = (
        row.get("name")
        or row.get("label")
        or row.get("title")
        or row.get("pitch")
        or row.get("kind")
        or ""
    )
    what = f"{what} {named}".strip() if change.kind != "shelter_member" else what
    if change.before is None:
        return f"{what}: added"
    if change.after is None:
        return f"{what}: taken away"
    if change.before.get("deleted_at") != change.after.get("deleted_at"):
        return f"{what}: " + ("deleted" if change.after.get("deleted_at") else "brought back")
    parts = [
        _part(key, change.before.get(key), value)
        for key, value in change.after.items()
        if key not in HIDDEN and change.before.get(key) != value
    ]
    return f"{what}: {', '.join(parts) or 'kept again'}"


def _part(key: str, before: Any, after: Any) -> str:
    """One value changed; of values inside values, their names."""
    name = key.removesuffix("_m").replace("_", " ")
    if isinstance(before, dict) and isinstance(after, dict):
        inner = sorted(
            k.replace("_", " ") for k in {*before, *after} if before.get(k) != after.get(k)
        )
        return f"{name}: {', '.join(inner)}"
    return f"{name} {_value(before)} → {_value(after)}"


def told(
    session: Session, course_id: int, before: int | None = None, most: int = MOST
) -> list[Told]:
    """A course's changes, the newest first, those of one moment and person together."""
    query = select(Change).where(Change.course_id == course_id)
    if before is not None:
        query = query.where(Change.id < before)
    rows = session.scalars(query.order_by(Change.id.desc()).limit(most)).all()
    names = {
        a.id: a.name
        for a in session.scalars(
            select(Account).where(Account.id.in_({r.account_id for r in rows} - {None}))
        )
    }
    groups: list[list[Change]] = []
    for row in rows:
        last = groups[-1][-1] if groups else None
        close = (
            last is not None
            and (last.at - row.at).total_seconds() <= TOGETHER_S
            and last.account_id == row.account_id
        )
        if close:
            groups[-1].append(row)
        else:
            groups.append([row])
    return [_told(g, names) for g in groups]


def _told(group: Sequence[Change], names: dict[int, str]) -> Told:
    first, nights = group[-1], {c.night_id for c in group}
    by = "the server" if first.account_id is None else names.get(first.account_id, "somebody gone")
    return Told(
        first.id,
        first.at,
        by,
        tuple(dict.fromkeys(words_of(c) for c in reversed(group))),
        nights.pop() if len(nights) == 1 else None,
        any(c.kind in PLAN for c in group),
        any(c.kind == "course" and c.before is None for c in group),
    )


def restore(
    session: Session,
    course_id: int,
    since: int,
    night_id: int | None = None,
    *,
    plan_only: bool = False,
) -> int:
    """Make a course, or one night of it, or only that night's plan, what it was before change
    `since`; says how many rows changed. It is itself a change, so it can be taken back. Raises
    NotFoundError.
    """
    first = session.get(Change, since)
    if first is None or first.course_id != course_id:
        raise NotFoundError("there is no such change in this course")
    session.execute(
        text("select id from course where id = :course for update"), {"course": course_id}
    )
    query = (
        select(Change).where(Change.course_id == course_id, Change.id >= since).order_by(Change.id)
    )
    if night_id is not None:
        query = query.where(Change.night_id == night_id)
    if plan_only:
        query = query.where(Change.kind.in_(PLAN))
    wanted: dict[tuple[str, str], dict[str, Any] | None] = {}
    for change in session.scalars(query):
        wanted.setdefault((change.kind, change.row_key), change.before)
    count = 0
    for kind in reversed(ORDER):
        for (table, key), row in wanted.items():
            if kind == "course":
                continue  # a course does not go back to before it was made
            if table == kind and (row is None or kind in ("shelter", "shelter_member")):
                count += _take_away(session, Base.metadata.tables[kind], key)
    for kind in ORDER:
        for (table, key), row in wanted.items():
            if table == kind and row is not None:
                count += _put_back(session, Base.metadata.tables[kind], key, row)
    session.expire_all()
    return count


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


def _put_back(session: Session, table: Table, key: str, row: dict[str, Any]) -> int:
    """A row as it was, with a version of its own so that nobody's older page overwrites it."""
    there = (
        session.execute(select(table).where(_where(table, key)).with_for_update())
        .mappings()
        .one_or_none()
    )
    if there is None and table.name == "night_plan":
        row = {"found": {}, **row}  # what was worked out is not traced: it is worked out again
    names = [c.name for c in table.columns if c.name in row]
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
        keys = " and ".join(f't."{c.name}" = r."{c.name}"' for c in table.primary_key.columns)
        sql = f'update "{table.name}" t set {sets} from {source} r where {keys}'  # noqa: S608
    return int(session.execute(text(sql), {"row": json.dumps(row)}).rowcount)  # type: ignore[attr-defined]
