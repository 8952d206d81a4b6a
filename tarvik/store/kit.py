"""People and kit of a course: reading, adding, changing without overwriting anyone, deleting so
that it can be undone.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import func, select

from tarvik.core.body import Body
from tarvik.core.errors import InputError
from tarvik.core.hang.fabric import fabric_of
from tarvik.core.loads.holding import Holding, StakeKind
from tarvik.core.loads.stake_kinds import Stakes, sorted_stakes
from tarvik.core.plan.party import Camper, Shares, Skill
from tarvik.core.ready_lines import Line, counted_as
from tarvik.core.rig.supports import CARRIER_KINDS, Carrier, Pole, Supports, Tree
from tarvik.core.sheet import Point2, Sheet, TieOuts, joined_sheet, tie_out_points
from tarvik.core.solve import ADULT
from tarvik.core.units import Units
from tarvik.exchange.columns import TABLES, Context, Table
from tarvik.exchange.course_file import MOST_ROWS
from tarvik.exchange.grid import csv_text
from tarvik.exchange.night_form import holding_of, house_of, may_cut
from tarvik.store.models import (
    Course,
    LineRow,
    NightPlan,
    Person,
    SheetRow,
    StakeRow,
    SupportRow,
    now,
)

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping

Row = Person | SheetRow | SupportRow | LineRow | StakeRow
MODELS: Final[Mapping[str, type[Person | SheetRow | SupportRow | LineRow | StakeRow]]] = {
    "people": Person,
    "sheets": SheetRow,
    "supports": SupportRow,
    "lines": LineRow,
    "stakes": StakeRow,
}
STICK_LEAST_M: Final = 0.3
"""A cut stick can be cut down to this."""


class NotFoundError(LookupError):
    """There is no such row, or not in this course."""


class ConflictError(Exception):
    """Somebody else changed the same cell first. Both values, as text, are here."""

    def __init__(self, column: str, mine: str, theirs: str, version: int) -> None:
        super().__init__(f"{column}: “{mine}” or “{theirs}”")
        self.column, self.mine, self.theirs, self.version = column, mine, theirs, version


@dataclass(frozen=True)
class Cells:
    """A row as a table shows it."""

    id: int
    version: int
    text: dict[str, str]


def rows(session: Session, course_id: int, table: str) -> Sequence[Any]:
    """Undeleted rows of a table, in order: each of the table's own class, which the asker knows."""
    model = MODELS[table]
    query = select(model).where(model.course_id == course_id, model.deleted_at.is_(None))
    return session.scalars(query.order_by(model.position, model.id)).all()


def deleted_rows(
    session: Session, course_id: int, table: str, most: int = 20
) -> Sequence[Any]:
    """Rows deleted lately, the last first."""
    model = MODELS[table]
    query = select(model).where(model.course_id == course_id, model.deleted_at.is_not(None))
    return session.scalars(query.order_by(model.deleted_at.desc()).limit(most)).all()


def context(session: Session, course: Course) -> Context:
    """What reading the course's cells needs."""
    people = {p.name.lower(): p.id for p in rows(session, course.id, "people")}
    return Context(Units(course.units), people)


def cells(row: Row, table: Table, told: Context) -> Cells:
    """A row as text."""
    values = {c.name: getattr(row, c.key) for c in row.__table__.columns}
    return Cells(
        row.id,
        row.version,
        {c.key: c.show(values, told) for c in table.columns if not c.import_only},
    )


def one(
    session: Session, course_id: int, table: str, row_id: int, *, lock: bool = False
) -> Any:
    """A row of this course, deleted ones too. Raises NotFoundError."""
    model = MODELS[table]
    query = select(model).where(model.id == row_id, model.course_id == course_id)
    row = session.scalars(query.with_for_update(of=model) if lock else query).one_or_none()
    if row is None:
        raise NotFoundError(f"no {TABLES[table].what} {row_id} in this course")
    return row


