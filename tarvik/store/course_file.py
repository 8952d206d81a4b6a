"""A course out of the database as a course file, and a course file into it as a new course."""

from __future__ import annotations

import json
from functools import partial
from typing import TYPE_CHECKING, Any

from sqlalchemy import select

from tarvik.core.errors import InputError
from tarvik.core.pitches import pitch_named
from tarvik.core.plan.aims import AIMS, in_order
from tarvik.core.weather.needs import zone_named
from tarvik.exchange import night_form
from tarvik.exchange.course_file import (
    AskedIn,
    AwayIn,
    CourseFile,
    ForecastIn,
    ItemIn,
    KitIn,
    LateIn,
    NamedIn,
    NightIn,
    PairIn,
    PersonIn,
    SaidIn,
    SheetIn,
    ShelterIn,
    SiteIn,
    SpotIn,
)
from tarvik.exchange.forecast import read_json
from tarvik.exchange.ground_form import checked
from tarvik.exchange.log_form import LogKept
from tarvik.store import asks, courses, field, ground, kit, nights, plans
from tarvik.store.accounts import home_provider
from tarvik.store.models import (
    Course,
    ForecastRow,
    GroundItem,
    NamedPlan,
    Night,
    NightPlan,
    Site,
    now,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from sqlalchemy.orm import Session

KIT = {
    "supports": ("kind", "least_m", "most_m"),
    "lines": ("length_m", "uncut"),
    "stakes": ("length_m", "width_m"),
}
NEEDED = {"supports": "kind", "lines": "length_m"}
"""What each piece of a kind of kit must tell; stakes may be as the house rules say."""


def _fields(row: Any, model: Any, **more: Any) -> Any:
    names = [n for n in model.model_fields if n not in more and hasattr(row, n)]
    return model(**{n: getattr(row, n) for n in names}, **more)


def export(session: Session, course_id: int) -> CourseFile:
    """A course with everything that is not deleted. Raises NotFoundError."""
    course = courses.course(session, course_id)
    people, sheets = (
        kit.rows(session, course_id, "people"),
        kit.rows(session, course_id, "sheets"),
    )
    here = {p.id for p in people}
    sites = session.scalars(
        select(Site)
        .where(Site.course_id == course_id, Site.deleted_at.is_(None))
        .order_by(Site.position, Site.id)
    )
    rules = dict(course.rules or {})
    pairs = [
        PairIn(kind=k, one=a, two=b)
        for k, a, b in rules.pop("pairs", [])
        if a in here and b in here
    ]

    for name in ("carries", "weights"):
        rules.pop(name, None)  # names people and rows by numbers of this server

    def owner(row: Any) -> int | None:
        return row.owner_id if row.owner_id in here else None

    return CourseFile(
        form="tarvik-course-1",
        name=course.name,
        place=course.place,
        note=course.note,
        units=course.units,
        rules=rules,
        pairs=pairs,
        people=[_fields(p, PersonIn, key=p.id, measured=p.measured or {}) for p in people],
        sheets=[_fields(s, SheetIn, key=s.id, owner=owner(s)) for s in sheets],
        **{
            name: [
                KitIn(
                    owner=owner(r),
                    count=r.count,
                    note=r.note,
                    **{k: getattr(r, k) for k in keys},
                )
                for r in kit.rows(session, course_id, name)
            ]
            for name, keys in KIT.items()
        },
        sites=[
            _fields(
                s,
                SiteIn,
                key=s.id,
                items=[
                    ItemIn(kind=i.kind, data=i.data) for i in ground.items(session, s.id)
                ],
            )
            for s in sites
        ],
        nights=[
            _night(session, n, {s.id for s in sheets}, here)
            for n in courses.nights(session, course_id)
        ],
    )


def _shelters(
    plain: Sequence[Mapping[str, Any]], sheets: set[int], here: set[int]
) -> list[ShelterIn]:
    return [
        ShelterIn(
            sheet=s["sheet_id"],
            pitch=s["pitch"],
            settings=s["settings"],
            people=[p for p in s["people"] if p in here],
            spot=_spot(s["spot"]) if s.get("spot") else None,
            joined=s.get("joined_id"),
        )
        for s in plain
        if {s["sheet_id"], s.get("joined_id") or s["sheet_id"]} <= sheets
    ]


def _spot(kept: Mapping[str, Any]) -> SpotIn:
    """Where a shelter stands, of what the pages keep the part that a file tells."""
    known = {k: v for k, v in kept.items() if k in SpotIn.model_fields and v is not None}
    return SpotIn(**known)


def _night(session: Session, night: Night, sheets: set[int], here: set[int]) -> NightIn:
    kept = session.get(NightPlan, night.id)
    row = nights.forecast_row(session, night)
    return NightIn(
        title=night.title,
        on=night.on,
        intent=night.intent,
        site=night.site_id,
        needs=night.needs or {},
        shelters=_shelters(plans.snapshot(session, night), sheets, here),
        asked=_asked(asks.asked_of(kept), sheets, here, _away(session, night))
        if kept and kept.asked
        else None,
        named=[
            NamedIn(
                name=n.name, shelters=_shelters(n.shelters, sheets, here), value=n.value
            )
            for n in asks.named(session, night.id)
        ],
        forecast=ForecastIn(form=row.form, findings=row.findings, feed=row.feed)
        if row and row.form
        else None,
        said=[
            SaidIn(
                key=e.key, kind=e.kind, sheet=e.sheet_id, data=e.data, by=e.by, at=e.said_at
            )
            for e in field.entries(session, night.id)
            if e.sheet_id in sheets
        ],
    )


def _away(session: Session, night: Night) -> list[AwayIn]:
    """Pieces of kit that are not there on a night."""
    away = kit.missing(session, night.id)
    return [
        AwayIn(table=table, place=place, pieces=away[key])
        for table in KIT
        for place, row in enumerate(kit.rows(session, night.course_id, table))
        if away.get(key := kit.piece_key(table, row.id))
    ]


def _asked(
    asked: Mapping[str, Any], sheets: set[int], here: set[int], away: list[AwayIn]
) -> AskedIn:
    locks, evening = asked["locks"], asked["evening"]
    return AskedIn(
        aims=list(asked["aims"]),
        locked_people=[p for p in locks["people"] if p in here],
        locked_standing=[s for s in locks["standing"] if s in sheets],
        locked_unused=[s for s in locks["unused"] if s in sheets],
        seconds=int(asked["seconds"]),
        arrival=evening["arrival"],
        mallets=int(evening["mallets"]),
        late=[
            LateIn(person=int(p), minutes=int(m))
            for p, m in evening["late"].items()
            if int(p) in here
        ],
        gone=[p for p in evening["gone"] if p in here],
        absent_people=[p for p in asked["absent"]["people"] if p in here],
        absent_sheets=[s for s in asked["absent"]["sheets"] if s in sheets],
        absent_kit=away,
    )


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
    people = _unique("people", [(p.key, p) for p in file.people])
    rows = kit.add(
        session, made.id, "people", [p.model_dump(exclude={"key"}) for p in people.values()]
    )
    number = dict(zip(people, (r.id for r in rows), strict=True))

    def owner(key: int | None, where: str) -> int | None:
        return None if key is None else _known(number, key, where)

    sheets = _unique("sheets", [(s.key, s) for s in file.sheets])
    plain = [
        {**s.model_dump(exclude={"key", "owner"}), "owner_id": owner(s.owner, "sheets")}
        for s in sheets.values()
    ]
    sheet = dict(
        zip(sheets, (r.id for r in kit.add(session, made.id, "sheets", plain)), strict=True)
    )
    for row in kit.rows(session, made.id, "sheets"):
        _tried("sheets", lambda row=row: kit.sheet_of(row))  # type: ignore[misc]
    for name, keys in KIT.items():
        some = [
            {
                "owner_id": owner(k.owner, name),
                "count": k.count,
                "note": k.note,
                **{x: getattr(k, x) for x in keys},
            }
            for k in getattr(file, name)
        ]
        _whole(name, some)
        kit.add(session, made.id, name, some)
    sites = {}
    for site in _unique("sites", [(s.key, s) for s in file.sites]).values():
        kept = _tried(
            "sites",
            lambda site=site: nights.add_site(  # type: ignore[misc]
                session, made.id, site.model_dump(exclude={"key", "items"})
            ),
        )
        sites[site.key] = kept.id
        session.add_all(
            GroundItem(
                site_id=kept.id,
                kind=i.kind,
                data=_tried(
                    f"sites.{site.name}",
                    partial(checked, i.kind, i.data),
                ),
            )
            for i in site.items
        )
    pairs = [
        [p.kind, _known(number, p.one, "pairs"), _known(number, p.two, "pairs")]
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
        _tried("rules", lambda shape=shape: shape(made.rules))  # type: ignore[misc]
    session.flush()
    for position, night in enumerate(file.nights, start=1):
        _bring_night(session, made, position, night, (number, sheet, sites))
    session.flush()
    return made


def _bring_night(
    session: Session,
    course: Course,
    position: int,
    told: NightIn,
    numbers: tuple[dict[int, int], dict[int, int], dict[int, int]],
) -> None:
    people, sheets, sites = numbers
    where = f"nights.{position}"
    night = Night(
        course_id=course.id,
        position=position,
        title=told.title,
        on=told.on,
        intent=told.intent,
        needs=told.needs,
        site_id=None if told.site is None else _known(sites, told.site, where),
    )
    session.add(night)
    session.flush()
    _tried(where, lambda: nights.night_of(session, course, night))

    def settings_of(shelter: ShelterIn) -> dict[str, float]:
        return pitch_named(shelter.pitch).checked(shelter.settings)

    def choices(shelters: Sequence[ShelterIn]) -> list[plans.Choice]:
        return [
            plans.Choice(
                _known(sheets, s.sheet, where),
                s.pitch,
                _tried(where, partial(settings_of, s)),
                tuple(_known(people, p, where) for p in s.people),
                s.spot.model_dump() if s.spot else None,
                None if s.joined is None else _known(sheets, s.joined, where),
            )
            for s in shelters
        ]

    chosen = choices(told.shelters)
    beds = [p for c in chosen for p in c.people]
    used = [sheet for c in chosen for sheet in c.sheets]
    if len(set(beds)) < len(beds) or len(set(used)) < len(used):
        raise InputError(
            "file", f"at {where}.shelters: somebody, or a sheet, is in two shelters"
        )
    if chosen:
        plans.replace_all(session, night, chosen, "the course file")
    for named in told.named:
        kept = [plans.plain_of(c) for c in choices(named.shelters)]
        session.add(
            NamedPlan(night_id=night.id, name=named.name, shelters=kept, value=named.value)
        )
    said = [
        field.Said(e.key, e.kind, _known(sheets, e.sheet, where), e.data, e.at, e.by)
        for e in told.said
    ]
    for entry in said:
        if entry.kind == field.LOG:
            _tried(f"{where}.said", partial(LogKept.model_validate, entry.data))
    field.keep(session, night.id, said)
    if told.asked is not None:
        _bring_asked(session, night, told.asked, people, sheets, where)
    if told.forecast is not None:
        f = told.forecast
        _tried(
            f"{where}.forecast", lambda: read_json(json.dumps(f.form), zone_named("UTC"))
        )
        session.add(
            ForecastRow(
                night_id=night.id,
                form=f.form,
                findings=f.findings,
                feed=f.feed,
                fetched_at=now(),
                asked_at=now(),
            )
        )
    session.flush()
    _tried(
        f"{where}.forecast",
        lambda: nights.kept_forecast(nights.forecast_row(session, night), "UTC"),
    )


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
    people: Mapping[int, int],
    sheets: Mapping[int, int],
    where: str,
) -> None:
    changes: dict[str, Any] = {
        "locks": {
            "people": [_known(people, p, where) for p in told.locked_people],
            "standing": [_known(sheets, s, where) for s in told.locked_standing],
            "unused": [_known(sheets, s, where) for s in told.locked_unused],
        },
        "seconds": told.seconds,
        "absent": {
            "people": [_known(people, p, where) for p in told.absent_people],
            "sheets": [_known(sheets, s, where) for s in told.absent_sheets],
            "kit": _kit_away(session, night, told.absent_kit, where),
        },
        "evening": {
            "arrival": told.arrival,
            "mallets": told.mallets,
            "done": [],
            "late": {str(_known(people, x.person, where)): x.minutes for x in told.late},
            "gone": [_known(people, p, where) for p in told.gone],
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


def _whole(name: str, some: Sequence[Mapping[str, Any]]) -> None:
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
