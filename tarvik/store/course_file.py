"""A course out of the database as a course file."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from sqlalchemy import select

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
from tarvik.store import asks, courses, field, ground, kit, nights, plans
from tarvik.store.models import (
    Night,
    NightPlan,
    SheetRow,
    Site,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping

KIT = {
    "supports": ("kind", "least_m", "most_m"),
    "lines": ("length_m", "uncut"),
    "stakes": ("length_m", "width_m"),
}


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

    def owner(row: SheetRow) -> int | None:
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
    plain: Sequence[JsonMapping], sheets: set[int], here: set[int]
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


def _spot(kept: JsonMapping) -> SpotIn:
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
    asked: JsonMapping, sheets: set[int], here: set[int], away: list[AwayIn]
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
