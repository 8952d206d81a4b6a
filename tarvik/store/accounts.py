"""Providers, people who sign in, and what they may do in a course.

Passwords are kept as Argon2id hashes (argon2-cffi, its RFC 9106 low-memory profile); of every token
only a SHA-256 hash is kept, so that a copy of the database opens nothing.
"""

from __future__ import annotations

import re
import secrets
from datetime import timedelta
from enum import IntEnum
from typing import TYPE_CHECKING, Final

from sqlalchemy import delete, func, or_, select

from tarvik.core.errors import InputError
from tarvik.store.kit import NotFoundError
from tarvik.store.letters import drop_letters, post
from tarvik.store.models import (
    Account,
    Attempt,
    Course,
    Membership,
    OneTime,
    Provider,
    SignIn,
    now,
)
from tarvik.store.passwords import (
    checked_password,
    hash_of,
    matches,
    needs_rehash,
    nobodys_hash,
)
from tarvik.store.scope import current
from tarvik.store.tokens import hashed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

IDLE: Final = timedelta(hours=12)
"""A browser that is not used so long is signed out (common practice)."""
LONGEST: Final = timedelta(days=14)
"""After this a browser has to sign in again, used or not."""
SEEN_EVERY: Final = timedelta(minutes=1)
RESET_LASTS: Final = timedelta(hours=1)
SETUP_LASTS: Final = timedelta(days=1)
TRIES: Final = 8
TRIES_WITHIN: Final = timedelta(minutes=15)
"""Letters for a new password to one address, and asked for from one place, in this time."""
PLACE_TRIES: Final = 60
_EMAIL: Final = re.compile(
    r"[^@\s\x00-\x1f,;<>\"']{1,64}@[^@\s\x00-\x1f,;<>\"']{1,189}\.[^@\s.,;<>\"']{2,}"
)


class Role(IntEnum):
    """What somebody may do in a course; each may do what those before may."""

    VIEWER = 1
    ASSISTANT = 2
    LEADER = 3
    OWNER = 4

    @property
    def word(self) -> str:
        """As people say it."""
        return self.name.lower()


ROLE_WORDS: Final = {
    Role.VIEWER: "sees everything, changes nothing",
    Role.ASSISTANT: "changes the plan, the night and the ground, not people or kit",
    Role.LEADER: "changes everything but who is on the team",
    Role.OWNER: "leader, and says who is on the team",
}


class TooManyTriesError(Exception):
    """Somebody tried too often and has to wait."""


def role_named(word: str) -> Role:
    """A role by its word. Raises InputError."""
    try:
        return Role[word.upper()]
    except KeyError:
        raise InputError(
            "role", "choose one of " + ", ".join(r.word for r in Role)
        ) from None


def clean_email(text: str) -> str:
    """An e-mail address as it is kept. Raises InputError."""
    clean = text.strip().lower()
    if not _EMAIL.fullmatch(clean):
        raise InputError(
            "email", "this is no e-mail address; it looks like name@example.org"
        )
    return clean


def _clean_name(name: str, what: str = "name", most: int = 80) -> str:
    clean = " ".join(name.split())
    if not 1 <= len(clean) <= most:
        raise InputError(what, f"give a name of at most {most} letters")
    return clean


def home_provider(session: Session) -> int:
    """The provider a new course belongs to: the asker's, else the server's first one that is no
    demo, made when there is none.
    """
    scope = current()
    if scope is not None and scope.provider_id:
        return scope.provider_id
    first = session.scalar(select(func.min(Provider.id)).where(~Provider.demo))
    if first is None:
        made = Provider(name="First provider")
        session.add(made)
        session.flush()
        first = made.id
    return first


def new_provider(session: Session, name: str, *, demo: bool = False) -> Provider:
    """Make a provider. Raises InputError."""
    made = Provider(name=_clean_name(name, "provider", 120), demo=demo)
    session.add(made)
    session.flush()
    return made


def new_account(
    session: Session,
    provider_id: int,
    email: str,
    name: str,
    password: str,
    *,
    owner: bool = False,
) -> Account:
    """Make an account. Raises InputError."""
    clean = clean_email(email)
    checked_password(password, clean)
    if session.scalar(select(Account.id).where(Account.email == clean)) is not None:
        raise InputError(
            "email",
            "somebody has an account with this address already; sign in, or choose a new password",
        )
    made = Account(
        provider_id=provider_id,
        email=clean,
        name=_clean_name(name),
        password_hash=hash_of(password),
        owner=owner,
    )
    session.add(made)
    session.flush()
    return made


def tried_too_often(session: Session, who: str, most: int = TRIES) -> bool:
    """Whether so many tries failed lately."""
    since = now() - TRIES_WITHIN
    query = (
        select(func.count())
        .select_from(Attempt)
        .where(Attempt.who == hashed(who), Attempt.at > since)
    )
    return (session.scalar(query) or 0) >= most


