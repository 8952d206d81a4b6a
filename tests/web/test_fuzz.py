"""Generated calls: the published contract by schemathesis, the pages' forms by Hypothesis. Nothing
answers 500.

`TARVIK_FUZZ=10000 ./run test tests/web/test_fuzz.py` makes so many calls; the suite fewer.
"""

from __future__ import annotations

import os
import re
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
from tarvik.store.database import Database
from tarvik.web.app import create_app
from tests.conftest import OWN, owner_token
from tests.small_course import small_course
from tests.store.test_keeping import put_up
from tests.web.test_access import walk

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


@pytest.fixture(scope="session")
def fuzzed(server: Server) -> Iterator[TestClient]:
    """The application without a limit on how often it is asked, signed in as an owner of a course
    with a plan.
    """
    database = Database(server.fresh_database("tarvik_fuzz"))
    database.migrate()
    with database.session() as session:
        _, night = small_course(session)
    put_up(database, night)
    app = create_app(database, settings=Settings(rate=0))
    with TestClient(app, raise_server_exceptions=False, headers=OWN) as made:
        made.cookies.set("tarvik", owner_token(database), domain="testserver.local")
        yield made


CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]


def test_the_contract_holds_for_whatever_is_asked(fuzzed: TestClient) -> None:
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
        st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(WORDS), inner, max_size=4)
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
}


@settings(
    max_examples=max(CALLS // 2, 1),
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
)
@given(data=st.data())
def test_no_form_breaks_a_page(fuzzed: TestClient, data: st.DataObject) -> None:
    """Any route, any method it takes, any numbers in its address, any fields in its form or JSON:
    never a 500.
    """
    every = [
        w
        for w in walk(fuzzed, PLACE)
        if "events" not in w[1] and not w[1].endswith(("camp.pdf", "/delete"))
    ]
    every += [
        ("POST", p, p)
        for p in ("/sign-in", "/forgot", "/card/1.x/stature", "/reset/x", "/setup/x", "/invited/x")
    ]
    method, route, address = data.draw(st.sampled_from(every))
    if data.draw(st.booleans()):
        odd = st.sampled_from(["0", "-1", "99999", "2147483648", "9" * 30, "x", "%00", "1.5"])
        address = re.sub(
            r"{(\w+)(:\w+)?}",
            lambda m: str(PLACE[m[1]]) if data.draw(st.booleans()) else data.draw(odd),
            route,
        )
    query = data.draw(st.dictionaries(st.sampled_from(WORDS), TEXT, max_size=3))
    body = data.draw(
        st.one_of(
            st.dictionaries(st.sampled_from(WORDS), TEXT, max_size=6).map(lambda d: {"data": d}),
            PLAIN.map(lambda j: {"json": j}) if method != "GET" else st.just({}),
            st.binary(max_size=60).map(lambda b: {"files": {"file": ("a.csv", b)}})
            if method == "POST"
            else st.just({}),
        )
    )
    try:
        got = fuzzed.request(
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
    assert got.status_code < 500, (method, address, query, body, got.text[:300])
