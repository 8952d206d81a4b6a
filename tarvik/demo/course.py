"""Hollin Edge Field School: invented people in an invented place, with a mixed bag of sheets and
kit a little too few. It is an ordinary course file, `course.json` beside this module.
"""

from __future__ import annotations

import secrets
from pathlib import Path
from typing import TYPE_CHECKING, Final

from sqlalchemy import select

from tarvik.exchange.course_file import read
from tarvik.store import accounts, course_in
from tarvik.store.models import Account, Course, Provider

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

FILE: Final = Path(__file__).with_name("course.json")
PROVIDER: Final = "Hollin Edge Field School (demo)"
LEADER: Final = "demo.leader@hollin-edge.example"


def _provider(session: Session) -> Provider:
    found = session.scalars(select(Provider).where(Provider.demo)).first()
    return found or accounts.new_provider(session, PROVIDER, demo=True)


def demo_leader(session: Session) -> Account:
    """The demo's leader, made when there is none. Nobody knows the password: the demo is opened by
    one click.
    """
    found = session.scalars(select(Account).where(Account.email == LEADER)).one_or_none()
    if found is not None:
        return found
    home = _provider(session)
    return accounts.new_account(
        session, home.id, LEADER, "Demo leader", secrets.token_urlsafe(24), owner=True
    )


def ensure_demo(session: Session) -> Course | None:
    """Make the demo course unless there is, or ever was, one. Returns it when it was made."""
    if session.scalars(select(Course).where(Course.demo)).first() is not None:
        return None
    return course_in.bring_in(
        session, read(FILE.read_bytes()), demo=True, provider_id=_provider(session).id
    )
