"""What leaders say of shelters where they stand: on the spot, or later when their device finds the
network again.

Entries are only added, never changed, so that two leaders' entries never stand against each other:
of the same check the one said last counts, by the clocks of the devices.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import delete, select

from tarvik.store.models import FieldEntry, Night, now
from tarvik.store.sent_once import believed, keep_once

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import datetime

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping

CHECK, NOTE, LOG = "check", "note", "log"
MOST_ENTRIES: Final = 5000
"""Most entries of a night."""


@dataclass(frozen=True, slots=True)
class Said:
    """An entry as a device sends it; `by`: the leader's name."""

    key: str
    kind: str
    sheet_id: int
    data: JsonMapping
    said_at: datetime
    by: str


def keep(session: Session, night_id: int, entries: Sequence[Said]) -> int:
    """Keep entries of a night, each once however often it is sent; how many were new. Raises
    InputError when the night has more than anybody says of it.
    """
    rows = [
        {
            "key": said.key,
            "kind": said.kind,
            "sheet_id": said.sheet_id,
            "data": dict(said.data),
            "by": said.by[:80],
            "said_at": believed(said.said_at),
            "heard_at": now(),
        }
        for said in entries
    ]
    return keep_once(session, FieldEntry, {"night_id": night_id}, rows, MOST_ENTRIES)


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


def logged(
    session: Session, course_id: int | None = None
) -> list[tuple[Night, FieldEntry]]:
    """The last log of each shelter of each night: of one course, or of all that the asker may
    see.
    """
    query = (
        select(Night, FieldEntry)
        .join(FieldEntry, FieldEntry.night_id == Night.id)
        .where(FieldEntry.kind == LOG, Night.deleted_at.is_(None))
        .order_by(Night.position, Night.id, FieldEntry.said_at, FieldEntry.id)
    )
    if course_id is not None:
        query = query.where(Night.course_id == course_id)
    last = {
        (night.id, entry.sheet_id): (night, entry)
        for night, entry in session.execute(query)
    }
    return list(last.values())


def forget_notes(session: Session, nights: Any) -> None:
    """Drop what was written freely about some nights: it may name anybody."""
    here = FieldEntry.night_id.in_(nights)
    session.execute(delete(FieldEntry).where(here, FieldEntry.kind == NOTE))
    for entry in session.scalars(select(FieldEntry).where(here, FieldEntry.kind == LOG)):
        words = dict.fromkeys(("note", "where", "changed", "damage"), "")
        entry.data = {**entry.data, **words, "people": []}
