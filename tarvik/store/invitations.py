"""Invitations: somebody is asked by letter to help with a course, and takes it up with an account
of their own.
"""

from __future__ import annotations

import secrets
from datetime import timedelta
from typing import TYPE_CHECKING, Final

from sqlalchemy import select

from tarvik.store.accounts import Role, clean_email, new_account, role_named, set_role
from tarvik.store.kit import NotFoundError
from tarvik.store.letters import drop_letters, drop_over, post
from tarvik.store.models import Account, Invitation, Provider, now
from tarvik.store.tokens import hashed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session


INVITED_LASTS: Final = timedelta(days=7)


def invite(
    session: Session,
    provider_id: int,
    course_id: int | None,
    email: str,
    role: Role,
    address: str,
    by: str,
) -> None:
    """Invite somebody by letter; who has an account with the provider joins at once. Raises
    InputError.
    """
    clean = clean_email(email)
    known = session.scalars(select(Account).where(Account.email == clean)).one_or_none()
    if (
        known is not None
        and known.provider_id == provider_id
        and known.ended_at is None
        and course_id is not None
    ):
        set_role(session, course_id, known.id, role)
        return
    token = secrets.token_urlsafe(32)
    drop_over(session)
    former = (Invitation.email == clean) & (Invitation.course_id == course_id)
    for old in session.scalars(select(Invitation).where(former)):
        take_back(session, old)
    session.add(
        Invitation(
            provider_id=provider_id,
            course_id=course_id,
            email=clean,
            role=role.word,
            token_hash=hashed(token),
            ends_at=now() + INVITED_LASTS,
        )
    )
    post(
        session,
        provider_id,
        clean,
        f"{by} invites you",
        (token, now() + INVITED_LASTS),
        f"{by} asks you to help with a course, as {role.word}.\n\n{address}/invited/{token}\n\n"
        "The link works once, for a week.",
    )


def take_back(session: Session, invitation: Invitation) -> None:
    """An invitation no longer stands; its letter goes with it."""
    drop_letters(session, invitation.token_hash)
    session.delete(invitation)
    session.flush()


def invitations(session: Session, course_id: int) -> Sequence[Invitation]:
    """Invitations that nobody took up yet."""
    query = select(Invitation).where(
        Invitation.course_id == course_id, Invitation.ends_at > now()
    )
    return session.scalars(query.order_by(Invitation.id)).all()


def find_invitation(session: Session, token: str, *, demo: bool = False) -> Invitation:
    """An invitation that still stands. Raises NotFoundError."""
    query = (
        select(Invitation)
        .join(Provider, Provider.id == Invitation.provider_id)
        .where(Invitation.token_hash == hashed(token), Invitation.ends_at > now())
    )
    query = query if demo else query.where(~Provider.demo)
    found = session.scalars(query.with_for_update(of=Invitation)).one_or_none()
    if found is None:
        raise NotFoundError(
            "this invitation was taken up or taken back, or its week is over; ask for a new one"
        )
    return found


def accept(
    session: Session, token: str, name: str, password: str, *, demo: bool = False
) -> Account:
    """Take up an invitation with a new account. Raises InputError, NotFoundError."""
    found = find_invitation(session, token, demo=demo)
    account = new_account(session, found.provider_id, found.email, name, password)
    if found.course_id is not None:
        set_role(session, found.course_id, account.id, role_named(found.role))
    take_back(session, found)
    return account
