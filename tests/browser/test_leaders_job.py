"""The leader's whole job in headless Chromium: new course, roster, kit, board, bench, choose,
print; also by keyboard.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.commands.testbed import let_in
from tests.conftest import patient_context

if TYPE_CHECKING:
    from playwright.sync_api import Browser, Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]

ROSTER = (
    "Name\tStature\tRole\tSheet\tTie-outs\nWilla Z\t168\tleader\t8x10 ft\tcorners, mid-sides\n"
    "Xaver Y\t5'11\"\tstudent\t3 x 3\tquarters"
)


def ready(page: Page) -> None:
    """Wait until the page's scripts run."""
    page.wait_for_selector("html[data-ready]")


def add_row(page: Page, table: str, **cells: str) -> None:
    """Fill a table's new row and add it with Enter."""
    row = page.locator(f"#{table} [data-new]")
    for column, text in cells.items():
        field = row.locator(f"[data-column={column}]")
        if field.evaluate("e => e.tagName") == "SELECT":
            field.select_option(text)
        else:
            field.fill(text)
    before = page.locator(f"#{table} tr[data-id]").count()
    row.locator("input").first.press("Enter")
    expect(page.locator(f"#{table} tr[data-id]")).to_have_count(before + 1)


def choose_all_the_same(page: Page) -> None:
    """A leader and a student under one sheet: the course's rule is told before anything is
    changed.
    """
    expect(page.locator("h1")).to_have_text("This breaks a rule of the course")
    page.click("text=Choose it all the same")
    page.wait_for_selector("[data-done]")
    expect(page.locator(".rule-mark").first).to_contain_text(
        "leaders do not share with students"
    )


def paste_the_group(page: Page) -> None:
    """The roster pasted: first with a mistake, which is named, then right."""
    page.click("#people [data-import]")
    page.fill("#people [data-paste-text]", ROSTER.replace("168", "tall"))
    page.click("#people [data-preview]")
    expect(page.locator("#people .fault")).to_contain_text("row 2, column “Height”")
    expect(page.locator("#people [data-import-now]")).to_have_text(
        "Add the 1 good row, leave out 1"
    )
    page.fill("#people [data-paste-text]", ROSTER.replace("Role", "Job"))
    page.click("#people [data-preview]")
    page.select_option(
        "#people [data-heading=Job]", "role"
    )  # an odd heading is asked about
    expect(page.locator("#people .preview th")).to_contain_text(
        ["Row", "Name", "Height", "Role"]
    )
    expect(page.locator("#people .preview")).to_contain_text("read as 1.68 m")
    page.click("#people [data-import-now]")
    expect(page.locator("#people tr[data-id]")).to_have_count(2)
    expect(page.locator("#sheets tr[data-id]")).to_have_count(2)
    ready(page)


def test_the_whole_job(page: Page, bed: Testbed) -> None:
    page.goto(bed.url)
    page.fill("[name=name]", "Moss and mire week")
    page.fill("[name=nights]", "2")
    page.click("text=Make the course")
    expect(page.locator("h1")).to_contain_text("Moss and mire week")
    page.click("text=Open group & kit")
    ready(page)
    paste_the_group(page)
    add_row(page, "supports", kind="tree", count="4")
    add_row(page, "lines", length="3 m", count="12")
    add_row(page, "stakes", count="9", note="bag")
    page.click("nav >> text=Pitch board")
    page.wait_for_selector("[data-done]")
    expect(page.locator(".sheet-row")).to_have_count(2)
    page.fill("[data-filter=owner]", "xaver")
    expect(page.locator(".sheet-row:visible")).to_have_count(1)
    page.click(".sheet-row:visible [data-all]")
    page.click(".sheet-row:visible [data-pitch=plow-point] .cell-link")
    ready(page)
    expect(page.locator("h1")).to_contain_text("Plow point")
    before = page.locator(".figure strong").first.inner_text()
    page.locator("[name=height]").focus()
    for _ in range(7):
        page.keyboard.press("ArrowRight")
    expect(page.locator(".figure strong").first).not_to_have_text(before)
    shown = page.locator(".slider output").first.inner_text()
    expect(page.locator(".figure strong").first).to_have_text(shown)
    page.click("details.figure >> nth=1")
    expect(page.locator("details.figure[open] .explained")).to_contain_text("Source:")
    page.click("text=Choose this…")
    page.check("dialog >> text=Willa Z")
    page.click("text=Choose this shelter")
    choose_all_the_same(page)
    expect(page.locator(".chosen")).to_contain_text("Willa Z, Xaver Y")
    page.click("main >> text=Camp sheet")
    expect(page.locator(".setup-card")).to_have_count(1)
    expect(page.locator(".setup-card h3")).to_contain_text("Plow point")
    expect(page.locator(".setup-card")).to_contain_text(shown)
    answer = page.request.get(page.url + ".pdf")
    assert answer.body().startswith(b"%PDF")
    page.click("text=Undo choosing a shelter")
    expect(page.locator(".setup-card")).to_have_count(0)