def add(
    session: Session, course_id: int, table: str, many: Iterable[JsonMapping]
) -> list[Any]:
    """Add rows at the end, all or none. A person's row with a size brings an own sheet along.
    Raises InputError where the course would hold too many.
    """
    model = MODELS[table]
    many = list(many)
    have = session.scalar(
        select(func.count()).where(model.course_id == course_id, model.deleted_at.is_(None))
    )
    if (have or 0) + len(many) > MOST_ROWS:
        words = f"a course holds at most {MOST_ROWS} {TABLES[table].title.lower()}, it has {have}"
        raise InputError("rows", words)
    last = (
        session.scalar(select(func.max(model.position)).where(model.course_id == course_id))
        or 0
    )
    made = []
    for values in many:
        known = {k: v for k, v in values.items() if k in model.__table__.columns}
        last += 1
        row = model(course_id=course_id, position=last, **known)
        session.add(row)
        made.append(row)
        if table == "people" and values.get("width_m"):
            session.flush()
            own = {k: values[k] for k in ("width_m", "length_m", "tie_outs") if k in values}
            add(
                session,
                course_id,
                "sheets",
                [{"tie_outs": [TieOuts.CORNERS.value], **own, "owner_id": row.id}],
            )
    session.flush()
    return made


def change(
    session: Session,
    course: Course,
    table: str,
    row_id: int,
    column: str,
    text: str,
    version: int,
    was: str,
) -> Any:
    """Change one cell. `version` and `was` are what the leader saw when the change began.

    Raises ConflictError when somebody changed the same cell since; another cell of the row is no
    conflict. Raises InputError for a text that cannot be read, NotFoundError for a row that is
    gone.
    """
    told = context(session, course)
    shown = TABLES[table].column(column)
    row = one(session, course.id, table, row_id, lock=True)
    if row.deleted_at is not None:
        raise NotFoundError(
            f"this {TABLES[table].what} was deleted by somebody else; undo that first"
        )
    values = shown.read(text, told)
    if row.version != version:
        theirs = cells(row, TABLES[table], told).text[column]
        if theirs != was:
            raise ConflictError(column, text, theirs, row.version)
    for key, value in values.items():
        setattr(row, key, value)
    session.flush()
    if table == "sheets":
        session.refresh(row)
    return row


def delete(session: Session, course_id: int, table: str, row_id: int) -> Any:
    """Mark a row deleted."""
    row = one(session, course_id, table, row_id, lock=True)
    row.deleted_at = row.deleted_at or now()
    session.flush()
    return row


def restore(session: Session, course_id: int, table: str, row_id: int) -> Any:
    """Undo a deletion."""
    row = one(session, course_id, table, row_id, lock=True)
    row.deleted_at = None
    session.flush()
    return row


def ties_of(width_m: float, length_m: float, patterns: Iterable[str]) -> tuple[Point2, ...]:
    """The tie-outs of a sheet by their patterns, its corners where it names none."""
    named = frozenset(TieOuts(p) for p in patterns) or {TieOuts.CORNERS}
    return tie_out_points(width_m, length_m, frozenset(named))


def sheet_of(row: SheetRow) -> Sheet:
    """The sheet a row describes."""
    ties = ties_of(row.width_m, row.length_m, row.tie_outs or ())
    hood = (
        (row.hood_u_m, row.hood_v_m)
        if row.hood_u_m is not None and row.hood_v_m is not None
        else None
    )
    fabric = fabric_of(row.material).slug
    if row.outline:
        return Sheet(
            tuple((float(u), float(v)) for u, v in row.outline), ties, hood, fabric
        )
    return Sheet.rectangle(row.width_m, row.length_m, ties, hood, fabric)


def cloth_of(sheet: SheetRow, joined: SheetRow | None) -> Sheet:
    """What is pitched: a sheet, or it and another joined. Raises InputError for two that are not
    joined along an edge.
    """
    cloth = sheet_of(sheet)
    return cloth if joined is None else joined_sheet(cloth, sheet_of(joined))


def body_of(person: Person | None) -> Body:
    """The body a row describes; the default person for nobody."""

    return ADULT if person is None else Body(person.stature_m, dict(person.measured or {}))


