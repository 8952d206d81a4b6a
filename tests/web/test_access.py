"""Who gets in where: every route walked by a stranger, a viewer, an assistant and somebody of
another provider.
"""

from __future__ import annotations

import re
from itertools import product
from typing import TYPE_CHECKING, Any

import pytest
from fastapi import FastAPI
from fastapi.routing import APIRoute
from sqlalchemy import select
from starlette.websockets import WebSocketDisconnect

from tarvik.store import accounts, courses, kit
from tarvik.store.accounts import Role
from tarvik.store.models import Account, GroundItem, Mail, Person, ShelterRow
from tarvik.web.access import (
    UNGUARDED,
    UndeclaredRouteError,
    check_routes,
    for_members,
    for_role,
    guarded_router,
    routes_of,
    safe_back,
)
from tests.conftest import client_of, owner_token
from tests.small_course import small_course
from tests.store.test_keeping import put_up
from tests.web.who_may_what import EVERYBODY, LEAST, ROLES

if TYPE_CHECKING:
    from collections.abc import Iterator

    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
WORDS = "tall grass under rain"


@pytest.fixture
def place(database: Database) -> dict[str, Any]:
    """A course with a planned night, and a number for every word in a route."""
    with database.session() as session:
        course, night = small_course(session)
    put_up(database, night)
    with database.session() as session:
        return {
            "course_id": course,
            "night_id": night,
            "sheet_id": kit.rows(session, course, "sheets")[0].id,
            "person_id": session.scalars(select(Person.id)).first(),
            "item_id": session.scalars(select(GroundItem.id)).first(),
            "shelter_id": session.scalars(select(ShelterRow.id)).first(),
            "row_id": kit.rows(session, course, "people")[0].id,
            "table": "people",
            "pitch": "plow-point",
            "kind": "gpx",
            "token": "1.x",
            "account_id": 1,
            "plan_id": 1,
            "job_id": 1,
            "site_id": 1,
            "answer_id": 1,
            "invitation_id": 1,
            "loan_id": 1,
        }


def member(database: Database, course: int, role: Role, email: str) -> str:
    """A browser of somebody with a role in a course, signed in."""
    with database.session() as session:
        provider = courses.course(session, course).provider_id
        made = accounts.new_account(session, provider, email, role.word, WORDS)
        accounts.set_role(session, course, made.id, role)
        return accounts.sign_in(session, made)


def stranger_of_another(database: Database) -> str:
    with database.session() as session:
        other = accounts.new_provider(session, "Other")
        made = accounts.new_account(
            session, other.id, "other@other.example", "Other", WORDS, owner=True
        )
        return accounts.sign_in(session, made)


def calls(client: TestClient) -> dict[str, str]:
    """Every call the application answers, as `METHOD /route`, with the route's own spelling."""
    found = {}
    for route in routes_of(client.app.routes):  # type: ignore[attr-defined]
        path = getattr(route, "path", "")
        if path in UNGUARDED and not isinstance(route, APIRoute):
            continue
        methods = getattr(route, "methods", None) or {"WS"}
        for method in methods:
            found[f"{method} {path.replace(':number', '')}"] = path
    return found


def walk(client: TestClient, place: dict[str, Any]) -> Iterator[tuple[str, str, str]]:
    """(method, route, address) of everything but what is open to all."""
    for call in sorted(calls(client)):
        method, _, route = call.partition(" ")
        if LEAST[call] not in EVERYBODY and method != "WS":
            yield method, route, re.sub(r"{(\w+)}", lambda m: str(place[m[1]]), route)


def answer(client: TestClient, method: str, address: str) -> Any:
    with client.stream(
        method, address, headers={"accept": "application/json"}, follow_redirects=False
    ) as got:
        return got.status_code


def test_the_table_of_who_may_what_names_every_call(database: Database) -> None:
    with client_of(database) as client:
        assert set(calls(client)) == set(LEAST)


