"""Personal data given out on request, and erased: one person's, or a whole course's people after
the provider's time, once that was announced and unless the clock has jumped.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import delete, exists, func, or_, select, update

from tarvik.store import deleted, kit, practice
from tarvik.store.field import forget_notes
from tarvik.store.models import (
    Answer,
    CardLink,
    Change,
    Course,
    Erasure,
    NamedPlan,
    Night,
    NightPlan,
    Person,
    PlanJob,
    PlanStep,
    Provider,
    ShelterMember,
    SignIn,
    now,
)
from tarvik.store.provider_people import erased

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonObject


def told_of(session: Session, course_id: int, person_id: int) -> JsonObject:
    """Everything kept of a person, as plain values. Raises NotFoundError."""
    person = kit.one(session, course_id, "people", person_id)
    own = {
        name: [
            _plain(row)
            for row in kit.rows(session, course_id, name)
            if row.owner_id == person_id
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
        "practised": practice.told_of(session, person_id),
        "answers": [{"kind": a.kind, "values": a.values, "state": a.state} for a in said],
    }


def _plain(row: Any) -> JsonObject:
    skipped = ("version", "deleted_at", "course_id", "position", "owner_id")
    return {
        c.name: getattr(row, c.name) for c in row.__table__.columns if c.name not in skipped
    }


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
    forget_notes(session, nights)
    session.execute(delete(CardLink).where(CardLink.person_id == person_id))
    session.execute(delete(Answer).where(Answer.person_id == person_id))
    session.delete(person)
    session.flush()
    _without_pairs(session, course_id, person_id)
    key = str(person_id)
    session.execute(
        delete(Change).where(
            Change.course_id == course_id,
            or_(
                (Change.kind == "person") & (Change.row_key == key),
                (Change.kind == "shelter_member") & Change.row_key.like(f"%/{key}"),
                (Change.kind == "card_link")
                & (func.coalesce(Change.after, Change.before)["person_id"].astext == key),
                Change.kind.in_(("night_plan", "named_plan")),
            ),
        )
    )
    erased(session, "a person's data", person_id, course_id=course_id)


def _without_pairs(session: Session, course_id: int, person_id: int) -> None:
    """Who shares with whom no longer names the person."""
    course = session.get_one(Course, course_id, with_for_update=True)
    pairs = (course.rules or {}).get("pairs", [])
    left = [p for p in pairs if person_id not in p[1:]]
    if left != pairs:
        course.rules = {**course.rules, "pairs": left}
        session.flush()


ANNOUNCED_FOR: Final = timedelta(days=14)
"""How long it is announced that a course's people will be erased before they are."""
AHEAD_MOST: Final = timedelta(days=3)
"""A clock so far ahead of the newest thing anybody did here is not believed: nobody is erased."""


@dataclass(frozen=True)
class Round:
    """What a round of erasing did. `doubted`: the clock was not believed, and nothing was done."""

    announced: int = 0
    erased: int = 0
    purged: int = 0
    doubted: bool = False


def newest_entry(session: Session) -> datetime | None:
    """When somebody last did something here: changed a thing, or used the pages signed in."""
    changed = session.scalar(
        select(func.max(Change.at)).where(Change.account_id.is_not(None))
    )
    seen = session.scalar(select(func.max(SignIn.seen_at)))
    return max((t for t in (changed, seen) if t is not None), default=None)


def overdue(session: Session, at: datetime) -> list[int]:
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
        select(Course.id, last, Course.created_at, Provider.keep_people_days)
        .join(Provider, Provider.id == Course.provider_id)
        .where(exists().where(Person.course_id == Course.id))
    ).all()
    out = []
    for course_id, on, made_at, days in rows:
        ended = max(on, made_at.date()) if on else made_at.date()
        if at.date() > ended + timedelta(days=days):
            out.append(course_id)
    return out


def erasing_round(session: Session, at: datetime | None = None) -> Round:
    """Announce that people of courses long over will be erased, erase those announced long enough,
    and empty the bin. Does nothing while the clock cannot be believed.
    """
    at = at or now()
    newest = newest_entry(session)
    if newest is None or at - newest > AHEAD_MOST:
        return Round(doubted=newest is not None)
    due = overdue(session, at)
    session.execute(
        delete(Erasure).where((Erasure.course_id.not_in(due)) | (Erasure.announced_at > at))
    )
    told = {row.course_id: row for row in session.scalars(select(Erasure))}
    new = [Erasure(course_id=c, announced_at=at, due_at=at + ANNOUNCED_FOR) for c in due]
    session.add_all(row for row in new if row.course_id not in told)
    count = 0
    for course_id, row in told.items():
        if row.due_at > at:
            continue
        people = session.scalars(
            select(Person.id).where(Person.course_id == course_id)
        ).all()
        for person_id in people:
            erase(session, course_id, person_id)
        count += len(people)
        session.delete(row)
    session.flush()
    announced = sum(row.course_id not in told for row in new)
    return Round(announced, count, purge(session, at))


def purge(session: Session, at: datetime) -> int:
    """Remove for good what was deleted over thirty days ago; says how many rows."""
    count = 0
    over = at - deleted.KEPT_FOR
    for course in session.scalars(select(Course).where(Course.deleted_at < over)).all():
        session.execute(delete(Course).where(Course.id == course.id))
        session.execute(delete(Change).where(Change.course_id == course.id))
        count += 1
    for person in session.scalars(select(Person).where(Person.deleted_at < over)).all():
        erase(session, person.course_id, person.id)
        count += 1
    for model in deleted.KINDS.values():
        if model is not Person:
            gone = session.execute(delete(model).where(model.deleted_at < over))
            count += int(gone.rowcount)  # type: ignore[attr-defined]
    return count


def announcement(session: Session, course_id: int) -> Erasure | None:
    """When a course's people will be erased; None when nobody will."""
    return session.get(Erasure, course_id)
