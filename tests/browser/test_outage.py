"""The database goes away while somebody types, and comes back: what was typed is kept on the page
and saved by itself.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.commands import testbed as beds
from tarvik.store import kit
from tarvik.store.server import Server
from tests.conftest import own_server, patient_context

if TYPE_CHECKING:
    from playwright.sync_api import Browser

pytestmark = [pytest.mark.browser, pytest.mark.database]


def test_what_was_typed_in_an_outage_is_saved_when_it_is_over(browser: Browser) -> None:
    with own_server() as server, beds.testbed(server, "tarvik_outage", worker=False) as bed:
        context = patient_context(browser, viewport={"width": 1280, "height": 800})
        beds.let_in(context, bed)
        page = context.new_page()
        page.goto(f"{bed.url}/courses/{bed.course}/kit")
        page.wait_for_selector("html[data-ready]")
        other = context.new_page()
        other.goto(f"{bed.url}/")
        other.wait_for_selector("html[data-ready]")
        server.stop()

        cell = page.locator("#people tr[data-id] [data-column=note]").nth(2)
        cell.fill("typed while it was away")
        cell.press("Tab")
        expect(page.locator("#toasts")).to_contain_text("sent again by itself")
        expect(cell).to_have_value("typed while it was away")

        other.fill("[name=name]", "Made in an outage")
        other.click("text=Make the course")
        expect(other.locator("main")).to_contain_text("kept here and sent by itself")

        back = Server(server.folder, port=server.port).start()
        try:
            expect(page.locator("#toasts")).to_contain_text("Saved now")
            expect(other.locator("h1")).to_contain_text("Made in an outage")
            with bed.database.session() as session:
                notes = [p.note for p in kit.rows(session, bed.course, "people")]
            assert "typed while it was away" in notes
        finally:
            context.close()
            back.stop()
