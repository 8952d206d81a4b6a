"""Entries that devices send, each kept once however often it is sent, said at a believable time."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Final

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert

from tarvik.core.errors import InputError
from tarvik.store.models import FieldEntry, PracticeEntry, now

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping

AHEAD_MOST: Final = timedelta(minutes=5)
"""A device's clock so far ahead is wrong: what it says counts as said now."""


def believed(at: datetime) -> datetime:
    """When something was said, by a device's clock."""
    return now() if at > now() + AHEAD_MOST else at


def keep_once(
    session: Session,
    model: type[FieldEntry | PracticeEntry],
    owner: Mapping[str, int],
    entries: Sequence[JsonMapping],
    most: int,
) -> int:
    """Keep entries of one owner (a column with its value), each once by its `key`; how many were
    new. Raises InputError where the owner has `most` already.
    """
    ((column, value),) = owner.items()
    query = select(func.count()).select_from(model).where(getattr(model, column) == value)
    there = session.scalar(query) or 0
    if there + len(entries) > most:
        raise InputError("entries", f"there are {there} entries already, of at most {most}")
    new = 0
    for one in entries:
        made = insert(model).values(**{column: value}, **one)
        made = made.on_conflict_do_nothing(index_elements=[column, "key"])
        new += len(session.execute(made.returning(model.id)).all())
    return new
