"""Signing in and out, passwords, the first owner, invitations, the outbox that stands in for a mail
service.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse

from tarvik.core.errors import InputError
from tarvik.demo.course import demo_leader
from tarvik.store import accounts
from tarvik.store.accounts import TooManyTriesError
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Account, Provider
from tarvik.store.scope import within
from tarvik.web.access import (
    cookie_name,
    for_guests,
    for_members,
    for_owners,
    guarded_router,
    safe_back,
)
from tarvik.web.pages.common import me, page, tarvik

router = guarded_router()


def address(request: Request) -> str:
    """The address people reach this server at, for links in letters: never the one a request claims
    when one is set.
    """
    return (
        tarvik(request).settings.address
        or f"http://{request.url.hostname}:{request.url.port or 80}"
    )


def _place(request: Request) -> str:
    return request.client.host if request.client else ""


def _token(request: Request) -> str:
    return request.cookies.get(cookie_name(tarvik(request).settings.tls), "")


def _let_in(request: Request, token: str, back: str) -> RedirectResponse:
    tls = tarvik(request).settings.tls
    answer = RedirectResponse(safe_back(back), status_code=303)
    answer.set_cookie(
        cookie_name(tls),
        token,
        max_age=int(accounts.LONGEST.total_seconds()),
        path="/",
        httponly=True,
        samesite="lax",
        secure=tls,
    )
    return answer


def _agent(request: Request) -> str:
    """What kind of browser, in two words: enough to know it again, too little to follow anybody."""
    told = request.headers.get("user-agent", "")
    system = next(
        (s for s in ("Android", "iPhone", "iPad", "Windows", "Mac", "Linux") if s in told),
        "another system",
    )
    browser = next(
        (
            n
            for k, n in (
                ("Firefox/", "Firefox"),
                ("Edg/", "Edge"),
                ("Chrome/", "Chromium kind"),
                ("Safari/", "Safari kind"),
            )
            if k in told
        ),
        "a browser",
    )
    return f"{browser} on {system}"


@router.get("/sign-in")
@for_guests
def sign_in_page(request: Request, back: str = "/") -> Any:
    """The form."""
    return page(
        request,
        "sign_in.html",
        back=safe_back(back),
        typed={},
        fault=None,
        demo=tarvik(request).demo,
    )


@router.post("/sign-in")
@for_guests
def sign_in(
    request: Request,
    email: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    back: Annotated[str, Form()] = "/",
) -> Any:
    """Let somebody in. Which of address and password was wrong is not told."""
    words, status = "", 422
    with within(None), tarvik(request).database.session() as session:
        try:
            account = accounts.check_sign_in(session, email, password, _place(request))
        except TooManyTriesError:
            account, words, status = (
                None,
                "that was tried too often; wait a quarter of an hour, or choose a new password",
                429,
            )
        if account is not None:
            accounts.sign_out(session, _token(request))
            return _let_in(request, accounts.sign_in(session, account, _agent(request)), back)
    fault = InputError("email", words or "this address and password do not belong together")
    context = {
        "back": safe_back(back),
        "typed": {"email": email},
        "fault": fault,
        "demo": tarvik(request).demo,
    }
    return page(request, "sign_in.html", status, **context)


@router.post("/demo")
@for_guests
def demo(request: Request) -> Any:
    """One click: in as the demo's leader. There is no such thing on a server without a demo."""
    if not tarvik(request).demo:
        raise NotFoundError("this server has no demo")
    with within(None), tarvik(request).database.session() as session:
        return _let_in(
            request, accounts.sign_in(session, demo_leader(session), _agent(request)), "/"
        )


@router.post("/sign-out")
@for_guests
def sign_out(request: Request) -> Any:
    """Let this browser out."""
    with within(None), tarvik(request).database.session() as session:
        accounts.sign_out(session, _token(request))
    answer = RedirectResponse("/", status_code=303)
    tls = tarvik(request).settings.tls
    answer.delete_cookie(cookie_name(tls), path="/", httponly=True, samesite="lax", secure=tls)
    answer.headers["Clear-Site-Data"] = '"cache", "storage"'
    return answer


@router.get("/forgot")
@for_guests
def forgot_page(request: Request) -> Any:
    """Ask for a link to choose a new password."""
    return page(request, "forgot.html", sent=False)


@router.post("/forgot")
@for_guests
def forgot(request: Request, email: Annotated[str, Form()] = "") -> Any:
    """The same answer whether there is such an account or not."""
    with within(None), tarvik(request).database.session() as session:
        accounts.ask_reset(session, email, address(request), _place(request))
    return page(request, "forgot.html", sent=True)


def _form(request: Request, status: int = 200, **context: Any) -> Any:
    blank: dict[str, Any] = {
        "fault": None,
        "typed": {},
        "ask": (),
        "lead": "",
        "least": accounts.PASSWORD_LEAST,
    }
    return page(request, "entry.html", status, **{**blank, **context})


_RESET: dict[str, Any] = {
    "title": "Choose a new password",
    "button": "Keep the new password",
    "ask": ("password",),
}
_SETUP: dict[str, Any] = {
    "title": "The first owner of this server",
    "button": "Make the account",
    "ask": ("provider", "name", "email", "password"),
    "lead": "You own everything of your provider here: courses, people, the team.",
}
_INVITED: dict[str, Any] = {
    "title": "Join the team",
    "button": "Make my account",
    "ask": ("name", "password"),
}