def test_a_cell_keeps_what_was_typed_and_undo_brings_a_row_back(
    page: Page, bed: Testbed
) -> None:
    page.goto(f"{bed.url}/courses/{bed.course}/kit")
    ready(page)
    cell = page.locator("#people tr[data-id] [data-column=stature]").nth(5)
    cell.fill("quite tall")
    cell.press("Tab")
    expect(page.locator("#people .cell-fault")).to_contain_text("not a length")
    assert cell.input_value() == "quite tall"
    cell.fill("1.59")
    cell.press("Enter")
    expect(cell).to_have_value("1.59 m")
    expect(page.locator("#people .cell-fault")).to_have_count(0)
    count = page.locator("#people tr[data-id]").count()
    page.locator("#people tr[data-id] [data-delete]").nth(5).click()
    expect(page.locator("#people tr[data-id]")).to_have_count(count - 1)
    page.click(".toast-box >> text=Undo")
    expect(page.locator("#people tr[data-id]")).to_have_count(count)


def test_the_second_of_two_leaders_sees_both_values(
    browser: Browser, page: Page, bed: Testbed
) -> None:
    context = patient_context(browser)
    let_in(context, bed)
    other = context.new_page()
    for leader in (page, other):
        leader.goto(f"{bed.url}/courses/{bed.course}/kit")
        ready(leader)
    cells = [
        leader.locator("#people tr[data-id] [data-column=note]").nth(1)
        for leader in (page, other)
    ]
    cells[0].fill("brings the kettle")
    cells[0].press("Tab")
    expect(cells[0]).to_have_attribute("data-was", "brings the kettle")  # saved
    cells[1].fill("brings the axe")
    cells[1].press("Tab")
    note = other.locator("#people .cell-fault")
    expect(note).to_contain_text("Keep theirs: brings the kettle")
    note.locator("text=Use mine: brings the axe").click()
    expect(cells[1]).to_have_attribute("data-was", "brings the axe")
    expect(note).to_have_count(0)
    page.reload()
    expect(page.locator("#people tr[data-id] [data-column=note]").nth(1)).to_have_value(
        "brings the axe"
    )
    other.close()


def test_choosing_by_keyboard_alone(page: Page, bed: Testbed) -> None:
    """Board to choice with Tab, Enter, Space only."""
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[1]}/board")
    page.wait_for_selector("[data-done]")
    page.locator(".cell-link").first.focus()
    page.keyboard.press("Tab")  # from the pitch to its own button
    page.keyboard.press("Enter")
    page.wait_for_selector("dialog[open] [name=people]")
    for _ in range(40):
        if (
            page.evaluate("document.activeElement.textContent").strip()
            == "Choose this shelter"
        ):
            break
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-done]")
    expect(page.locator(".chosen").first).to_contain_text("Isaura W")


@pytest.mark.parametrize(
    "path",
    ["", "/kit", "/nights/{n}/board", "/nights/{n}/camp", "/nights/{n}/bench/{s}/a-frame"],
)
def test_no_screen_is_wider_than_a_phone(page: Page, bed: Testbed, path: str) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(
        f"{bed.url}/courses/{bed.course}{path.format(n=bed.nights[0], s=bed.sheets['Gwilym P'])}"
    )
    ready(page)
    if "board" in path:
        page.wait_for_selector("[data-done]")
    assert page.evaluate("document.documentElement.scrollWidth") <= 391


def test_filters_and_as_many_as_fit(page: Page, bed: Testbed) -> None:
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[2]}/board")
    page.wait_for_selector("[data-done]")
    page.fill(
        "[data-filter=owner]", "Juno"
    )  # nobody of her stature lies dry under her poncho's A-frame
    page.click(".more-filters summary")
    page.select_option("[data-filter=verdict]", "cannot")
    page.wait_for_selector("[data-done]")
    assert page.locator("[name=show]").input_value() == "all"
    expect(page.locator(".sheet-row:visible")).to_have_count(1)
    page.fill("[data-filter=owner]", "nobody at all")
    expect(page.locator("text=No shelter passes these filters")).to_be_visible()
    page.fill("[data-filter=owner]", "")
    page.select_option("[data-filter=verdict]", "")
    page.select_option("[name=wanted]", "most")
    page.wait_for_selector("[data-done]")
    page.select_option("[data-filter=family]", "corner")
    families = page.locator(".cell:visible").evaluate_all(
        "c => c.map(e => e.dataset.family)"
    )
    assert set(families) == {"corner"}
    assert page.locator("link[href*='//'], script[src*='//']").count() == 0
