"""Shipped files are kept for good under their version, and answers come packed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.web.shipped import ASK_FIRST, FOR_GOOD, version

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

pytestmark = pytest.mark.database


def test_files_under_their_version_are_kept_for_good(client: TestClient) -> None:
    named = client.get(f"/static/{version()}/app/app.css")
    assert named.status_code == 200
    assert named.headers["cache-control"] == FOR_GOOD
    plain = client.get("/static/app/app.css")
    assert plain.content == named.content
    assert plain.headers["cache-control"] == ASK_FIRST


def test_a_page_opened_before_an_update_still_finds_its_files(client: TestClient) -> None:
    older = client.get("/static/0123456789/app/app.css")
    assert older.status_code == 200
    assert older.headers["cache-control"] == ASK_FIRST


@pytest.mark.parametrize(
    "path", ["app/nothing.css", "../app.py", "0123456789/../../app.py"]
)
def test_nothing_else_is_served(client: TestClient, path: str) -> None:
    assert client.get(f"/static/{path}").status_code == 404


def test_every_page_names_its_files_under_their_version(client: TestClient) -> None:
    page = client.get("/").text
    assert f'"/static/{version()}/app/app.css"' in page
    assert f'"/static/{version()}/app/main.js"' in page


@pytest.mark.parametrize("packing", ["br", "gzip"])
@pytest.mark.parametrize("path", ["/knots", "/static/app/app.css", "/api/pitches"])
def test_answers_are_packed_for_who_can_unpack_them(
    client: TestClient, path: str, packing: str
) -> None:
    plain = client.get(path, headers={"accept-encoding": "identity"})
    assert "content-encoding" not in plain.headers
    packed = client.get(path, headers={"accept-encoding": packing})
    assert packed.headers["content-encoding"] == packing
    assert "accept-encoding" in packed.headers["vary"].lower()
    assert packed.content == plain.content
    assert packed.num_bytes_downloaded < len(plain.content) / 2


@pytest.mark.parametrize("path", ["/outbox", "/card/nobody"])
def test_pages_with_secret_links_are_not_packed(client: TestClient, path: str) -> None:
    answer = client.get(path, headers={"accept-encoding": "br, gzip"})
    assert "content-encoding" not in answer.headers
