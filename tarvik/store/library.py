"""The provider's own kit: sheets and other things by number, their condition, and the courses they
are lent to; and what two courses on the same dates both want.
"""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from sqlalchemy import func, select

from tarvik.core.errors import InputError
from tarvik.core.hang.fabric import fabric_of
from tarvik.core.sheet import Sheet, TieOuts
from tarvik.core.units import Units, parse_size
from tarvik.exchange import more_kit_form
from tarvik.store import courses, kit
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Course, LibraryItem, Loan, Night, SheetRow, now

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from datetime import date

    from sqlalchemy.orm import Session

CONDITIONS: Final[Mapping[str, str]] = MappingProxyType(
    {
        "good": "good",
        "worn": "worn, still tight",
        "mend": "to be mended",
        "out": "not to be lent",
    }
)
LENT: Final = ("good", "worn")
"""Conditions in which a thing is lent."""
MOST_ITEMS: Final = 2000
SIDE_LEAST_M, SIDE_MOST_M = 0.5, 20.0


@dataclass(frozen=True, slots=True)
class ItemIn:
    """An item as typed. `size`: empty for what is no sheet; `ties`: patterns of its tie-outs."""

    number: str
    name: str = ""
    size: str = ""
    ties: tuple[str, ...] = ()
    material: str = ""
    condition: str = "good"
    checked_on: date | None = None
    note: str = ""


@dataclass(frozen=True, slots=True)
class Clash:
    """An item that two courses have on the same dates."""

    item: LibraryItem
    other: Course
    first: date
    last: date


def items(session: Session, provider_id: int) -> Sequence[LibraryItem]:
    """Everything in the library, by number."""
    query = select(LibraryItem).where(
        LibraryItem.provider_id == provider_id, LibraryItem.deleted_at.is_(None)
    )
    return session.scalars(query.order_by(LibraryItem.number, LibraryItem.id)).all()


def item(session: Session, provider_id: int, number: int) -> LibraryItem:
    """One item. Raises NotFoundError."""
    found = session.get(LibraryItem, number)
    if found is None or found.provider_id != provider_id or found.deleted_at is not None:
        raise NotFoundError("there is no such thing in the library")
    return found


def add(session: Session, provider_id: int, told: ItemIn, units: Units) -> LibraryItem:
    """Put something into the library. Raises InputError."""
    made = LibraryItem(provider_id=provider_id)
    have = select(func.count()).where(
        LibraryItem.provider_id == provider_id, LibraryItem.deleted_at.is_(None)
    )
    if (session.scalar(have) or 0) >= MOST_ITEMS:
        raise InputError("number", f"a library holds at most {MOST_ITEMS} things")
    _write(session, made, told, units)
    session.add(made)
    session.flush()
    return made


def change(
    session: Session, provider_id: int, number: int, told: ItemIn, units: Units
) -> LibraryItem:
    """Put what is known of an item right; sheets that are lent already stay as they were lent.
    Raises InputError and NotFoundError.
    """
    found = item(session, provider_id, number)
    _write(session, found, told, units)
    session.flush()
    return found


def _write(session: Session, row: LibraryItem, told: ItemIn, units: Units) -> None:
    number = " ".join(told.number.split())
    if not number:
        raise InputError("number", "give it a number, as it is marked on the thing")
    same = select(LibraryItem.id).where(
        LibraryItem.provider_id == row.provider_id,
        LibraryItem.deleted_at.is_(None),
        LibraryItem.number == number,
        LibraryItem.id != (row.id or 0),
    )
    with session.no_autoflush:
        if session.scalar(same) is not None:
            raise InputError("number", f"there is a number {number} in the library already")
    if told.condition not in CONDITIONS:
        raise InputError("condition", f"choose one of {', '.join(CONDITIONS.values())}")
    width = length = None
    if told.size.strip():
        width, length = parse_size(told.size, units, field="size")
        if not all(SIDE_LEAST_M <= side <= SIDE_MOST_M for side in (width, length)):
            raise InputError("size", f"“{told.size}” is no size of a sheet")
    elif not told.name.strip():
        raise InputError("name", "say what it is, or give the size of the sheet")
    known = [tie.value for tie in TieOuts]
    row.number, row.name = number, " ".join(told.name.split())
    row.width_m, row.length_m = width, length
    row.tie_outs = [t for t in told.ties if t in known] or [TieOuts.CORNERS.value]
    row.material = told.material.strip()
    fabric_of(row.material)
    row.condition, row.checked_on, row.note = told.condition, told.checked_on, told.note


def delete(session: Session, provider_id: int, number: int, *, undo: bool = False) -> None:
    """Take an item off the list, or put it back. What is lent is brought back first. Raises
    InputError and NotFoundError.
    """
    found = session.get(LibraryItem, number)
    if found is None or found.provider_id != provider_id:
        raise NotFoundError("there is no such thing in the library")
    if not undo and open_loans(session, found.id):
        raise InputError("item", "it is lent: let the course give it back first")
    found.deleted_at = None if undo else now()


