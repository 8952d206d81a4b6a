"""The ground in headless Chromium: shelters put on best spots and dragged, readings taken, by
keyboard too, on a phone.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.store import courses, kit, plans

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]


@pytest.fixture
def shelter(bed: Testbed) -> int:
    """A plow point of the second night, not on the map yet."""
    with bed.database.session() as session:
        night = courses.night(session, bed.course, bed.nights[1])
        sheet = kit.rows(session, bed.course, "sheets")[0]
        return plans.choose(
            session, night, plans.Choice(sheet.id, "plow-point", {}, (sheet.owner_id,))
        ).id


def opened(page: Page, bed: Testbed) -> None:
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[1]}/ground")
    page.wait_for_selector(".ground[data-done]")


def settled(page: Page) -> None:
    page.wait_for_selector(".map-lists:not([aria-busy])")


def test_a_shelter_is_placed_dragged_and_turned(page: Page, bed: Testbed, shelter: int) -> None:
    """Best spot, then the mouse, then the keyboard; it is solved anew while it moves, and says what
    is wrong.
    """
    opened(page, bed)
    row = page.locator(f'[data-row-shelter="{shelter}"]')
    row.locator("[data-act=spots]").click()
    row.locator("[data-act=take]").first.click()
    group = page.locator(f'.map-box [data-shelter="{shelter}"]')
    expect(group).to_be_visible()
    before = [float(group.get_attribute(f"data-{k}") or 0) for k in ("x", "y")]
    box = group.locator(".g-cloth").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    with page.expect_response("**/try"):
        page.mouse.move(x + 40, y + 10, steps=4)
    with page.expect_response("**/spot"):
        page.mouse.up()
    settled(page)
    after = [float(group.get_attribute(f"data-{k}") or 0) for k in ("x", "y")]
    assert after[0] - before[0] > 0.3
    assert after[1] - before[1] < 0
    expect(page.locator(".map-box .ghost")).to_have_count(0)  # nothing of the drag is left behind
    front = float(group.get_attribute("data-front") or 0)
    group.focus()
    with page.expect_response("**/spot"):
        page.keyboard.press("]")
    settled(page)
    assert (float(group.get_attribute("data-front") or 0) - front) % 360 == pytest.approx(
        5, abs=0.11
    )
    row.locator("[data-act=off]").click()
    expect(group).to_have_count(0)


def test_the_field_book_takes_readings_and_names_the_slip(page: Page, bed: Testbed) -> None:
    opened(page, bed)
    expect(page.locator(".bad-row")).to_have_count(1)
    expect(page.locator(".bad-row")).to_contain_text("looks wrong")
    form = page.locator("[data-add=reading]")
    form.locator("[name=start]").fill("Birch 1")
    form.locator("[name=end]").fill("New post")
    form.locator("[name=length_m]").fill("x")
    page.keyboard.press("Enter")
    expect(form.locator(".cell-fault")).to_contain_text("isn't a number")
    assert form.locator("[name=end]").input_value() == "New post"
    form.locator("[name=length_m]").fill("4.2")
    page.keyboard.press("Enter")
    settled(page)
    expect(page.locator("[data-fold=book]")).to_contain_text("Measure next")
    expect(page.locator("[data-fold=book]")).to_contain_text("New post is not held yet")
    page.locator("[data-act=undo]").click()
    settled(page)
    expect(page.locator("[data-fold=book]")).not_to_contain_text("New post is not held yet")


def test_the_finder_fills_in_what_it_shows(page: Page, bed: Testbed) -> None:
    opened(page, bed)
    form = page.locator("[data-add=reading]")
    form.locator("[name=way]").select_option("finder")
    form.locator("[data-act=listen]").click()
    expect(form.locator("[data-shot]")).to_contain_text("shot")
    expect(form.locator("[name=length_m]")).not_to_have_value("")
    expect(form.locator("[name=bearing_deg]")).not_to_have_value("")
    form.locator("[data-act=listen]").click()
    expect(form.locator("[data-act=listen]")).to_have_text("Listen to the finder")


def test_the_map_moves_by_keyboard_and_fits_a_phone(page: Page, bed: Testbed) -> None:
    opened(page, bed)
    svg = page.locator(".map-box svg")
    start = svg.get_attribute("viewBox")
    page.locator(".map-box").focus()
    page.keyboard.press("ArrowRight")
    assert svg.get_attribute("viewBox") != start
    page.keyboard.press("+")
    wide = [float(v) for v in (svg.get_attribute("viewBox") or "").split()]
    assert wide[2] < float((start or "").split()[2])
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    small = page.locator(".map-tools .btn").evaluate_all(
        "b => b.filter(e => e.getBoundingClientRect().height < 44).length"
    )
    assert small == 0


def test_five_hundred_points_redraw_smoothly(
    page: Page, bed: Testbed, record_property: pytest.FixtureRequest
) -> None:
    """Frame times while the map is panned are told in the report; nothing is asserted of them but
    that there are frames.
    """
    opened(page, bed)
    frames = page.evaluate("""async () => {
      const svg = document.querySelector('.map-box svg');
      const things = [...svg.querySelectorAll('.thing')];
      for (let i = things.length; i < 500; i++) {
        const copy = things[i % things.length].cloneNode(true);
        copy.setAttribute('transform', `translate(${(i % 23) * 170} ${(i % 17) * 130})`);
        svg.append(copy);
      }
      const box = document.querySelector('.map-box');
      const times = [];
      let last = performance.now();
      for (let i = 0; i < 40; i++) {
        const key = i % 2 ? 'ArrowLeft' : 'ArrowRight';
        box.dispatchEvent(new KeyboardEvent('keydown', {key, bubbles: true}));
        await new Promise(requestAnimationFrame);
        times.push(performance.now() - last); last = performance.now();
      }
      return times.sort((a, b) => a - b); }""")
    record_property("map_500_points_frame_ms_median", round(frames[20], 1))  # type: ignore[operator]
    print(f"500 points: median frame {frames[20]:.1f} ms, slowest {frames[-1]:.1f} ms")  # noqa: T201
    assert len(frames) == 40
