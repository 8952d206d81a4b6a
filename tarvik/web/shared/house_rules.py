"""Rules of the course that a leader's own choice breaks: told before it is made, marked on every
screen until it is changed, or accepted knowingly.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from tarvik.core.finding import Finding
from tarvik.core.plan.party import Broken, broken
from tarvik.exchange.night_form import plan_rules_of
from tarvik.store import asks, plans
from tarvik.store.kit import camper_of

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from sqlalchemy.orm import Session

    from tarvik.store.asks import Accepted
    from tarvik.store.models import Course, Night, Person, ShelterRow

BROKEN: Final = "rule_broken"
ACCEPTED: Final = "rule_accepted"


def broken_by(course: Course, people: Iterable[Person]) -> list[Broken]:
    """The rules that these people under one sheet break."""
    return broken([camper_of(p) for p in people], plan_rules_of(course.rules or {}))


def new_breaks(
    session: Session,
    course: Course,
    night: Night,
    people: Sequence[Person],
    before: ShelterRow | None,
) -> list[Broken]:
    """What these people under one sheet would break that neither stands so already nor was
    accepted.
    """
    known = set() if before is None else set(broken_by(course, plans.sleepers(before)))
    accepted = {a.broken for a in asks.accepted(session, night.id)}
    found = broken_by(course, people)
    return [b for b in found if b not in known and (b.rule, b.people) not in accepted]


def told(some: Sequence[Broken]) -> str:
    """Breaks in one sentence."""
    return "; ".join(b.words for b in some)


def marker(session: Session, course: Course) -> Callable[[ShelterRow], list[Finding]]:
    """What marks a shelter whose people break a rule."""
    known: dict[int, dict[tuple[str, tuple[int, ...]], Accepted]] = {}

    def marks(row: ShelterRow) -> list[Finding]:
        if row.night_id not in known:
            some = asks.accepted(session, row.night_id)
            known[row.night_id] = {a.broken: a for a in some}
        return [
            _finding(b, known[row.night_id].get((b.rule, b.people)))
            for b in broken_by(course, plans.sleepers(row))
        ]

    return marks


def _finding(one: Broken, accepted: Accepted | None) -> Finding:
    if accepted is None:
        return Finding(BROKEN, one.rule, one.words, "move somebody, or accept it knowingly")
    return Finding(
        ACCEPTED, one.rule, f"{one.words}: accepted by {accepted.by}, {accepted.at}"
    )
