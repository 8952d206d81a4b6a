"""A course made from another: the whole of it, or its kit, its people, its sites taken over."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from sqlalchemy import select

from tarvik.store import course_file, course_in, courses, kit
from tarvik.store.models import Site

if TYPE_CHECKING:
    from collections.abc import Mapping

    from sqlalchemy.orm import Session

    from tarvik.exchange.course_file import CourseFile
    from tarvik.store.models import Course

KIT: Final = ("sheets", "supports", "lines", "stakes")
NAME_MOST: Final = 120


@dataclass(frozen=True, slots=True)
class Wanted:
    """What of a course is taken."""

    people: bool = False
    kit: bool = False
    sites: bool = False
    nights: bool = False

    @property
    def anything(self) -> bool:
        """Whether anything is."""
        return self.people or self.kit or self.sites or self.nights


@dataclass(frozen=True, slots=True)
class Taken:
    """How many rows of each were taken over."""

    people: int
    kit: int
    sites: int


def copied(session: Session, course_id: int, wanted: Wanted, name: str = "") -> Course:
    """A new course of the same provider with what is wanted of another, its rules always. Nights
    come without their dates, forecasts and logs; their shelters only with people and kit. Raises
    NotFoundError and InputError.
    """
    source = courses.course(session, course_id)
    file = course_file.export(session, course_id)
    title = " ".join(name.split()) or f"{file.name} again"
    parts = _parts(file, wanted)
    parts["name"] = title[:NAME_MOST]
    made = file.model_copy(update=parts)
    return course_in.bring_in(session, made, provider_id=source.provider_id)


def _parts(file: CourseFile, wanted: Wanted) -> dict[str, object]:
    """The parts of a course file that change when only some of it is wanted."""
    parts: dict[str, object] = {}
    if not wanted.people:
        parts |= {"people": [], "pairs": []}
    for name in KIT:
        rows = getattr(file, name) if wanted.kit else []
        owned = {} if wanted.people else {"owner": None}
        parts[name] = [row.model_copy(update=owned) for row in rows]
    if not wanted.sites:
        parts["sites"] = []
    whole = wanted.people and wanted.kit
    evenings = file.nights if wanted.nights else file.nights[:1]
    parts["nights"] = [
        night.model_copy(
            update={
                "on": None,
                "forecast": None,
                "said": [],
                "site": night.site if wanted.sites else None,
                **({} if wanted.nights else {"needs": {}, "title": "Night 1"}),
                **({} if whole and wanted.nights else _BARE),
            }
        )
        for night in evenings
    ]
    return parts


_BARE: Final[Mapping[str, object]] = {"shelters": [], "asked": None, "named": []}
"""A night of which nothing is planned."""


def taken(session: Session, into: int, source: int, wanted: Wanted) -> Taken:
    """Add people, kit and sites of another course to one. Kit stays with its owner where somebody
    of that name is there, else it is the group's; people and sites of a name that is there are not
    taken twice. Raises NotFoundError and InputError.
    """
    courses.course(session, into)
    file = course_file.export(session, source)
    there = {p.name: p.id for p in kit.rows(session, into, "people")}
    new = [p for p in file.people if p.name not in there] if wanted.people else []
    rows = kit.add(session, into, "people", [p.model_dump(exclude={"key"}) for p in new])
    there |= {row.name: row.id for row in rows}
    named = {p.key: there.get(p.name) for p in file.people}
    count = 0
    for name in KIT if wanted.kit else ():
        plain = [
            {
                **row.model_dump(exclude={"key", "owner"}, exclude_unset=True),
                "owner_id": named.get(row.owner),
            }
            for row in getattr(file, name)
        ]
        count += len(kit.add(session, into, name, plain))
    sites = _sites(session, into, file) if wanted.sites else 0
    return Taken(len(new), count, sites)


def _sites(session: Session, into: int, file: CourseFile) -> int:
    """Sites with their surveys; how many were new."""
    names = select(Site.name).where(Site.course_id == into, Site.deleted_at.is_(None))
    there = set(session.scalars(names))
    new = [site for site in file.sites if site.name not in there]
    return len(course_in.bring_sites(session, into, new))
