"""A night's choices: which sheet stands in which pitch, where, and who sleeps under it. Every
change of them, of the aims' order and of what is fixed can be undone, in one line of history.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from sqlalchemy import delete, select

from tarvik.core.errors import InputError
from tarvik.core.pitches import pitch_named
from tarvik.store.kit import NotFoundError, one
from tarvik.store.models import (
    Night,
    NightPlan,
    Person,
    PlanStep,
    ShelterMember,
    ShelterRow,
)
from tarvik.store.night_plan import locked_for_change

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject

MOST_STEPS = 50
KEPT = ("aims", "locks", "accepted")
"""Parts of what is asked of a night's plan that undo takes back."""


@dataclass(frozen=True)
class Choice:
    """A shelter to be: sheet and people by number; with `joined_id`, of two sheets joined."""

    sheet_id: int
    pitch: str
    settings: Mapping[str, float]
    people: tuple[int, ...]
    spot: JsonMapping | None = None
    joined_id: int | None = None

    @property
    def sheets(self) -> tuple[int, ...]:
        """Numbers of the sheets it is made of."""
        return (
            (self.sheet_id,) if self.joined_id is None else (self.sheet_id, self.joined_id)
        )


def choice_of(plain: JsonMapping) -> Choice:
    """A choice from its plain values."""
    return Choice(
        plain["sheet_id"],
        plain["pitch"],
        plain["settings"],
        tuple(plain["people"]),
        plain.get("spot"),
        plain.get("joined_id"),
    )


def plain_of(choice: Choice) -> JsonObject:
    """A choice as plain values, for keeping."""
    spot = dict(choice.spot) if choice.spot else None
    return {
        "sheet_id": choice.sheet_id,
        "pitch": choice.pitch,
        "settings": dict(choice.settings),
        "people": list(choice.people),
        "spot": spot,
        "joined_id": choice.joined_id,
    }


def shelters(session: Session, night_id: int) -> Sequence[ShelterRow]:
    """A night's shelters in the order they were chosen, without those of which a sheet was
    deleted.
    """
    query = (
        select(ShelterRow).where(ShelterRow.night_id == night_id).order_by(ShelterRow.id)
    )
    rows = session.scalars(query).unique()
    return [row for row in rows if all(sheet.deleted_at is None for sheet in row.sheets)]


def shelter(session: Session, night_id: int, shelter_id: int) -> ShelterRow:
    """One of a night's shelters. Raises NotFoundError."""
    row = next((r for r in shelters(session, night_id) if r.id == shelter_id), None)
    if row is None:
        raise NotFoundError("this shelter is no longer planned for the night")
    return row


def sleepers(row: ShelterRow) -> list[Person]:
    """People of a shelter who are still on the course."""
    return [member.person for member in row.members if member.person.deleted_at is None]


def lock(session: Session, night: Night) -> None:
    """Let no other change of this night's choices in until this one is saved."""
    session.scalars(select(Night).where(Night.id == night.id).with_for_update()).one()


def snapshot(session: Session, night: Night) -> list[JsonObject]:
    """A night's choices as plain values."""
    query = (
        select(ShelterRow).where(ShelterRow.night_id == night.id).order_by(ShelterRow.id)
    )
    return [plain_of(as_choice(row)) for row in session.scalars(query).unique()]


def as_choice(row: ShelterRow) -> Choice:
    """A shelter that was chosen, as the choice that made it."""
    people = tuple(member.person_id for member in row.members)
    return Choice(row.sheet_id, row.pitch, row.settings, people, row.spot, row.joined_id)


def _asked(session: Session, night: Night) -> JsonObject:
    """The order of the aims, what is fixed and what is accepted, as plain values."""
    row = session.get(NightPlan, night.id, populate_existing=True)
    asked = (row.asked if row else None) or {}
    return {key: asked[key] for key in KEPT if key in asked}


def _ask_again(session: Session, night: Night, asked: JsonMapping | None) -> None:
    """Put the order of the aims and the rest back; nothing for a step that kept none."""
    if asked is None:
        return
    row = locked_for_change(session, night.id)
    rest = {k: v for k, v in (row.asked or {}).items() if k not in KEPT}
    row.asked = {**rest, **asked}
    session.flush()


def begin_change(session: Session, night: Night, shelter_id: int, doing: str) -> ShelterRow:
    """One shelter as it is now, to be changed by nobody else meanwhile, in a way that undo takes
    back. Raises NotFoundError where a plan has put others in its place.
    """
    lock(session, night)
    session.expire_all()
    row = shelter(session, night.id, shelter_id)
    number = [r.id for r in shelters(session, night.id)].index(row.id) + 1
    remember(session, night, f"{doing} shelter {number}")
    return row


def remember(session: Session, night: Night, what: str) -> None:
    """Keep a night's choices and what is asked of its plan as they are, for undo: a change
    follows.
    """
    session.execute(delete(PlanStep).where(PlanStep.night_id == night.id, PlanStep.undone))
    session.add(
        PlanStep(
            night_id=night.id,
            what=what[:200],
            before=snapshot(session, night),
            asked=_asked(session, night),
        )
    )
    session.flush()
    old = (
        select(PlanStep.id)
        .where(PlanStep.night_id == night.id)
        .order_by(PlanStep.id.desc())
        .offset(MOST_STEPS)
    )
    session.execute(delete(PlanStep).where(PlanStep.id.in_(old)))


