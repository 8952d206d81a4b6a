"""The row that keeps what is asked of a night's plan and what was found."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from tarvik.exchange.calendar import evening_calendar
from tarvik.store import kit
from tarvik.store.models import NightPlan, now

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.models import Night


def of_night(session: Session, night_id: int) -> NightPlan:
    """A night's asks, to be read only; empty ones that are not kept when there are none."""
    found = session.get(NightPlan, night_id)
    return found or NightPlan(night_id=night_id, asked={}, found={})


def calendar_of(session: Session, night: Night) -> bytes | None:
    """The evening's tasks for a calendar, None while no evening is planned. Raises InputError while
    the night has no date.
    """
    found = (of_night(session, night.id).found or {}).get("evening")
    if not found:
        return None
    names = {p.id: p.name for p in kit.rows(session, night.course_id, "people")}
    key = f"night-{night.id}-{found['step']}"
    return evening_calendar(found, names, f"{night.title}: setting up", now(), key)


def locked_for_change(session: Session, night_id: int) -> NightPlan:
    """A night's asks, to be changed: made when there are none, also by two at once."""
    made = insert(NightPlan).values(night_id=night_id, asked={}, found={})
    session.execute(made.on_conflict_do_nothing())
    query = select(NightPlan).where(NightPlan.night_id == night_id).with_for_update()
    return session.scalars(query.execution_options(populate_existing=True)).one()
