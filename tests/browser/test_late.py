"""Answers that come late, pages left early: the newest answer shows, what was typed is kept, what
was unfolded stays.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tarvik.store import kit
from tests.conftest import slowed
from tests.patience import comes_true

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]

HOLD = """(part) => {
  const ask = window.fetch;
  window.held = [];
  window.fetch = async (url, options) => {
    const answer = await ask(url, options);
    if (String(url).includes(part) && !window.held.length)
      await new Promise((go) => window.held.push(go));
    return answer;
  };
}"""
"""Keeps back the first answer to an address with `part` in it, until the test lets it go."""


def at_the_bench(
    page: Page, bed: Testbed, owner: str, pitch: str, there: str, part: str
) -> None:
    """Open a pitch, wait until `there` is, and keep back the first answer to `part` from then
    on.
    """
    page.goto(
        f"{bed.url}/courses/{bed.course}/nights/{bed.nights[0]}/bench/{bed.sheets[owner]}/{pitch}"
    )
    page.wait_for_selector(there, state="attached")
    page.evaluate(HOLD, part)


def let_go(page: Page) -> None:
    """Let the answer that was kept back come, and what follows from it happen."""
    page.evaluate(
        "async () => { window.held[0](); for (let i = 0; i < 5; i++) await new "
        "Promise(requestAnimationFrame); }"
    )


def test_a_late_answer_of_the_bench_is_not_shown(page: Page, bed: Testbed) -> None:
    """The wind is turned twice; what was worked out for the first bearing comes last."""
    at_the_bench(page, bed, "Bertil K", "lean-to", "#ways[aria-busy=false]", "/more")
    slider = page.locator("input[name=from]")
    slider.focus()
    page.keyboard.press("ArrowRight")
    page.wait_for_function("() => window.held.length === 1")
    for _ in range(11):
        page.keyboard.press("ArrowRight")
    expect(page.locator("#more")).to_contain_text("Set now with the wind onto the front")
    let_go(page)
    expect(page.locator("#more")).to_contain_text("Set now with the wind onto the front")


def test_a_late_answer_of_the_night_is_not_shown(page: Page, bed: Testbed) -> None:
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[1]}/weather")
    page.wait_for_selector("html[data-ready]")
    page.evaluate(HOLD, "/outcome")
    wind = page.locator("[data-column=wind_m_s]")
    for told in ("2", "15"):
        wind.fill(told)
        wind.press("Tab")
        expect(wind).to_have_attribute("data-was", f"{told} m/s")
    expect(page.locator(".proposal-line")).to_contain_text("Storm")
    let_go(page)
    expect(page.locator(".proposal-line")).to_contain_text("Storm")


def test_a_lift_made_while_the_last_is_worked_out_stays(page: Page, bed: Testbed) -> None:
    at_the_bench(
        page, bed, "Faro T", "plow-point?height=1.2#hung", "#hung .hung-how", "/hung?"
    )
    handle = page.locator("#hung [data-lift]").last
    handle.focus()
    page.keyboard.press("ArrowUp")
    page.wait_for_function("() => window.held.length === 1")
    page.keyboard.press("ArrowUp")
    by = page.locator("#hung [name=hang_by]").input_value()
    let_go(page)
    expect(page.locator("#hung [name=hang_by]")).to_have_value(by)


def test_what_is_unfolded_while_an_answer_is_on_its_way_stays_unfolded(
    page: Page, bed: Testbed
) -> None:
    at_the_bench(page, bed, "Bertil K", "a-frame", "#ways[aria-busy=false]", "/view")
    page.locator("[name=height]").focus()
    page.keyboard.press("ArrowRight")
    page.wait_for_function("() => window.held.length === 1")
    page.click("details.figure >> nth=1")
    before = page.locator(".figure strong").first.inner_text()
    let_go(page)
    expect(page.locator(".figure strong").first).not_to_have_text(before)
    expect(page.locator("details.figure[open] .explained")).to_contain_text("Source:")


def test_what_was_typed_is_saved_though_the_page_is_left_at_once(
    page: Page, bed: Testbed
) -> None:
    """The browser is told to carry what is written past the page's end; on a slow network that is
    where it ends up.
    """
    page.goto(f"{bed.url}/courses/{bed.course}/kit")
    page.wait_for_selector("html[data-ready]")
    page.evaluate("""() => { const ask = window.fetch; window.carried = [];
      window.fetch = (url, told) => {
        window.carried.push([told.method, told.keepalive]); return ask(url, told); }; }""")
    slowed(page, latency_ms=1500.0)
    cell = page.locator("#people tr[data-id] [data-column=note]").nth(3)
    cell.fill("left in a hurry")
    with page.expect_request(lambda r: r.method == "PATCH"):
        cell.press("Tab")
    assert page.evaluate("window.carried") == [["PATCH", True]]
    page.goto(f"{bed.url}/knots")

    def saved() -> bool:
        with bed.database.session() as session:
            return "left in a hurry" in {
                p.note for p in kit.rows(session, bed.course, "people")
            }

    assert comes_true(saved)
