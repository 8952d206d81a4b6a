"""What a participant's card shows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import islice
from typing import Any

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core.knots import Knot, knots_for
from tarvik.core.moves import Outcome, outcomes
from tarvik.core.units import Units, format_length, format_size
from tarvik.core.weather.sun import Evening
from tarvik.store import kit, nights, plans
from tarvik.store.models import Answer, Course, Night, Person
from tarvik.web.drawing.knots import knot_drawing
from tarvik.web.screens.camp.view import SetUpCard, shelter_cards
from tarvik.web.shared.night_words import weather_words
from tarvik.web.shared.shelters_map import camp_of
from tarvik.web.shared.standing import ground_of, judge_of
from tarvik.web.state import parts_of


def next_night(all_of_them: list[Night]) -> Night | None:
    """The night that is next: today's, or the first after today, else the last."""
    today = datetime.now(UTC).date()
    return next(
        (n for n in all_of_them if n.on is not None and n.on >= today),
        all_of_them[0] if all_of_them else None,
    )


def own_kit(session: Session, course: Course, person: Person) -> list[tuple[str, str]]:
    """(key, words) of what is a person's own."""
    units = Units(course.units)
    words: dict[str, Callable[[Any], str]] = {
        "sheets": lambda r: f"sheet {format_size(r.width_m, r.length_m, units)}",
        "supports": lambda r: f"{r.count} × {r.kind}",
        "lines": lambda r: f"{r.count} × line of {format_length(r.length_m, units)}",
        "stakes": lambda r: f"{r.count} stakes",
    }
    own = [
        (f"{name}-{r.id}", str(say(r)))
        for name, say in words.items()
        for r in kit.rows(session, course.id, name)
        if r.owner_id == person.id
    ]
    return [
        *own,
        ("mat", "sleeping mat"),
        ("bag", "sleeping bag, packed dry"),
        ("lamp", "head lamp with fresh cells"),
        ("layer", "a warm layer and a hat for the night"),
    ]


@dataclass(frozen=True, slots=True)
class Told:
    """What stands on one night's card; only what this person needs. `card` is None while they have
    no shelter; `map` where the shelter is on the site's map.
    """

    night: Night
    weather: str
    evening: Evening | None
    card: SetUpCard | None = None
    mates: tuple[str, ...] = ()
    moves: tuple[Outcome, ...] = ()
    knots: tuple[tuple[Knot, str], ...] = ()
    map: str | None = None


def card_of(
    request: Request, session: Session, course: Course, person: Person, night: Night
) -> Told:
    """The same, of this night."""
    units = Units(course.units)
    tonight = nights.night_of(session, course, night)
    told = Told(night, weather_words(tonight.needs, units), tonight.needs.evening)
    own = [
        (row, number)
        for number, row in enumerate(plans.shelters(session, night.id), start=1)
        if any(p.id == person.id for p in plans.sleepers(row))
    ]
    if not own:
        return told
    judge = judge_of(request, session, course, tonight, night.id)
    ground = ground_of(session, night.site_id)
    made = shelter_cards(judge, [judge.of(*own[0])], ground)[0]
    solution, rig = made.solution, made.pitched.rig if made.pitched else None
    moves = (o for o in outcomes(solution, parts_of(request).solver.backend) if o.after)
    house = solution.question.supports.house
    buttons = solution.assessment.buttons > 0
    knots = (
        knots_for({x.purpose for x in rig.lines}, house.hitch, buttons=buttons)
        if rig
        else []
    )
    return replace(
        told,
        card=made,
        mates=tuple(p.name.split()[0] for p in made.people if p.id != person.id),
        moves=tuple(islice(moves, 1)),
        knots=tuple((k, knot_drawing(k.slug)) for k in knots),
        map=camp_of(request, session, course, night).phone_map(own[0][0].id),
    )


def said_by(answer: Answer, units: Units) -> str:
    if answer.kind == "stature":
        return f"is {format_length(answer.values['stature_m'], units)} tall"
    return (
        "brings a sheet of "
        f"{format_size(answer.values['width_m'], answer.values['length_m'], units)}"
    )