def test_a_route_that_does_not_say_whom_it_is_for_does_not_start() -> None:
    """Nor one that reads a number as it comes, nor a socket that asks nobody."""

    def started(path: str, *marks: Any, socket: bool = False) -> None:
        app = FastAPI(docs_url=None, redoc_url=None)

        async def endpoint() -> None: ...

        for mark in marks:
            mark(endpoint)
        router = guarded_router()
        (router.websocket if socket else router.get)(path)(endpoint)
        app.include_router(router)
        check_routes(app)

    started("/courses/{course_id:number}/x", for_role(Role.VIEWER))
    for path, marks, socket in (
        ("/x", (), False),
        ("/courses/{course_id}/x", (for_role(Role.VIEWER),), False),
        ("/courses/{course_id:number}/{night_id:int}", (for_role(Role.VIEWER),), False),
        ("/courses/{course_id:number}/x", (for_members,), False),
        ("/x", (for_role(Role.VIEWER),), False),
        ("/x", (for_members,), True),
    ):
        with pytest.raises(UndeclaredRouteError):
            started(path, *marks, socket=socket)
    plain = FastAPI(docs_url=None, redoc_url=None)
    plain.get("/x")(for_members(lambda: None))
    with pytest.raises(UndeclaredRouteError):
        check_routes(plain)


def test_every_route_is_closed_to_a_stranger(
    database: Database, place: dict[str, Any]
) -> None:
    with client_of(database) as client:
        seen = list(walk(client, place))
        assert len(seen) > 100
        for method, route, address in seen:
            assert answer(client, method, address) == 403, (method, route)
        assert (
            client.get("/").status_code == 200 and "Small wood" not in client.get("/").text
        )


def outsider_of_the_same_provider(database: Database, course: int) -> str:
    """Somebody with an account of the same provider, in no course."""
    with database.session() as session:
        provider = courses.course(session, course).provider_id
        made = accounts.new_account(session, provider, "out@first.example", "Out", WORDS)
        return accounts.sign_in(session, made)


@pytest.mark.parametrize("same", [True, False])
def test_every_route_of_a_course_is_not_there_for_who_is_no_part_of_it(
    database: Database, place: dict[str, Any], same: bool
) -> None:
    token = (
        outsider_of_the_same_provider(database, place["course_id"])
        if same
        else stranger_of_another(database)
    )
    with client_of(database, token) as client:
        for method, route, address in walk(client, place):
            if "{course_id}" in route:
                assert answer(client, method, address) == 404, (method, route)
        assert "Small wood" not in client.get("/").text


SPELLINGS = [
    "+{n}",
    "-{n}",
    "0{n}",
    "{n}.0",
    "{n}.",
    "%20{n}",
    "{n}%20",
    "%09{n}",
    "{n}%0A",
    "{n}e0",
    "{n}_0",
    "0x{n}",
    "%EF%BC%91",
    "%D9%A1",
    "{n}%00",
    "{n}%2F",
    "1" * 5000,
]
"""Ways to write a number that some reader somewhere takes for it."""


def test_a_number_has_one_spelling(database: Database, place: dict[str, Any]) -> None:
    """Whatever for, and even for an owner: another spelling of a number in an address is nowhere.
    For somebody with no part in the course there is no way round by the course's number either.
    """
    outsider = outsider_of_the_same_provider(database, place["course_id"])
    for token, names in (
        (owner_token(database), r"{(\w+_id)}"),
        (outsider, r"{(course_id)}"),
    ):
        with client_of(database, token, rate=0) as client:
            for method, route, _ in walk(client, place):
                for name, spelling in product(re.findall(names, route), SPELLINGS):
                    odd = {**place, name: spelling.format(n=place[name])}
                    address = re.sub(r"{(\w+)}", lambda m, odd=odd: str(odd[m[1]]), route)
                    assert answer(client, method, address) in (404, 405), (method, address)
            finder = (
                f"/courses/+{place['course_id']}/nights/{place['night_id']}/ground/finder"
            )
            with pytest.raises(WebSocketDisconnect), client.websocket_connect(finder):
                pass


