"""The page of practice: one sheet of paper, both sides, with what people look up in the wood:
knots, steps over a distance, what to do in foul weather and for somebody hurt, and lines to fill in
in the morning.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from tarvik.core.knots import Knot, knots_for
from tarvik.core.paces import Stride, distances_m, in_halves, strides
from tarvik.core.quantities import format_position
from tarvik.core.units import Units
from tarvik.core.weather.wind import MOST_FORCE
from tarvik.store import kit
from tarvik.store.kit import body_of
from tarvik.store.models import Course, Night, Site
from tarvik.web.drawing.knots import knot_drawing
from tarvik.web.screens.camp.view import CampView, Paper, SetUpCard


@dataclass(frozen=True, slots=True)
class Change:
    """What shelters of one pitch are turned into, and when (in words, before which `force`): `move`
    is empty where it is as low as it goes, `minutes` for one able person.
    """

    force: int
    when: str
    shelters: tuple[int, ...]
    pitch: str
    move: str
    minutes: int


@dataclass(frozen=True, slots=True)
class PracticeView:
    """What stands on it. `strides`: people who walk alike, and their steps over each of the
    `distances` in words; `sitting`: the shelter with most ground under sitting height, and how
    much, m2; None where nobody can sit.
    """

    course: Course
    night: Night
    paper: Paper
    units: str
    knots: list[tuple[Knot, str]]
    distances: list[int]
    strides: list[tuple[Stride, list[str]]]
    changes: list[Change]
    position: str
    sitting: tuple[int, float] | None
    cards: list[SetUpCard]
    cautions: tuple[str, ...]


def practice_view(session: Session, camp: CampView) -> PracticeView:
    """The page of practice for the shelters of a camp sheet."""
    units = Units(camp.course.units)
    distances = distances_m(units)
    people = kit.rows(session, camp.course.id, "people")
    walked = strides({p.name: body_of(p) for p in people}, distances.values())
    site = session.get(Site, camp.night.site_id) if camp.night.site_id else None
    return PracticeView(
        course=camp.course,
        night=camp.night,
        paper=camp.paper,
        units=units.value,
        knots=[(knot, knot_drawing(knot.slug)) for knot in _knots(camp.cards)],
        distances=list(distances),
        strides=[(s, [in_halves(halves) for halves in s.halves]) for s in walked],
        changes=_changes(camp.cards),
        position=_position(site),
        sitting=_sitting(camp.cards),
        cards=camp.cards,
        cautions=tuple(camp.short_cautions),
    )


def _position(site: Site | None) -> str:
    if site is None or site.latitude is None or site.longitude is None:
        return ""
    return format_position(site.latitude, site.longitude)


def _knots(cards: Sequence[SetUpCard]) -> list[Knot]:
    """The knots that the night's shelters take, each once, in the order they are met."""
    met: dict[str, Knot] = {}
    for card in cards:
        if card.pitched is None or card.pitched.rig is None:
            continue
        hitch = card.solution.question.supports.house.hitch
        buttons = card.solution.assessment.buttons > 0
        purposes = {line.purpose for line in card.pitched.rig.lines}
        met |= {knot.slug: knot for knot in knots_for(purposes, hitch, buttons=buttons)}
    return list(met.values())


def _changes(cards: Sequence[SetUpCard]) -> list[Change]:
    """The changes of pitch that wind asks for, the first one first."""
    alike: dict[tuple[int, str, str, str, int], list[int]] = {}
    for card in cards:
        if card.pitched is None:
            continue
        move, gale = card.pitched.storm, card.pitched.gale
        force = gale.move_at_force if gale else MOST_FORCE
        when = gale.change_when if gale else ""
        told = (move.title, round(move.minutes)) if move else ("", 0)
        alike.setdefault((force, when, card.pitch.name, *told), []).append(card.number)
    changes = [
        Change(force, when, tuple(numbers), pitch, move, minutes)
        for (force, when, pitch, move, minutes), numbers in alike.items()
    ]
    return sorted(changes, key=lambda change: (change.force, change.shelters))


def _sitting(cards: Sequence[SetUpCard]) -> tuple[int, float] | None:
    """The shelter with most ground under sitting height, where somebody hurt can be looked after;
    None where nobody can sit.
    """
    room = {c.number: c.pitched.figures.sit_area_m2 for c in cards if c.pitched is not None}
    most = max(room, key=lambda number: room[number], default=None)
    return None if most is None or room[most] <= 0 else (most, room[most])