def note_try(session: Session, *who: str) -> None:
    """Count a try; forget old ones."""
    session.execute(delete(Attempt).where(Attempt.at < now() - TRIES_WITHIN))
    session.add_all(Attempt(who=hashed(w)) for w in who)
    session.flush()


def account_named(session: Session, email: str, *, demo: bool = False) -> Account | None:
    """The account with an address that may be let in; those of a demo only where there is one."""
    query = (
        select(Account)
        .join(Provider, Provider.id == Account.provider_id)
        .where(Account.email == email.strip().lower()[:254], Account.ended_at.is_(None))
    )
    return session.scalars(query if demo else query.where(~Provider.demo)).one_or_none()


def check_sign_in(
    session: Session, email: str, password: str, *, demo: bool = False
) -> Account | None:
    """The account, None for a wrong address or password. How often somebody may try is not asked
    here: the page slows tries down before they come so far.
    """
    found = account_named(session, email, demo=demo)
    good = matches(found.password_hash if found else nobodys_hash(), password)
    if found is None or not good:
        return None
    if needs_rehash(found.password_hash):
        found.password_hash = hash_of(password)
    return found


def sign_in(session: Session, account: Account, agent: str = "") -> str:
    """Let a browser in: its token."""
    token = secrets.token_urlsafe(32)
    session.execute(delete(SignIn).where(SignIn.ends_at < now()))
    session.add(
        SignIn(
            account_id=account.id,
            token_hash=hashed(token),
            ends_at=now() + LONGEST,
            agent=agent[:120],
        )
    )
    session.flush()
    return token


def signed_in(session: Session, token: str) -> tuple[Account, SignIn] | None:
    """Whose browser this is; None when it is nobody's, or was not used for long."""
    found = session.scalars(
        select(SignIn).where(SignIn.token_hash == hashed(token))
    ).one_or_none()
    if found is None:
        return None
    at = now()
    if found.ends_at < at or found.seen_at < at - IDLE:
        session.delete(found)
        return None
    if found.seen_at < at - SEEN_EVERY:
        found.seen_at = at
    account = session.get(Account, found.account_id)
    return None if account is None or account.ended_at is not None else (account, found)


def sign_out(session: Session, token: str) -> None:
    """Let one browser out."""
    session.execute(delete(SignIn).where(SignIn.token_hash == hashed(token)))


def sign_out_everywhere(session: Session, account_id: int, but: str | None = None) -> int:
    """Let all of an account's browsers out, but for the one with this token; says how many."""
    wanted = delete(SignIn).where(SignIn.account_id == account_id)
    if but is not None:
        wanted = wanted.where(SignIn.token_hash != hashed(but))
    return int(session.execute(wanted).rowcount)  # type: ignore[attr-defined]


def sign_ins(session: Session, account_id: int) -> Sequence[SignIn]:
    """Where an account is signed in."""
    query = select(SignIn).where(SignIn.account_id == account_id, SignIn.ends_at > now())
    return session.scalars(query.order_by(SignIn.seen_at.desc())).all()


def change_password(
    session: Session, account: Account, old: str, new: str, keep: str | None
) -> None:
    """Change a password; every other browser is signed out. Raises InputError."""
    if not matches(account.password_hash, old):
        raise InputError("old", "this is not the present password")
    account.password_hash = hash_of(checked_password(new, account.email))
    sign_out_everywhere(session, account.id, keep)
    session.flush()


def _one_time(
    session: Session, purpose: str, account_id: int | None, lasts: timedelta
) -> str:
    token = secrets.token_urlsafe(32)
    same = (
        OneTime.account_id.is_(None)
        if account_id is None
        else OneTime.account_id == account_id
    )
    session.execute(
        delete(OneTime).where(
            or_(OneTime.ends_at < now(), (OneTime.purpose == purpose) & same)
        )
    )
    session.add(
        OneTime(
            account_id=account_id,
            purpose=purpose,
            token_hash=hashed(token),
            ends_at=now() + lasts,
        )
    )
    session.flush()
    return token


def find_one_time(session: Session, purpose: str, token: str) -> OneTime:
    """A link that works once, if it still does. Raises NotFoundError."""
    query = select(OneTime).where(
        OneTime.purpose == purpose,
        OneTime.token_hash == hashed(token),
        OneTime.ends_at > now(),
    )
    found = session.scalars(query.with_for_update()).one_or_none()
    if found is None:
        raise NotFoundError(
            "this link was used already, or its time is over; ask for a new one"
        )
    return found


