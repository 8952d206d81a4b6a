"""Fingers and eyes on a phone: what is pressed is 44 pixels high, words are 14 or more."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.web.navigation import SCREENS
from tests.browser.test_access import open_screen
from tests.conftest import let_in, patient_context

if TYPE_CHECKING:
    from playwright.sync_api import Browser

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]
PHONE = {"width": 390, "height": 844}
LEAST_PX = 43.5
"""44 CSS pixels, less what rounding takes."""
LOW = """(least) => {
    const low = [];
    for (const e of document.querySelectorAll("a, button, select, summary, input")) {
        const { width, height } = e.getBoundingClientRect();
        const inText = e.tagName === "A" && getComputedStyle(e).display === "inline";
        const away = e.closest(".skip:not(:focus)"); // comes into sight with the focus alone
        const hidden = away || !width || height <= 1;
        const label = e.matches("[type=checkbox], [type=radio]") && e.closest("label");
        const tall = label ? label.getBoundingClientRect().height : height;
        if (hidden || inText || e.type === "range" || tall >= least) continue;
        low.push(`${e.tagName} ${e.className.baseVal ?? e.className} ${Math.round(tall)}`);
    }
    return [...new Set(low)];
}"""
SMALL = """() => {
    const small = [];
    for (const e of document.querySelectorAll("body *")) {
        const said = [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
        if (!said || e.closest("svg") || !e.getBoundingClientRect().width) continue;
        const px = parseFloat(getComputedStyle(e).fontSize);
        if (px > 0 && px < 13.99) small.push(`${e.tagName} ${e.className} ${px.toFixed(1)}`);
    }
    return [...new Set(small)];
}"""


def test_every_screen_is_made_for_fingers(browser: Browser, bed: Testbed) -> None:
    """Links within a sentence are as tall as its line (WCAG 2.5.8 lets them); sliders slide."""
    context = patient_context(browser, viewport=PHONE, has_touch=True)
    let_in(context, bed)
    page = context.new_page()
    wrong: dict[str, list[str]] = {}
    for screen in SCREENS:
        if screen.room is None:
            continue
        open_screen(page, bed, screen.at(bed.course, bed.nights[3]))
        found = [*page.evaluate(LOW, LEAST_PX), *page.evaluate(SMALL)]
        if found:
            wrong[screen.title] = found
    context.close()
    assert not wrong
