"""The row that keeps what is asked of a night's plan and what was found."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from tarvik.store.models import NightPlan

if TYPE_CHECKING:
    from sqlalchemy.orm import Session


def of_night(session: Session, night_id: int) -> NightPlan:
    """A night's asks, to be read only; empty ones that are not kept when there are none."""
    found = session.get(NightPlan, night_id)
    return found or NightPlan(night_id=night_id, asked={}, found={})


def locked_for_change(session: Session, night_id: int) -> NightPlan:
    """A night's asks, to be changed: made when there are none, also by two at once."""
    made = insert(NightPlan).values(night_id=night_id, asked={}, found={})
    session.execute(made.on_conflict_do_nothing())
    query = select(NightPlan).where(NightPlan.night_id == night_id).with_for_update()
    return session.scalars(query.execution_options(populate_existing=True)).one()