def camper_of(person: Person) -> Camper:
    """A person as the plan sees one."""
    return Camper(
        person.id,
        person.name,
        person.stature_m,
        person.role == "leader",
        person.age,
        person.patrol,
        person.quarters,
        Shares(person.shares),
        Skill(person.skill),
        person.snores,
        person.lends,
    )


def stake_kind(row: StakeRow, usual: Holding, count: int) -> StakeKind:
    """The kind of stake a row keeps, of which `count` are there; as the house rules have it
    (`usual`) where it does not.
    """
    return StakeKind(
        row.length_m or usual.stake_depth_m, row.width_m or usual.stake_width_m, count
    )


@dataclass(frozen=True, slots=True)
class Piece:
    """A row of poles, lines or stakes, and how many of it are there."""

    row: Any
    count: int


def pieces(
    session: Session, course_id: int, table: str, night_id: int | None = None
) -> list[Piece]:
    """The rows of a table of kit with what is there of each; on a night, without what is not
    present then.
    """
    away = missing(session, night_id)
    return [
        Piece(row, max(row.count - away.get(piece_key(table, row.id), 0), 0))
        for row in rows(session, course_id, table)
    ]


def piece_key(table: str, number: int) -> str:
    """What a row of kit is called in what is not present."""
    return f"{table}-{number}"


def missing(session: Session, night_id: int | None) -> Mapping[str, int]:
    """How many pieces of which rows of kit are not present on a night."""
    night = None if night_id is None else session.get(NightPlan, night_id)
    told = ((night.asked or {}).get("absent") or {}) if night is not None else {}
    return told.get("kit") or {}


def stakes_of(
    session: Session, course_id: int, rules: JsonMapping, night_id: int | None = None
) -> Stakes:
    """A course's stakes, sorted by what they hold; on a night, those that are present."""
    usual = holding_of(rules)
    return sorted_stakes(
        (
            stake_kind(one.row, usual, one.count)
            for one in pieces(session, course_id, "stakes", night_id)
        ),
        StakeKind(usual.stake_depth_m, usual.stake_width_m, 0),
    )


def table_csv(session: Session, course: Course, table: Table) -> str:
    """One of a course's tables as CSV."""
    told = context(session, course)
    texts = [cells(row, table, told).text for row in rows(session, course.id, table.key)]
    columns = [c for c in table.columns if not c.import_only]
    return csv_text(
        [c.title for c in columns], [[row[c.key] for c in columns] for row in texts]
    )


def pole_of(row: SupportRow) -> Pole:
    """One of the poles or sticks of a row."""
    most = row.most_m or 1.4
    least = STICK_LEAST_M if row.kind == "stick" else (row.least_m or most)
    return Pole(min(least, most), most, row.kind)


def line_of(row: LineRow) -> Line:
    """One of the lines of a row."""
    return Line(row.length_m, not row.uncut)


def supports_of(session: Session, course_id: int, night_id: int | None = None) -> Supports:
    """Everything at hand in a course; on a night, what is present then. Kinds of which nothing is
    entered count as none.
    """
    trees: list[Tree] = []
    poles: list[Pole] = []
    others: list[Carrier] = []
    course = session.get(Course, course_id)
    rules = (course.rules if course else None) or {}
    for one in pieces(session, course_id, "supports", night_id):
        row = one.row
        if row.kind == "tree":
            trees += [Tree()] * one.count
        elif row.kind in CARRIER_KINDS:
            others += [
                Carrier(row.kind, row.most_m or row.least_m or 1.0, row.least_m or 0.0)
            ] * one.count
        else:
            poles += [pole_of(row)] * one.count
    lines = tuple(
        length
        for one in pieces(session, course_id, "lines", night_id)
        for _ in range(one.count)
        for length in counted_as(line_of(one.row))
    )
    stakes = stakes_of(session, course_id, rules, night_id).count
    return Supports(
        tuple(trees),
        tuple(poles),
        min(stakes, 2000),
        lines,
        tuple(others),
        may_cut(rules),
        house_of(rules),
    )
