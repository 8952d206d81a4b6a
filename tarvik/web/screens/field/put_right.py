"""What was found otherwise in the field: a shelter that stands elsewhere, a tree that was measured.
Each comes with what the device had, so that two leaders' changes meet as on the map.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonMapping
from tarvik.core.quantities import compass, parse_bearing
from tarvik.core.site.things import Kind
from tarvik.core.units import Units, format_length, parse_length
from tarvik.store import ground, plans
from tarvik.store.kit import ConflictError
from tarvik.web.shared.standing import SpotIn, placed_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from sqlalchemy.orm import Session

    from tarvik.store.models import GroundItem, Night, ShelterRow
    from tarvik.web.shared.judged import Judge
    from tarvik.web.shared.standing import Scene

MOVED_MOST_M: Final = 200.0
TRUNK_MOST_M: Final = 5.0
_ROUND: Final = re.compile(r"^(.*\S)\s+(?:round|around|girth)$", re.I)


@dataclass(frozen=True, slots=True)
class TreeShown:
    """A tree that carries a shelter, with its trunk as it is kept."""

    item: int
    name: str
    text: str
    version: int


@dataclass(frozen=True, slots=True)
class Moved:
    """A shelter's new place, as its device told it: so far from where it had it, which way, and
    where the front looks now (empty: as before).
    """

    way: str
    toward: str
    front: str
    x: float
    y: float
    front_deg: float
    was: str

    @property
    def text(self) -> str:
        """The same in words."""
        turned = f", front to {self.front}" if self.front else ""
        return f"{self.way} {self.toward}{turned}"


def place_words(spot: JsonMapping | None, units: Units) -> str:
    """Where a shelter stands on the map, in words; empty where it is not on it."""
    if not spot:
        return ""
    x, y = float(spot["x"]), float(spot["y"])
    east = f"{format_length(abs(x), units)} {'E' if x >= 0 else 'W'}"
    north = f"{format_length(abs(y), units)} {'N' if y >= 0 else 'S'}"
    return f"{east}, {north}, front to {compass(float(spot['front_deg']))}"


def move(session: Session, judge: Judge, scene: Scene, row: ShelterRow, told: Moved) -> str:
    """Put a shelter where it was found to stand; its new place in words. Raises InputError for what
    is no distance or direction, or a place where it does not fold, ConflictError where somebody
    has moved it meanwhile.
    """
    units = Units(scene.course.units)
    if not row.spot:
        raise InputError("way", "this shelter is not on the map: put it there first")
    _still_there(row, told, scene)
    metres = parse_length(told.way, units, field="way", most_m=MOVED_MOST_M)
    bearing = math.radians(parse_bearing(told.toward, field="toward"))
    front = (
        parse_bearing(told.front, field="front") if told.front.strip() else told.front_deg
    )
    trees = list(row.spot.get("trees") or ())
    spot = SpotIn(
        x=told.x + metres * math.sin(bearing),
        y=told.y + metres * math.cos(bearing),
        front_deg=front,
        anchor=row.spot.get("anchor"),
        snap=bool(trees),
    )
    placed_of(judge, scene, row, spot)
    row = plans.begin_change(session, scene.night, row.id, "moving")
    _still_there(row, told, scene)  # nobody can move it any more
    row.spot = spot.model_dump(exclude={"snap"})
    session.flush()
    return place_words(row.spot, units)


def _still_there(row: ShelterRow, told: Moved, scene: Scene) -> None:
    """Raises ConflictError where a shelter does not stand where the device had it."""
    now = place_words(row.spot, Units(scene.course.units))
    if told.was != now:
        raise ConflictError("way", told.text, now, scene.night.version)


def trees_shown(
    items: Sequence[GroundItem], rows: Sequence[ShelterRow], units: Units
) -> tuple[TreeShown, ...]:
    """The trees that carry a night's shelters."""
    used = {name for row in rows for name in ((row.spot or {}).get("trees") or ())}
    return tuple(
        TreeShown(i.id, i.data["name"], _trunk(i.data, units), i.version)
        for i in items
        if i.kind == "thing" and i.data["name"] in used
    )


def _trunk(data: JsonMapping, units: Units) -> str:
    across = data.get("across_m")
    return format_length(float(across), units) if across else ""


def measure_tree(
    session: Session,
    night: Night,
    item_id: int,
    text: str,
    version: int,
    was: str,
    units: Units,
) -> TreeShown:
    """Keep a trunk as measured: across it, or "… round" it. Raises InputError, NotFoundError, and
    ConflictError where somebody has measured it meanwhile.
    """
    if night.site_id is None:
        raise InputError("text", "this night has no site any more")
    item = ground.one(session, night.site_id, item_id)
    if item.kind != "thing" or item.data.get("kind") != Kind.TREE:
        raise InputError("text", "this is no tree any more")
    found = _ROUND.match(text.strip())
    most_m = TRUNK_MOST_M * (math.pi if found else 1.0)
    metres = parse_length(found[1] if found else text, units, field="text", most_m=most_m)
    across = round(metres / math.pi if found else metres, 3)
    theirs = _trunk(item.data, units)
    if theirs not in (was, format_length(across, units)):
        raise ConflictError("text", text, theirs, item.version)
    seen = {"across_m": item.data.get("across_m")}
    kept = ground.change(
        session, night.site_id, item_id, {"across_m": across}, version, seen
    )
    return TreeShown(kept.id, kept.data["name"], _trunk(kept.data, units), kept.version)
