"""The outermost layer: who is counted as whom, front servers, bodies, headers, connections."""

from __future__ import annotations

import json
import socket
import threading
import time
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import httpx2 as httpx
import pytest
import uvicorn
from fastapi.testclient import TestClient

from tarvik.settings import Settings
from tarvik.store import accounts, kit, links
from tarvik.store.server import free_port
from tarvik.web import limits, protocol
from tarvik.web.app import create_app
from tarvik.web.protocol import PatientProtocol
from tarvik.web.rate import Rate
from tests.conftest import OWN, client_of, owner_token
from tests.patience import comes_true
from tests.small_course import small_course

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
WORDS = "tall grass under rain"


@contextmanager
def served(database: Database, **settings: Any) -> Iterator[tuple[str, int]]:
    """The application on a real port, as `./run serve` serves it; (host, port)."""
    port = free_port()
    app = create_app(database, settings=Settings(**settings))
    config = uvicorn.Config(
        app,
        host="127.0.0.1",
        port=port,
        http=PatientProtocol,
        log_config=None,
        proxy_headers=False,
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    assert comes_true(lambda: server.started)
    try:
        yield "127.0.0.1", port
    finally:
        server.should_exit = True
        thread.join(timeout=15)


# ---- who is counted as whom


def test_an_unknown_cookie_counts_with_its_address() -> None:
    rate = Rate(60)
    assert rate.caller("forged", "192.0.2.1") == "192.0.2.1"
    rate.know("real")
    assert rate.caller("real", "192.0.2.1") != "192.0.2.1"
    assert rate.caller("", "192.0.2.1") == "192.0.2.1"


def test_work_counts_as_requests() -> None:
    rate = Rate(60)
    assert rate.wait_s("a", 100.0) == 0.0
    rate.charge("a", 100.0, 9.5)
    assert rate.wait_s("a", 100.0) > 0.0 and rate.wait_s("b", 100.0) == 0.0
    assert rate.wait_s("a", 125.0) == 0.0


def test_forged_cookies_do_not_evade_the_limit(database: Database) -> None:
    with client_of(database, rate=60) as client:
        statuses = []
        for n in range(14):
            client.cookies.set("tarvik", f"forged-{n}", domain="testserver.local")
            statuses.append(client.get("/sign-in").status_code)
        assert statuses[0] == 200 and statuses[-1] == 429
        assert client.get("/healthz").status_code == 200


# ---- front servers

FRONT = {"x-forwarded-for": "192.0.2.7", "x-forwarded-proto": "https"}


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        (FRONT, 200),
        ({**FRONT, "x-forwarded-for": "evil, 192.0.2.7"}, 200),
        ({"x-forwarded-proto": "https"}, 400),
        ({**FRONT, "x-forwarded-for": "somewhere"}, 400),
        ({**FRONT, "x-forwarded-proto": "http"}, 400),
        ({"x-forwarded-for": "192.0.2.7"}, 400),
        ({}, 400),
    ],
)
def test_behind_a_front_server_its_headers_are_needed(
    database: Database, headers: dict[str, str], status: int
) -> None:
    settings = Settings(address="https://tarvik.example", front=("203.0.113.1",))
    app = create_app(database, settings=settings)
    with TestClient(
        app, base_url="https://tarvik.example", client=("203.0.113.1", 1)
    ) as client:
        assert client.get("/sign-in", headers=headers).status_code == status
        assert client.get("/healthz").status_code == 200
    with TestClient(
        app, base_url="https://tarvik.example", client=("203.0.113.9", 1)
    ) as past:
        assert past.get("/sign-in", headers=FRONT).status_code == 400


def test_behind_a_front_server_each_address_is_counted_by_itself(
    database: Database,
) -> None:
    settings = Settings(rate=60, front=("203.0.113.1",))
    app = create_app(database, settings=settings)
    with TestClient(app, client=("203.0.113.1", 1)) as client:
        for _ in range(15):
            last = client.get("/sign-in", headers={**FRONT, "x-forwarded-for": "192.0.2.7"})
        assert last.status_code == 429
        other = client.get("/sign-in", headers={**FRONT, "x-forwarded-for": "192.0.2.8"})
        assert other.status_code == 200


