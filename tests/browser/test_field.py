"""The field page with the network cut: a cold start, changes of two devices, one thing measured."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.store import courses, field, ground, kit, nights, plans
from tarvik.store.models import Course, Night
from tests.browser.test_access import open_screen
from tests.conftest import let_in, patient_context
from tests.small_course import small_course

if TYPE_CHECKING:
    from collections.abc import Iterator

    from playwright.sync_api import Browser, BrowserContext, Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]
PHONE = {"width": 390, "height": 844}
SHELTERS = 3


@pytest.fixture
def pitched(bed: Testbed) -> Iterator[int]:
    """A night of its own with three shelters, chosen by hand."""
    with bed.database.session() as session:
        night = courses.add_night(session, bed.course)
        number = night.id
        people = kit.rows(session, bed.course, "people")
        own = [s for s in kit.rows(session, bed.course, "sheets") if s.owner_id][:SHELTERS]
        for place, sheet in enumerate(own):
            plans.choose(
                session, night, plans.Choice(sheet.id, "a-frame", {}, (people[place].id,))
            )
    yield number
    with bed.database.session() as session:
        session.delete(session.get_one(Night, number))


def a_phone(browser: Browser, bed: Testbed, night: int) -> tuple[BrowserContext, Page]:
    """A leader's phone that has opened the field page once."""
    context = patient_context(browser, viewport=PHONE, has_touch=True)
    let_in(context, bed)
    page = context.new_page()
    open_screen(page, bed, f"/courses/{{c}}/nights/{night}/field")
    page.wait_for_selector("html[data-kept]", state="attached")
    return context, page


def test_the_app_starts_without_network(
    browser: Browser, bed: Testbed, pitched: int
) -> None:
    """Opened cold: the plan, the cards, and the steps worked out ahead are there."""
    context, page = a_phone(browser, bed, pitched)
    page.close()
    context.set_offline(True)
    page = context.new_page()
    page.goto(f"{bed.url}/field")
    expect(page.locator("h1")).to_have_text("In the field")
    expect(page.locator("[data-waiting]")).to_have_attribute("data-online", "no")
    expect(page.locator(".field-state")).to_contain_text("No network: kept at")
    shelters = page.locator(".field-shelter")
    assert shelters.count() == SHELTERS
    shelters.first.locator("summary").first.tap()
    first = shelters.first
    expect(first.locator(".checks-list li")).not_to_have_count(0)
    first.get_by_text("Drawing and steps").tap()
    expect(first.locator(".above svg")).to_be_visible()
    first.get_by_text("If you lower it").tap()
    expect(first.locator("tbody tr")).not_to_have_count(0)
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{pitched}/camp")
    expect(page.locator("h1")).to_have_text("Camp sheet")
    context.close()


def test_changes_of_two_phones_without_network_all_arrive_once(
    browser: Browser, bed: Testbed, pitched: int
) -> None:
    """Thirty each, ticks and notes, some said anew; both come back, one of them twice over."""
    phones = [a_phone(browser, bed, pitched) for _ in range(2)]
    for number, (context, page) in enumerate(phones):
        context.set_offline(True)
        for shelter in page.locator(".field-shelter").all():
            shelter.locator("summary").first.tap()
            for row in shelter.locator("[data-check]").all()[:6]:
                row.get_by_role("button", name="Good").tap()
            for note in range(4):
                shelter.locator(".note-form").get_by_label("Note").fill(
                    f"phone {number} note {note}"
                )
                shelter.get_by_role("button", name="Add").tap()
        expect(page.locator(".field-state")).to_contain_text("30 changes wait")
        page.reload()
        expect(page.locator(".field-state")).to_contain_text("30 changes wait")
        expect(page.locator("[data-now=ok]")).to_have_count(18)
    for context, page in phones:
        context.set_offline(False)
        page.evaluate("dispatchEvent(new Event('online'))")
        expect(page.locator("[data-waiting]")).to_have_attribute("data-waiting", "0")
    with bed.database.session() as session:
        said = field.entries(session, pitched)
    notes = [(e.sheet_id, e.data["text"]) for e in said if e.kind == field.NOTE]
    assert len(notes) == len(set(notes)) == 2 * SHELTERS * 4
    assert sum(e.kind == field.CHECK for e in said) == 2 * SHELTERS * 6
    assert {e.data["state"] for e in field.checked(said).values()} == {"ok"}
    for context, _ in phones:
        context.close()


def test_weather_put_right_by_two_is_decided_by_hand(
    browser: Browser, bed: Testbed, pitched: int
) -> None:
    """As two leaders' edits are: both values are shown, and the leader takes one."""
    context, page = a_phone(browser, bed, pitched)
    context.set_offline(True)
    page.get_by_text("Weather as it is").tap()
    wind = page.get_by_label("Mean wind")
    wind.fill("9 m/s")
    wind.blur()
    expect(page.locator(".field-state")).to_contain_text("1 change waits")
    with bed.database.session() as session:
        night = session.get_one(Night, pitched)
        needs = nights.needs_of(night)
        nights.set_needs(session, night, replace(needs, wind_m_s=4.0), "“Mean wind”")
    context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    aside = page.get_by_role("list", name="To decide").locator("li")
    expect(aside).to_contain_text("Yours: 9 m/s")
    expect(aside).to_contain_text("4 m/s")
    aside.get_by_role("button", name="Take mine").tap()
    expect(aside).to_have_count(0)
    expect(page.locator("[data-waiting]")).to_have_attribute("data-waiting", "0")
    with bed.database.session() as session:
        assert nights.needs_of(session.get_one(Night, pitched)).wind_m_s == 9.0
    context.close()