def ask_reset(
    session: Session, email: str, address: str, place: str, *, demo: bool = False
) -> None:
    """Write a letter with a link to choose a new password, when there is such an account. It never
    tells whether.
    """
    if tried_too_often(session, "reset " + place, PLACE_TRIES):
        raise TooManyTriesError
    note_try(session, "reset " + place)
    found = account_named(session, email, demo=demo)
    if found is not None and not tried_too_often(session, "reset to " + found.email):
        note_try(session, "reset to " + found.email)
        token = _one_time(session, "reset", found.id, RESET_LASTS)
        post(
            session,
            found.provider_id,
            found.email,
            "Choose a new password",
            (token, now() + RESET_LASTS),
            f"Hello {found.name},\n\nsomebody, hopefully you, asked to choose a new "
            f"password.\n\n{address}/reset/{token}\n\n"
            "The link works once, for an hour. If it was not you, do nothing: your password "
            "stays as it is.",
        )


def reset_password(session: Session, token: str, new: str) -> Account:
    """Choose a new password by a link; every browser is signed out. Raises InputError,
    NotFoundError.
    """
    found = find_one_time(session, "reset", token)
    account = session.get(Account, found.account_id or 0)
    if account is None or account.ended_at is not None:
        raise NotFoundError("there is no such account any more")
    account.password_hash = hash_of(checked_password(new, account.email))
    session.delete(found)
    drop_letters(session, found.token_hash)
    sign_out_everywhere(session, account.id)
    return account


def setup_token(session: Session) -> str | None:
    """A link for the first owner; None when there is somebody already. A demo's accounts do not
    count: they let nobody into a server that is no demo.
    """
    if _somebody_is_there(session):
        return None
    return _one_time(session, "setup", None, SETUP_LASTS)


def _somebody_is_there(session: Session) -> bool:
    query = (
        select(func.count())
        .select_from(Account)
        .join(Provider, Provider.id == Account.provider_id)
        .where(~Provider.demo)
    )
    return bool(session.scalar(query))


def set_up(
    session: Session, token: str, provider: str, name: str, email: str, password: str
) -> Account:
    """Make the first provider and its owner. Raises InputError, NotFoundError."""
    found = find_one_time(session, "setup", token)
    if _somebody_is_there(session):
        raise NotFoundError("this server has its owner already")
    home = session.get_one(Provider, home_provider(session))
    home.name = _clean_name(provider, "provider", 120)
    made = new_account(session, home.id, email, name, password, owner=True)
    session.delete(found)
    return made


def role_in(session: Session, account: Account, course_id: int) -> Role | None:
    """What an account may do in a course; None for a course of another provider or one it is not
    part of.
    """
    course = session.get(Course, course_id)
    if course is None or course.provider_id != account.provider_id:
        return None
    if account.owner:
        return Role.OWNER
    member = session.get(Membership, (course_id, account.id))
    return None if member is None else role_named(member.role)


def courses_of(session: Session, account: Account) -> Sequence[Course]:
    """The undeleted courses an account is part of, the newest first."""
    query = select(Course).where(
        Course.deleted_at.is_(None), Course.provider_id == account.provider_id
    )
    if not account.owner:
        query = query.where(
            Course.id.in_(
                select(Membership.course_id).where(Membership.account_id == account.id)
            )
        )
    return session.scalars(query.order_by(Course.id.desc())).all()


def team(session: Session, course_id: int) -> Sequence[Membership]:
    """Who is on a course's team."""
    return session.scalars(
        select(Membership)
        .where(Membership.course_id == course_id)
        .order_by(Membership.account_id)
    ).all()


def set_role(session: Session, course_id: int, account_id: int, role: Role | None) -> None:
    """Give somebody of the same provider a role in a course, or take it away. The last owner stays,
    also when two owners do this to each other at once. Raises InputError.
    """
    course = session.scalars(
        select(Course).where(Course.id == course_id).with_for_update()
    ).one_or_none()
    account = session.get(Account, account_id)
    if (
        course is None
        or account is None
        or account.ended_at is not None
        or course.provider_id != account.provider_id
    ):
        raise NotFoundError("there is no such person here")
    member = session.scalars(
        select(Membership)
        .where(Membership.course_id == course_id, Membership.account_id == account_id)
        .with_for_update(of=Membership)
    ).one_or_none()
    if member is not None and member.role == "owner" and role is not Role.OWNER:
        others = [
            m
            for m in team(session, course_id)
            if m.role == "owner" and m.account_id != account_id
        ]
        if not others:
            raise InputError(
                "role", "a course keeps at least one owner; make somebody else owner first"
            )
    if role is None:
        if member is not None:
            session.delete(member)
    elif member is None:
        session.add(Membership(course_id=course_id, account_id=account_id, role=role.word))
    else:
        member.role = role.word
    session.flush()
