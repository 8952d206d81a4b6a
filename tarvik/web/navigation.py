"""Every screen, once: the application takes its routes from here, pages their navigation, and tests
and pictures the addresses they walk. A new screen is a folder in `screens` and a line here.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING, Final

from tarvik.store.accounts import Role

if TYPE_CHECKING:
    from collections.abc import Iterator

    from fastapi import APIRouter

COURSE: Final = "/courses/{course}"
NIGHT: Final = "/courses/{course}/nights/{night}"


class Room(Enum):
    """When a screen is needed: the navigation has a group for each."""

    PREPARE = "Prepare"
    TONIGHT = "Tonight"
    AFTERWARDS = "Afterwards"


@dataclass(frozen=True)
class Screen:
    """A screen: its folder in `screens`, and its own address where it has one. `room`: where the
    navigation shows it, None where only other screens lead to it. `role`: the least role that opens
    it, None for screens outside a course. `purpose`: what it is for, in a line; `then`: the screen
    that usually comes next.
    """

    folder: str
    title: str
    path: str = ""
    room: Room | None = None
    role: Role | None = Role.VIEWER
    purpose: str = ""
    then: str = ""

    def at(self, course: int, night: int | None = None) -> str:
        """Its address in a course, on a night."""
        return self.path.format(course=course, night=night)

    @property
    def of_a_night(self) -> bool:
        """Whether it is about one night."""
        return self.path.startswith(NIGHT)


SCREENS: Final = (
    Screen("account", "Your account", "/account", role=None),
    Screen("provider", "Provider", "/provider", role=None),
    Screen("library", "Kit library", "/library", role=None),
    Screen("team", "Leaders", COURSE + "/team", role=Role.LEADER),
    Screen(
        "card",
        "Cards",
        COURSE + "/cards",
        role=Role.LEADER,
        purpose="Everybody's own card: where they sleep, and how to set it up.",
    ),
    Screen(
        "course",
        "Course",
        COURSE,
        Room.PREPARE,
        purpose="Where the course stands, night by night, and what to do next.",
        then="kit",
    ),
    Screen(
        "kit",
        "Group & kit",
        COURSE + "/kit",
        Room.PREPARE,
        purpose="Who is coming, and what sheets, poles, lines and stakes are in the bag.",
        then="rules",
    ),
    Screen(
        "rules",
        "Rules",
        COURSE + "/rules",
        Room.PREPARE,
        purpose="The house rules that every pitch and plan keeps to, and the course's sites.",
        then="night",
    ),
    Screen(
        "packing",
        "Packing",
        COURSE + "/packing",
        Room.PREPARE,
        purpose="What goes into whose bag for all nights, and the cord to cut.",
        then="practice",
    ),
    Screen(
        "practice",
        "Practice",
        COURSE + "/practice",
        Room.PREPARE,
        purpose="Drills from your own kit and nights, and pitches timed at home.",
        then="night",
    ),
    Screen(
        "night",
        "Weather",
        NIGHT + "/weather",
        Room.TONIGHT,
        purpose="How cold, wet and windy the night will be, and what that asks of a shelter.",
        then="ground",
    ),
    Screen(
        "ground",
        "Ground",
        NIGHT + "/ground",
        Room.TONIGHT,
        purpose="The trees, slopes and hazards of the place, and where shelters may stand.",
        then="board",
    ),
    Screen(
        "board",
        "Pitch board",
        NIGHT + "/board",
        Room.TONIGHT,
        purpose="What each sheet can do tonight, the best pitches first.",
        then="plan",
    ),
    Screen(
        "plan",
        "Plan",
        NIGHT + "/plan",
        Room.TONIGHT,
        purpose="Who sleeps where, under which sheet, pitched how.",
        then="camp",
    ),
    Screen(
        "camp",
        "Camp sheet",
        NIGHT + "/camp",
        Room.TONIGHT,
        purpose="The whole evening on paper: map, beds, kit, a card for each shelter.",
        then="field",
    ),
    Screen(
        "field",
        "Field",
        NIGHT + "/field",
        Room.TONIGHT,
        purpose="The walk round before dark on a phone, with or without network.",
        then="log",
    ),
    Screen(
        "log",
        "Log",
        COURSE + "/log",
        Room.AFTERWARDS,
        purpose="How each shelter did, planned beside measured, and what that teaches.",
        then="history",
    ),
    Screen(
        "history",
        "History",
        COURSE + "/history",
        Room.AFTERWARDS,
        role=Role.LEADER,
        purpose="Who changed what, and the way back to how it was.",
    ),
    Screen("choose", "Choose a shelter"),
    Screen("compare", "Side by side", NIGHT + "/compare"),
    Screen("person", "One person"),
    Screen("bench", "Bench"),
    Screen("knots", "Knots", "/knots", role=None),
)


BY_FOLDER: Final = {s.folder: s for s in SCREENS}


def screen(folder: str) -> Screen:
    """A screen by its folder. Raises KeyError."""
    return BY_FOLDER[folder]


def routers() -> Iterator[APIRouter]:
    """The routes of every screen: of each module of its folder whose name ends in `routes`."""
    for entry in SCREENS:
        package = import_module(f"tarvik.web.screens.{entry.folder}")
        for module in iter_modules(package.__path__):
            if module.name.endswith("routes"):
                yield import_module(f"{package.__name__}.{module.name}").router