def test_one_thing_measured_says_which_stakes_to_move(
    browser: Browser, bed: Testbed, pitched: int
) -> None:
    context, page = a_phone(browser, bed, pitched)
    shelter = page.locator(".field-shelter").first
    shelter.locator("summary").first.tap()
    planned = shelter.locator("option").first.inner_text()
    height = float(planned.split("planned ")[1].split(" m")[0])
    shelter.get_by_label("It is").fill(f"{height - 0.15:.2f} m")
    shelter.get_by_role("button", name="What follows?").tap()
    told = shelter.locator("[data-measured]")
    expect(told).to_contain_text("Stake 1 ")
    expect(told).to_contain_text(" out")
    expect(told).to_contain_text(f"peak {height - 0.15:.2f} m")
    shelter.get_by_label("It is").fill("tall")
    shelter.get_by_role("button", name="What follows?").tap()
    expect(told).to_contain_text("is not a length")
    context.set_offline(True)
    shelter.get_by_role("button", name="What follows?").tap()
    expect(told).to_contain_text("Without network")
    context.close()


def test_what_waits_goes_to_the_night_it_was_said_of(
    browser: Browser, bed: Testbed, pitched: int
) -> None:
    """Said on one night's page, sent from another night's."""
    context, page = a_phone(browser, bed, pitched)
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[2]}/field")
    page.wait_for_selector("html[data-kept]", state="attached")
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{pitched}/field")
    context.set_offline(True)
    shelter = page.locator(".field-shelter").first
    shelter.locator("summary").first.tap()
    shelter.locator(".note-form").get_by_label("Note").fill("said of the other night")
    shelter.get_by_role("button", name="Add").tap()
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[2]}/field")
    expect(page.locator(".field-state")).to_contain_text("1 change waits")
    context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.locator("[data-waiting]")).to_have_attribute("data-waiting", "0")
    with bed.database.session() as session:
        said = [e.data.get("text") for e in field.entries(session, pitched)]
        other = [e.data.get("text") for e in field.entries(session, bed.nights[2])]
    assert "said of the other night" in said
    assert "said of the other night" not in other
    context.close()


def test_pages_kept_go_when_the_sign_in_has_ended(
    browser: Browser, bed: Testbed, pitched: int
) -> None:
    """Taken away from the server, the kept copy goes as soon as it hears of it."""
    context, page = a_phone(browser, bed, pitched)
    here = f"{bed.url}/courses/{bed.course}/nights/{pitched}/field"
    context.clear_cookies()
    page.goto(here)
    expect(page.locator("h1")).not_to_have_text("In the field")
    context.set_offline(True)
    page.goto(here)
    expect(page.locator("body")).to_contain_text("This page was not kept on this phone")
    context.close()


def test_a_move_and_a_trunk_wait_for_network_and_every_page_says_so(
    browser: Browser, bed: Testbed
) -> None:
    """A shelter moved and a tree measured without network, on a night that is on the map; the
    ground's page is kept too and says how many changes wait.
    """
    night = bed.nights[2]
    with bed.database.session() as session:
        row = plans.shelters(session, night)[0]
        before = dict(row.spot or {})
    context, page = a_phone(browser, bed, night)
    context.set_offline(True)
    shelter = page.locator(".field-shelter").first
    shelter.locator("summary").first.tap()
    shelter.get_by_text("It stands elsewhere").tap()
    shelter.get_by_label("It stands").fill("1 m")
    shelter.get_by_label("to the", exact=True).fill("N")
    shelter.get_by_role("button", name="Move it on the map").tap()
    expect(shelter.locator("[data-moved]")).to_contain_text("waits to be sent")
    page.get_by_text("Trees as measured").tap()
    trunk = page.locator("[data-item-version]").first
    trunk.fill("31 cm")
    trunk.blur()
    expect(page.locator(".field-state")).to_contain_text("2 changes wait")
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{night}/ground")
    expect(page.locator(".kept-mark")).to_contain_text("2 changes wait")
    expect(page.locator(".kept-mark")).to_contain_text("No network: kept at")
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{night}/field")
    context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.locator("[data-waiting]")).to_have_attribute("data-waiting", "0")
    with bed.database.session() as session:
        after = plans.shelters(session, night)[0].spot or {}
        assert after != before
        site = session.get_one(Night, night).site_id or 0
        trunks = [i.data.get("across_m") for i in ground.items(session, site)]
        assert 0.31 in trunks
    context.close()


def test_the_board_is_there_without_network(browser: Browser, bed: Testbed) -> None:
    """Its rows are kept once the server has worked them out, and shown from the phone."""
    with bed.database.session() as session:
        course, night = small_course(session, sheets=1)
    path = f"/courses/{course}/nights/{night}"
    context = patient_context(browser, viewport=PHONE, has_touch=True)
    let_in(context, bed)
    page = context.new_page()
    page.goto(f"{bed.url}{path}/field")
    page.wait_for_function(
        """mark => {
            const told = document.documentElement.dataset;
            caches.match(mark).then((found) => { if (found) told.whole = "yes"; });
            return told.whole;
        }""",
        arg=f"{path}/field/as-of",
    )
    context.set_offline(True)
    page.goto(f"{bed.url}{path}/board")
    page.wait_for_selector(".board[data-done]")
    cells = page.locator(".sheet-row .cell")
    expect(cells).not_to_have_count(0)
    expect(cells.first).to_contain_text("sleeps")
    expect(page.locator(".kept-mark")).to_contain_text("No network: kept at")
    context.close()
    with bed.database.session() as session:
        session.delete(session.get_one(Course, course))
