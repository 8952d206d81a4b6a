"""Which poles, lines and stakes are there tonight, as the plan's page asks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from tarvik.core.units import Units, format_length
from tarvik.store import kit

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.models import Course

PIECES: Final = ("supports", "lines", "stakes")
"""Tables of kit of which some pieces may be away."""


@dataclass(frozen=True, slots=True)
class PieceHere:
    """A row of kit: how many pieces there are, and how many of them are here tonight."""

    key: str
    words: str
    count: int
    here: int


def pieces_here(session: Session, course: Course, night_id: int) -> tuple[PieceHere, ...]:
    """Every row of poles, lines and stakes; trees belong to the ground."""
    units = Units(course.units)
    names = {p.id: p.name for p in kit.rows(session, course.id, "people")}
    return tuple(
        PieceHere(
            kit.piece_key(table, one.row.id),
            _words(table, one.row, names.get(one.row.owner_id), units),
            one.row.count,
            one.count,
        )
        for table in PIECES
        for one in kit.pieces(session, course.id, table, night_id)
        if getattr(one.row, "kind", "") != "tree"
    )


def _words(table: str, row: Any, owner: str | None, units: Units) -> str:
    """A row in words, with whose it is."""
    whose = f", {owner}'s" if owner else ""
    note = f" ({row.note})" if row.note else ""
    many = "" if row.count == 1 else "s"
    if table == "lines":
        return f"line{many} of {format_length(row.length_m, units)}{note}{whose}"
    if table == "stakes":
        return f"stake{many}{note}{whose}"
    size = f" up to {format_length(row.most_m, units)}" if row.most_m else ""
    kind = "branche" if row.kind == "branch" and many else row.kind
    return f"{kind}{many}{size}{note}{whose}"
