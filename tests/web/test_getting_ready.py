"""While the geometry is compiled: pages that need it say how far it is, the others answer."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from fastapi.testclient import TestClient

from tarvik.web.app import create_app
from tarvik.work.compiling import PARTS, Compiling
from tests.conftest import OWN, owner_token

if TYPE_CHECKING:
    from tarvik.store.database import Database

pytestmark = pytest.mark.database
HTML = {"accept": "text/html"}


def test_pages_wait_with_true_progress_and_come_when_it_is_over(database: Database) -> None:
    compiling = Compiling()
    app = create_app(database, demo=True, compiling=compiling)
    with TestClient(app, raise_server_exceptions=False, headers=OWN) as client:
        client.cookies.set("tarvik", owner_token(database), domain="testserver.local")
        assert client.get("/healthz").status_code == 200
        start = client.get("/")
        assert start.status_code == 200
        assert "compiling its geometry: 0 % done" in start.text
        for name in PARTS:
            compiling._hear(name, iter([b".\n"] * 100))  # type: ignore[arg-type]
        percent = round(compiling.share * 100)
        assert 0 < percent < 100
        page = client.get("/library", headers=HTML)
        assert page.status_code == 503
        assert page.headers["retry-after"] == "3"
        assert f"{percent} % done" in page.text
        assert f'value="{percent}"' in page.text
        told = client.post("/api/solve", json={})
        assert told.status_code == 503
        assert told.json()["detail"].endswith(f"{percent} % done")
        assert client.get("/readyz").status_code == 503
        compiling.over = True
        assert client.get("/library", headers=HTML).status_code == 200
        assert "compiling" not in client.get("/").text
        assert client.get("/readyz").status_code == 200