@pytest.mark.parametrize("role", [Role.VIEWER, Role.ASSISTANT, Role.LEADER])
def test_each_role_changes_what_it_may_and_no_more(
    database: Database, place: dict[str, Any], role: Role
) -> None:
    """What a role may not is 403 and changes nothing; what it may look at is there."""
    token = member(database, place["course_id"], role, f"{role.word}@first.example")
    with database.session() as session:
        before = [
            (p.name, p.version) for p in session.scalars(select(Person).order_by(Person.id))
        ]
    with client_of(database, token) as client:
        for method, route, address in walk(client, place):
            least = LEAST[f"{method} {route}"]
            if least == "owner of the provider":
                assert answer(client, method, address) == 404, (method, route)
            if least not in ROLES:
                continue
            if ROLES.index(role.word) < ROLES.index(least):
                assert answer(client, method, address) == 403, (method, route)
            elif method == "GET" and "{job_id}" not in route:
                assert answer(client, method, address) in (200, 404, 422), (method, route)
    if role < Role.LEADER:
        with database.session() as session:
            assert [
                (p.name, p.version)
                for p in session.scalars(select(Person).order_by(Person.id))
            ] == before


def test_an_assistant_plans_but_changes_nobody(
    database: Database, place: dict[str, Any]
) -> None:
    token = member(database, place["course_id"], Role.ASSISTANT, "as@first.example")
    base = f"/courses/{place['course_id']}"
    with client_of(database, token) as client:
        gone = client.post(
            f"{base}/nights/{place['night_id']}/shelters/{place['shelter_id']}/remove",
            data={"seen": "1"},
            follow_redirects=False,
        )
        assert gone.status_code in (200, 303)
        cell = {"column": "name", "text": "Eve", "version": 1, "was": ""}
        assert (
            client.patch(f"{base}/kit/people/{place['row_id']}", json=cell).status_code
            == 403
        )


def test_changes_come_from_tarviks_own_pages_only(
    database: Database, place: dict[str, Any]
) -> None:
    """ASVS 4.2.2, 13.2.3: with a cookie, a change without Tarvik's own origin, or a browser's word
    for it, is refused.
    """
    address = f"/courses/{place['course_id']}/nights"
    with client_of(database, owner_token(database)) as client:
        del client.headers["origin"]
        assert client.post(address).status_code == 403
        assert (
            client.post(address, headers={"origin": "http://evil.example"}).status_code
            == 403
        )
        assert client.post(address, headers={"origin": "null"}).status_code == 403
        assert (
            client.post(address, headers={"sec-fetch-site": "cross-site"}).status_code
            == 403
        )
        assert (
            client.post(
                address, headers={"sec-fetch-site": "same-origin"}, follow_redirects=False
            ).status_code
            == 303
        )
        assert (
            client.post(
                address, headers={"origin": "http://testserver"}, follow_redirects=False
            ).status_code
            == 303
        )
        finder = f"/courses/{place['course_id']}/nights/{place['night_id']}/ground/finder"
        with (
            pytest.raises(WebSocketDisconnect),
            client.websocket_connect(finder, headers={"origin": "http://evil.example"}),
        ):
            pass


AWAY = [
    "//evil.example",
    "/\\evil.example",
    "https://evil.example",
    "javascript:alert(1)",
    "\\\\evil",
    "/x\r\nLocation: y",
    "",
    "evil",
]


@pytest.mark.parametrize("path", AWAY)
def test_no_sign_in_leads_away(database: Database, path: str) -> None:
    """ASVS 5.1.5."""
    assert safe_back(path) == "/"
    with database.session() as session:
        accounts.new_account(
            session, accounts.home_provider(session), "ada@first.example", "Ada", WORDS
        )
    with client_of(database) as client:
        form = {"email": "ada@first.example", "password": WORDS, "back": path}
        assert (
            client.post("/sign-in", data=form, follow_redirects=False).headers["location"]
            == "/"
        )


