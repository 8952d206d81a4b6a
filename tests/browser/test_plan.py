"""The plan in the browser: made while one watches, people dragged, fixed, undone; the evening; on a
telephone.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]


def address(bed: Testbed) -> str:
    """The second night: mapped ground, no forecast yet."""
    return f"{bed.url}/courses/{bed.course}/nights/{bed.nights[1]}/plan"


def test_the_plan_is_made_and_changed_by_hand(bed: Testbed, page: Page) -> None:
    # tall enough that no plan's list scrolls between the press on a name and its drop, which would
    # drag another name
    page.set_viewport_size({"width": 1280, "height": 2000})
    page.goto(address(bed))
    page.wait_for_selector(".plan[data-done]")
    page.evaluate("""() => { const line = document.querySelector('.job-line');
      new MutationObserver(() => { if (!line.hidden) line.dataset.shown = 'yes'; })
        .observe(line, {attributeFilter: ['hidden']}); }""")
    page.click("text=Make the plan")
    page.wait_for_selector(".plan[data-ended='plan done']")
    assert (
        page.locator(".job-line[data-shown] progress").count() == 1
    )  # how far it was could be seen
    page.wait_for_selector("[data-row-shelter]")
    assert page.locator(".unplaced").count() == 0
    assert page.locator("[data-person]").count() == 16
    assert (
        page.locator(".map-box [data-shelter]").count()
        == page.locator("li[data-row-shelter]").count()
        > 3
    )
    # a person dragged from one shelter to another, and back by undo
    rows = page.locator("li[data-row-shelter]")
    chip = rows.nth(0).locator("[data-person]").first
    person = chip.get_attribute("data-person")
    with page.expect_response(f"**/people/{person}"):
        chip.locator(".chip-name").drag_to(rows.nth(1).locator(".shelter-name"))
    page.wait_for_selector(".map-lists:not([aria-busy])")
    assert (
        page.locator("li[data-row-shelter]")
        .filter(has=page.locator(f"[data-person='{person}']"))
        .count()
        == 1
    )
    with page.expect_response("**/undo**"):
        page.click(".plan > .tools [data-act=undo]")
    # the same by keyboard: the list beside the name
    page.wait_for_selector(".map-lists:not([aria-busy])")
    with page.expect_response(f"**/people/{person}"):
        page.locator(f"select[data-person-to='{person}']").select_option("")
    page.wait_for_selector(f".unplaced [data-person='{person}']")
    with page.expect_response("**/undo**"):
        page.click(".plan > .tools [data-act=undo]")
    page.wait_for_selector(".map-lists:not([aria-busy])")
    # fixed, and planned again with few changes: it stays
    lock = page.locator("[data-lock=standing]").first
    number = lock.get_attribute("data-number")
    with page.expect_response("**/locks"):
        lock.click()
    page.wait_for_selector(
        f"[data-lock=standing][data-number='{number}'][aria-pressed=true]"
    )
    page.click("text=Re-plan, keeping what stands")
    page.wait_for_selector(".plan[data-ended='plan done']")
    page.wait_for_selector(
        f"[data-lock=standing][data-number='{number}'][aria-pressed=true]"
    )
    page.click("[data-fold=evening] > summary")
    page.click("text=Plan the evening")
    page.wait_for_selector(".lanes .l-bar")


def test_the_plan_on_a_telephone_and_without_a_map(bed: Testbed, page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[3]}/plan")
    page.wait_for_selector(".plan[data-done]")
    assert "Nothing is mapped at this site" in page.locator(".map-box").inner_text()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
