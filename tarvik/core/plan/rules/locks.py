"""What the leader fixed stays."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.constraint import Constraint, Kind
from tarvik.core.plan.question import stands_as

if TYPE_CHECKING:
    from tarvik.core.plan.draft import Draft


def _lock(what: str, number: int, words: str) -> Constraint:
    return Constraint(Kind.LOCK, (what, number), words)


def _whose(draft: Draft, sheet: int) -> str:
    """A sheet as leaders speak of it: by its owner."""
    owner = draft.asked.owners.get(sheet)
    name = next((c.name for c in draft.asked.campers if c.number == owner), None)
    return f"group sheet {sheet}" if name is None else f"{name}'s sheet"


def add(draft: Draft) -> None:
    """What the leader fixed."""
    locks = draft.asked.locks
    names = {c.number: c.name for c in draft.asked.campers}
    for person, sheet in sorted(locks.people.items()):
        if person not in draft.place:
            continue
        words = f"{names[person]} is locked under {_whose(draft, sheet)}"
        there = [u for u, sheets in enumerate(draft.units) if sheet in sheets]
        beds = [
            draft.sleeps[draft.place[person], u]
            for u in there
            if (draft.place[person], u) in draft.sleeps
        ]
        draft.m.row(dict.fromkeys(beds, 1), low=1, keeps=_lock("person", person, words))
    for sheet, pitch in sorted(locks.pitches.items()):
        words = f"{_whose(draft, sheet)} is locked to the pitch {pitch.replace('-', ' ')}"
        bad = [
            n
            for n, o in enumerate(draft.asked.offers)
            if sheet in o.sheets and o.pitch != pitch
        ]
        draft.m.row(
            {draft.takes[n]: 1 for n in bad}, high=0, keeps=_lock("pitch", sheet, words)
        )
    for standing in draft.asked.standing:
        for sheet in locks.standing & set(standing.sheets):
            words = f"{_whose(draft, sheet)} is locked where it stands"
            good = [n for n, o in enumerate(draft.asked.offers) if stands_as(o, standing)]
            draft.m.row(
                {draft.takes[n]: 1 for n in good}, low=1, keeps=_lock("spot", sheet, words)
            )
    for sheet in sorted(locks.unused):
        draft.m.row(
            {
                draft.takes[n]: 1
                for n, o in enumerate(draft.asked.offers)
                if sheet in o.sheets
            },
            high=0,
            keeps=_lock("unused", sheet, f"{_whose(draft, sheet)} stays in the bag"),
        )
