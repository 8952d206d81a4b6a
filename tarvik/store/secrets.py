"""Secrets of this server, made when first asked for and never shown."""

from __future__ import annotations

import secrets
from typing import TYPE_CHECKING, Final

from sqlalchemy.dialects.postgresql import insert

from tarvik.store.models import Secret

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

CARD_LINKS: Final = "card links"
KNOWN_BROWSERS: Final = "known browsers"


def secret(session: Session, name: str) -> bytes:
    """A secret of 256 bits by its name."""
    found = session.get(Secret, name)
    if found is None:  # two requests may come here at once: the first one's holds for both
        made = insert(Secret).values(name=name, value=secrets.token_hex(32))
        session.execute(made.on_conflict_do_nothing())
        found = session.get_one(Secret, name)
    return bytes.fromhex(found.value)
