"""What stands round every page of a course: rooms and their screens, the night, what is next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from fastapi import Request
from sqlalchemy.orm import object_session

from tarvik.store import courses
from tarvik.store.accounts import Role
from tarvik.store.models import Course, Night
from tarvik.web.navigation import BY_FOLDER, SCREENS, Room, Screen, screen

NIGHT_COOKIE: Final = "tarvik-night"
"""Keeps, as `course.night`, the night that was looked at last."""
NIGHT_KEPT_S: Final = 30 * 24 * 3600


@dataclass(frozen=True, slots=True)
class Link:
    """Where something leads; `here`: the page is there already."""

    title: str
    href: str
    here: bool = False


@dataclass(frozen=True, slots=True)
class RoomShown:
    """A room with the screens that this person may open."""

    title: str
    links: tuple[Link, ...]
    holds_nights: bool

    @property
    def here(self) -> bool:
        """Whether the page is in this room."""
        return any(link.here for link in self.links)


@dataclass(frozen=True, slots=True)
class Frame:
    """The frame of a page. `here`: its screen, None for one that the navigation does not know."""

    rooms: tuple[RoomShown, ...]
    nights: tuple[Link, ...]
    night: Night | None
    here: Screen | None
    then: Link | None
    then_purpose: str

    @property
    def night_words(self) -> str:
        """The night it is about, as the navigation names it."""
        if self.night is None:
            return ""
        on = f" · {self.night.on.day} {self.night.on:%b}" if self.night.on else ""
        return f"{self.night.title}{on}"


def _night(request: Request, course: Course, nights: Sequence[Night]) -> Night | None:
    """The night looked at last; the first where none was."""
    kept, _, number = request.cookies.get(NIGHT_COOKIE, "").partition(".")
    known = {str(n.id): n for n in nights}
    last = known.get(number) if kept == str(course.id) else None
    return last or (nights[0] if nights else None)


def frame_of(request: Request, context: Mapping[str, object]) -> Frame | None:
    """The frame of a page with this context; None for a page of no course."""
    course, night = context.get("course"), context.get("night")
    if not isinstance(course, Course):
        return None
    session = object_session(course)
    nights = courses.nights(session, course.id) if session is not None else []
    at = night if isinstance(night, Night) else _night(request, course, nights)
    here = BY_FOLDER.get(str(context.get("tab", "")))
    who = request.state.who
    role = who.role if who is not None and who.role is not None else Role.VIEWER
    number = at.id if at is not None else None

    def leads(one: Screen) -> bool:
        return (at is not None or not one.of_a_night) and (
            one.role is None or one.role <= role
        )

    rooms = tuple(
        RoomShown(
            room.value,
            tuple(
                Link(s.title, s.at(course.id, number), s is here)
                for s in SCREENS
                if s.room is room and leads(s)
            ),
            room is Room.TONIGHT,
        )
        for room in Room
    )
    same = here if here is not None and here.of_a_night else screen("night")
    then = BY_FOLDER.get(here.then) if here is not None else None
    return Frame(
        tuple(room for room in rooms if room.links),
        tuple(Link(n.title, same.at(course.id, n.id), n is at) for n in nights),
        at,
        here,
        Link(then.title, then.at(course.id, number)) if then and leads(then) else None,
        then.purpose if then else "",
    )
