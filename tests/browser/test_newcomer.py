"""A newcomer, from an empty server to the camp sheet of nine people in a feet course: with a mouse,
by keyboard alone, by touch on a phone. What they do is counted.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import pytest
from playwright.sync_api import expect
from pypdf import PdfReader

import tarvik.commands.testbed as serving
from tarvik.commands.warm import warm
from tests.conftest import patient_context

if TYPE_CHECKING:
    from collections.abc import Iterator

    from playwright.sync_api import Browser, Locator, Page

    from tarvik.commands.testbed import Testbed
    from tarvik.store.server import Server

pytestmark = [pytest.mark.browser, pytest.mark.database]

Way = Literal["mouse", "keys", "touch"]
MOST = 60
"""So many things a newcomer does at most."""
PEOPLE = (
    "Willa Z",
    "Xaver Y",
    "Una R",
    "Tove Q",
    "Silas P",
    "Runa O",
    "Quill N",
    "Pia M",
    "Odo L",
)
TIES = "corners, mid-sides, thirds"
ROSTER = "Name\tHeight\tRole\tSheet\tTie-outs\n" + "\n".join(
    f"{name}\t5'{6 + n % 5}\"\t{'leader' if n < 2 else 'student'}\t10x10 ft\t{TIES}"
    for n, name in enumerate(PEOPLE)
)
TAB_MOST = 400
"""So many tab stops a page has at most."""


@dataclass
class Hands:
    """Does one thing at a time and counts them. Reaching a control by Tab is part of using it."""

    page: Page
    way: Way
    done: int = 0

    def _reach(self, wanted: Locator) -> None:
        """By Tab from where the focus is."""
        expect(wanted).to_be_visible()
        for _ in range(TAB_MOST):
            if wanted.evaluate("e => e === document.activeElement"):
                return
            self.page.keyboard.press("Tab")
        raise AssertionError(f"{wanted} is not reached by Tab")

    def press(self, wanted: Locator) -> None:
        """Press a button, follow a link, unfold."""
        self.done += 1
        if self.way == "keys":
            self._reach(wanted)
            self.page.keyboard.press("Enter")
        elif self.way == "touch":
            wanted.tap()
        else:
            wanted.click()

    def write(self, wanted: Locator, text: str) -> None:
        """Put text into a field."""
        self.done += 1
        if self.way == "keys":
            self._reach(wanted)
            self.page.keyboard.press("ControlOrMeta+A")
            self.page.keyboard.insert_text(text)
        else:
            wanted.fill(text)

    def pick(self, wanted: Locator, value: str) -> None:
        """Choose from a list, or one of several."""
        self.done += 1
        kind = wanted.evaluate("e => e.tagName")
        if self.way == "keys":
            if kind == "SELECT":
                self._reach(wanted)
                wanted.select_option(value)
            else:  # one stop for the group: the arrow moves within it
                self._reach(
                    self.page.locator(f"[name={wanted.get_attribute('name')}]:checked")
                )
                self.page.keyboard.press("ArrowDown")
                expect(wanted).to_be_checked()
        elif kind == "SELECT":
            wanted.select_option(value)
        else:
            wanted.check()

    def enter(self) -> None:
        """Enter, where the focus is."""
        self.done += 1
        self.page.keyboard.press("Enter")


@pytest.fixture
def empty(server: Server, request: pytest.FixtureRequest) -> Iterator[Testbed]:
    """A server on which nobody has been yet."""
    warm()
    with serving.testbed(
        server, f"tarvik_new_{request.node.callspec.id}", demo=False
    ) as made:
        yield made


def ready(page: Page) -> None:
    page.wait_for_selector("html[data-ready]")


def moved_in(hands: Hands, bed: Testbed) -> None:
    """The first owner's account, and a course in feet."""
    page = hands.page
    page.goto(f"{bed.url}/setup/{bed.token}")
    for name, text in (
        ("provider", "Reed Bank School"),
        ("name", "Willa Z"),
        ("email", "willa@reed.example"),
        ("password", "tall grass under rain"),
    ):
        hands.write(page.locator(f"[name={name}]"), text)
    hands.press(page.locator("main form button").first)
    page.wait_for_url(f"{bed.url}/")
    ready(page)
    hands.write(page.locator("form.stack [name=name]").first, "Reed week")
    hands.pick(page.locator("[name=units][value=imperial]"), "imperial")
    hands.press(page.get_by_role("button", name="Make the course"))
    page.wait_for_url("**/courses/*")
    ready(page)


