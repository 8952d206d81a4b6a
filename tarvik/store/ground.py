"""A site's ground: reading it, changing it without overwriting anyone, and every change undone and
done again.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from threading import Lock
from typing import TYPE_CHECKING, Any, Final
from weakref import WeakKeyDictionary

from sqlalchemy import delete, func, select, text

from tarvik.core.errors import InputError
from tarvik.core.kept import keep_last
from tarvik.core.site.reading import Side
from tarvik.core.site.survey import Survey, onto, surveyed
from tarvik.core.site.things import AREAS_MOST, POINTS_MOST, Ground
from tarvik.exchange.ground_form import (
    area_of,
    area_values,
    checked,
    height_of,
    readings_of,
    thing_of,
    thing_values,
)
from tarvik.store.kit import ConflictError, NotFoundError
from tarvik.store.models import GroundItem, GroundStep, Site, now

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject
    from tarvik.core.site.reading import Reading

MOST_STEPS = 100
MOST_ITEMS = {
    "thing": POINTS_MOST,
    "area": AREAS_MOST,
    "height": 400,
    "reading": 3000,
    "check": 3,
}


@dataclass(frozen=True)
class Surveyed:
    """A site's ground with its survey: `rows` says which item each reading is; `fault` why the
    survey cannot be worked out.
    """

    ground: Ground
    survey: Survey | None
    readings: tuple[Reading, ...]
    sides: tuple[Side, ...]
    rows: tuple[int, ...]
    unplaced: tuple[str, ...]
    fault: str = ""


def items(session: Session, site_id: int) -> Sequence[GroundItem]:
    """All items that are there, in the order they came."""
    query = select(GroundItem).where(
        GroundItem.site_id == site_id, GroundItem.deleted_at.is_(None)
    )
    return session.scalars(query.order_by(GroundItem.id)).all()


_MARK: Final = text(
    "select coalesce(md5(string_agg(id || ':' || version, ',' order by id)), '') from ground_item "
    "where site_id = :site and deleted_at is null"
)
_KEPT: WeakKeyDictionary[Any, dict[int, tuple[str, Sequence[GroundItem], Surveyed]]] = (
    WeakKeyDictionary()
)
_KEEPING: Final = Lock()
MOST_KEPT: Final = 16


def known(session: Session, site_id: int) -> tuple[Sequence[GroundItem], Surveyed]:
    """A site's items, to be read only, and what they amount to; from memory while no item was
    changed since.

    A row's number and version name its values for good, once they are committed: so a session that
    has written something itself neither takes from the memory nor adds to it.
    """
    session.flush()
    if session.info.get("wrote"):
        some = items(session, site_id)
        return some, ground_of(some)
    mark = str(session.execute(_MARK, {"site": site_id}).scalar())
    engine = session.get_bind()
    with _KEEPING:
        found = _KEPT.setdefault(engine, {}).get(site_id)
    if found is None or found[0] != mark:
        some = items(session, site_id)
        for item in some:
            session.expunge(item)
        found = (mark, some, ground_of(some))
        with _KEEPING:
            kept = _KEPT[engine]
            if len(kept) >= MOST_KEPT:
                kept.clear()
            kept[site_id] = found
    return found[1], found[2]


def one(session: Session, site_id: int, item_id: int) -> GroundItem:
    """One item of this site. Raises NotFoundError."""
    found = session.get(GroundItem, item_id)
    if found is None or found.site_id != site_id or found.deleted_at is not None:
        raise NotFoundError(
            "this is no longer on the map; somebody else may have taken it away"
        )
    return found


@keep_last(64)
def _surveyed(readings: tuple[Reading, ...], sides: tuple[Side, ...]) -> Survey:
    return surveyed(readings, sides)


def ground_of(found: Sequence[GroundItem]) -> Surveyed:
    """What the items amount to: surveyed points stand where the survey puts them."""
    readings: list[Reading] = []
    sides: list[Side] = []
    rows: list[int] = []
    for item in found:
        if item.kind == "reading":
            told = readings_of(item.data)
            if isinstance(told, Side):
                sides.append(told)
            else:
                readings += told
                rows += [item.id] * len(told)
    survey, fault = None, ""
    if readings:
        try:
            anchors = {
                i.data["name"]: (float(i.data["x"]), float(i.data["y"]))
                for i in found
                if i.kind == "thing" and i.data.get("x") is not None
            }
            survey = onto(_surveyed(tuple(readings), tuple(sides)), anchors)
        except InputError as err:
            fault = err.message
    things, unplaced = [], []
    for item in found:
        if item.kind != "thing":
            continue
        thing = thing_of(item.data)
        if survey is not None and thing.name in survey.names and item.data.get("x") is None:
            x, y = survey.at(thing.name)
            error = survey.plus_or_minus_m(thing.name)
            thing = replace(thing, at=(x, y), error_m=min(error, 99.0))
        elif item.data.get("x") is None:
            unplaced.append(thing.name)
            continue
        things.append(thing)
    areas = tuple(area_of(i.data) for i in found if i.kind == "area")
    heights = tuple(height_of(i.data) for i in found if i.kind == "height")
    ground = Ground(tuple(things), areas, heights)
    return Surveyed(
        ground, survey, tuple(readings), tuple(sides), tuple(rows), tuple(unplaced), fault
    )


def _remember(session: Session, site_id: int, what: str, changes: list[JsonObject]) -> None:
    session.execute(
        delete(GroundStep).where(GroundStep.site_id == site_id, GroundStep.undone)
    )
    session.add(GroundStep(site_id=site_id, what=what[:200], changes=changes))
    session.flush()
    old = (
        select(GroundStep.id)
        .where(GroundStep.site_id == site_id)
        .order_by(GroundStep.id.desc())
        .offset(MOST_STEPS)
    )
    session.execute(delete(GroundStep).where(GroundStep.id.in_(old)))


def _lock(session: Session, site_id: int) -> None:
    """Let no other change of this ground in until this one is saved."""
    if (
        session.scalars(
            select(Site).where(Site.id == site_id).with_for_update()
        ).one_or_none()
        is None
    ):
        raise NotFoundError("there is no such site")


def _name_free(session: Session, site_id: int, name: str, but: int = 0) -> None:
    for item in items(session, site_id):
        if item.kind == "thing" and item.id != but and item.data["name"] == name:
            raise InputError(
                "name", f"there is a point “{name}” already; give this one another name"
            )


def add(
    session: Session,
    site_id: int,
    kind: str,
    values: Sequence[JsonMapping],
    what: str = "",
) -> list[GroundItem]:
    """Put items on the ground, all or none. Raises InputError, naming the number of the bad one."""
    _lock(session, site_id)
    made = []
    have = session.scalar(
        select(func.count()).where(
            GroundItem.site_id == site_id,
            GroundItem.kind == kind,
            GroundItem.deleted_at.is_(None),
        )
    )
    if (have or 0) + len(values) > MOST_ITEMS.get(kind, 0):
        raise InputError("item", f"a site holds at most {MOST_ITEMS.get(kind, 0)} of these")
    names = {i.data["name"] for i in items(session, site_id) if i.kind == "thing"}
    for number, row in enumerate(values, start=1):
        try:
            data = checked(kind, row)
            if kind == "thing":
                if data["name"] in names:
                    raise InputError(
                        "name",
                        f"there is a point “{data['name']}” already; "
                        "give this one another name",
                    )
                names.add(data["name"])
        except InputError as err:
            raise InputError(
                err.field,
                err.message if len(values) == 1 else f"item {number}: {err.message}",
            ) from None
        made.append(GroundItem(site_id=site_id, kind=kind, data=data))
    said = (what or f"adding {_called(kind, made[0].data)}") if made else ""
    return _put_down(session, site_id, made, said)


def _put_down(
    session: Session, site_id: int, made: list[GroundItem], what: str
) -> list[GroundItem]:
    """New items on the ground as one step that undo takes back."""
    session.add_all(made)
    session.flush()
    changes = [{"id": i.id, "before": None, "after": i.data} for i in made]
    _remember(session, site_id, what, changes)
    return made


def add_reading(
    session: Session, site_id: int, values: JsonMapping, kind: str
) -> list[GroundItem]:
    """Write a reading down, in one step with the points that it names first: they are of `kind`
    and stand where the survey puts them. Raises InputError.
    """
    _lock(session, site_id)
    data = checked("reading", values)
    there = items(session, site_id)
    known = {i.data["name"] for i in there if i.kind == "thing"}
    named = dict.fromkeys(
        str(data[key]) for key in ("start", "end", "point") if data.get(key)
    )
    new = [
        ("thing", checked("thing", {"name": n, "kind": kind}))
        for n in named
        if n not in known
    ]
    for sort, more in (("thing", len(new)), ("reading", 1)):
        if sum(i.kind == sort for i in there) + more > MOST_ITEMS[sort]:
            raise InputError("item", f"a site holds at most {MOST_ITEMS[sort]} of these")
    made = [
        GroundItem(site_id=site_id, kind=k, data=d) for k, d in [*new, ("reading", data)]
    ]
    return _put_down(session, site_id, made, f"adding {_called('reading', data)}")


def _called(kind: str, data: JsonMapping) -> str:
    return str(
        data.get("name")
        or {"height": "a spot height", "reading": "a reading", "check": "a check"}.get(
            kind, kind
        )
    )


def change(
    session: Session,
    site_id: int,
    item_id: int,
    values: JsonMapping,
    version: int,
    was: JsonMapping | None = None,
) -> GroundItem:
    """Change some values of an item. When somebody else has changed it since `version`, the change
    still goes in unless it is about the same values: then ConflictError, with both. `was`: what the
    changer saw.
    """
    _lock(session, site_id)
    item = one(session, site_id, item_id)
    before = dict(item.data)
    if item.version != version:
        for key, value in values.items():
            theirs = before.get(key)
            if was is None or (was.get(key) != theirs and value != theirs):
                raise ConflictError(key, str(value), str(theirs), item.version)
    data = checked(item.kind, {**before, **values})
    if item.kind == "thing" and data["name"] != before["name"]:
        _name_free(session, site_id, data["name"], item.id)
    if data != before:
        item.data = data
        session.flush()
        _remember(
            session,
            site_id,
            f"changing {_called(item.kind, data)}",
            [{"id": item.id, "before": before, "after": data}],
        )
    return item


def remove(session: Session, site_id: int, item_id: int) -> None:
    """Take an item off the ground."""
    _lock(session, site_id)
    item = one(session, site_id, item_id)
    item.deleted_at = now()
    session.flush()
    _remember(
        session,
        site_id,
        f"taking away {_called(item.kind, item.data)}",
        [{"id": item.id, "before": item.data, "after": None}],
    )


@dataclass(frozen=True)
class _Put:
    """One item to be put on the ground: a new one, or another's new values."""

    kind: str
    data: JsonObject
    old: GroundItem | None = None


