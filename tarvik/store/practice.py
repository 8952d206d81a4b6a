"""What people practised: answers to drills and timed pitches. Private to each and to the leaders of
the course; gone with the person.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from sqlalchemy import select

from tarvik.core.drills.boxes import Answered, Learnt, learnt
from tarvik.core.pitches import PITCHES
from tarvik.core.set_up_times import pace_of
from tarvik.store.models import PracticeEntry
from tarvik.store.sent_once import believed, keep_once

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from datetime import datetime

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject

DRILL, TIMED = "drill", "timed"
MOST_ENTRIES: Final = 5000
"""Most entries of one person."""


@dataclass(frozen=True, slots=True)
class Practised:
    """An entry as a device sends it."""

    key: str
    kind: str
    item: str
    data: JsonMapping
    at: datetime


def keep(
    session: Session, course_id: int, person_id: int, entries: Sequence[Practised]
) -> int:
    """Keep entries, each once however often it is sent; how many were new. Raises InputError when
    somebody has more than anybody practises.
    """
    rows = [
        {
            "course_id": course_id,
            "key": one.key,
            "kind": one.kind,
            "item": one.item,
            "data": dict(one.data),
            "said_at": believed(one.at),
        }
        for one in entries
    ]
    return keep_once(session, PracticeEntry, {"person_id": person_id}, rows, MOST_ENTRIES)


def _entries(session: Session, kind: str, **of: int) -> Sequence[PracticeEntry]:
    query = select(PracticeEntry).where(PracticeEntry.kind == kind).filter_by(**of)
    return session.scalars(query.order_by(PracticeEntry.said_at, PracticeEntry.id)).all()


def known(session: Session, person_id: int) -> dict[str, Learnt]:
    """How far somebody is with each thing that drills ask."""
    said = _entries(session, DRILL, person_id=person_id)
    return learnt(Answered(e.item, bool(e.data.get("right")), e.said_at) for e in said)


def timings(session: Session, course_id: int) -> dict[int, dict[str, list[float]]]:
    """Minutes of every timed pitch of a course's people, in their order, by person and pitch."""
    found: dict[int, dict[str, list[float]]] = {}
    for entry in _entries(session, TIMED, course_id=course_id):
        minutes = float(entry.data.get("seconds", 0)) / 60
        if minutes > 0 and entry.item in PITCHES:
            found.setdefault(entry.person_id, {}).setdefault(entry.item, []).append(minutes)
    return found


def paces(timed: Mapping[int, Mapping[str, Sequence[float]]]) -> dict[int, float]:
    """How many times an able person's minutes each takes, from `timings`: of those who were timed
    often enough.
    """
    usual = {slug: pitch.minutes for slug, pitch in PITCHES.items()}
    told = {person: pace_of(by_pitch, usual) for person, by_pitch in timed.items()}
    return {person: pace for person, pace in told.items() if pace is not None}


def told_of(session: Session, person_id: int) -> list[JsonObject]:
    """Everything that somebody practised, as plain values."""
    query = select(PracticeEntry).where(PracticeEntry.person_id == person_id)
    every = session.scalars(query.order_by(PracticeEntry.said_at, PracticeEntry.id))
    return [
        {"kind": e.kind, "item": e.item, "said_at": e.said_at.isoformat(), **e.data}
        for e in every
    ]