def equipped(hands: Hands) -> None:
    """Nine people with their sheets, pasted; trees, lines, stakes."""
    page = hands.page
    hands.press(page.get_by_role("link", name="Open group & kit"))
    page.wait_for_url("**/kit")
    ready(page)
    hands.press(page.locator("#people [data-import]"))
    hands.write(page.locator("#people [data-paste-text]"), ROSTER)
    hands.press(page.locator("#people [data-preview]"))
    hands.press(page.locator("#people [data-import-now]"))
    expect(page.locator("#sheets tr[data-id]")).to_have_count(9)
    ready(page)
    for table, cells in (
        ("supports", {"count": "30"}),
        ("lines", {"length": "20 ft", "count": "9"}),
        ("lines", {"length": "10 ft", "count": "30"}),
        ("stakes", {"count": "80"}),
    ):
        if hands.way == "touch" and not page.locator(f"#{table} [data-new]").is_visible():
            hands.press(page.locator(f".jump a[href='#{table}']"))
        before = page.locator(f"#{table} tr[data-id]").count()
        for column, text in cells.items():
            hands.write(page.locator(f"#{table} [data-new] [data-column={column}]"), text)
        hands.enter()
        expect(page.locator(f"#{table} tr[data-id]")).to_have_count(before + 1)


def onwards(hands: Hands, where: str) -> None:
    """By the link at the page's end that says what comes next."""
    hands.press(hands.page.locator(".next a"))
    hands.page.wait_for_url(f"**/{where}")
    ready(hands.page)


def weathered(hands: Hands) -> None:
    """Tonight: rain, and a wind that a leader would say so."""
    page = hands.page
    for name, text in (
        ("rain_mm_h", "0.1 in/h"),
        ("wind_m_s", "10-15 mph"),
        ("lowest_c", "45"),
    ):
        field = page.locator(f"[data-column={name}]").first
        if not field.is_visible():
            fold = page.locator("details:not([open])").filter(has=field).first
            hands.press(fold.locator("summary").first)
        with page.expect_response(lambda answer: answer.request.method == "PATCH"):
            hands.write(field, text)
            field.blur()


def planned(hands: Hands) -> None:
    """The plan of all, and the evening."""
    page = hands.page
    hands.press(page.get_by_role("button", name="Make the plan"))
    page.wait_for_selector(".plan[data-ended='plan done']")
    expect(page.locator(".plan-line")).to_contain_text("All 9 lie dry")


@pytest.mark.parametrize("way", ["mouse", "keys", "touch"])
def test_a_newcomer_prints_the_camp_sheet(
    browser: Browser, empty: Testbed, way: Way
) -> None:
    phone = {"has_touch": True, "is_mobile": True} if way == "touch" else {}
    size = (
        {"width": 390, "height": 844} if way == "touch" else {"width": 1280, "height": 800}
    )
    context = patient_context(browser, viewport=size, **phone)
    page = context.new_page()
    hands = Hands(page, way)
    try:
        moved_in(hands, empty)
        equipped(hands)
        onwards(hands, "rules")
        onwards(hands, "weather")
        weathered(hands)
        onwards(hands, "ground")
        onwards(hands, "board")
        onwards(hands, "plan")
        planned(hands)
        onwards(hands, "camp")
        expect(page.locator(".setup-card").first).to_be_visible()
        printed = page.locator("a[href$='camp.pdf']").first
        hands.done += 1  # the button itself: a browser without a window opens no PDF
        answer = page.request.get(f"{empty.url}{printed.get_attribute('href')}")
        pages = PdfReader(io.BytesIO(answer.body())).pages
        words = " ".join(p.extract_text() for p in pages)
        assert all(name in words for name in PEOPLE)
        assert " ft" in words
        print(f"newcomer, {way}: {hands.done} actions")  # noqa: T201
        assert hands.done <= MOST
    finally:
        context.close()