def put_in(session: Session, site_id: int, ground: Ground, what: str) -> int:
    """Add a whole imported ground as one change; points of a known name are changed instead. The
    limits are those of entry by hand, and are looked at before anything is written. Returns how
    many items. Raises InputError.
    """
    _lock(session, site_id)
    there = items(session, site_id)
    puts = _puts(ground, there)
    for kind, most in MOST_ITEMS.items():
        have = sum(i.kind == kind for i in there)
        more = sum(p.kind == kind and p.old is None for p in puts)
        if have + more > most:
            called = {
                "thing": "points",
                "area": "areas and lines",
                "height": "spot heights",
            }[kind]
            raise InputError(
                "file",
                f"the file has {more} new {called} and the site {have} already; a site holds at "
                f"most {most}",
            )
    made = [
        GroundItem(site_id=site_id, kind=p.kind, data=p.data) for p in puts if p.old is None
    ]
    session.add_all(made)
    session.flush()
    changes: list[JsonObject] = [
        {"id": i.id, "before": None, "after": i.data} for i in made
    ]
    for put in puts:
        if put.old is not None and put.old.data != put.data:
            changes.append(
                {"id": put.old.id, "before": dict(put.old.data), "after": put.data}
            )
            put.old.data = put.data
    session.flush()
    if changes:
        _remember(session, site_id, what, changes)
    return len(changes)