def open_loans(session: Session, item_id: int) -> Sequence[Loan]:
    """Courses that have an item now."""
    query = (
        select(Loan)
        .join(Course, Course.id == Loan.course_id)
        .where(
            Loan.item_id == item_id, Loan.ended_at.is_(None), Course.deleted_at.is_(None)
        )
    )
    return session.scalars(query.order_by(Loan.id)).all()


def with_courses(session: Session, provider_id: int) -> dict[int, list[Course]]:
    """The courses that have things of the library now, by the thing."""
    query = (
        select(Loan.item_id, Course)
        .join(Course, Course.id == Loan.course_id)
        .join(LibraryItem, LibraryItem.id == Loan.item_id)
        .where(
            LibraryItem.provider_id == provider_id,
            Loan.ended_at.is_(None),
            Course.deleted_at.is_(None),
        )
        .order_by(Loan.id)
    )
    found: dict[int, list[Course]] = {}
    for item_id, course in session.execute(query):
        found.setdefault(item_id, []).append(course)
    return found


def loans(session: Session, course_id: int) -> Sequence[Loan]:
    """What a course has of the library."""
    query = select(Loan).where(Loan.course_id == course_id, Loan.ended_at.is_(None))
    return session.scalars(query.order_by(Loan.id)).all()


def lend(session: Session, course_id: int, item_id: int) -> Loan:
    """Lend an item to a course; a sheet becomes one of its sheets, the group's. Raises InputError
    for what is not to be lent or is there already, NotFoundError.
    """
    course = courses.course(session, course_id)
    found = item(session, course.provider_id, item_id)
    if found.condition not in LENT:
        raise InputError("item", f"{found.number} is {CONDITIONS[found.condition]}")
    if any(loan.item_id == found.id for loan in loans(session, course_id)):
        raise InputError("item", f"{found.number} is with this course already")
    sheet: SheetRow | None = None
    if found.width_m and found.length_m:
        (sheet,) = kit.add(
            session,
            course_id,
            "sheets",
            [
                {
                    "label": f"{found.number} {found.name}".strip()[:80],
                    "width_m": found.width_m,
                    "length_m": found.length_m,
                    "tie_outs": list(found.tie_outs),
                    "material": found.material,
                    "note": "lent from the library",
                }
            ],
        )
    made = Loan(
        item_id=found.id, course_id=course_id, sheet_id=None if sheet is None else sheet.id
    )
    session.add(made)
    session.flush()
    return made


def give_back(session: Session, course_id: int, loan_id: int) -> None:
    """End a loan; its sheet leaves the course's kit, and can be undone there. Raises
    NotFoundError.
    """
    loan = session.get(Loan, loan_id)
    if loan is None or loan.course_id != course_id or loan.ended_at is not None:
        raise NotFoundError("this is not lent to this course")
    loan.ended_at = now()
    row = None if loan.sheet_id is None else session.get(SheetRow, loan.sheet_id)
    if row is not None and row.deleted_at is None:
        kit.delete(session, course_id, "sheets", row.id)
    session.flush()


def dates(session: Session, course_id: int) -> tuple[date, date] | None:
    """First and last night of a course; None while none has a date."""
    query = select(func.min(Night.on), func.max(Night.on)).where(
        Night.course_id == course_id, Night.deleted_at.is_(None)
    )
    first, last = session.execute(query).one()
    return None if first is None or last is None else (first, last)


def clashes(session: Session, course_id: int) -> list[Clash]:
    """What a course has that another course with a night on the same dates has too."""
    own = dates(session, course_id)
    if own is None:
        return []
    found = []
    for loan in loans(session, course_id):
        for other in open_loans(session, loan.item_id):
            theirs = dates(session, other.course_id)
            if other.course_id == course_id or theirs is None:
                continue
            first, last = max(own[0], theirs[0]), min(own[1], theirs[1])
            if first <= last:
                course = session.get_one(Course, other.course_id)
                found.append(Clash(loan.item, course, first, last))
    return found


def to_lend(session: Session, course: Course) -> list[more_kit_form.Loan]:
    """Sheets that could be lent to a course: in order, and with no other course on its dates; those
    alike together.
    """
    away = with_courses(session, course.provider_id)
    holders = {c.id for some in away.values() for c in some}
    own, theirs = dates(session, course.id), {n: dates(session, n) for n in holders}

    def free(item: LibraryItem) -> bool:
        return item.condition in LENT and all(
            c.id != course.id and _apart(own, theirs[c.id]) for c in away.get(item.id, ())
        )

    alike: dict[Sheet, list[int]] = {}
    for one in items(session, course.provider_id):
        if one.width_m and one.length_m and free(one):
            ties = kit.ties_of(one.width_m, one.length_m, one.tie_outs or ())
            fabric = fabric_of(one.material).slug
            sheet = Sheet.rectangle(one.width_m, one.length_m, ties, None, fabric)
            alike.setdefault(sheet, []).append(one.id)
    most = more_kit_form.MOST
    return [
        more_kit_form.Loan(f"library-{min(some)}", sheet, min(len(some), most))
        for sheet, some in alike.items()
    ]


def _apart(one: tuple[date, date] | None, two: tuple[date, date] | None) -> bool:
    """Whether two courses' dates are known and have no night in common."""
    return one is not None and two is not None and (one[1] < two[0] or two[1] < one[0])
