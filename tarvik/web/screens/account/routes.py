"""Signing in and out, passwords, the first owner, invitations taken up, one's own account."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonObject
from tarvik.demo.course import demo_leader
from tarvik.store import accounts, invitations, provider_people
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Account
from tarvik.store.passwords import PASSWORD_LEAST, matches
from tarvik.store.scope import within
from tarvik.store.secrets import KNOWN_BROWSERS, secret
from tarvik.store.tokens import hashed
from tarvik.web.access import (
    cookie_name,
    for_guests,
    for_members,
    guarded_router,
    safe_back,
)
from tarvik.web.deps import Db, me, page
from tarvik.web.problems import sign_in_page
from tarvik.web.state import parts_of
from tarvik.web.tries import MustWaitError, Tried, browser_mark, known_browser

router = guarded_router()


KNOWN_FOR_S = 180 * 86_400
"""How long a browser that signed in is known by its mark."""


def address(request: Request) -> str:
    """The address people reach this server at, for links in letters and on cards: as the settings
    say, never as a request claims.
    """
    return parts_of(request).settings.public_address


def loopback(request: Request) -> str:
    """The address of links that lead here from this machine only; empty when one was set."""
    settings = parts_of(request).settings
    return "" if settings.address else settings.public_address


def _place(request: Request) -> str:
    """The address a request comes from."""
    return str(request.state.address)


def _marks(request: Request) -> tuple[str, str]:
    """Names of the cookies that mark a known browser and a visitor of the sign-in page."""
    name = cookie_name(parts_of(request).settings.tls)
    return f"{name}-known", f"{name}-visit"


def _key(request: Request) -> bytes:
    """The key of the marks."""
    parts = parts_of(request)
    if not parts.browsers_key:
        with within(None), parts.database.session() as session:
            parts.browsers_key = secret(session, KNOWN_BROWSERS)
    return parts.browsers_key


def _tried(request: Request, account: str) -> Tried:
    known, visit = (request.cookies.get(name, "") for name in _marks(request))
    key, account = _key(request), account.strip().lower()[:254]
    browser = known_browser(key, account, known)
    return Tried(account, _place(request), browser, known_browser(key, "", visit))


def _mark(
    request: Request, answer: Response, name: str, account: str, lasts_s: int
) -> None:
    tls = parts_of(request).settings.tls
    mark = browser_mark(_key(request), account)
    answer.set_cookie(
        name, mark, max_age=lasts_s, path="/", httponly=True, samesite="lax", secure=tls
    )


def _token(request: Request) -> str:
    return request.cookies.get(cookie_name(parts_of(request).settings.tls), "")


def _let_in(request: Request, token: str, back: str) -> RedirectResponse:
    tls = parts_of(request).settings.tls
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


def _sign_in_form(request: Request, status: int, **context: Any) -> Response:
    answer = sign_in_page(request, status, **context)
    _, visit = _marks(request)
    if request.method == "GET" and visit not in request.cookies:
        _mark(request, answer, visit, "", 86_400)
    return answer


@router.get("/sign-in")
@for_guests
def show_sign_in(request: Request, back: str = "/") -> Response:
    """The form."""
    return _sign_in_form(request, 200, back=safe_back(back))


@router.post("/sign-in")
@for_guests
async def sign_in(
    request: Request,
    email: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    back: Annotated[str, Form()] = "/",
) -> Response:
    """Let somebody in. Which of address and password was wrong is not told; who keeps failing
    waits.
    """
    tried = await run_in_threadpool(_tried, request, email)
    try:
        async with parts_of(request).tries.turn(tried) as turn:
            answer = await run_in_threadpool(_sign_in, request, email, password, back)
            turn.succeeded = answer.status_code == 303
            return answer
    except MustWaitError as err:
        fault = InputError(
            "email",
            f"there were too many tries; wait {math.ceil(err.wait_s)} seconds and try again, or "
            "choose a new password",
        )
        more = {"back": safe_back(back), "typed": {"email": email}, "fault": fault}
        answer = await run_in_threadpool(_sign_in_form, request, 429, **more)
        answer.headers["Retry-After"] = str(math.ceil(err.wait_s))
        return answer


def _sign_in(request: Request, email: str, password: str, back: str) -> Response:
    demo = parts_of(request).demo
    with within(None), parts_of(request).database.session() as session:
        account = accounts.check_sign_in(session, email, password, demo=demo)
        if account is not None:
            accounts.sign_out(session, _token(request))
            token = accounts.sign_in(session, account, _agent(request))
            answer = _let_in(request, token, back)
            _mark(request, answer, _marks(request)[0], account.email, KNOWN_FOR_S)
            return answer
    fault = InputError("email", "this address and password do not belong together")
    more = {"back": safe_back(back), "typed": {"email": email}, "fault": fault}
    return _sign_in_form(request, 422, **more)


@router.post("/demo")
@for_guests
def demo(request: Request) -> Response:
    """One click: in as the demo's leader. There is no such thing on a server without a demo."""
    if not parts_of(request).demo:
        raise NotFoundError("this server has no demo")
    with within(None), parts_of(request).database.session() as session:
        return _let_in(
            request, accounts.sign_in(session, demo_leader(session), _agent(request)), "/"
        )


