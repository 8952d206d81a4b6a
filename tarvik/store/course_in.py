"""A course file into the database as a new course: all of it, or nothing. What cannot be read is
named with its place in the file.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any

from tarvik.core.errors import InputError
from tarvik.core.pitches import pitch_named
from tarvik.core.plan.aims import AIMS, in_order
from tarvik.core.weather.needs import zone_named
from tarvik.exchange import night_form
from tarvik.exchange.forecast import read_json
from tarvik.exchange.ground_form import checked
from tarvik.exchange.log_form import LogKept
from tarvik.store import asks, field, kit, nights, plans
from tarvik.store.accounts import home_provider
from tarvik.store.course_file import KIT
from tarvik.store.models import Course, ForecastRow, GroundItem, NamedPlan, Night, now

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject
    from tarvik.exchange.course_file import (
        AskedIn,
        AwayIn,
        CourseFile,
        ForecastIn,
        NightIn,
        PersonIn,
        SaidIn,
        SheetIn,
        ShelterIn,
        SiteIn,
    )

NEEDED = {"supports": "kind", "lines": "length_m"}
"""What each piece of a kind of kit must tell; stakes may be as the house rules say."""


@dataclass(frozen=True, slots=True)
class Numbers:
    """By which number here what a file names by its keys is kept."""

    people: Mapping[int, int]
    sheets: Mapping[int, int]
    sites: Mapping[int, int]


def bring_in(
    session: Session,
    file: CourseFile,
    *,
    demo: bool = False,
    provider_id: int | None = None,
) -> Course:
    """A new course from a file, all or nothing. Raises InputError that names the place."""
    made = Course(
        name=" ".join(file.name.split()) or "Course",
        place=file.place,
        note=file.note,
        units=file.units,
        demo=demo,
        provider_id=provider_id or home_provider(session),
        rules={},
    )
    session.add(made)
    session.flush()
    people = _bring_people(session, made.id, file.people)
    sheets = _bring_sheets(session, made.id, file.sheets, people)
    _bring_kit(session, made.id, file, people)
    numbers = Numbers(people, sheets, bring_sites(session, made.id, file.sites))
    _bring_rules(made, file, people)
    session.flush()
    for position, night in enumerate(file.nights, start=1):
        _bring_night(session, made, position, night, numbers)
    session.flush()
    return made


def _bring_people(
    session: Session, course_id: int, told: Sequence[PersonIn]
) -> dict[int, int]:
    people = _unique("people", [(p.key, p) for p in told])
    plain = [p.model_dump(exclude={"key"}) for p in people.values()]
    rows = kit.add(session, course_id, "people", plain)
    return dict(zip(people, (row.id for row in rows), strict=True))


def _owner(people: Mapping[int, int], key: int | None, where: str) -> int | None:
    return None if key is None else _known(people, key, where)


def _bring_sheets(
    session: Session, course_id: int, told: Sequence[SheetIn], people: Mapping[int, int]
) -> dict[int, int]:
    sheets = _unique("sheets", [(s.key, s) for s in told])
    plain = [
        {
            **s.model_dump(exclude={"key", "owner"}),
            "owner_id": _owner(people, s.owner, "sheets"),
        }
        for s in sheets.values()
    ]
    rows = kit.add(session, course_id, "sheets", plain)
    for row in rows:
        _tried("sheets", partial(kit.sheet_of, row))
    return dict(zip(sheets, (row.id for row in rows), strict=True))


def _bring_kit(
    session: Session, course_id: int, file: CourseFile, people: Mapping[int, int]
) -> None:
    """Supports, lines and stakes."""
    for name, keys in KIT.items():
        some = [
            {
                "owner_id": _owner(people, k.owner, name),
                "count": k.count,
                "note": k.note,
                **{x: getattr(k, x) for x in keys},
            }
            for k in getattr(file, name)
        ]
        _whole(name, some)
        kit.add(session, course_id, name, some)


def bring_sites(session: Session, course_id: int, told: Sequence[SiteIn]) -> dict[int, int]:
    """Sites with their surveys; by their keys, as what they are kept. Raises InputError."""
    sites = {}
    for site in _unique("sites", [(s.key, s) for s in told]).values():
        values = site.model_dump(exclude={"key", "items"})
        kept = _tried("sites", partial(nights.add_site, session, course_id, values))
        sites[site.key] = kept.id
        where = f"sites.{site.name}"
        session.add_all(
            GroundItem(
                site_id=kept.id,
                kind=i.kind,
                data=_tried(where, partial(checked, i.kind, i.data)),
            )
            for i in site.items
        )
    session.flush()
    return sites


def _bring_rules(made: Course, file: CourseFile, people: Mapping[int, int]) -> None:
    """House rules, and who shares with whom; each must be such as a night can be judged by."""
    pairs = [
        [p.kind, _known(people, p.one, "pairs"), _known(people, p.two, "pairs")]
        for p in file.pairs
    ]
    made.rules = {**file.rules, **({"pairs": pairs} if pairs else {})}
    for shape in (
        night_form.plan_rules_of,
        night_form.ground_rules_of,
        night_form.house_of,
        night_form.lying_of,
        night_form.net_of,
        night_form.may_cut,
    ):
        _tried("rules", partial(shape, made.rules))


def _bring_night(
    session: Session, course: Course, position: int, told: NightIn, numbers: Numbers
) -> None:
    where = f"nights.{position}"
    night = Night(
        course_id=course.id,
        position=position,
        title=told.title,
        on=told.on,
        intent=told.intent,
        needs=told.needs,
        site_id=None if told.site is None else _known(numbers.sites, told.site, where),
    )
    session.add(night)
    session.flush()
    _tried(where, partial(nights.night_of, session, course, night))
    _bring_shelters(session, night, told, numbers, where)
    _bring_said(session, night, told.said, numbers, where)
    if told.asked is not None:
        _bring_asked(session, night, told.asked, numbers, where)
    if told.forecast is not None:
        _bring_forecast(session, night, told.forecast, where)
    _tried(
        f"{where}.forecast",
        lambda: nights.kept_forecast(nights.forecast_row(session, night), "UTC"),
    )


def _choices(
    shelters: Sequence[ShelterIn], numbers: Numbers, where: str
) -> list[plans.Choice]:
    def settings_of(shelter: ShelterIn) -> dict[str, float]:
        return pitch_named(shelter.pitch).checked(shelter.settings)

    return [
        plans.Choice(
            _known(numbers.sheets, s.sheet, where),
            s.pitch,
            _tried(where, partial(settings_of, s)),
            tuple(_known(numbers.people, p, where) for p in s.people),
            s.spot.model_dump() if s.spot else None,
            None if s.joined is None else _known(numbers.sheets, s.joined, where),
        )
        for s in shelters
    ]


def _bring_shelters(
    session: Session, night: Night, told: NightIn, numbers: Numbers, where: str
) -> None:
    """The night's choices, and those kept under names."""
    chosen = _choices(told.shelters, numbers, where)
    beds = [p for c in chosen for p in c.people]
    used = [sheet for c in chosen for sheet in c.sheets]
    if len(set(beds)) < len(beds) or len(set(used)) < len(used):
        words = f"at {where}.shelters: somebody, or a sheet, is in two shelters"
        raise InputError("file", words)
    if chosen:
        plans.replace_all(session, night, chosen, "the course file")
    for named in told.named:
        kept = [plans.plain_of(c) for c in _choices(named.shelters, numbers, where)]
        session.add(
            NamedPlan(night_id=night.id, name=named.name, shelters=kept, value=named.value)
        )


