"""What was deleted lately: found again, brought back, and gone for good after thirty days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import select

from tarvik.core.units import Units, format_length, format_size
from tarvik.store.kit import NotFoundError
from tarvik.store.models import (
    Course,
    LineRow,
    Night,
    Person,
    SheetRow,
    Site,
    StakeRow,
    SupportRow,
    now,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping

KEPT_FOR: Final = timedelta(days=30)
KINDS: Final[JsonMapping] = {
    "night": Night,
    "person": Person,
    "sheet": SheetRow,
    "support": SupportRow,
    "line": LineRow,
    "stakes": StakeRow,
    "site": Site,
}
"""What of a course is marked deleted and can be brought back."""


@dataclass(frozen=True)
class Deleted:
    """Something in the bin: what it is, how it is called, and until when it can be brought back."""

    kind: str
    id: int
    name: str
    until: datetime


def _name(row: Any, units: Units) -> str:
    for column in ("title", "name", "label", "kind"):
        if text := str(getattr(row, column, "") or ""):
            return text
    if isinstance(row, SheetRow):
        return format_size(row.width_m, row.length_m, units)
    if isinstance(row, LineRow):
        return f"{row.count} of {format_length(row.length_m, units)}"
    return str(getattr(row, "count", ""))


def of_course(session: Session, course_id: int) -> list[Deleted]:
    """What can be brought back of a course, the last deleted first."""
    course = session.get(Course, course_id)
    units = Units.METRIC if course is None else Units(course.units)
    found = []
    for kind, model in KINDS.items():
        query = select(model).where(
            model.course_id == course_id, model.deleted_at > now() - KEPT_FOR
        )
        found += [(r.deleted_at, kind, r) for r in session.scalars(query).unique()]
    found.sort(key=lambda one: one[0], reverse=True)
    return [Deleted(kind, r.id, _name(r, units), at + KEPT_FOR) for at, kind, r in found]


def courses(session: Session, provider_id: int) -> Sequence[Course]:
    """A provider's courses that can be brought back, the last deleted first."""
    query = select(Course).where(
        Course.provider_id == provider_id, Course.deleted_at > now() - KEPT_FOR
    )
    return session.scalars(query.order_by(Course.deleted_at.desc())).all()


def bring_back(session: Session, course_id: int, kind: str, number: int) -> None:
    """Undo a deletion. Raises NotFoundError."""
    model = KINDS.get(kind)
    row = (
        None if model is None else session.get(model, number, with_for_update={"of": model})
    )
    if row is None or row.course_id != course_id:
        raise NotFoundError("this is not among what was deleted lately")
    row.deleted_at = None
    session.flush()


def delete_night(session: Session, course_id: int, night_id: int) -> None:
    """Mark a night deleted. Raises NotFoundError."""
    row = session.get(Night, night_id, with_for_update=True)
    if row is None or row.course_id != course_id:
        raise NotFoundError("there is no such night in this course")
    row.deleted_at = row.deleted_at or now()
    session.flush()
