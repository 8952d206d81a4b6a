"""The provider, for its owners: its people, what they may, how long people are kept, the letters,
and who signed in.
"""

from __future__ import annotations

import re
from typing import Annotated, Any, Final

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.store import history, letters, provider_people
from tarvik.store.models import Provider
from tarvik.web.access import for_owners, guarded_router
from tarvik.web.deps import Db, me, page
from tarvik.web.state import parts_of

router = guarded_router()
_LINK: Final = re.compile(r"https?://\S+/(invited|reset)/\S+")
CHANGES: Final = {
    "owner": "is an owner now",
    "no-owner": "is an owner no longer",
    "end": "can no longer sign in",
    "erase": "was erased",
}


def _provider_page(request: Request, status: int = 200, **more: Any) -> Response:
    asker = me(request)
    with parts_of(request).database.session() as session:
        provider = session.get_one(Provider, asker.provider_id)
        context = {
            "provider": provider,
            "people": provider_people.accounts_of(session, asker.provider_id),
            "courses_by": provider_people.COURSES_BY,
            "invites_by": provider_people.INVITES_BY,
            "told": history.told_of_provider(session, asker.provider_id),
            "fault": None,
            "done": "",
            **more,
        }
        return page(request, "provider/provider.html", status, **context)


@router.get("/provider")
@for_owners
def show(request: Request) -> Response:
    """People, choices, sign-ins."""
    return _provider_page(request)


@router.post("/provider/people/{account_id:number}")
@for_owners
def change_person(
    request: Request, account_id: int, what: Annotated[str, Form()] = ""
) -> Response:
    """Make somebody an owner or no longer one; end or erase an account."""
    asker = me(request)
    if what not in CHANGES:
        raise InputError("what", "choose what is to change")
    try:
        with parts_of(request).database.session() as session:
            if what in ("owner", "no-owner"):
                wanted = what == "owner"
                provider_people.set_owner(
                    session, asker.provider_id, account_id, owner=wanted
                )
            elif what == "end":
                provider_people.end_account(session, asker.provider_id, account_id)
            else:
                provider_people.erase_account(session, asker.provider_id, account_id)
    except InputError as err:
        return _provider_page(request, 422, fault=err)
    return RedirectResponse("/provider", status_code=303)


@router.post("/provider/choices")
@for_owners
def choose(
    request: Request,
    courses_by: Annotated[str, Form()] = "",
    invites_by: Annotated[str, Form()] = "",
) -> Response:
    """Who may make courses and invite people."""
    with parts_of(request).database.session() as session:
        try:
            provider_people.choose_who_may(
                session, me(request).provider_id, courses_by, invites_by
            )
        except InputError as err:
            return _provider_page(request, 422, fault=err)
    return _provider_page(request, done="Kept.")


@router.post("/account/keeping")
@for_owners
def keeping(request: Request, days: Annotated[int, Form(ge=1, le=3650)]) -> Response:
    """How long after a course its people are kept."""
    with parts_of(request).database.session() as session:
        session.get_one(Provider, me(request).provider_id).keep_people_days = days
    done = f"People are erased {days} days after the last night of their course."
    return _provider_page(request, done=done)


@router.get("/outbox")
@for_owners
def outbox(request: Request, session: Db) -> Response:
    """The provider's letters: the stand-in for a mail service. In a demo, which anybody opens as
    its owner, their links are not shown.
    """
    asker = me(request)
    shown = [
        (m, _LINK.sub("(no link is shown in a demo)", m.body) if asker.demo else m.body)
        for m in letters.letters(session, asker.provider_id)
    ]
    return page(request, "provider/outbox.html", letters=shown)