def test_without_one_nobody_says_where_they_come_from(database: Database) -> None:
    with client_of(database, rate=60) as client:
        for n in range(15):
            last = client.get("/sign-in", headers={"x-forwarded-for": f"192.0.2.{n}"})
        assert last.status_code == 429


def test_letters_never_take_their_address_from_a_request(database: Database) -> None:
    with database.session() as session:
        course, _ = small_course(session)
        links.make_link(session, course, kit.rows(session, course, "people")[0].id)
    with client_of(database, owner_token(database)) as client:
        headers = {"host": "evil.example", "origin": "http://evil.example"}
        form = {"email": "bo@x.example", "role": "viewer"}
        client.post(f"/courses/{course}/team/invite", data=form, headers=headers)
        client.post("/forgot", data={"email": "owner@first.example"}, headers=headers)
        letters = client.get("/outbox").text
        assert letters.count("http://127.0.0.1:8080/") == 2 and "evil" not in letters
        cards = client.get(
            f"/courses/{course}/cards", headers={"host": "evil.example"}
        ).text
        assert "http://127.0.0.1:8080/card/" in cards and "evil" not in cards
        assert "from this machine only" in cards


# ---- headers


def test_pages_about_people_are_kept_nowhere(database: Database) -> None:
    """But for a participant's own card, which its person's browser keeps on purpose."""
    with database.session() as session:
        course, night = small_course(session)
        link = links.make_link(session, course, kit.rows(session, course, "people")[0].id)
        card = links.token_of(session, link)
    with client_of(database, owner_token(database)) as client:
        for path in (
            "/",
            "/account",
            "/provider",
            "/outbox",
            f"/courses/{course}/kit",
            f"/courses/{course}/kit/people.csv",
            f"/courses/{course}/file",
            f"/courses/{course}/nights/{night}/plan",
            f"/courses/{course}/erase/1.json",
            "/courses/999/kit",
        ):
            assert client.get(path).headers.get_list("cache-control") == ["no-store"], path
        own = client.get(f"/card/{card}")
        assert own.headers.get_list("cache-control") == ["private, no-cache"]
        for answer in (own, client.get("/"), client.get("/static/app/app.css")):
            assert answer.headers.get_list("referrer-policy") == ["same-origin"]
        assert "no-store" not in client.get("/static/app/app.css").headers.get(
            "cache-control", ""
        )


def test_a_demos_outbox_shows_no_link_that_works(database: Database) -> None:
    with database.session() as session:
        from tarvik.demo.course import demo_leader

        token = accounts.sign_in(session, demo_leader(session))
        home = demo_leader(session).provider_id
        course, _ = small_course(session)
    with client_of(database, token, demo=True) as client:
        assert home
        form = {"email": "bo@x.example", "role": "owner"}
        assert client.post(f"/courses/{course}/team/invite", data=form).status_code == 200
        shown = client.get("/outbox").text
        assert "bo@x.example" in shown and "/invited/" not in shown
    with client_of(database, token) as served_for_real:
        assert served_for_real.get("/account").status_code == 403


# ---- bodies


@pytest.mark.parametrize(
    ("path", "content", "kind"),
    [
        ("/sign-in", b"x=" + b"a" * 1_000_001, "application/x-www-form-urlencoded"),
        ("/sign-in", b"x=" + b"a" * 300_000, "application/x-www-form-urlencoded"),
        ("/api/solve", b'{"x": "' + b"a" * 70_000 + b'"}', "application/json"),
    ],
)
def test_a_body_too_large_is_refused(
    database: Database, path: str, content: bytes, kind: str
) -> None:
    with client_of(database) as client:
        for more in ({}, {"transfer-encoding": "chunked"}):
            sent: Any = content if not more else iter([content[:50_000], content[50_000:]])
            got = client.post(path, content=sent, headers={"content-type": kind})
            assert got.status_code == 413 and got.json()["field"] == "body"