def _puts(ground: Ground, there: Sequence[GroundItem]) -> list[_Put]:
    """What an imported ground puts there: points and areas by name, spot heights where none is."""
    things = {i.data["name"]: i for i in there if i.kind == "thing"}
    areas = {i.data["name"]: i for i in there if i.kind == "area"}
    known = {
        (i.data["x"], i.data["y"], i.data["height_m"]) for i in there if i.kind == "height"
    }
    return [
        *(_Put("thing", thing_values(t), things.get(t.name)) for t in ground.things),
        *(_Put("area", area_values(a), areas.get(a.name)) for a in ground.areas),
        *(
            _Put("height", {"x": h.at[0], "y": h.at[1], "height_m": h.height_m})
            for h in ground.heights
            if (*h.at, h.height_m) not in known
        ),
    ]


def steps(session: Session, site_id: int) -> tuple[GroundStep | None, GroundStep | None]:
    """What undo and redo would take: (last done, first undone)."""
    done = session.scalars(
        select(GroundStep)
        .where(GroundStep.site_id == site_id, ~GroundStep.undone)
        .order_by(GroundStep.id.desc())
        .limit(1)
    ).first()
    undone = session.scalars(
        select(GroundStep)
        .where(GroundStep.site_id == site_id, GroundStep.undone)
        .order_by(GroundStep.id)
        .limit(1)
    ).first()
    return done, undone


def undo(session: Session, site_id: int, *, redo: bool = False) -> str:
    """Take back the last change, or make it again. Raises InputError when there is none,
    ConflictError when what it would change has been changed since.
    """
    _lock(session, site_id)
    step = steps(session, site_id)[1 if redo else 0]
    if step is None:
        raise InputError(
            "undo", "there is nothing to make again" if redo else "there is nothing to undo"
        )
    here, there = ("before", "after") if redo else ("after", "before")
    for turn in step.changes:
        item = session.get(GroundItem, turn["id"])
        if item is None:
            continue
        have = None if item.deleted_at is not None else dict(item.data)
        if have != turn[here]:
            raise ConflictError(step.what, str(turn[there]), str(have), item.version)
        if turn[there] is None:
            item.deleted_at = now()
        else:
            item.deleted_at, item.data = None, turn[there]
    step.undone = not redo
    session.flush()
    return step.what
