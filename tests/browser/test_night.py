"""The night in headless Chromium: fields by keyboard, a forecast asked for and imported, the wind
turned on the bench.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from playwright.sync_api import expect

from tests.patience import comes_true

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]


def open_night(page: Page, bed: Testbed, number: int) -> None:
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[number]}/weather")
    page.wait_for_selector("html[data-ready]")


def test_needs_by_keyboard(page: Page, bed: Testbed) -> None:
    """Typed, left with Tab, saved; what follows changes at once; a fault stays beside its field
    with the text still there.
    """
    open_night(page, bed, 1)
    wind = page.locator("[data-column=wind_m_s]")
    wind.focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("50 km/h")
    page.keyboard.press("Tab")
    expect(wind).to_have_value("14 m/s")
    expect(page.locator(".proposal-line")).to_contain_text("Storm")
    lowest = page.locator("[data-column=lowest_c]")
    lowest.fill("freezing")
    lowest.press("Tab")
    expect(page.locator(".cell-fault")).to_contain_text("isn't a number")
    expect(lowest).to_have_value("freezing")
    lowest.fill("-2")
    lowest.press("Tab")
    expect(lowest).to_have_value("-2 °C")
    expect(page.locator(".night-figures")).to_contain_text("Wind chill")
    page.locator(".night-figures summary", has_text="Wind chill").click()
    expect(page.locator(".night-figures details[open] .explained")).to_contain_text(
        "Joint Action Group"
    )
    page.click("text=Undo “Lowest temperature”")
    expect(page.locator("[data-column=lowest_c]")).to_have_value("")


def test_wind_and_gusts_are_put_right_one_after_the_other(page: Page, bed: Testbed) -> None:
    """The wind typed first is above the gusts that are kept; it waits, and both are saved."""
    open_night(page, bed, 3)
    wind, gust = (
        page.locator(f"[data-column={name}]") for name in ("wind_m_s", "gust_m_s")
    )
    for field, text in ((wind, "6"), (gust, "9")):
        field.fill(text)
        field.press("Tab")
        expect(field).to_have_value(f"{text} m/s")
    wind.fill("14")
    wind.press("Tab")
    expect(page.locator(".cell-fault")).to_contain_text("put both right")
    gust.fill("21")
    gust.press("Tab")
    expect(gust).to_have_value("21 m/s")
    expect(wind).to_have_value("14 m/s")
    expect(page.locator(".cell-fault")).to_have_count(0)


def test_a_forecast_is_asked_for_and_used(page: Page, bed: Testbed) -> None:
    open_night(page, bed, 2)
    page.select_option("select[name=story]", "gale")
    page.click("text=Ask the service")
    expect(page.locator("svg.strip")).to_be_visible()
    expect(page.locator("svg.strip title").first).to_contain_text("15 of 15")
    page.click("text=Use it for the night")
    expect(page.locator("text=In use for the night")).to_be_visible()
    expect(page.locator(".proposal-line")).to_contain_text("Storm")
    page.click("text=The same hours as a table")
    expect(page.locator(".forecast table tbody tr")).to_have_count(15)


def test_a_forecast_is_pasted_looked_at_and_kept(page: Page, bed: Testbed) -> None:
    open_night(page, bed, 3)
    page.click("text=Import a forecast")
    page.fill("textarea[name=text]", "not a forecast")
    page.click("text=Look at it first")
    expect(page.locator(".import .fault")).to_contain_text("time")
    page.fill(
        "textarea[name=text]",
        "time,temp_c,wind_kn\n2027-09-26T18:00+00:00,7,12\n2027-09-26T21:00+00:00,5,14\n",
    )
    page.click("text=Look at it first")
    expect(page.locator(".import")).to_contain_text("2 hours read")
    expect(page.locator(".import .findings")).to_contain_text("no hours from")
    page.click("text=Keep this forecast")
    expect(page.locator(".forecast")).to_contain_text("imported, received")
    expect(page.locator(".forecast .findings")).to_contain_text(
        "13 of the night's 15 hours are not in the forecast"
    )


def test_the_wind_turned_on_the_bench_shrinks_the_dry_ground(
    page: Page, bed: Testbed
) -> None:
    """The slider says the side in words; with the wind into the front there is less dry ground; the
    rose follows.
    """
    page.goto(
        f"{bed.url}/courses/{bed.course}/nights/{bed.nights[0]}/bench/"
        f"{bed.sheets['Bertil K']}/lean-to"
    )
    page.wait_for_selector("html[data-ready]")
    figure = page.locator(
        ".figure", has=page.get_by_text("Dry ground", exact=True)
    ).locator("strong")
    back = float(figure.inner_text().split()[0])
    slider = page.locator("input[name=from]")
    expect(page.locator("[data-side]")).to_have_text("the back")
    page.click("text=Wind and pull")
    expect(page.locator("#more svg.rose")).to_be_visible()
    slider.focus()
    for _ in range(12):
        page.keyboard.press("ArrowRight")
    expect(page.locator("[data-side]")).to_have_text("the front")
    assert comes_true(lambda: float(figure.inner_text().split()[0]) < back)
    expect(page.locator("#more")).to_contain_text("Set now with the wind onto the front")


def test_the_wind_meter_is_read(page: Page, bed: Testbed) -> None:
    """A reading a second, each shown as it comes; then the wind is that of the night."""
    open_night(page, bed, 3)
    wind = page.locator("[data-column=wind_m_s]").input_value()
    said: list[str] = []
    page.expose_function("heard", lambda words: said.append(str(words)))
    page.evaluate("""() => { const meter = document.querySelector('output.meter');
      new MutationObserver(() => heard(meter.textContent))
        .observe(meter, {childList: true, characterData: true}); }""")
    page.click("text=Measure the wind here")
    meter = page.locator("output.meter")
    expect(meter).to_contain_text("at head height here (")
    expect(meter).to_contain_text("at 10 m over open ground")
    assert (
        page.locator("[data-column=wind_m_s]").input_value() == wind
    )  # nothing is taken yet
    meter.get_by_role("button", name="It was taken on open ground").click()
    expect(meter).to_contain_text("at head height on open ground")
    meter.get_by_role("button", name="Take it as tonight's wind").click()
    expect(page.locator("[data-column=wind_m_s]")).not_to_have_value(wind)
    assert [s for s in said if "1 of 12 readings" in s]
    assert [s for s in said if "11 of 12 readings" in s]