def test_signing_in_and_out(database: Database) -> None:
    """The cookie's flags (ASVS 3.4), no word on which of both was wrong, the page sent back with
    what was typed.
    """
    with database.session() as session:
        accounts.new_account(
            session, accounts.home_provider(session), "ada@first.example", "Ada", WORDS
        )
    with client_of(database) as client:
        wrong = client.post(
            "/sign-in", data={"email": "ada@first.example", "password": "x"}
        )
        unknown = client.post(
            "/sign-in", data={"email": "eve@first.example", "password": "x"}
        )
        assert wrong.status_code == unknown.status_code == 422
        assert (
            wrong.text.replace("ada@", "eve@") == unknown.text
            and "ada@first.example" in wrong.text
        )
        good = client.post(
            "/sign-in",
            data={"email": "Ada@first.example", "password": WORDS, "back": "/account"},
            follow_redirects=False,
        )
        cookie = good.headers["set-cookie"]
        assert (
            good.headers["location"] == "/account"
            and "HttpOnly" in cookie
            and "SameSite=lax" in cookie
            and "Path=/" in cookie
        )
        assert "Where you are signed in" in client.get("/account").text
        assert (
            client.get("/outbox").status_code
            == client.post("/account/keeping", data={"days": "9"}).status_code
            == 404
        )
        client.post("/sign-out")
        assert client.get("/account").status_code == 403
        assert client.post("/demo").status_code == 404


def test_over_tls_the_cookie_is_bound_to_the_host(database: Database) -> None:
    """ASVS 3.4.1, 3.4.4, 9.1: __Host- prefix, Secure, and HSTS."""
    from fastapi.testclient import TestClient

    from tarvik.settings import Settings
    from tarvik.web.app import create_app

    with database.session() as session:
        accounts.new_account(
            session, accounts.home_provider(session), "ada@first.example", "Ada", WORDS
        )
    app = create_app(database, settings=Settings(address="https://tarvik.example"))
    with TestClient(
        app, base_url="https://tarvik.example", headers={"origin": "https://tarvik.example"}
    ) as client:
        got = client.post(
            "/sign-in",
            data={"email": "ada@first.example", "password": WORDS},
            follow_redirects=False,
        )
        assert (
            got.headers["set-cookie"].startswith("__Host-tarvik=")
            and "Secure" in got.headers["set-cookie"]
        )
        assert "max-age=31536000" in got.headers["strict-transport-security"]
        assert client.get("/account").status_code == 200


def test_headers_limits_and_request_ids(database: Database) -> None:
    """ASVS 14.4: type, policy, no sniffing, no framing; 12.1.1 and 11.1.4: size and rate; no
    personal word in the log.
    """
    from fastapi.testclient import TestClient

    from tarvik.settings import Settings
    from tarvik.web.app import create_app

    with TestClient(
        create_app(database, settings=Settings(rate=60)), raise_server_exceptions=False
    ) as client:
        got = client.get("/")
        assert (
            "script-src 'self'" in got.headers["content-security-policy"]
            and "unsafe" not in got.headers["content-security-policy"]
        )
        assert (
            got.headers["x-content-type-options"] == "nosniff"
            and got.headers["x-frame-options"] == "DENY"
        )
        assert (
            re.fullmatch(r"[0-9a-f]{12}", got.headers["x-request-id"])
            and "server" not in got.headers
        )
        assert client.post("/sign-in", content=b"x" * 1_000_001).status_code == 413
        statuses = [client.get("/sign-in").status_code for _ in range(12)]
        assert statuses[0] == 200 and statuses[-1] == 429
        assert client.get("/sign-in").headers["retry-after"]


