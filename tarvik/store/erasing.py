"""Personal data given out on request, and erased: one person's, or a whole course's people after
the provider's time.
"""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING, Any

from sqlalchemy import delete, func, or_, select, update

from tarvik.store import kit
from tarvik.store.models import (
    Answer,
    CardLink,
    Change,
    Course,
    NamedPlan,
    Night,
    NightPlan,
    Person,
    PlanJob,
    PlanStep,
    Provider,
    ShelterMember,
    now,
)

if TYPE_CHECKING:
    from sqlalchemy.orm import Session


def told_of(session: Session, course_id: int, person_id: int) -> dict[str, Any]:
    """Everything kept of a person, as plain values. Raises NotFoundError."""
    person = kit.one(session, course_id, "people", person_id)
    own = {
        name: [
            _plain(row) for row in kit.rows(session, course_id, name) if row.owner_id == person_id
        ]
        for name in ("sheets", "supports", "lines", "stakes")
    }
    nights = session.scalars(
        select(ShelterMember.night_id).where(ShelterMember.person_id == person_id)
    ).all()
    said = session.scalars(
        select(Answer).where(Answer.person_id == person_id).order_by(Answer.id)
    ).all()
    return {
        "person": _plain(person),
        "own_kit": own,
        "nights_with_a_bed": sorted(nights),
        "answers": [{"kind": a.kind, "values": a.values, "state": a.state} for a in said],
    }


def _plain(row: Any) -> dict[str, Any]:
    skipped = ("version", "deleted_at", "course_id", "position", "owner_id")
    return {c.name: getattr(row, c.name) for c in row.__table__.columns if c.name not in skipped}


def erase(session: Session, course_id: int, person_id: int) -> None:
    """Erase a person for good: the row with its beds, links and answers, and what the trail, kept
    plans and the plan's steps say of it. Own kit becomes the group's. It cannot be undone. Raises
    NotFoundError.
    """
    person = kit.one(session, course_id, "people", person_id, lock=True)
    nights = select(Night.id).where(Night.course_id == course_id)
    # Steps and results name people by number or by name: they go with the person.
    for table in (PlanStep, NamedPlan, PlanJob):
        session.execute(delete(table).where(table.night_id.in_(nights)))
    session.execute(
        update(NightPlan).where(NightPlan.night_id.in_(nights)).values(asked={}, found={})
    )
    session.execute(delete(CardLink).where(CardLink.person_id == person_id))
    session.execute(delete(Answer).where(Answer.person_id == person_id))
    session.delete(person)
    session.flush()
    key = str(person_id)
    session.execute(
        delete(Change).where(
            Change.course_id == course_id,
            or_(
                (Change.kind == "person") & (Change.row_key == key),
                (Change.kind == "shelter_member") & Change.row_key.like(f"%/{key}"),
                Change.kind.in_(("night_plan", "named_plan")),
            ),
        )
    )


def overdue(session: Session) -> list[int]:
    """Courses whose people have been kept as long as their provider keeps them after the last
    night.
    """
    last = (
        select(func.max(Night.on))
        .where(Night.course_id == Course.id)
        .correlate(Course)
        .scalar_subquery()
    )
    rows = session.execute(
        select(Course.id, last, Course.created_at, Provider.keep_people_days).join(
            Provider, Provider.id == Course.provider_id
        )
    ).all()
    today = now().date()
    out = []
    for course_id, on, made_at, days in rows:
        ended = max(on, made_at.date()) if on else made_at.date()
        if today > ended + timedelta(days=days):
            out.append(course_id)
    return out


def erase_overdue(session: Session) -> int:
    """Erase the people of courses that are over for long; says how many."""
    count = 0
    for course_id in overdue(session):
        for person_id in session.scalars(
            select(Person.id).where(Person.course_id == course_id)
        ).all():
            erase(session, course_id, person_id)
            count += 1
    return count
