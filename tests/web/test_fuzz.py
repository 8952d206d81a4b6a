"""Generated calls: the published contract by schemathesis, the pages' forms by Hypothesis. Nothing
answers 500.

`TARVIK_FUZZ=10000 ./run test tests/web/test_fuzz.py` makes so many calls; the suite fewer.
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from tarvik.settings import Settings
from tarvik.store import kit
from tarvik.store.accounts import Role
from tarvik.store.database import Database
from tarvik.web.app import create_app
from tests.conftest import OWN, owner_token
from tests.small_course import small_course
from tests.store.test_keeping import put_up
from tests.web.test_access import (
    SPELLINGS,
    member,
    outsider_of_the_same_provider,
    stranger_of_another,
)
from tests.web.who_may_what import EVERYBODY, LEAST, ROLES

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.store.server import Server

pytestmark = pytest.mark.database
CALLS = int(os.environ.get("TARVIK_FUZZ", "480"))
OPERATIONS = 4
QUIET = settings(
    max_examples=max(CALLS // OPERATIONS, 1),
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
)


SHAPED = [
    [0.0, 0.0],
    [1.5, 0.15],
    [3.0, 0.0],
    [2.85, 1.5],
    [3.0, 3.0],
    [1.5, 2.85],
    [0.0, 3.0],
]
"""A sheet with hollow edges."""
WHO = ("stranger", "outsider", "other provider", "viewer", "assistant", "leader", "owner")


@dataclass
class Fuzzed:
    """The application without a limit on how often it is asked, and a browser of everybody who may
    come.
    """

    app: Any
    tokens: dict[str, str]

    def client(self, who: str) -> TestClient:
        """A browser that keeps nothing from one call to the next."""
        made = TestClient(self.app, raise_server_exceptions=False, headers=OWN)
        if self.tokens[who]:
            made.cookies.set("tarvik", self.tokens[who], domain="testserver.local")
        return made


@pytest.fixture(scope="session")
def fuzzed(server: Server) -> Iterator[Fuzzed]:
    """A course with a plan, a sheet with shaped edges among its kit."""
    database = Database(server.fresh_database("tarvik_fuzz"))
    database.migrate()
    with database.session() as session:
        course, night = small_course(session)
        shaped = {
            "width_m": 3.0,
            "length_m": 3.0,
            "outline": SHAPED,
            "tie_outs": ["corners"],
        }
        kit.add(session, course, "sheets", [shaped])
    put_up(database, night)
    tokens = {
        "stranger": "",
        "outsider": outsider_of_the_same_provider(database, course),
        "other provider": stranger_of_another(database),
        "viewer": member(database, course, Role.VIEWER, "vi@first.example"),
        "assistant": member(database, course, Role.ASSISTANT, "as@first.example"),
        "leader": member(database, course, Role.LEADER, "le@first.example"),
        "owner": owner_token(database),
    }
    app = create_app(database, settings=Settings(rate=0))
    with TestClient(app):
        yield Fuzzed(app, tokens)


CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]


def test_the_contract_holds_for_whatever_is_asked(fuzzed: Fuzzed) -> None:
    """No 500, no status, type or shape that the OpenAPI document does not name."""
    operations = [
        found.ok()
        for found in schemathesis.openapi.from_asgi(
            "/openapi.json", fuzzed.app
        ).get_all_operations()
    ]
    assert len(operations) == OPERATIONS
    for operation in operations:

        @QUIET
        @given(case=operation.as_strategy())
        def ask(case: schemathesis.Case) -> None:
            case.call_and_validate(checks=CHECKS)

        ask()


TEXT = st.one_of(
    st.sampled_from(
        [
            "",
            "0",
            "-1",
            "1e999",
            "NaN",
            "=1+1",
            "'; drop table person; --",
            "<script>alert(1)</script>",
            "\x00",
            "١٢",
            "9" * 400,
            "2027-13-45",
            "24:61",
            "{}",
            "[]",
            "null",
            "../../etc/passwd",
            "%00",
            "true",
            "yes",
            "F5",
            "N45",
            "−3",
            "+-5",
            "9" * 5000,
            "1e400",
            "\ud800",
            "x\udfff",
            "lock",
            "lock person",
            "always 1",
            "kit stake",
            "bed 99999999999999999999",
        ]
    ),
    st.text(max_size=40),
    st.integers(-(2**65), 2**65).map(str),
    st.floats().map(str),
)
WORDS = [
    "name",
    "place",
    "nights",
    "first",
    "units",
    "column",
    "text",
    "version",
    "was",
    "cells",
    "kind",
    "data",
    "people",
    "person",
    "settings",
    "pitch",
    "sheet",
    "value",
    "what",
    "since",
    "night",
    "email",
    "role",
    "sure",
    "take",
    "stature",
    "seen",
    "aims",
    "arrival",
    "mallets",
    "late_min",
    "x",
    "y",
    "front_deg",
    "intent",
    "site",
    "latitude",
    "longitude",
    "zone",
    "one",
    "two",
    "back",
    "password",
    "old",
    "new",
    "changes",
    "rows",
    "order",
    "tags",
    "hurt",
    "few_moves",
    "story",
    "seed",
    "height",
    "wanted",
    "gear",
    "from",
    "q",
    "page",
    "scale",
    "before",
    "person_id",
    "spot",
    "trees",
    "file",
]
PLAIN = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(-(2**65), 2**65), st.floats(), TEXT),
    lambda inner: (
        st.lists(inner, max_size=4)
        | st.dictionaries(st.sampled_from(WORDS), inner, max_size=4)
    ),
    max_leaves=8,
)
PLACE: dict[str, Any] = {
    "course_id": 1,
    "night_id": 1,
    "sheet_id": 1,
    "person_id": 2,
    "item_id": 3,
    "shelter_id": 1,
    "row_id": 1,
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


def call_of(data: st.DataObject) -> tuple[str, str, str, bool]:
    """Any call there is: (method, route, address, whether its numbers are spelt as they should
    be).
    """
    call = data.draw(st.sampled_from([c for c in sorted(LEAST) if _drawn(c)]))
    method, _, route = call.partition(" ")
    good = True

    def filled(match: re.Match[str]) -> str:
        nonlocal good
        name, plain = match[1], str(PLACE[match[1]])
        if data.draw(st.integers(0, 3)):
            return plain
        odd = data.draw(st.sampled_from([*ODD, *(s.format(n=plain) for s in SPELLINGS)]))
        good = good and not name.endswith("_id")
        return odd

    address = re.sub(r"{(\w+)}", filled, route)
    return method, route, address, good


ODD = ["0", "-1", "99999", "2147483648", "9" * 30, "x", "%00", "1.5"]


def _drawn(call: str) -> bool:
    """What the test calls: all but streams that do not end, sockets, a slow page, and what would
    leave nothing to call.
    """
    left_out = (
        "events",
        "camp.pdf",
        "/courses/{course_id}/delete",
        "nights/{night_id}/delete",
    )
    takes_accounts = ("team/{account_id}", "provider/people", "/account/", "/sign-out")
    return not call.startswith("WS ") and not any(
        part in call for part in (*left_out, *takes_accounts)
    )


def may(who: str, least: str) -> bool:
    """Whether somebody may call what takes at least this role: by the table, not the program."""
    if least in EVERYBODY:
        return True
    if who == "stranger":
        return False
    if least == "member":
        return True
    if least == "owner of the provider":
        return who in ("owner", "other provider")
    return who in ROLES and ROLES.index(who) >= ROLES.index(least)


@settings(
    max_examples=max(CALLS // 2, 1),
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
)
@given(data=st.data())
def test_no_form_breaks_a_page(fuzzed: Fuzzed, data: st.DataObject) -> None:
    """Anybody, any route, any spelling of the numbers in its address, any fields in its form, JSON
    or file: never a 500, and never anything but a refusal for whom it is not.
    """
    who = data.draw(st.sampled_from(WHO))
    method, route, address, good = call_of(data)
    query = data.draw(st.dictionaries(st.sampled_from(WORDS), TEXT, max_size=3))
    body = data.draw(
        st.one_of(
            st.dictionaries(st.sampled_from(WORDS), TEXT, max_size=6).map(
                lambda d: {"data": d}
            ),
            PLAIN.map(lambda j: {"json": j}) if method != "GET" else st.just({}),
            st.binary(max_size=60).map(lambda b: {"files": {"file": ("a.csv", b)}})
            if method == "POST"
            else st.just({}),
        )
    )
    try:
        got = fuzzed.client(who).request(
            method,
            address,
            params=query,
            follow_redirects=False,
            **(body if method != "GET" else {}),
        )
    except (
        ValueError
    ):  # the client itself cannot write such a request: no JSON of NaN, no such address
        return
    told = (who, method, address, query, body, got.status_code, got.text[:300])
    assert got.status_code < 500, told
    least = LEAST[f"{method} {route}"]
    if not may(who, least):
        assert got.status_code in (403, 404, 405, 413), told
    if (
        not good
        and least in ROLES
        and "2147483648" not in address
        and "99999" not in address
    ):
        assert got.status_code in (404, 405), told


def test_every_call_is_asked_by_everybody_with_nothing(fuzzed: Fuzzed) -> None:
    """Each call once with an empty form and once with empty JSON, by each who may come: no 500, and
    a refusal for whom it is not.
    """
    for call in sorted(LEAST):
        if not _drawn(call):
            continue
        method, _, route = call.partition(" ")
        address = re.sub(r"{(\w+)}", lambda m: str(PLACE[m[1]]), route)
        for who in WHO:
            client = fuzzed.client(who)
            for body in ({"data": {}}, {"json": {}}) if method != "GET" else ({},):
                got = client.request(method, address, follow_redirects=False, **body)
                assert got.status_code < 500, (who, call, got.text[:300])
                if not may(who, LEAST[call]):
                    assert got.status_code in (403, 404), (who, call, got.status_code)
