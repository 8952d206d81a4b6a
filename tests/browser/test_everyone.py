"""axe-core on every screen, a card without network, and the leader's whole job by keyboard
alone.
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import numpy as np
import pytest
from axe_playwright_python.sync_playwright import Axe
from PIL import Image
from playwright.sync_api import expect

from tarvik.store import kit, links, plans
from tarvik.store.models import Night
from tests.browser.test_access import SCREENS, open_screen
from tests.conftest import patient_context

if TYPE_CHECKING:
    from playwright.sync_api import Browser, Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]
MORE = [
    "/courses/{c}/team",
    "/courses/{c}/cards",
    "/courses/{c}/history",
    "/account",
    "/outbox",
    "/sign-in",
    "/forgot",
    "/docs",
]


def findings(page: Page) -> list[Any]:
    """Everything axe-core finds (WCAG 2.2 A and AA, and its best practices), each with the first
    element.
    """
    rules = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
    found = Axe().run(page, options={"runOnly": rules})
    return [
        (
            v["id"],
            v["help"],
            v["nodes"][0]["html"][:160],
            v["nodes"][0]["failureSummary"][:200],
        )
        for v in found.response["violations"]
    ]


@pytest.fixture(scope="module")
def token(bed: Testbed) -> str:
    """A link to the card of somebody with a shelter."""
    with bed.database.session() as session:
        people = kit.rows(session, bed.course, "people")
        night = session.get_one(Night, bed.nights[2])
        sheet = bed.sheets[people[6].name]
        plans.choose(
            session,
            night,
            plans.Choice(
                sheet, "plow-point", {"height": 1.3}, (people[6].id, people[3].id)
            ),
        )
        links.make_link(session, bed.course, people[3].id)
        return links.token_of(session, links.make_link(session, bed.course, people[6].id))


@pytest.mark.parametrize("path", [*SCREENS, *MORE])
def test_axe_finds_nothing(page: Page, bed: Testbed, token: str, path: str) -> None:
    open_screen(page, bed, path)
    assert findings(page) == []


@pytest.mark.parametrize(
    "size", [{"width": 1280, "height": 800}, {"width": 390, "height": 844}]
)
def test_axe_on_a_participants_card(
    browser: Browser, bed: Testbed, token: str, size: Any
) -> None:
    context = patient_context(browser, viewport=size)
    page = context.new_page()
    page.goto(f"{bed.url}/card/{token}?night=3")
    assert page.locator("h1").inner_text() == "Faro T"
    assert findings(page) == []
    assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    context.close()


def test_a_card_opens_without_network_after_the_first_visit(
    browser: Browser, bed: Testbed, token: str
) -> None:
    """As in the field: opened once at home, then the network is gone; and it says that it is an old
    copy.
    """
    context = patient_context(browser, viewport={"width": 390, "height": 844})
    page = context.new_page()
    page.goto(f"{bed.url}/card/{token}?night=3")
    page.wait_for_selector("html[data-kept]", state="attached")
    page.reload()
    context.set_offline(True)
    page.goto(f"{bed.url}/card/{token}?night=3")
    expect(page.locator("h2", has_text="Plow point")).to_be_visible()
    expect(page.locator("#offline")).to_be_visible()
    assert (
        page.evaluate(
            "getComputedStyle(document.querySelector('.setup-card')).borderTopStyle"
        )
        == "solid"
    )  # styled, too
    context.close()


def test_each_night_without_network_is_itself(
    browser: Browser, bed: Testbed, token: str
) -> None:
    """All nights are kept at the first visit, each under its own address; a night that is not there
    is told so, and never another in its place.
    """
    context = patient_context(browser, viewport={"width": 390, "height": 844})
    page = context.new_page()
    page.goto(f"{bed.url}/card/{token}?night=3")
    page.wait_for_selector("html[data-kept]", state="attached")
    told = {}
    for night in (1, 2, 3):
        page.goto(f"{bed.url}/card/{token}?night={night}")
        told[night] = page.locator(".camp-night").inner_text()
    assert len(set(told.values())) == 3
    page.goto(f"{bed.url}/card/{token}?night=3")
    context.set_offline(True)
    for night in (1, 2, 3):
        page.goto(f"{bed.url}/card/{token}?night={night}")
        assert page.locator(".camp-night").inner_text() == told[night]
        assert page.locator(".tabs [aria-current]").inner_text() == f"Night {night}"
    page.goto(f"{bed.url}/card/{token}?night=9")
    expect(page.locator("body")).to_contain_text("was not kept on this phone")
    context.close()


def test_ticks_made_without_network_are_sent_later(
    browser: Browser, bed: Testbed, token: str
) -> None:
    """Kept on the phone over a reload, sent once there is network, and never an error page."""
    context = patient_context(browser, viewport={"width": 390, "height": 844})
    page = context.new_page()
    page.goto(f"{bed.url}/card/{token}?night=3")
    page.wait_for_selector("html[data-kept]", state="attached")
    page.reload()
    context.set_offline(True)
    lamp = page.get_by_label("head lamp")
    lamp.check()
    sent = page.locator("[data-sent]")
    expect(sent).to_contain_text("sent when there is network")
    page.reload()
    expect(lamp).to_be_checked()
    page.get_by_role("button", name="Keep the ticks").click()
    expect(page.locator("h1")).to_have_text("Faro T")
    context.set_offline(False)
    expect(sent).to_have_text("Saved.")
    page.reload()
    expect(lamp).to_be_checked()
    expect(sent).to_have_text("")
    with bed.database.session() as session:
        faro = next(
            p for p in kit.rows(session, bed.course, "people") if p.name == "Faro T"
        )
        assert "lamp" in links.ticked(session, faro.id)
    context.close()


def test_a_card_taken_back_wipes_itself_and_no_other(
    browser: Browser, bed: Testbed
) -> None:
    """Two cards on one phone; one is revoked."""
    with bed.database.session() as session:
        people = kit.rows(session, bed.course, "people")
        ids = people[8].id, people[9].id
        one, two = (
            links.token_of(session, links.make_link(session, bed.course, p)) for p in ids
        )
    context = patient_context(browser, viewport={"width": 390, "height": 844})
    page = context.new_page()
    for card in (one, two):
        page.goto(f"{bed.url}/card/{card}?night=1")
        page.wait_for_selector("html[data-kept]", state="attached")
    with bed.database.session() as session:
        links.revoke(session, bed.course, ids[0])
    page.goto(f"{bed.url}/card/{one}?night=1")
    expect(page.locator("body")).to_contain_text("does not open anything any more")
    context.set_offline(True)
    page.goto(f"{bed.url}/card/{two}?night=1")
    expect(page.locator("h1")).to_have_text(people[9].name)
    kept = page.evaluate(
        "async () => (await (await caches.open('tarvik-card-1')).keys()).map((r) => r.url)"
    )
    assert not [url for url in kept if one in url]
    context.close()


def test_a_card_goes_one_step_at_a_time(browser: Browser, bed: Testbed, token: str) -> None:
    context = patient_context(
        browser, viewport={"width": 390, "height": 844}, has_touch=True
    )
    page = context.new_page()
    page.goto(f"{bed.url}/card/{token}?night=3")
    steps = page.locator(".setup-card .steps li").all_inner_texts()
    page.get_by_role("button", name="One step at a time").tap()
    large = page.locator("#large")
    for number, step in enumerate(steps, start=1):
        expect(large).to_contain_text(f"Step {number} of {len(steps)}")
        expect(large.locator("[data-body]")).to_have_text(" ".join(step.split()))
        if number < len(steps):
            large.get_by_role("button", name="Next").tap()
    expect(large.get_by_role("button", name="Next")).to_be_disabled()
    letters = large.locator("[data-body]").evaluate(
        "e => parseFloat(getComputedStyle(e).fontSize)"
    )
    assert letters >= 24
    large.get_by_role("button", name="Close").tap()
    page.locator(".card-drawings .above").get_by_role("button", name="Larger").tap()
    least = large.locator("svg").evaluate(
        """svg => Math.min(...[...svg.querySelectorAll('text')]
          .map((text) => text.getBoundingClientRect().height / 1.3))"""
    )
    assert least >= 11
    context.close()


def press_to(page: Page, words: str, most: int = 160) -> None:
    """Go on with the Tab key until the focused control is called so."""
    for _ in range(most):
        page.keyboard.press("Tab")
        told = page.evaluate("""() => { const e = document.activeElement;
            return e === document.body ? '' : [e.textContent, e.getAttribute('aria-label'),
            e.labels?.[0]?.textContent, e.value].filter(Boolean).join(' ')
            .replace(/\\s+/g, ' ').trim() }""")
        if words in told:
            return
    raise AssertionError(f"the Tab key does not lead to “{words}”")


def arrow_to(page: Page, words: str) -> None:
    """All pitches of the first sheet asked for; then with the arrow keys to the one so called."""
    press_to(page, "All 27 pitches")
    page.keyboard.press("Enter")
    page.wait_for_selector(".is-whole .cell-link:focus")
    for _ in range(27):
        if words in page.evaluate("document.activeElement.getAttribute('aria-label')"):
            return
        page.keyboard.press("ArrowRight")
    raise AssertionError(f"the arrow keys do not lead to “{words}”")


def type_kit(page: Page) -> None:
    """A person with a sheet pasted, cord and stakes typed."""
    press_to(page, "Paste or import")
    page.keyboard.press("Enter")
    press_to(page, "Rows from a spreadsheet")
    page.keyboard.insert_text("Name\tStature\tSheet\nKim B\t1.72 m\t3 x 3 m")
    press_to(page, "Preview")
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-import-now]")
    press_to(page, "Add these 1 rows")
    page.keyboard.press("Enter")
    expect(page.locator("#sheets tr[data-id]")).to_have_count(1)
    page.wait_for_selector("html[data-ready]")  # of the page as it is loaded anew
    for kind, words in (("lines", "3 m"), ("stakes", "8")):
        while not page.evaluate(f"!!document.activeElement.closest('#{kind} [data-new]')"):
            page.keyboard.press("Tab")
        page.keyboard.type(words)
        page.keyboard.press("Enter")
        expect(page.locator(f"#{kind} tr[data-id]")).to_have_count(1)


def test_the_leaders_job_by_keyboard_alone(browser: Browser, bed: Testbed) -> None:
    """In by the demo's button, a course made, a person and kit typed, a pitch chosen on the board,
    the camp sheet read.
    """
    context = patient_context(browser, viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.goto(bed.url)
    page.wait_for_selector("html[data-ready]")
    press_to(page, "Open as the demo leader")
    page.keyboard.press("Enter")
    page.wait_for_selector("h1:has-text('Courses')")
    press_to(page, "Name")
    page.keyboard.type("Keys only")
    page.keyboard.press("Enter")
    page.wait_for_selector("html[data-ready] h1:has-text('Keys only')")
    press_to(page, "Open group & kit")
    page.keyboard.press("Enter")
    page.wait_for_selector("html[data-ready] #people")
    type_kit(page)
    press_to(page, "Pitch board")
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-done]")
    arrow_to(page, "Lean-to with awning")
    page.keyboard.press("Enter")
    page.wait_for_selector("html[data-ready] h1:has-text('Lean-to with awning')")
    press_to(page, "Choose this…")
    page.keyboard.press("Enter")
    page.wait_for_selector("dialog[open]")
    press_to(page, "Choose this shelter")
    page.keyboard.press("Enter")
    page.wait_for_selector(".chosen")
    press_to(page, "Camp sheet")
    page.keyboard.press("Enter")
    page.wait_for_url("**/camp")
    expect(page.locator(".setup-card h3")).to_contain_text("Lean-to with awning")
    expect(page.locator(".setup-card summary")).to_contain_text("Kim B")
    press_to(page, "Demo leader")
    page.keyboard.press("Enter")
    press_to(page, "Sign out")
    page.keyboard.press("Enter")
    page.wait_for_selector("h1:has-text('Sign in')")
    context.close()


def test_the_screen_is_made_for_the_sun_or_for_the_dark(page: Page, bed: Testbed) -> None:
    """Chosen once, kept by the browser; in red light nothing on the screen is blue or green."""
    page.goto(f"{bed.url}/courses/{bed.course}")
    page.wait_for_selector("html[data-ready]")
    page.click(".me > summary")
    page.click(".looks [data-look=sun]")
    assert page.evaluate("getComputedStyle(document.body).color") == "rgb(0, 0, 0)"
    page.click(".looks [data-look=red]")
    page.reload()
    page.wait_for_selector("html[data-look=red][data-ready]")
    seen = np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB")).astype(int)
    assert seen[..., 1:].max() < 40
    assert seen[..., 0].max() > 150  # letters are read
    assert seen[..., 0].mean() < 90  # on a dark ground
    page.click(".me > summary")
    page.click(".looks [data-look='']")
    page.reload()
    assert page.locator("html[data-look]").count() == 0
