"""A course's team: roles, invitations."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.store import accounts, courses, invitations, provider_people
from tarvik.store.accounts import Role
from tarvik.store.models import Account, Invitation
from tarvik.web.access import RefusedError, for_role, guarded_router
from tarvik.web.deps import Db, me, page
from tarvik.web.screens.account.routes import address, loopback
from tarvik.web.state import parts_of

router = guarded_router("/courses/{course_id:number}/team")


def _team(request: Request, course_id: int, status: int = 200, **more: Any) -> Response:
    with parts_of(request).database.session() as session:
        course = courses.course(session, course_id)
        return page(
            request,
            "team/team.html",
            status,
            course=course,
            tab="team",
            loopback=loopback(request),
            team=accounts.team(session, course_id),
            invited=invitations.invitations(session, course_id),
            roles=accounts.ROLE_WORDS,
            may_invite=provider_people.may_invite(
                session, session.get_one(Account, me(request).account_id), course_id
            ),
            **{"fault": None, "typed": {}, "done": "", **more},
        )


@router.get("")
@for_role(Role.LEADER)
def show(request: Request, course_id: int) -> Response:
    """Who is on it, who is invited."""
    return _team(request, course_id)


@router.post("/invite")
@for_role(Role.LEADER)
def invite(
    request: Request,
    course_id: int,
    email: Annotated[str, Form()] = "",
    role: Annotated[str, Form()] = "leader",
) -> Response:
    """Ask somebody to join."""
    asker = me(request)
    typed = {"email": email, "role": role}
    with parts_of(request).database.session() as session:
        courses.course(session, course_id)
        account = session.get_one(Account, asker.account_id)
        if not provider_people.may_invite(session, account, course_id):
            raise RefusedError(
                403, "who may invite people is the owner's choice: ask an owner"
            )
        try:
            wanted = accounts.role_named(role)
            if asker.role is None or wanted > asker.role:
                raise InputError("role", "nobody gives a role higher than their own")
            invitations.invite(
                session,
                asker.provider_id,
                course_id,
                email,
                wanted,
                address(request),
                asker.name,
            )
        except InputError as err:
            return _team(request, course_id, 422, fault=err, typed=typed)
    return _team(request, course_id, done=f"{email.strip()} was written to.")


@router.post("/{account_id:number}")
@for_role(Role.OWNER)
def change(
    request: Request,
    session: Db,
    course_id: int,
    account_id: int,
    role: Annotated[str, Form()] = "",
) -> Response:
    """Another role for somebody, or none."""
    courses.course(session, course_id)
    try:
        accounts.set_role(
            session,
            course_id,
            account_id,
            None if role == "none" else accounts.role_named(role),
        )
    except InputError as err:
        return _team(request, course_id, 422, fault=err)
    return RedirectResponse(f"/courses/{course_id}/team", status_code=303)


@router.post("/invitations/{invitation_id:number}/take-back")
@for_role(Role.OWNER)
def take_back(session: Db, course_id: int, invitation_id: int) -> Response:
    """An invitation that no longer stands."""
    found = session.get(Invitation, invitation_id)
    if found is not None and found.course_id == course_id:
        invitations.take_back(session, found)
    return RedirectResponse(f"/courses/{course_id}/team", status_code=303)