def _bring_said(
    session: Session, night: Night, told: Sequence[SaidIn], numbers: Numbers, where: str
) -> None:
    """What was said in the field."""
    said = [
        field.Said(
            e.key, e.kind, _known(numbers.sheets, e.sheet, where), e.data, e.at, e.by
        )
        for e in told
    ]
    for entry in said:
        if entry.kind == field.LOG:
            _tried(f"{where}.said", partial(LogKept.model_validate, entry.data))
    field.keep(session, night.id, said)


def _bring_forecast(session: Session, night: Night, told: ForecastIn, where: str) -> None:
    _tried(
        f"{where}.forecast",
        lambda: read_json(json.dumps(told.form), zone_named("UTC")),
    )
    session.add(
        ForecastRow(
            night_id=night.id,
            form=told.form,
            findings=told.findings,
            feed=told.feed,
            fetched_at=now(),
            asked_at=now(),
        )
    )
    session.flush()


def _kit_away(
    session: Session, night: Night, told: Sequence[AwayIn], where: str
) -> dict[str, int]:
    """The pieces that a file says are not there, by the rows they belong to here."""
    out = {}
    for one in told:
        rows = kit.rows(session, night.course_id, one.table)
        if one.place >= len(rows):
            raise InputError(
                where, f"the file has no row {one.place} among its {one.table}"
            )
        out[kit.piece_key(one.table, rows[one.place].id)] = one.pieces
    return out


def _bring_asked(
    session: Session,
    night: Night,
    told: AskedIn,
    numbers: Numbers,
    where: str,
) -> None:
    changes: JsonObject = {
        "locks": {
            "people": [_known(numbers.people, p, where) for p in told.locked_people],
            "standing": [_known(numbers.sheets, s, where) for s in told.locked_standing],
            "unused": [_known(numbers.sheets, s, where) for s in told.locked_unused],
        },
        "seconds": told.seconds,
        "absent": {
            "people": [_known(numbers.people, p, where) for p in told.absent_people],
            "sheets": [_known(numbers.sheets, s, where) for s in told.absent_sheets],
            "kit": _kit_away(session, night, told.absent_kit, where),
        },
        "evening": {
            "arrival": told.arrival,
            "mallets": told.mallets,
            "done": [],
            "late": {
                str(_known(numbers.people, x.person, where)): x.minutes for x in told.late
            },
            "gone": [_known(numbers.people, p, where) for p in told.gone],
        },
    }
    if told.aims is not None:
        changes["aims"] = list(
            in_order(told.aims, AIMS)
        )  # old files name aims that are no more
    asks.set_asked(session, night.id, changes)


def _unique(what: str, some: Sequence[tuple[int, Any]]) -> dict[int, Any]:
    out = dict(some)
    if len(out) < len(some):
        raise InputError("file", f"at {what}: a key stands twice")
    return out


def _known(numbers: Mapping[int, int], key: int, where: str) -> int:
    if key not in numbers:
        raise InputError("file", f"at {where}: nothing in the file has the key {key}")
    return numbers[key]


def _whole(name: str, some: Sequence[JsonMapping]) -> None:
    needed = NEEDED.get(name)
    if needed is not None and any(k[needed] is None for k in some):
        raise InputError("file", f"at {name}: “{needed}” is missing")


def _tried(where: str, make: Callable[[], Any]) -> Any:
    """What a reader makes of plain values; whatever they are unfit for is named with its place."""
    try:
        return make()
    except InputError as err:
        raise InputError("file", f"at {where}: {err.message}") from None
    except (TypeError, ValueError, KeyError, AttributeError, LookupError, OverflowError):
        raise InputError(
            "file", f"at {where}: this cannot be read; see the published schema"
        ) from None
