"""A provider's people and what its owners choose for them: who may make courses and invite, who
owns, whose account ends or is erased.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from sqlalchemy import delete, func, or_, select

from tarvik.core.errors import InputError
from tarvik.store.accounts import Role, role_in, sign_out_everywhere
from tarvik.store.kit import NotFoundError
from tarvik.store.models import (
    Account,
    Change,
    Invitation,
    Mail,
    Membership,
    OneTime,
    Provider,
    now,
)
from tarvik.store.scope import current

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session


COURSES_BY: Final = {
    "owners": "owners of the provider",
    "leaders": "owners, and leaders of any course",
    "everyone": "everyone with an account",
}
"""Who may make courses, as a provider's owners choose."""
INVITES_BY: Final = {
    "owners": "owners of the provider",
    "course owners": "owners of the provider, and each course's owners",
    "leaders": "owners of the provider, and each course's owners and leaders",
}
"""Who may invite people to a course."""


def may_make_courses(session: Session, account: Account) -> bool:
    """Whether somebody may make courses, as the provider's owners chose."""
    provider = session.get_one(Provider, account.provider_id)
    if account.owner or provider.courses_by == "everyone":
        return True
    leads = select(func.count()).where(
        Membership.account_id == account.id, Membership.role.in_(("leader", "owner"))
    )
    return provider.courses_by == "leaders" and bool(session.scalar(leads))


def may_invite(session: Session, account: Account, course_id: int) -> bool:
    """Whether somebody may invite people to a course, as the provider's owners chose."""
    provider = session.get_one(Provider, account.provider_id)
    if account.owner:
        return True
    role = role_in(session, account, course_id)
    least = {"course owners": Role.OWNER, "leaders": Role.LEADER}.get(provider.invites_by)
    return least is not None and role is not None and role >= least


def choose_who_may(
    session: Session, provider_id: int, courses_by: str, invites_by: str
) -> None:
    """Keep who may make courses and invite. Raises InputError."""
    if courses_by not in COURSES_BY:
        raise InputError("courses_by", "choose who may make courses")
    if invites_by not in INVITES_BY:
        raise InputError("invites_by", "choose who may invite people")
    provider = session.get_one(Provider, provider_id)
    provider.courses_by, provider.invites_by = courses_by, invites_by
    session.flush()


def accounts_of(session: Session, provider_id: int) -> Sequence[Account]:
    """Everybody with an account of a provider, ended ones last."""
    query = select(Account).where(Account.provider_id == provider_id)
    return session.scalars(
        query.order_by(Account.ended_at.is_not(None), Account.name, Account.id)
    ).all()


def _of_provider(session: Session, provider_id: int, account_id: int) -> Account:
    """An account of a provider, while nobody else changes the provider's people. Raises
    NotFoundError.
    """
    session.scalars(
        select(Provider).where(Provider.id == provider_id).with_for_update()
    ).one()
    found = session.get(Account, account_id, populate_existing=True)
    if found is None or found.provider_id != provider_id:
        raise NotFoundError("there is no such account here")
    return found


def _other_owner_stays(session: Session, account: Account) -> None:
    others = select(func.count()).where(
        Account.provider_id == account.provider_id,
        Account.owner,
        Account.ended_at.is_(None),
        Account.id != account.id,
    )
    if account.owner and account.ended_at is None and not session.scalar(others):
        raise InputError(
            "account", "a provider keeps at least one owner; make somebody else owner first"
        )


def set_owner(session: Session, provider_id: int, account_id: int, *, owner: bool) -> None:
    """Make somebody an owner of the provider, or no longer. Raises InputError, NotFoundError."""
    account = _of_provider(session, provider_id, account_id)
    if not owner:
        _other_owner_stays(session, account)
    account.owner = owner
    session.flush()


def end_account(session: Session, provider_id: int, account_id: int) -> None:
    """Let nobody in by this account any more; its roles go. What it did stays in the trail under
    its name. Raises InputError, NotFoundError.
    """
    account = _of_provider(session, provider_id, account_id)
    _other_owner_stays(session, account)
    account.ended_at = account.ended_at or now()
    account.owner = False
    sign_out_everywhere(session, account.id)
    session.execute(delete(Membership).where(Membership.account_id == account.id))
    session.execute(delete(OneTime).where(OneTime.account_id == account.id))
    session.execute(delete(Mail).where(Mail.to == account.email))
    session.flush()


def erase_account(session: Session, provider_id: int, account_id: int) -> None:
    """Erase an account for good: name and address go, in the trail too; what it did stays, as by
    somebody gone. Raises InputError, NotFoundError.
    """
    end_account(session, provider_id, account_id)
    account = session.get_one(Account, account_id)
    email = account.email
    session.delete(account)
    session.flush()
    told = (Change.kind == "account") & (Change.row_key == str(account_id))
    invited = (Change.kind == "invitation") & or_(
        Change.before["email"].astext == email, Change.after["email"].astext == email
    )
    session.execute(
        delete(Change).where(Change.provider_id == provider_id, or_(told, invited))
    )
    session.execute(delete(Invitation).where(Invitation.email == email))
    erased(session, "account", account_id, provider_id=provider_id)


def erased(
    session: Session,
    what: str,
    number: int,
    *,
    provider_id: int | None = None,
    course_id: int | None = None,
) -> None:
    """Tell the trail that somebody was erased: what and by whom, not who."""
    scope = current()
    session.add(
        Change(
            at=now(),
            account_id=scope.account_id if scope else None,
            provider_id=provider_id,
            course_id=course_id,
            kind="erasing",
            row_key=str(number),
            after={"what": what},
        )
    )
    session.flush()
