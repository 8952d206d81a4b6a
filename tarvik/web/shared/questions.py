"""The questions behind a sheet and a pitch: who is asked about, and what the address says of it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from tarvik.core.errors import InputError
from tarvik.core.measure.heading import front_bearing
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.solve import Question
from tarvik.core.units import format_size
from tarvik.store.kit import NotFoundError, body_of, cloth_of, one

if TYPE_CHECKING:
    from collections.abc import Mapping

    from fastapi import Request
    from sqlalchemy.orm import Session

    from tarvik.core.body import Body
    from tarvik.core.rig.supports import Supports
    from tarvik.core.tonight import Night
    from tarvik.core.units import Units
    from tarvik.store.models import Person, SheetRow, ShelterRow


NOT_SETTINGS = (
    "person",
    "wanted",
    "best",
    "from",
    "mate",
    "gear",
    "joined",
    "hang_at",
    "hang_by",
    "hang_out",
    "hang_taut",
    "hang_wet",
)
"""Words in a bench's or choice's address that are no settings of the pitch."""


def question(
    sheet: SheetRow,
    pitch: str,
    night: Night,
    supports: Supports,
    settings: Mapping[str, float] | None = None,
    person: Person | None = None,
    body: Body | None = None,
    wanted: int | None = 1,
    people: tuple[Body, ...] = (),
    wind_from_deg: float | None = None,
    joined: SheetRow | None = None,
) -> Question:
    """What is asked of one sheet (or it and another joined) and pitch on a night, for its owner
    unless somebody else is named.

    The wind comes onto the back, or from `wind_from_deg` in the shelter's own frame.
    """
    back = wind_from_deg is None
    return Question(
        sheet=cloth_of(sheet, joined),
        pitch=pitch_named(pitch),
        settings=dict(settings or {}),
        body=body or body_of(person or sheet.owner),
        intent=night.needs.wanted,
        supports=supports,
        wanted=wanted,
        weather=night.needs.weather(90.0 if wind_from_deg is None else wind_from_deg),
        lying=night.lying,
        people=people,
        free_to_turn=back,
        uphill_off_wind_deg=night.uphill_off_wind_deg,
        handy=True,
        reached=night.own.reached,
        drawn=night.own.drawn,
    )


def every_pitch() -> list[str]:
    """Slugs of all pitches, in the order they are shown."""
    return list(PITCHES)


def owner_name(sheet: SheetRow) -> str:
    """Whose sheet it is, in words."""
    return sheet.owner.name if sheet.owner else (sheet.label or "Group kit")


def sheet_here(session: Session, course_id: int, number: int) -> SheetRow:
    """A sheet of the course. Raises NotFoundError for a stranger's or a deleted one."""
    sheet: SheetRow = one(session, course_id, "sheets", number)
    if sheet.deleted_at is not None:
        raise NotFoundError("this sheet was deleted")
    return sheet


def joined_to(request: Request, session: Session, sheet: SheetRow) -> SheetRow | None:
    """The sheet that the address joins to this one; None where it names none. Raises InputError for
    the same one, NotFoundError for a stranger's or a deleted one.
    """
    text = request.query_params.get("joined", "")
    if not (text.isdecimal() and len(text) < 10):
        return None
    other = sheet_here(session, sheet.course_id, int(text))
    if other.id == sheet.id:
        raise InputError("joined", "a sheet is joined to another, not to itself")
    return other


def owner_names(row: ShelterRow) -> str:
    """Whose sheets a shelter is made of, in words."""
    return " and ".join(owner_name(sheet) for sheet in row.sheets)


def cloth_words(row: ShelterRow, units: Units) -> str:
    """What a shelter is pitched from: whose sheet, or both joined, and how large."""
    first, *more = row.sheets
    whose = f"{owner_name(first)}'s sheet" if first.owner else owner_name(first)
    to = [f"{owner_name(sheet)}'s" if sheet.owner else owner_name(sheet) for sheet in more]
    joined = f" joined to {to[0]}" if to else ""
    width, length = cloth_of(row.sheet, row.joined).box or (
        row.sheet.width_m,
        row.sheet.length_m,
    )
    return f"{whose}{joined}, {format_size(width, length, units)}"


def given_settings(request: Request, pitch: str) -> dict[str, float]:
    """Settings named in the address; those that are no numbers are refused."""
    kind = PITCHES.get(pitch)
    given: dict[str, float] = {}
    for name, text in request.query_params.items():
        if kind is None or name in NOT_SETTINGS:
            continue
        try:
            given[name] = float(text)
        except ValueError:
            raise InputError(f"settings.{name}", f"“{text[:20]}” isn't a number") from None
    return kind.checked(given) if kind else {}


def wanted(request: Request) -> int | None:
    """For how many sleepers settings are searched: 1, 2, 3, or None for as many as fit."""
    text = request.query_params.get("wanted", "1")
    if text == "most":
        return None
    if text not in ("1", "2", "3"):
        raise InputError("wanted", f"“{text[:20]}” is none of 1, 2, 3, most")
    return int(text)


def wind_from(request: Request) -> float | None:
    """From where the wind meets the shelter in its own frame, when the address names it. Raises
    InputError.
    """
    text = request.query_params.get("from", "")
    if not text:
        return None
    try:
        value = float(text)
    except ValueError:
        raise InputError("from", f"“{text[:20]}” is no bearing") from None
    if not 0 <= value <= 360:
        raise InputError("from", f"{value:g} is outside 0 to 360 degrees")
    return value % 360


def front_to(night: Night, own_from_deg: float) -> float | None:
    """Bearing to which the front must look tonight; None while the wind or its direction is not
    known.
    """
    wind = night.needs.wind_from_deg
    return (
        None
        if wind is None or not night.needs.wind_m_s
        else front_bearing(wind, own_from_deg)
    )


def with_gear(request: Request, night: Night) -> Night:
    """The night with the bench's own answer to “packs under the roof”, when the address gives
    one.
    """
    text = request.query_params.get("gear", "")
    return (
        night
        if text not in ("in", "out")
        else replace(night, lying=replace(night.lying, gear_in=text == "in"))
    )
