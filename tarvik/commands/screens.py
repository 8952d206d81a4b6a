"""How long each screen is, how many stops of the Tab key and words it has, and what it weighs: a
table in docs/design, measured in Chromium with demo data.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.web.navigation import SCREENS

if TYPE_CHECKING:
    from pathlib import Path

    from playwright.sync_api import Page

    from tarvik.commands.testbed import Testbed
    from tarvik.core.plain import JsonObject

SIZES: Final = {"1280 x 800": (1280, 800), "390 x 844": (390, 844)}
SETTLED: Final = (
    "() => !document.querySelector('[aria-busy=true], [data-slow]:not([data-done])')"
)
SLOWEST_MS: Final = 600_000
LOOK: Final = """() => ({
  height: document.documentElement.scrollHeight,
  stops: [...document.querySelectorAll(
      'a[href], button, input, select, textarea, summary, [tabindex="0"]')]
    .filter(e => e.checkVisibility() && !e.disabled && e.tabIndex >= 0).length,
  words: document.body.innerText.split(/\\s+/).length,
})"""
HEAD: Final = """# What each screen is for, and how long it is

Written by `./run shots` from demo data. Height in pixels of the whole page; stops: how many
controls the Tab key stops at; words: those shown before anything is unfolded; weight: bytes on
their way to a browser that has styles, scripts and fonts already. Wanted: the main task without
scrolling at 1280 x 800, at most three screens (2,500 px) on a phone, 60,000 bytes.

| screen | what it is for | window | height | stops | words | weight |
|---|---|---|---|---|---|---|
"""


@dataclass(frozen=True)
class Looked:
    """A screen at one size of window."""

    title: str
    purpose: str
    size: str
    height: int
    stops: int
    words: int
    weight: int

    @property
    def row(self) -> str:
        """Its row of the table."""
        numbers = " | ".join(
            f"{n:,}" for n in (self.height, self.stops, self.words, self.weight)
        )
        return f"| {self.title} | {self.purpose} | {self.size} | {numbers} |\n"


class Address(NamedTuple):
    """A screen to be measured."""

    title: str
    purpose: str
    address: str


def _paths(bed: Testbed) -> list[Address]:
    """Every screen that pages lead to, and the bench."""
    night = bed.nights[0]
    bench = f"/courses/{bed.course}/nights/{night}/bench/{bed.sheets['Faro T']}/plow-point"

    shown = [
        Address(one.title, one.purpose, one.at(bed.course, night))
        for one in SCREENS
        if one.room is not None
    ]
    words = "One sheet in one pitch: the shelter, its settings, verdict."
    return [*shown, Address("Bench", words, bench)]


class Scales:
    """Bytes that come to a page over the network from now on, as Chromium counts them."""

    def __init__(self, page: Page) -> None:
        self.bytes = 0
        devtools = page.context.new_cdp_session(page)
        devtools.send("Network.enable")
        devtools.on("Network.loadingFinished", self._add)

    def _add(self, told: JsonObject) -> None:
        self.bytes += int(told["encodedDataLength"])


def looked_at(page: Page, bed: Testbed) -> str:
    """The whole table."""
    scales, rows = Scales(page), []
    for title, purpose, path in _paths(bed):
        for size, (width, height) in SIZES.items():
            page.set_viewport_size({"width": width, "height": height})
            scales.bytes = 0
            page.goto(bed.url + path)
            page.wait_for_selector("html[data-ready]")
            page.wait_for_function(SETTLED, timeout=SLOWEST_MS)
            told = page.evaluate(LOOK)
            rows.append(Looked(title, purpose, size, weight=scales.bytes, **told))
    return HEAD + "".join(r.row for r in rows)


def write_screens(page: Page, bed: Testbed, checkout: Path) -> None:
    """Put the table into docs/design."""
    folder = checkout / "docs" / "design"
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "screens.md").write_text(looked_at(page, bed))
