"""One list of screens: routes, access and what pages lead to agree with it."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

import pytest

from tarvik.web.access import Audience, access_of, routes_of
from tarvik.web.navigation import SCREENS, Room, Screen, routers, screen

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

FOLDER = Path(__file__).parents[2] / "tarvik" / "web" / "screens"
WITH_ADDRESS = [s for s in SCREENS if s.path]


def test_every_folder_is_a_screen_and_every_screen_a_folder() -> None:
    folders = {p.parent.name for p in FOLDER.glob("*/__init__.py")}
    assert folders == {s.folder for s in SCREENS}
    assert len({s.folder for s in SCREENS}) == len(SCREENS)


@pytest.mark.parametrize("one", WITH_ADDRESS, ids=lambda s: s.folder)
def test_a_screens_route_asks_for_the_role_its_line_says(one: Screen) -> None:
    wanted = one.path.replace("{course}", "{course_id:number}")
    wanted = wanted.replace("{night}", "{night_id:number}")
    found = [
        access_of(route)
        for router in routers()
        for route in routes_of(router.routes)
        if getattr(route, "path", "") == wanted and "GET" in getattr(route, "methods", ())
    ]
    assert len(found) == 1, one
    access = found[0]
    assert access is not None
    assert access.role is one.role
    assert (access.audience is Audience.COURSE) == (one.role is not None)


@pytest.mark.database
def test_pages_lead_to_the_screens_of_a_course_and_its_night(client: TestClient) -> None:
    made = client.post(
        "/courses", data={"name": "Hollin Edge", "units": "metric", "nights": "1"}
    )
    course = int(re.findall(r"/courses/(\d+)", str(made.url))[0])
    page = client.get(screen("kit").at(course)).text
    night = int(re.findall(rf"/courses/{course}/nights/(\d+)/", page)[0])
    nav = page[page.index('aria-label="Course"') : page.index("</nav>")]
    links = nav.split('class="room-links"')[1:]
    assert len(links) == len(Room)
    for room, rest in zip(Room, links, strict=True):
        part = rest[: rest.index("</div>")]
        shown = [s.at(course, night) for s in SCREENS if s.room is room]
        assert re.findall(r'href="([^"]*)"', part) == shown
    assert re.findall(r'aria-current="page"[^>]*>([^<]*)<', nav) == ["Group &amp; kit"]
    assert 'href="/courses/' in page[page.index("Next:") - 200 : page.index("Next:")]


@pytest.mark.database
def test_the_night_that_was_looked_at_stays(client: TestClient) -> None:
    made = client.post(
        "/courses", data={"name": "Hollin Edge", "units": "metric", "nights": "3"}
    )
    course = int(re.findall(r"/courses/(\d+)", str(made.url))[0])
    page = client.get(screen("kit").at(course)).text
    nights = list(
        dict.fromkeys(re.findall(rf"/courses/{course}/nights/(\d+)/weather", page))
    )
    assert len(nights) == 3
    assert f'href="{screen("plan").at(course, int(nights[0]))}"' in page
    client.get(screen("night").at(course, int(nights[2])))
    assert (
        f'href="{screen("plan").at(course, int(nights[2]))}"'
        in client.get(str(made.url)).text
    )


def test_every_screen_that_pages_lead_to_says_what_it_is_for() -> None:
    for one in SCREENS:
        if one.room is not None:
            assert one.purpose.endswith("."), one.folder
            assert not one.then or screen(one.then).path, one.folder


def test_no_line_of_a_template_or_script_is_too_long_to_read() -> None:
    """Common practice: what does not fit on a screen is not read."""
    scripts = (FOLDER.parent / "static" / "app").glob("*.js")
    most = dict.fromkeys(FOLDER.parent.rglob("*.html"), 140) | dict.fromkeys(scripts, 100)
    long = [
        f"{path.name}:{number}"
        for path, columns in most.items()
        for number, line in enumerate(path.read_text().split("\n"), start=1)
        if len(line) > columns
    ]
    assert len(most) > 60
    assert not long


def test_no_screen_imports_the_application_and_no_handler_its_database_driver() -> None:
    for path in FOLDER.rglob("*.py"):
        text = path.read_text()
        assert "tarvik.web.app" not in text, path
        assert "sqlalchemy.create_engine" not in text, path
