"""`./run shots`: the screenshots in docs/screenshots, from demo data, at desk and at phone size."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.commands.screens import SLOWEST_MS, write_screens
from tarvik.commands.testbed import CHROMIUM_ARGS, Testbed, let_in, testbed
from tarvik.commands.warm import warm
from tarvik.store.server import Server, default_folder

if TYPE_CHECKING:
    from pathlib import Path

    from playwright.sync_api import Page

DESK = {"width": 1280, "height": 800}
PHONE = {"width": 390, "height": 844}


@dataclass(frozen=True)
class Shot:
    """One picture: its file, the address, the frame, and what to do before."""

    name: str
    path: str
    size: dict[str, int]
    ready: str = "main"
    click: str = ""


def _shots(bed: Testbed) -> list[Shot]:
    course, night = (
        f"/courses/{bed.course}",
        f"/courses/{bed.course}/nights/{bed.nights[0]}",
    )
    bench = f"{night}/bench/{bed.sheets['Faro T']}/plow-point"
    done = "[data-done]"
    return [
        Shot("course-home", course, DESK),
        Shot("group-and-kit", f"{course}/kit", DESK),
        Shot("pitch-board", f"{night}/board", DESK, done),
        Shot("bench", bench, DESK),
        Shot("bed-for-one", f"{night}/people/3", DESK, "[data-slow=choices][data-done]"),
        Shot("night", f"{night}/weather", DESK),
        Shot("rules", f"{course}/rules", DESK),
        Shot("ground", f"{night}/ground", DESK, ".ground[data-done]"),
        Shot("phone-ground", f"{night}/ground", PHONE, ".ground[data-done]"),
        Shot("plan", f"{night}/plan", DESK, ".plan[data-done]"),
        Shot("camp-sheet", f"{night}/camp", DESK),
        Shot("phone-field", f"{night}/field", PHONE, click=".field-shelter > summary"),
        Shot("packing", f"{course}/packing", DESK, "[data-slow][data-done]"),
        Shot("practice", f"{course}/practice", DESK, ".drill:not([hidden])"),
        Shot("log", f"{course}/log", DESK),
        Shot("phone-board", f"{night}/board", PHONE, done),
        Shot("phone-bench", bench, PHONE),
        Shot("cards", f"{course}/cards", DESK),
        Shot("sign-in", "/sign-in", DESK),
    ]


def take(page: Page, bed: Testbed, shot: Shot, folder: Path) -> None:
    """Open one view and keep its picture."""
    page.set_viewport_size(shot.size)  # type: ignore[arg-type]
    page.goto(bed.url + shot.path)
    page.wait_for_selector(shot.ready, timeout=SLOWEST_MS)
    page.wait_for_function("document.fonts.status === 'loaded'")
    if shot.click:
        first = page.locator(shot.click).first
        first.click()
        first.evaluate("e => e.scrollIntoView({block: 'center'})")
    page.screenshot(path=folder / f"{shot.name}.png")


def settle(page: Page, bed: Testbed) -> None:
    """Make the first night's plan and its evening."""
    page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[0]}/plan")
    page.wait_for_selector(".plan[data-done]")
    looked = page.get_by_text("The trees overhead were looked at for tonight")
    if looked.count():  # without the tick nobody is given a bed in this storm
        looked.first.click()
        page.wait_for_selector(".plan[data-done]")
    page.click("text=Make the plan")
    page.wait_for_selector(".plan[data-ended='plan done']", timeout=SLOWEST_MS)
    page.wait_for_selector("[data-row-shelter]")
    page.click("[data-fold=evening] > summary")
    page.click("text=Plan the evening")
    page.wait_for_selector(".lanes .l-bar", timeout=SLOWEST_MS)


def shots(checkout: Path) -> int:
    """Take every picture anew."""
    from playwright.sync_api import sync_playwright

    folder = checkout / "docs" / "screenshots"
    folder.mkdir(parents=True, exist_ok=True)
    warm()
    server = Server(default_folder(checkout)).start()
    try:
        with testbed(server, "tarvik_shots") as bed, sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path=shutil.which("chromium"), args=CHROMIUM_ARGS
            )
            context = browser.new_context()
            let_in(context, bed)
            page = context.new_page()
            page.goto(f"{bed.url}/courses/{bed.course}/nights/{bed.nights[0]}/board")
            page.wait_for_selector("[data-done]", timeout=SLOWEST_MS)
            settle(page, bed)
            for shot in _shots(bed):
                take(page, bed, shot, folder)
                print(f"tarvik: {folder / (shot.name + '.png')}", flush=True)
            # What the field page keeps on the device would come without any weight.
            plain = browser.new_context(service_workers="block")
            let_in(plain, bed)
            write_screens(plain.new_page(), bed, checkout)
            browser.close()
    finally:
        server.stop()
    return 0
