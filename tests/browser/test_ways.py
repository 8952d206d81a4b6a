"""Beyond one shelter, in headless Chromium: compare, order, trade-off, the turning view, a bed for
one, knots.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.commands.testbed import let_in
from tests.conftest import patient_context

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]


def night_of(bed: Testbed) -> str:
    return f"{bed.url}/courses/{bed.course}/nights/{bed.nights[0]}"


def test_the_board_shows_the_best_and_compares(page: Page, bed: Testbed) -> None:
    page.goto(f"{night_of(bed)}/board")
    page.wait_for_selector("[data-done]")
    first = page.locator(".sheet-row").first
    assert first.locator(".cell").count() == 6
    assert first.locator(".cell").first.get_attribute("data-suggested") == "1"
    assert page.locator(".cell.cannot").count() == 0  # what won't work is not there
    first.locator("[data-all]").click()
    expect(page.locator(".sheet-row").first.locator(".cell")).to_have_count(27)
    page.select_option("[name=show]", "works")
    page.wait_for_selector("[data-done]")
    assert 6 < page.locator(".sheet-row").first.locator(".cell").count() < 27
    ticks = page.locator("input[data-compare]:visible")
    ticks.nth(0).check()
    expect(page.locator("[data-compare-now]")).to_be_disabled()
    ticks.nth(1).check()
    page.click("[data-compare-now]")
    expect(page.locator("h1")).to_have_text("Side by side")
    expect(page.locator(".compare thead th a")).to_have_count(2)
    boxes = page.locator(".compare tbody tr:first-child svg").evaluate_all(
        "s => s.map(e => e.getAttribute('viewBox').split(' ').slice(2))"
    )
    assert boxes[0] == boxes[1]  # one scale


def test_the_curve_sets_the_bench(page: Page, bed: Testbed) -> None:
    page.goto(f"{night_of(bed)}/bench/{bed.sheets['Faro T']}/plow-point#ways")
    page.wait_for_selector("#ways[aria-busy=false]")
    before = page.locator("input[name=height]").input_value()
    dots = page.locator(".curve [data-settings]")
    other = dots.last
    other.focus()
    page.keyboard.press("Enter")
    expect(page.locator("input[name=height]")).not_to_have_value(before)
    page.wait_for_selector(".bench-view[aria-busy=false]")
    page.click("text=Wind and pull")
    expect(page.locator("#ways .moves, #ways .empty").first).to_be_visible()
    expect(page.locator("#ways .knots figure").first).to_be_hidden()
    page.click("text=Set it up")
    expect(page.locator("#ways .knots figure").first).to_be_visible()
    expect(page.locator("#ways .setup li").first).to_be_visible()


def test_the_body_turns_by_keyboard_and_stands_without_script(
    page: Page, bed: Testbed
) -> None:
    path = f"{night_of(bed)}/bench/{bed.sheets['Faro T']}/a-frame"
    page.goto(path)
    canvas = page.locator(".orbit canvas")
    expect(canvas).to_be_visible()
    picture = canvas.evaluate("c => c.toDataURL()")
    page.locator(".orbit").focus()
    page.keyboard.press("ArrowLeft")
    assert canvas.evaluate("c => c.toDataURL()") != picture
    context = patient_context(page.context.browser, java_script_enabled=False)
    let_in(context, bed)
    plain = context.new_page()
    plain.goto(path)
    expect(plain.locator(".orbit svg")).to_be_visible()
    plain.close()


def test_a_peak_is_dragged_and_its_height_follows(page: Page, bed: Testbed) -> None:
    """Up by some pixels: the slider and the figures follow, in the drawing that is held."""
    page.goto(f"{night_of(bed)}/bench/{bed.sheets['Faro T']}/a-frame")
    canvas = page.locator(".stage .orbit canvas")
    expect(canvas).to_be_visible()
    page.wait_for_selector("#ways[aria-busy=false]", state="attached")
    box = canvas.bounding_box()
    assert box is not None
    slider = page.locator(".sliders input[name=height]")
    before = float(slider.input_value())

    def over(x: float, y: float) -> bool:
        page.mouse.move(x, y)
        return bool(canvas.evaluate("c => c.style.cursor === 'move'"))

    places = (
        (box["x"] + x, box["y"] + y)
        for y in range(10, int(box["height"]), 16)
        for x in range(10, int(box["width"]), 16)
    )
    at = next((place for place in places if over(*place)), None)
    assert at is not None, "no point of the drawing can be taken hold of"
    page.mouse.down()
    page.mouse.move(at[0], at[1] - 12, steps=4)
    expect(slider).not_to_have_value(f"{before:g}")
    page.mouse.up()
    page.wait_for_selector(".bench-view[aria-busy=false]")
    now = float(slider.input_value())
    assert now > before
    expect(page.locator(".main-figures")).to_contain_text(f"{now:.2f} m")


def test_a_bed_for_one_person_and_knots(page: Page, bed: Testbed) -> None:
    page.goto(f"{night_of(bed)}/people/1")
    page.wait_for_selector("[data-slow=choices][data-done]")
    assert page.locator(".choice-card").count() >= 3
    page.wait_for_selector("[data-slow=advice][data-done]")
    expect(page.locator("[data-slow=advice] tbody tr")).to_have_count(8)
    page.goto(f"{bed.url}/knots")
    assert page.locator(".knot-card").count() == 14


def test_the_hung_sheet_is_lifted_by_a_handle_and_by_keys(page: Page, bed: Testbed) -> None:
    page.goto(f"{night_of(bed)}/bench/{bed.sheets['Faro T']}/plow-point?height=1.2#hung")
    page.wait_for_selector("#hung .hung-how")
    handle = page.locator("#hung [data-lift]").last
    name = handle.get_attribute("data-lift")
    before = float(handle.get_attribute("data-height") or 0)
    handle.focus()
    for _ in range(3):
        page.keyboard.press("ArrowUp")
    expect(page.locator("#hung [name=hang_at]")).to_have_value(name or "")
    page.wait_for_function(
        (
            "([name, height]) => Number(document.querySelector(`#hung "
            "[data-lift='${name}']`)?.dataset.height) > height + 0.05"
        ),
        arg=[name, before],
    )
    page.wait_for_selector("#hung-advice[aria-busy=false]")
    expect(page.locator("#hung canvas")).to_be_visible()
    expect(page.locator("#hung")).to_contain_text("Go round again")
