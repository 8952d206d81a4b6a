"""What leaders say of shelters where they stand: on the spot, or later when their device finds the
network again.

Entries are only added, never changed, so that two leaders' entries never stand against each other:
of the same check the one said last counts, by the clocks of the devices.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert

from tarvik.core.errors import InputError
from tarvik.store.models import FieldEntry, now

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

CHECK, NOTE, MEASURED = "check", "note", "measured"
KINDS: Final = (CHECK, NOTE, MEASURED)
MOST_ENTRIES: Final = 5000
"""Most entries of a night."""
AHEAD_MOST: Final = timedelta(minutes=5)
"""A device's clock so far ahead is wrong: what it says counts as said now."""


@dataclass(frozen=True, slots=True)
class Said:
    """An entry as a device sends it."""

    key: str
    kind: str
    sheet_id: int
    data: Mapping[str, Any]
    said_at: datetime


def keep(session: Session, night_id: int, entries: Sequence[Said], by: str) -> int:
    """Keep entries of a night, each once however often it is sent; how many were new. Raises
    InputError when the night has more than anybody says of it.
    """
    there = session.scalar(select(func.count()).where(FieldEntry.night_id == night_id)) or 0
    if there + len(entries) > MOST_ENTRIES:
        raise InputError("entries", f"there are {there} entries of this night already")
    new = 0
    for said in entries:
        made = insert(FieldEntry).values(
            night_id=night_id,
            key=said.key,
            kind=said.kind,
            sheet_id=said.sheet_id,
            data=dict(said.data),
            by=by[:80],
            said_at=min(said.said_at, now()) if said.said_at > now() + AHEAD_MOST else said.said_at,
            heard_at=now(),
        )
        made = made.on_conflict_do_nothing(index_elements=["night_id", "key"])
        new += len(session.execute(made.returning(FieldEntry.id)).all())
    return new


def entries(session: Session, night_id: int) -> Sequence[FieldEntry]:
    """All entries of a night, in the order they were said."""
    query = select(FieldEntry).where(FieldEntry.night_id == night_id)
    return session.scalars(query.order_by(FieldEntry.said_at, FieldEntry.id)).all()


def checked(found: Sequence[FieldEntry]) -> dict[tuple[int, str], FieldEntry]:
    """The last word on each check, by sheet and check."""
    return {
        (entry.sheet_id, str(entry.data["check"])): entry
        for entry in found
        if entry.kind == CHECK and entry.sheet_id is not None
    }


def forget_notes(session: Session, nights: Any) -> None:
    """Drop what was written freely about some nights: it may name anybody."""
    written = FieldEntry.kind == NOTE
    session.execute(delete(FieldEntry).where(FieldEntry.night_id.in_(nights), written))
