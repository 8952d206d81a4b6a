"""Courses and their nights."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING

from sqlalchemy import func, select

from tarvik.core.errors import InputError
from tarvik.core.units import Units
from tarvik.store.accounts import home_provider
from tarvik.store.kit import ConflictError, NotFoundError
from tarvik.store.models import Course, Night, now

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

MOST_NIGHTS = 60


def courses(session: Session) -> Sequence[Course]:
    """All undeleted courses, newest first."""
    return session.scalars(
        select(Course).where(Course.deleted_at.is_(None)).order_by(Course.id.desc())
    ).all()


def course(session: Session, course_id: int, *, deleted: bool = False) -> Course:
    """One course. Raises NotFoundError."""
    found = session.get(Course, course_id)
    if found is None or (found.deleted_at is not None and not deleted):
        raise NotFoundError("there is no such course, or it was deleted")
    return found


def locked(session: Session, course_id: int) -> Course:
    """One course, to be changed by nobody else meanwhile. Raises NotFoundError."""
    query = select(Course).where(Course.id == course_id).with_for_update()
    found = session.scalars(query.execution_options(populate_existing=True)).one_or_none()
    if found is None or found.deleted_at is not None:
        raise NotFoundError("there is no such course, or it was deleted")
    return found


def set_rule(session: Session, course_id: int, name: str, value: object) -> Course:
    """Keep a value with a course's rules. Raises NotFoundError."""
    row = locked(session, course_id)
    row.rules = {**(row.rules or {}), name: value}
    session.flush()
    return row


def _named(name: str) -> str:
    clean = " ".join(name.split())
    if not clean:
        raise InputError("name", "give the course a name")
    if len(clean) > 120:
        raise InputError("name", f"{len(clean)} letters are too many; at most 120")
    return clean


def new_course(
    session: Session,
    name: str,
    place: str,
    units: str,
    nights: int,
    first: date | None,
    provider_id: int | None = None,
) -> Course:
    """Make a course with its nights; of the asker's provider when no other is named. Raises
    InputError.
    """
    if not 1 <= nights <= MOST_NIGHTS:
        raise InputError("nights", f"{nights} nights are outside 1 to {MOST_NIGHTS}")
    if units not in list(Units):
        raise InputError("units", "choose metric or imperial")
    if len(place) > 200:
        raise InputError("place", f"{len(place)} letters are too many; at most 200")
    made = Course(
        name=_named(name),
        place=" ".join(place.split()),
        units=units,
        provider_id=provider_id or home_provider(session),
    )
    session.add(made)
    session.flush()
    for number in range(1, nights + 1):
        on = first.fromordinal(first.toordinal() + number - 1) if first else None
        session.add(
            Night(course_id=made.id, position=number, title=f"Night {number}", on=on)
        )
    session.flush()
    return made


def change_course(
    session: Session, course_id: int, field: str, text: str, version: int, was: str
) -> Course:
    """Change one field of a course. Raises InputError, NotFoundError, ConflictError."""
    found = locked(session, course_id)
    if field not in ("name", "place", "note", "units"):
        raise InputError(field, "there is no such field")
    if field == "units" and text not in list(Units):
        raise InputError("units", "choose metric or imperial")
    most = {"place": 200, "note": 4000}.get(field)
    if most and len(text) > most:
        raise InputError(field, f"{len(text)} letters are too many; at most {most}")
    if found.version != version and getattr(found, field) != was:
        raise ConflictError(field, text, getattr(found, field), found.version)
    setattr(found, field, _named(text) if field == "name" else text.strip())
    session.flush()
    return found


def delete_course(session: Session, course_id: int, *, undo: bool = False) -> Course:
    """Mark a course deleted, or take that back."""
    found = course(session, course_id, deleted=True)
    found.deleted_at = None if undo else now()
    session.flush()
    return found


def nights(session: Session, course_id: int) -> Sequence[Night]:
    """Undeleted nights in order."""
    query = select(Night).where(Night.course_id == course_id, Night.deleted_at.is_(None))
    return session.scalars(query.order_by(Night.position, Night.id)).all()


def night(session: Session, course_id: int, night_id: int) -> Night:
    """One night of this course. Raises NotFoundError."""
    found = session.get(Night, night_id)
    if found is None or found.course_id != course_id or found.deleted_at is not None:
        raise NotFoundError("there is no such night in this course")
    return found


def night_by_id(session: Session, night_id: int) -> Night:
    """A night whatever its course. Raises NotFoundError."""
    found = session.get(Night, night_id)
    if found is None or found.deleted_at is not None:
        raise NotFoundError("there is no such night")
    return found


def add_night(session: Session, course_id: int) -> Night:
    """One night more at the end. Raises InputError when there are too many."""
    all_of_them = nights(session, course_id)
    if len(all_of_them) >= MOST_NIGHTS:
        raise InputError("nights", f"a course has at most {MOST_NIGHTS} nights")
    last = (
        session.scalar(select(func.max(Night.position)).where(Night.course_id == course_id))
        or 0
    )
    before = all_of_them[-1].on if all_of_them else None
    on = before.fromordinal(before.toordinal() + 1) if before else None
    made = Night(course_id=course_id, position=last + 1, title=f"Night {last + 1}", on=on)
    session.add(made)
    session.flush()
    return made


def change_night(
    session: Session,
    course_id: int,
    night_id: int,
    field: str,
    text: str,
    version: int,
    was: str,
) -> Night:
    """Change a night's title or date. Raises InputError, NotFoundError, ConflictError."""
    night(session, course_id, night_id)
    found = session.scalars(
        select(Night).where(Night.id == night_id).with_for_update()
    ).one()
    shown = {"title": found.title, "on": found.on.isoformat() if found.on else ""}
    if field not in shown:
        raise InputError(field, "there is no such field")
    if found.version != version and shown[field] != was:
        raise ConflictError(field, text, shown[field], found.version)
    if field == "on":
        found.on = read_date(text)
    else:
        title = " ".join(text.split())
        if not 1 <= len(title) <= 120:
            raise InputError("title", "give the night a name of at most 120 letters")
        found.title = title
    session.flush()
    return found


def read_date(text: str) -> date | None:
    """A date as 2027-09-24, None for nothing. Raises InputError."""
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise InputError(
            "first", f"“{text[:20]}” is no date; write it like 2027-09-24"
        ) from None