@router.post("/sign-out")
@for_guests
def sign_out(request: Request) -> Response:
    """Let this browser out."""
    with within(None), parts_of(request).database.session() as session:
        accounts.sign_out(session, _token(request))
    answer = RedirectResponse("/", status_code=303)
    tls = parts_of(request).settings.tls
    answer.delete_cookie(
        cookie_name(tls), path="/", httponly=True, samesite="lax", secure=tls
    )
    answer.headers["Clear-Site-Data"] = '"cache", "storage"'
    return answer


@router.get("/forgot")
@for_guests
def forgot_page(request: Request) -> Response:
    """Ask for a link to choose a new password."""
    return page(request, "account/forgot.html", sent=False)


@router.post("/forgot")
@for_guests
def forgot(request: Request, email: Annotated[str, Form()] = "") -> Response:
    """The same answer whether there is such an account or not."""
    with within(None), parts_of(request).database.session() as session:
        place, demo = _place(request), parts_of(request).demo
        accounts.ask_reset(session, email, address(request), place, demo=demo)
    return page(request, "account/forgot.html", sent=True)


def _form(request: Request, status: int = 200, **context: Any) -> Response:
    blank: JsonObject = {
        "fault": None,
        "typed": {},
        "ask": (),
        "lead": "",
        "least": PASSWORD_LEAST,
    }
    return page(request, "account/entry.html", status, **{**blank, **context})


_RESET: JsonObject = {
    "title": "Choose a new password",
    "button": "Keep the new password",
    "ask": ("password",),
}
_SETUP: JsonObject = {
    "title": "The first owner of this server",
    "button": "Make the account",
    "ask": ("provider", "name", "email", "password"),
    "lead": "You own everything of your provider here: courses, people, the team.",
}
_INVITED: JsonObject = {
    "title": "Join the team",
    "button": "Make my account",
    "ask": ("name", "password"),
}


@router.get("/reset/{token}")
@for_guests
def reset_page(request: Request, token: str) -> Response:
    """Choose a new password by the link of a letter."""
    with within(None), parts_of(request).database.session() as session:
        accounts.find_one_time(session, "reset", token)
    return _form(request, **_RESET)


@router.post("/reset/{token}")
@for_guests
def reset(request: Request, token: str, password: Annotated[str, Form()] = "") -> Response:
    """Keep it, and sign in."""
    with within(None), parts_of(request).database.session() as session:
        try:
            account = accounts.reset_password(session, token, password)
        except InputError as err:
            return _form(request, 422, fault=err, **_RESET)
        return _let_in(request, accounts.sign_in(session, account, _agent(request)), "/")


@router.get("/setup/{token}")
@for_guests
def setup_page(request: Request, token: str) -> Response:
    """The first owner, by the link printed at the start."""
    with within(None), parts_of(request).database.session() as session:
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
) -> Response:
    """Make the first owner."""
    typed = {"provider": provider, "name": name, "email": email}
    with within(None), parts_of(request).database.session() as session:
        try:
            account = accounts.set_up(session, token, provider, name, email, password)
        except InputError as err:
            return _form(request, 422, fault=err, typed=typed, **_SETUP)
        return _let_in(request, accounts.sign_in(session, account, _agent(request)), "/")


