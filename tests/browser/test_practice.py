"""A participant's drills on a phone: answered with and without network, nothing lost."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.store import kit, links, practice
from tests.conftest import patient_context
from tests.patience import comes_true

if TYPE_CHECKING:
    from playwright.sync_api import Browser, Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]


def answer_one(page: Page) -> None:
    """Answer the drill that is shown, whatever it asks, and go on."""
    drill = page.locator(".drill:not([hidden])")
    form = drill.get_attribute("data-form")
    if form == "choice":
        drill.locator("[data-answer]").first.click()
    elif form == "order":
        drill.locator("[data-move='1']").first.click()
        drill.locator("[data-check]").click()
    else:
        drill.get_by_label("Your estimate").fill("1.2 m")
        drill.get_by_role("button", name="That much").click()
    expect(drill.locator(".told")).to_be_visible()
    drill.locator("[data-next]").click()


def test_drills_work_without_network_and_are_sent_later(
    browser: Browser, bed: Testbed
) -> None:
    with bed.database.session() as session:
        person = kit.rows(session, bed.course, "people")[5].id
        token = links.token_of(session, links.make_link(session, bed.course, person))
    context = patient_context(browser, viewport={"width": 390, "height": 844})
    page = context.new_page()
    page.goto(f"{bed.url}/card/{token}/practice")
    page.wait_for_selector("html[data-kept]", state="attached")
    answer_one(page)
    page.reload()
    page.wait_for_selector("html[data-ready]", state="attached")
    context.set_offline(True)
    page.reload()
    page.wait_for_selector(".drill:not([hidden])")
    for _ in range(3):
        answer_one(page)
    expect(page.locator("[data-waits]")).to_have_text("3 answers wait.")
    context.set_offline(False)
    expect(page.locator("[data-waits]")).to_have_text("")

    def kept() -> bool:
        with bed.database.session() as session:
            return len(practice.told_of(session, person)) == 4

    assert comes_true(kept)
    assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    context.close()
