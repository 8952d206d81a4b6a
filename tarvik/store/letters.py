"""Letters in the outbox, the stand-in for a mail service. A letter goes when the link it tells was
used, was taken back, or is over.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import delete, or_, select

from tarvik.store.models import Invitation, Mail, OneTime, SignIn, now
from tarvik.store.tokens import hashed

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import datetime

    from sqlalchemy.orm import Session


def post(
    session: Session,
    provider_id: int,
    to: str,
    subject: str,
    link: tuple[str, datetime],
    body: str,
) -> None:
    """Put a letter into the outbox, the stand-in for a mail service. `link`: the token it tells,
    and when that is over; the letter goes with it.
    """
    token, ends_at = link
    letter = Mail(
        provider_id=provider_id,
        to=to,
        subject=subject,
        body=body,
        token_hash=hashed(token),
        ends_at=ends_at,
    )
    session.add(letter)
    session.flush()


def drop_letters(session: Session, token_hash: str) -> None:
    """A link was used or taken back: the letter that tells it goes."""
    session.execute(delete(Mail).where(Mail.token_hash == token_hash))


def drop_over(session: Session) -> None:
    """Letters, invitations and links that are over go."""
    at = now()
    for table in (Mail, Invitation, OneTime, SignIn):
        session.execute(delete(table).where(table.ends_at < at))


def letters(session: Session, provider_id: int, most: int = 100) -> Sequence[Mail]:
    """A provider's letters whose links still work, the newest first."""
    works = or_(Mail.ends_at.is_(None), Mail.ends_at >= now())
    query = select(Mail).where(Mail.provider_id == provider_id, works)
    return session.scalars(query.order_by(Mail.id.desc()).limit(most)).all()
