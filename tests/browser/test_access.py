"""Every screen can be read and worked without seeing colours or using a mouse."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.commands.screens import SETTLED

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]
SCREENS = [
    "/",
    "/courses/{c}",
    "/courses/{c}/kit",
    "/courses/{c}/nights/{n}/board",
    "/courses/{c}/nights/{n}/camp",
    "/courses/{c}/nights/{n}/field",
    "/courses/{c}/packing",
    "/courses/{c}/log",
    "/courses/{c}/nights/{n}/weather",
    "/courses/{c}/rules",
    "/knots",
    "/courses/{c}/nights/{n}/ground",
    "/courses/{c}/nights/{n}/plan",
    "/courses/{c}/nights/{n0}/ground",
    "/courses/{c}/nights/{n}/people/1",
    "/courses/{c}/nights/{n}/compare?c={s}:plow-point&c={s}:closed-wedge",
    "/courses/{c}/nights/{n}/bench/{s}/lean-to-floored",
]

NAMELESS = """() => [...document.querySelectorAll(
    'input, select, textarea, button, a[href], summary')]
  .filter(e => e.type !== 'hidden' && !(e.labels && e.labels.length)
    && !e.getAttribute('aria-label') && !(e.textContent || '').trim() && !e.title)
  .map(e => e.outerHTML.slice(0, 120))"""
TWICE = """() => { const ids = [...document.querySelectorAll('[id]')].map(e => e.id);
  return ids.filter((id, i) => ids.indexOf(id) !== i); }"""


def open_screen(page: Page, bed: Testbed, path: str) -> None:
    """Open a screen and wait until it is worked out."""
    page.goto(
        bed.url
        + path.format(
            c=bed.course, n=bed.nights[3], n0=bed.nights[0], s=bed.sheets["Bertil K"]
        )
    )
    page.wait_for_selector("html[data-ready]")
    if "board" in path:
        page.wait_for_selector("[data-done]")
    page.wait_for_function(SETTLED)


@pytest.mark.parametrize("path", SCREENS)
def test_every_control_has_a_name(page: Page, bed: Testbed, path: str) -> None:
    """WCAG 4.1.2 and 3.3.2: every control tells what it is; ids are unique; one first heading; a
    language.
    """
    open_screen(page, bed, path)
    assert page.evaluate(NAMELESS) == []
    assert page.evaluate(TWICE) == []
    assert page.locator("h1").count() == 1
    assert page.get_attribute("html", "lang") == "en"
    assert page.locator("main").count() == 1
    assert page.title()


@pytest.mark.parametrize("path", SCREENS)
def test_the_first_tab_skips_to_the_content(page: Page, bed: Testbed, path: str) -> None:
    """WCAG 2.4.1, and the focus can be seen."""
    open_screen(page, bed, path)
    page.keyboard.press("Tab")
    assert page.evaluate("document.activeElement.textContent") == "Skip to the content"
    page.keyboard.press("Tab")
    outline = page.evaluate("getComputedStyle(document.activeElement).outlineStyle")
    assert outline not in ("none", "")


def test_nothing_breaks_the_security_policy(page: Page, bed: Testbed) -> None:
    """No inline script or style is refused, nothing is asked from another host, no message of an
    error.
    """
    messages: list[str] = []
    asked: list[str] = []
    page.on(
        "console",
        lambda m: messages.append(m.text) if m.type in ("error", "warning") else None,
    )
    page.on("request", lambda r: asked.append(r.url))
    for path in SCREENS:
        open_screen(page, bed, path)
    assert messages == []
    assert all(url.startswith((bed.url, "data:")) for url in asked)


def test_verdicts_are_words_and_shapes(page: Page, bed: Testbed) -> None:
    open_screen(page, bed, "/courses/{c}/nights/{n}/board")
    tags = page.locator(".verdict")
    words = {text.strip() for text in tags.all_inner_texts()}
    assert words <= {"Works", "Works with changes", "Won't work"}
    assert page.locator(".verdict svg path").count() == tags.count()


def test_a_slider_moves_by_arrow_and_keeps_the_focus(page: Page, bed: Testbed) -> None:
    open_screen(page, bed, "/courses/{c}/nights/{n}/bench/{s}/a-frame")
    slider = page.locator("[name=height]")
    slider.focus()
    before = float(slider.input_value())
    page.keyboard.press("ArrowRight")
    page.wait_for_selector(".bench-view[aria-busy=false]")
    page.wait_for_url("**height=*")
    assert float(slider.input_value()) == pytest.approx(before + 0.01)
    assert page.evaluate("document.activeElement.name") == "height"
    assert f"height={before + 0.01:.2f}" in page.url