def _clear_beds(session: Session, night: Night, people: Sequence[int]) -> None:
    """Take people out of the shelters they are in; an emptied shelter goes."""
    session.execute(
        delete(ShelterMember).where(
            ShelterMember.night_id == night.id, ShelterMember.person_id.in_(people or [0])
        )
    )
    session.flush()
    session.expire_all()
    for row in session.scalars(
        select(ShelterRow).where(ShelterRow.night_id == night.id)
    ).unique():
        if not row.members:
            session.delete(row)
    session.flush()


def _put(session: Session, night: Night, choice: Choice) -> ShelterRow:
    row = ShelterRow(
        night_id=night.id,
        sheet_id=choice.sheet_id,
        pitch=choice.pitch,
        settings=dict(choice.settings),
        spot=dict(choice.spot) if choice.spot else None,
        joined_id=choice.joined_id,
        members=[ShelterMember(person_id=p, night_id=night.id) for p in choice.people],
    )
    session.add(row)
    session.flush()
    return row


def choose(session: Session, night: Night, choice: Choice) -> ShelterRow:
    """Put people under a sheet, or two joined, in a pitch; they leave the shelters they were in,
    and the sheets their former pitches.

    Raises InputError for an unknown pitch, setting or nobody to sleep there; NotFoundError for a
    stranger's sheet.
    """
    settings = pitch_named(choice.pitch).checked(choice.settings)
    for sheet in choice.sheets:
        one(session, night.course_id, "sheets", sheet)
    if not choice.people:
        raise InputError("people", "say who sleeps there: tick at least one person")
    for person in choice.people:
        one(session, night.course_id, "people", person)
    lock(session, night)
    remember(session, night, "choosing a shelter")
    every = session.scalars(
        select(ShelterRow).where(ShelterRow.night_id == night.id)
    ).unique()
    spot = choice.spot
    for row in every:
        if set(as_choice(row).sheets) & set(choice.sheets):
            spot = spot or row.spot
            session.delete(row)
    session.flush()
    _clear_beds(session, night, choice.people)
    people = tuple(dict.fromkeys(choice.people))
    return _put(
        session, night, replace(choice, settings=settings, people=people, spot=spot)
    )


def remove(session: Session, night: Night, shelter_id: int) -> None:
    """Take a shelter off the night's choices (undo brings it back)."""
    lock(session, night)
    row = session.get(ShelterRow, shelter_id)
    if row is None or row.night_id != night.id:
        return
    remember(session, night, "taking a shelter off")
    session.delete(row)
    session.flush()


def replace_all(
    session: Session, night: Night, choices: Sequence[Choice], what: str
) -> None:
    """Put a whole night's choices in the place of what there was."""
    lock(session, night)
    remember(session, night, what)
    _rebuild(session, night, choices)


def _rebuild(session: Session, night: Night, choices: Sequence[Choice]) -> None:
    session.execute(delete(ShelterRow).where(ShelterRow.night_id == night.id))
    session.flush()
    session.expire_all()
    for choice in choices:
        _put(session, night, choice)


def last_step(session: Session, night: Night) -> PlanStep | None:
    """The change that undo would take back."""
    query = select(PlanStep).where(PlanStep.night_id == night.id, ~PlanStep.undone)
    return session.scalars(query.order_by(PlanStep.id.desc()).limit(1)).first()


def next_step(session: Session, night: Night) -> PlanStep | None:
    """The change that redo would make again."""
    query = select(PlanStep).where(PlanStep.night_id == night.id, PlanStep.undone)
    return session.scalars(query.order_by(PlanStep.id).limit(1)).first()


def current_step(session: Session, night: Night) -> int:
    """Number of the last change of a night's choices, 0 before the first: what a leader has
    seen.
    """
    step = last_step(session, night)
    return step.id if step else 0


def undo(session: Session, night: Night) -> str | None:
    """Take back the last change; says what it was, None when there is nothing to take back."""
    lock(session, night)
    step = last_step(session, night)
    if step is None:
        return None
    step.after, step.undone = snapshot(session, night), True
    step.asked_after = _asked(session, night)
    _ask_again(session, night, step.asked)
    _rebuild(session, night, [choice_of(c) for c in step.before])
    session.flush()
    return step.what


def redo(session: Session, night: Night) -> str | None:
    """Make the change last undone again; says what it was, None when there is none."""
    lock(session, night)
    step = next_step(session, night)
    if step is None:
        return None
    _ask_again(session, night, step.asked_after)
    _rebuild(session, night, [choice_of(c) for c in step.after or []])
    step.undone = False
    session.flush()
    return step.what


def move_person(
    session: Session, night: Night, person_id: int, shelter_id: int | None
) -> None:
    """Put one person to bed in another of the night's shelters, or in none. An emptied shelter
    goes.
    """
    person = one(session, night.course_id, "people", person_id)
    lock(session, night)
    row = session.get(ShelterRow, shelter_id) if shelter_id is not None else None
    if shelter_id is not None and (row is None or row.night_id != night.id):
        raise NotFoundError("this shelter is no longer planned for the night")
    remember(session, night, f"moving {person.name}")
    if row is not None and len(row.members) == 1 and row.members[0].person_id == person_id:
        return
    _clear_beds(session, night, [person_id])
    if shelter_id is not None:
        session.add(
            ShelterMember(shelter_id=shelter_id, person_id=person_id, night_id=night.id)
        )
    session.flush()
    session.expire_all()
