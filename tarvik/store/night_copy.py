"""A night again: as it is known, and as its shelters were chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.store import courses, plans

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.models import Night

TITLE_MOST: Final = 120


def copied(session: Session, course_id: int, night_id: int) -> Night:
    """Another night at the course's end with the same place, weather, wishes and shelters. Raises
    InputError when there are too many, NotFoundError.
    """
    night = courses.night(session, course_id, night_id)
    made = courses.add_night(session, course_id)
    made.title = f"{night.title} again"[:TITLE_MOST]
    made.site_id, made.intent, made.needs = night.site_id, night.intent, dict(night.needs)
    session.flush()
    choices = [plans.as_choice(row) for row in plans.shelters(session, night.id)]
    if choices:
        plans.replace_all(session, made, choices, f"the shelters of {night.title}")
    return made
