"""What a page weighs on its way to a browser, as Chromium counts it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.commands.screens import Scales
from tests.browser.test_access import open_screen

if TYPE_CHECKING:
    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed

pytestmark = [pytest.mark.browser, pytest.mark.database]
FIRST_MOST = 150_000
"""Bytes of the first page that a browser ever opens."""
LATER_MOST = 60_000
"""Bytes of a page once styles, scripts and fonts are there."""
LATER = [
    "/courses/{c}",
    "/courses/{c}/kit",
    "/courses/{c}/rules",
    "/courses/{c}/nights/{n}/weather",
    "/courses/{c}/nights/{n0}/ground",
    "/courses/{c}/nights/{n}/board",
    "/courses/{c}/nights/{n}/plan",
    "/courses/{c}/nights/{n}/camp",
    "/courses/{c}/nights/{n}/bench/{s}/lean-to",
]


def test_pages_are_light(page: Page, bed: Testbed) -> None:
    scales, weights = Scales(page), {}
    for path in ("/", *LATER):
        scales.bytes = 0
        open_screen(page, bed, path)
        weights[path] = scales.bytes
    assert 10_000 < weights["/"] <= FIRST_MOST, weights
    heavy = {path: weights[path] for path in LATER if weights[path] > LATER_MOST}
    assert not heavy, heavy