def test_after_a_refusal_the_connection_is_still_good(database: Database) -> None:
    """Kept alive through errors of every kind: refused, unreadable, not there, not allowed."""
    with (
        served(database) as (host, port),
        httpx.Client(base_url=f"http://{host}:{port}") as client,
    ):
        own = {"origin": f"http://{host}:{port}"}
        for status, call in (
            (403, lambda: client.post("/courses", data={"name": "x"}, headers=own)),
            (403, lambda: client.post("/sign-in", data={"email": "x"}, headers=OWN)),
            (403, lambda: client.post("/sign-in", headers={"origin": "http://["})),
            (400, lambda: client.post("/api/solve", content=b"{" * 100, headers=_JSON)),
            (422, lambda: client.post("/api/solve", content=_surrogate(), headers=_JSON)),
            (422, lambda: client.post("/api/solve", content=_digits(), headers=_JSON)),
            (404, lambda: client.get("/nowhere")),
            (405, lambda: client.delete("/sign-in")),
        ):
            got = call()
            assert got.status_code in (status, 400, 422), (
                status,
                got.status_code,
                got.text,
            )
            assert client.get("/healthz").status_code == 200


_JSON = {"content-type": "application/json"}


def _surrogate() -> bytes:
    return b'{"sheet": {"width_m": 3, "length_m": 3}, "pitch": "\\ud800"}'


def _digits() -> bytes:
    return (
        b'{"sheet": {"width_m": ' + b"9" * 5000 + b', "length_m": 3}, "pitch": "a-frame"}'
    )


# ---- connections


def _closed(connection: socket.socket) -> bool:
    connection.settimeout(0.05)
    try:
        return connection.recv(1) == b""
    except TimeoutError:
        return False
    except OSError:
        return True


@pytest.mark.parametrize(
    "sent",
    [
        b"",
        b"GET /heal",
        b"GET /healthz HTTP/1.1\r\nHost: x\r\n",
        b"POST /sign-in HTTP/1.1\r\nHost: x\r\nContent-Length: 500\r\n\r\nemail=",
    ],
)
def test_silent_and_half_sent_requests_end(
    database: Database, monkeypatch: pytest.MonkeyPatch, sent: bytes
) -> None:
    monkeypatch.setattr(protocol, "HEAD_WITHIN_S", 0.3)
    monkeypatch.setattr(limits, "BODY_WITHIN_S", 0.3)
    with served(database) as (host, port):
        connections = [socket.create_connection((host, port)) for _ in range(20)]
        for connection in connections:
            connection.sendall(sent)
        began = time.monotonic()
        assert comes_true(lambda: all(_ended(c) for c in connections))
        assert time.monotonic() - began < 30
        with httpx.Client(base_url=f"http://{host}:{port}") as client:
            assert client.get("/healthz").json() == {"status": "ok"}
        for connection in connections:
            connection.close()


def _ended(connection: socket.socket) -> bool:
    """Closed, or answered that nothing more is waited for."""
    connection.settimeout(0.05)
    try:
        return b"HTTP/1.1 4" in (got := connection.recv(4096)) or got == b""
    except TimeoutError:
        return False
    except OSError:
        return True


def test_a_slow_trickle_does_not_keep_a_connection(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A header's letter now and then is no reason to wait longer."""
    monkeypatch.setattr(protocol, "HEAD_WITHIN_S", 0.5)
    with (
        served(database) as (host, port),
        socket.create_connection((host, port)) as connection,
    ):
        connection.sendall(b"GET /healthz HTTP/1.1\r\nHost: x\r\n")

        def trickled() -> bool:
            try:
                connection.sendall(b"X-A: b\r\n")
            except OSError:
                return True
            return _closed(connection)

        assert comes_true(trickled)


def test_the_answer_of_an_ended_request_says_so_in_json(database: Database) -> None:
    with client_of(database) as client:
        got = client.post("/api/solve", content=b"[1", headers=_JSON)
        assert got.status_code == 422 and json.loads(got.text)["errors"]