def test_logs_name_nobody(database: Database, caplog: pytest.LogCaptureFixture) -> None:
    """ASVS 7.1.1, 7.1.2: the route's pattern, never the address with a token, nor who asked."""
    import logging

    caplog.set_level(logging.INFO, "tarvik.requests")
    with client_of(database) as client:
        client.get("/card/1.secretsecret")
        client.post("/sign-in", data={"email": "ada@first.example", "password": "x"})
    told = [
        f"{r.getMessage()} {r.route} {r.status}"
        for r in caplog.records
        if r.name == "tarvik.requests"
    ]  # type: ignore[attr-defined]
    assert "request /card/{token} 404" in told
    assert not any("secret" in t or "ada" in t for t in told)


def test_the_whole_way_of_a_team(database: Database) -> None:
    """The printed link makes the first owner, who makes a course and invites; the guest joins and
    forgets the password.
    """
    with database.session() as session:
        token = accounts.setup_token(session)
    with client_of(database) as ada, client_of(database) as bo:
        form = {
            "provider": "Club",
            "name": "Ada",
            "email": "ada@club.example",
            "password": "short",
        }
        refused = ada.post(f"/setup/{token}", data=form)
        assert (
            refused.status_code == 422
            and "ada@club.example" in refused.text
            and "too few" in refused.text
        )
        assert (
            ada.post(
                f"/setup/{token}", data={**form, "password": WORDS}, follow_redirects=False
            ).status_code
            == 303
        )
        assert ada.get(f"/setup/{token}").status_code == 404
        assert ada.post("/account/keeping", data={"days": "0"}).status_code == 422
        assert "erased 90 days" in ada.post("/account/keeping", data={"days": "90"}).text
        course = ada.post(
            "/courses", data={"name": "One", "nights": "1"}, follow_redirects=False
        ).headers["location"]
        assert (
            ada.post(
                f"{course}/team/invite", data={"email": "no address", "role": "viewer"}
            ).status_code
            == 422
        )
        assert (
            "written to"
            in ada.post(
                f"{course}/team/invite", data={"email": "bo@club.example", "role": "viewer"}
            ).text
        )
        letter = ada.get("/outbox").text
        link = re.search(r"/invited/([\w-]+)", letter)
        assert link is not None
        assert (
            bo.post(
                f"/invited/{link[1]}",
                data={"name": "Bo", "password": WORDS},
                follow_redirects=False,
            ).status_code
            == 303
        )
        assert (
            bo.get(course).status_code == 200
            and bo.post(f"{course}/nights").status_code == 403
        )
        assert bo.get(f"{course}/team").status_code == 403
        with database.session() as session:
            number = session.scalars(
                select(Account.id).where(Account.email == "bo@club.example")
            ).one()
        assert (
            ada.post(
                f"{course}/team/{number}",
                data={"role": "assistant"},
                follow_redirects=False,
            ).status_code
            == 303
        )
        assert "assistant" in ada.get(f"{course}/team").text
        bo.post("/account/sign-out-everywhere")
        assert bo.get(course).status_code == 403
        assert (
            "If there is an account"
            in bo.post("/forgot", data={"email": "bo@club.example"}).text
        )
        with database.session() as session:
            body = session.scalars(select(Mail.body).order_by(Mail.id.desc())).first() or ""
        reset = body.split("/reset/")[1].split()[0]
        assert (
            bo.post(
                f"/reset/{reset}",
                data={"password": "a wholly other phrase"},
                follow_redirects=False,
            ).status_code
            == 303
        )
        assert (
            bo.get(f"/reset/{reset}").status_code == 404
            and bo.get(course).status_code == 200
        )


def test_health_and_readiness(database: Database) -> None:
    with client_of(database) as client:
        assert client.get("/healthz").json() == {"status": "ok"} and client.get(
            "/readyz"
        ).json() == {"status": "ready"}