@router.get("/reset/{token}")
@for_guests
def reset_page(request: Request, token: str) -> Any:
    """Choose a new password by the link of a letter."""
    with within(None), tarvik(request).database.session() as session:
        accounts.find_one_time(session, "reset", token)
    return _form(request, **_RESET)


@router.post("/reset/{token}")
@for_guests
def reset(request: Request, token: str, password: Annotated[str, Form()] = "") -> Any:
    """Keep it, and sign in."""
    with within(None), tarvik(request).database.session() as session:
        try:
            account = accounts.reset_password(session, token, password)
        except InputError as err:
            return _form(request, 422, fault=err, **_RESET)
        return _let_in(request, accounts.sign_in(session, account, _agent(request)), "/")


@router.get("/setup/{token}")
@for_guests
def setup_page(request: Request, token: str) -> Any:
    """The first owner, by the link printed at the start."""
    with within(None), tarvik(request).database.session() as session:
        accounts.find_one_time(session, "setup", token)
    return _form(request, **_SETUP)


@router.post("/setup/{token}")
@for_guests
def setup(
    request: Request,
    token: str,
    provider: Annotated[str, Form()] = "",
    name: Annotated[str, Form()] = "",
    email: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
) -> Any:
    """Make the first owner."""
    typed = {"provider": provider, "name": name, "email": email}
    with within(None), tarvik(request).database.session() as session:
        try:
            account = accounts.set_up(session, token, provider, name, email, password)
        except InputError as err:
            return _form(request, 422, fault=err, typed=typed, **_SETUP)
        return _let_in(request, accounts.sign_in(session, account, _agent(request)), "/")


@router.get("/invited/{token}")
@for_guests
def invited_page(request: Request, token: str) -> Any:
    """Somebody invited makes an account."""
    with within(None), tarvik(request).database.session() as session:
        found = accounts.find_invitation(session, token)
        lead = f"You were invited as {found.role}, with the address {found.email}."
    return _form(request, lead=lead, **_INVITED)


@router.post("/invited/{token}")
@for_guests
def invited(
    request: Request,
    token: str,
    name: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
) -> Any:
    """Take the invitation up."""
    with within(None), tarvik(request).database.session() as session:
        try:
            account = accounts.accept(session, token, name, password)
        except InputError as err:
            return _form(request, 422, fault=err, typed={"name": name}, **_INVITED)
        return _let_in(request, accounts.sign_in(session, account, _agent(request)), "/")


def _account_page(request: Request, status: int = 200, **more: Any) -> Any:
    asker = me(request)
    with tarvik(request).database.session() as session:
        here = accounts.hashed(_token(request))
        known = [(s, s.token_hash == here) for s in accounts.sign_ins(session, asker.account_id)]
        provider = session.get(Provider, asker.provider_id)
        days = provider.keep_people_days if provider else 0
        return page(
            request,
            "account.html",
            status,
            **{"sign_ins": known, "days": days, "fault": None, "done": "", **more},
        )


@router.get("/account")
@for_members
def account(request: Request) -> Any:
    """One's own account: where it is signed in, a new password."""
    return _account_page(request)


@router.post("/account/password")
@for_members
def password(
    request: Request, old: Annotated[str, Form()] = "", new: Annotated[str, Form()] = ""
) -> Any:
    """Change the password; all other browsers are signed out."""
    with tarvik(request).database.session() as session:
        account = session.get(Account, me(request).account_id)
        if account is None:
            raise NotFoundError("there is no such account any more")
        try:
            accounts.change_password(session, account, old, new, _token(request))
        except InputError as err:
            return _account_page(request, 422, fault=err)
    return _account_page(
        request, done="The password was changed; every other browser was signed out."
    )


@router.post("/account/sign-out-everywhere")
@for_members
def everywhere(request: Request) -> Any:
    """Let all browsers out, this one too."""
    with tarvik(request).database.session() as session:
        accounts.sign_out_everywhere(session, me(request).account_id)
    return RedirectResponse("/", status_code=303)


@router.post("/account/keeping")
@for_owners
def keeping(request: Request, days: Annotated[int, Form(ge=1, le=3650)]) -> Any:
    """How long after a course its people are kept: for owners of the provider to say."""
    asker = me(request)
    if not asker.owner:
        raise NotFoundError("only an owner of the provider says this")
    with tarvik(request).database.session() as session:
        provider = session.get(Provider, asker.provider_id)
        if provider is not None:
            provider.keep_people_days = days
    return _account_page(
        request, done=f"People are erased {days} days after the last night of their course."
    )


@router.get("/outbox")
@for_owners
def outbox(request: Request) -> Any:
    """The provider's letters, for its owners: the stand-in for a mail service."""
    asker = me(request)
    if not asker.owner:
        raise NotFoundError("only an owner of the provider reads the outbox")
    with tarvik(request).database.session() as session:
        return page(request, "outbox.html", letters=accounts.letters(session, asker.provider_id))