@router.get("/invited/{token}")
@for_guests
def invited_page(request: Request, token: str) -> Response:
    """Somebody invited makes an account."""
    with within(None), parts_of(request).database.session() as session:
        found = invitations.find_invitation(session, token, demo=parts_of(request).demo)
        lead = f"You were invited as {found.role}, with the address {found.email}."
    return _form(request, lead=lead, **_INVITED)


@router.post("/invited/{token}")
@for_guests
def invited(
    request: Request,
    token: str,
    name: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
) -> Response:
    """Take the invitation up."""
    with within(None), parts_of(request).database.session() as session:
        try:
            demo = parts_of(request).demo
            account = invitations.accept(session, token, name, password, demo=demo)
        except InputError as err:
            return _form(request, 422, fault=err, typed={"name": name}, **_INVITED)
        return _let_in(request, accounts.sign_in(session, account, _agent(request)), "/")


def _account_page(request: Request, status: int = 200, **more: Any) -> Response:
    asker = me(request)
    with parts_of(request).database.session() as session:
        here = hashed(_token(request))
        known = [
            (s, s.token_hash == here) for s in accounts.sign_ins(session, asker.account_id)
        ]
        context = {"sign_ins": known, "fault": None, "done": "", **more}
        return page(request, "account/account.html", status, **context)


@router.get("/account")
@for_members
def account(request: Request) -> Response:
    """One's own account: where it is signed in, a new password, ending it."""
    return _account_page(request)


async def _with_password(
    request: Request,
    what: str,
    change: Callable[[Session, Account], None],
    after: Callable[[], Response],
) -> Response:
    """Do something that wants the present password, then answer with what comes `after`; tries at
    it are slowed down like those at the door. `what` names the form, so that its fault is shown
    there.
    """

    def changed() -> Response:
        try:
            with parts_of(request).database.session() as session:
                change(session, session.get_one(Account, me(request).account_id))
        except InputError as err:
            return _account_page(request, 422, fault=err, fault_in=what)
        return after()

    tried = await run_in_threadpool(_tried, request, me(request).email)
    try:
        async with parts_of(request).tries.turn(tried) as turn:
            answer = await run_in_threadpool(changed)
            turn.succeeded = answer.status_code < 400
            return answer
    except MustWaitError as err:
        wait = f"there were too many tries; wait {math.ceil(err.wait_s)} seconds"
        fault = InputError("old", wait)
        return await run_in_threadpool(
            _account_page, request, 429, fault=fault, fault_in=what
        )


@router.post("/account/password")
@for_members
async def password(
    request: Request, old: Annotated[str, Form()] = "", new: Annotated[str, Form()] = ""
) -> Response:
    """Change the password; all other browsers are signed out."""

    def change(session: Session, own: Account) -> None:
        accounts.change_password(session, own, old, new, _token(request))

    done = "The password was changed; every other browser was signed out."
    return await _with_password(
        request, "password", change, lambda: _account_page(request, done=done)
    )


@router.post("/account/end")
@for_members
async def end(
    request: Request,
    old: Annotated[str, Form()] = "",
    sure: Annotated[str, Form()] = "",
    erase: Annotated[str, Form()] = "",
) -> Response:
    """End one's own account, or erase it: nobody gets in by it any more."""

    def change(session: Session, own: Account) -> None:
        if not matches(own.password_hash, old):
            raise InputError("old", "this is not the present password")
        if sure != "yes":
            raise InputError(
                "sure", "an ended account lets nobody in: tick that it is meant"
            )
        way = (
            provider_people.erase_account if erase == "yes" else provider_people.end_account
        )
        way(session, own.provider_id, own.id)

    return await _with_password(
        request, "end", change, lambda: RedirectResponse("/", status_code=303)
    )


@router.post("/account/sign-out-everywhere")
@for_members
def everywhere(request: Request, session: Db) -> Response:
    """Let all browsers out, this one too."""
    accounts.sign_out_everywhere(session, me(request).account_id)
    return RedirectResponse("/", status_code=303)
