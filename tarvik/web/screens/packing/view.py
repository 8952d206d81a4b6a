"""What stands on the packing list."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.core.hang.fabric import fabric_named
from tarvik.core.kit_weights import (
    CORD_KG_M,
    GROUND_SHEET_KG,
    LOOP_KG,
    MALLET_KG,
    NET_KG,
    POLE_KG_M,
    REPAIR_KG,
    STAKE_KG_M,
    TOGGLE_KG,
    sheet_kg,
)
from tarvik.core.moves import outcomes
from tarvik.core.packing import (
    PULL_LOOPS,
    Split,
    Wanted,
    fair_split,
    poles_packed,
    stakes_packed,
    toggles_packed,
)
from tarvik.core.ready_lines import READY_M
from tarvik.core.rig.carried import Rig
from tarvik.core.rig.supports import POLE_KINDS
from tarvik.core.units import Units, format_length
from tarvik.exchange.night_form import holding_of
from tarvik.store import asks, courses, kit, night_plan, nights
from tarvik.store.models import Course, Night, Person, SheetRow
from tarvik.web.screens.camp.view import CampView, SetUpCard, camp_view
from tarvik.web.screens.packing.cord_view import CordView, Need, NightCord, cord_view
from tarvik.web.shared.questions import cloth_words
from tarvik.web.state import parts_of

LOOP_M: Final = READY_M[0]
BUNDLE: Final = 8
"""Stakes of a bag, and cords of a coil, that one person carries."""
INSTEAD: Final = {
    "stakes": "cut pegs as thick as a thumb where the land manager allows it, or tie to stones, "
    "logs and roots",
    "poles": "cut sticks where that is allowed, a low branch, or two sticks lashed into a bipod",
    "cord": "borrow it, or choose pitches that take less; never webbing or elastic",
}


@dataclass(frozen=True, slots=True)
class Thing:
    """Something that is packed. `key`: what it is called in addresses; `owner_id`: whose it is,
    None for the group's; `why`: which nights want it. `weighs`: under which name a leader's own
    weight of it is kept, of one piece or metre, of which there are `amount`.
    """

    key: str
    what: str
    kg: float
    owner_id: int | None
    why: str = ""
    weighs: str = ""
    amount: float = 1.0

    def weighed(self, own: Mapping[str, float]) -> Thing:
        """The same with the leader's own weight, where there is one."""
        each = own.get(self.weight_key)
        return self if each is None else replace(self, kg=each * self.amount)

    @property
    def weight_key(self) -> str:
        """Under what its weight is kept."""
        return self.weighs or self.key


@dataclass(frozen=True, slots=True)
class Bag:
    """What one person carries: things of their own, and those of the group's handed to them."""

    person: Person
    own: tuple[Thing, ...]
    shared: tuple[Thing, ...]

    @property
    def kg(self) -> float:
        """The load of shelter kit."""
        return sum(thing.kg for thing in (*self.own, *self.shared))


@dataclass(frozen=True, slots=True)
class Short:
    """What is missing, and what would do instead."""

    what: str
    instead: str


@dataclass(frozen=True, slots=True)
class PackingView:
    """The packing list. `planned`: nights that have shelters, of `all_nights`."""

    course: Course
    bags: tuple[Bag, ...]
    short: tuple[Short, ...]
    cord: CordView
    planned: int
    all_nights: int
    kg: float
    split: Split
    weighed: frozenset[str]
    tab: str = "packing"


@dataclass(frozen=True, slots=True)
class _Evening:
    """One night: its camp, the rigs that stand, and those after every move."""

    night: Night
    camp: CampView
    stand: list[tuple[SetUpCard, Rig]]
    moved: list[tuple[SetUpCard, Rig]]

    @property
    def more_stakes(self) -> int:
        """Stakes that remedies add."""
        remedies = (r for c in self.camp.cards for r in c.judged.tonight.remedies)
        return sum(remedy.stakes for remedy in remedies)

    @property
    def wanted(self) -> list[Wanted]:
        """What it wants, and what it wants once all have moved."""
        out = [Wanted.by([rig for _, rig in self.stand], self.more_stakes)]
        if self.moved:
            out.append(Wanted.by([rig for _, rig in self.moved]))
        return out


def packing_view(request: Request, session: Session, course: Course) -> PackingView:
    """The packing list of a course."""
    units = Units(course.units)
    every = courses.nights(session, course.id)
    evenings = [_evening(request, session, course, night) for night in every]
    wanted = [one for evening in evenings for one in evening.wanted]
    rows = kit.rows(session, course.id, "lines")
    lines = [kit.line_of(r) for r in rows for _ in range(r.count)]
    cord = cord_view([_cords(evening) for evening in evenings], lines, units)
    people = list(kit.rows(session, course.id, "people"))
    packed, short = _things(session, course, evenings, wanted, cord)
    own_kg = own_weights(course.rules or {})
    things = [thing.weighed(own_kg) for thing in packed]
    own = {p.id: [t for t in things if t.owner_id == p.id] for p in people}
    shared = [t for t in things if t.owner_id is None]
    given = (course.rules or {}).get(CARRIES, {})
    places = {p.id: n for n, p in enumerate(people)}
    fixed = {
        n: places[given[t.key]] for n, t in enumerate(shared) if given.get(t.key) in places
    }
    split = fair_split(
        [sum(t.kg for t in own[p.id]) for p in people], [t.kg for t in shared], fixed
    )
    bags = tuple(
        Bag(
            person,
            tuple(own[person.id]),
            tuple(t for t, who in zip(shared, split.who, strict=True) if who == place),
        )
        for place, person in enumerate(people)
    )
    return PackingView(
        course=course,
        bags=bags,
        short=tuple(short),
        cord=cord,
        planned=sum(bool(evening.stand) for evening in evenings),
        all_nights=len(evenings),
        kg=sum(thing.kg for thing in things),
        split=split,
        weighed=frozenset(own_kg),
    )


CARRIES: Final = "carries"
"""The course's rule that keeps which shared thing a leader has given to whom."""
WEIGHTS: Final = "weights"
"""The course's rule that keeps what a leader has weighed: kg of one piece or metre."""


def own_weights(rules: Mapping[str, object]) -> dict[str, float]:
    """What a leader has weighed, kg."""
    kept = rules.get(WEIGHTS)
    some = kept.items() if isinstance(kept, dict) else ()
    return {str(k): float(v) for k, v in some if isinstance(v, int | float)}


def _evening(request: Request, session: Session, course: Course, night: Night) -> _Evening:
    camp = camp_view(request, session, course, night)
    stand, moved = [], []
    backend = parts_of(request).solver.backend
    for card in camp.cards:
        if card.pitched is None or card.pitched.rig is None:
            continue
        stand.append((card, card.pitched.rig))
        after = next((o.after for o in outcomes(card.solution, backend) if o.after), None)
        rig = after.assessment.rig if after is not None else None
        moved.append((card, rig or card.pitched.rig))
    return _Evening(night, camp, stand, moved)


def _cords(evening: _Evening) -> NightCord:
    def needs(rigs: Sequence[tuple[SetUpCard, Rig]]) -> tuple[Need, ...]:
        return tuple(
            Need(card.number, line.purpose, line.cord_m)
            for card, rig in rigs
            for line in rig.lines
        )

    return NightCord(evening.night.title, needs(evening.stand), needs(evening.moved))


def _things(
    session: Session,
    course: Course,
    evenings: Sequence[_Evening],
    wanted: Sequence[Wanted],
    cord: CordView,
) -> tuple[list[Thing], list[Short]]:
    """Everything that is packed, and what is missing."""
    units = Units(course.units)
    things = _sheets(evenings, units)
    poles, short_poles = _poles(session, course, wanted, units)
    stakes, short_stakes = _stakes(session, course, stakes_packed(wanted))
    things += [*poles, *stakes]
    if cord.pieces:
        coils = -(-len(cord.pieces) // BUNDLE)
        things += [
            Thing(
                f"cord-{n}",
                f"cords {cord.pieces[n * BUNDLE].label} to "
                f"{cord.pieces[min((n + 1) * BUNDLE, len(cord.pieces)) - 1].label}",
                cord.cord_m / coils * CORD_KG_M,
                None,
                weighs="cord",
                amount=cord.cord_m / coils,
            )
            for n in range(coils)
        ]
    things += _loops(toggles_packed(wanted), units)
    if evenings:
        things += _tools(session, course, evenings)
    short = []
    if short_stakes:
        short.append(Short(_counted(short_stakes, "stake", "stakes"), INSTEAD["stakes"]))
    if short_poles:
        short.append(Short(_counted(short_poles, "pole", "poles"), INSTEAD["poles"]))
    if cord.short:
        words = f"{_counted(len(cord.short), 'cord', 'cords')} ({', '.join(cord.short)})"
        short.append(Short(words, INSTEAD["cord"]))
    return things, short


def _counted(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"


def _sheets(evenings: Sequence[_Evening], units: Units) -> list[Thing]:
    """Every sheet that some night pitches, with the nights that want it."""
    rows: dict[int, SheetRow] = {}
    nights_of: dict[int, list[str]] = {}
    lent: dict[int, bool] = {}
    words: dict[int, str] = {}
    for evening in evenings:
        for card in evening.camp.cards:
            for sheet in filter(None, (card.row.sheet, card.row.joined)):
                rows[sheet.id] = sheet
                nights_of.setdefault(sheet.id, []).append(evening.night.title)
                alone = {p.id for p in card.people} <= {sheet.owner_id}
                lent[sheet.id] = lent.get(sheet.id, False) or not alone
                words.setdefault(sheet.id, cloth_words(card.row, units))
    return [
        Thing(
            f"sheet-{number}",
            words[number],
            sheet_kg(
                kit.sheet_of(row).area_m2,
                fabric_named(kit.sheet_of(row).fabric).weight_kg_m2,
            ),
            row.owner_id,
            f"{'lent or shared: ' if lent[number] and row.owner_id else ''}"
            f"{', '.join(nights_of[number])}",
        )
        for number, row in rows.items()
    ]


def _poles(
    session: Session, course: Course, wanted: Sequence[Wanted], units: Units
) -> tuple[list[Thing], int]:
    """Poles that are carried: sticks that are cut on the spot are not."""
    rows = [
        row
        for row in kit.rows(session, course.id, "supports")
        if row.kind in POLE_KINDS
        for _ in range(row.count)
    ]
    made = [kit.pole_of(row) for row in rows]
    taken, short = poles_packed(wanted, made)
    return [
        Thing(
            f"pole-{rows[i].id}-{i}",
            f"{rows[i].kind} up to {format_length(made[i].most_m, units)}",
            made[i].most_m * POLE_KG_M,
            rows[i].owner_id,
            weighs=f"pole-{rows[i].id}",
        )
        for i in taken
    ], short


def _stakes(session: Session, course: Course, wanted: int) -> tuple[list[Thing], int]:
    """Bags of stakes, people's own first, until enough are packed."""
    things, left = [], wanted
    rows = kit.rows(session, course.id, "stakes")
    usual_m = holding_of(course.rules or {}).stake_depth_m
    for row in sorted(rows, key=lambda r: r.owner_id is None):
        packed = min(row.count, left)
        left -= packed
        length = row.length_m or usual_m
        for start in range(0, packed, BUNDLE):
            count = min(BUNDLE, packed - start)
            things.append(
                Thing(
                    f"stakes-{row.id}-{start}",
                    _counted(count, "stake", "stakes"),
                    count * length * STAKE_KG_M,
                    row.owner_id,
                    weighs=f"stakes-{row.id}",
                    amount=count,
                )
            )
    return things, left


def _loops(toggles: int, units: Units) -> list[Thing]:
    """Prusik loops with toggles for lines through under a ridge, and one to pull stakes with."""
    loops = toggles + PULL_LOOPS
    size = format_length(LOOP_M, units)
    words = f"{_counted(loops, 'loop', 'loops')} of {size}"
    why = "one to pull stakes with" + (", the others for ridge lines" if toggles else "")
    out = [Thing("loops", words, loops * LOOP_KG, None, why, amount=loops)]
    if toggles:
        words = _counted(toggles, "toggle", "toggles")
        why = "or sticks as thick as a finger from the ground"
        out.append(Thing("toggles", words, toggles * TOGGLE_KG, None, why, amount=toggles))
    return out


def _tools(session: Session, course: Course, evenings: Sequence[_Evening]) -> list[Thing]:
    """Mallets, a repair kit, nets where insects bite, and a ground sheet for each."""
    mallets = max(
        asks.asked_of(night_plan.of_night(session, e.night.id))["evening"]["mallets"]
        for e in evenings
    )
    things = [
        Thing(f"mallet-{n}", "mallet", MALLET_KG, None, weighs="mallet")
        for n in range(mallets)
    ]
    things.append(
        Thing("repair", "repair kit: tape, patches, needle, thread", REPAIR_KG, None)
    )
    bitten = any(
        nights.needs_of(e.night).insects not in ("", "none", None) for e in evenings
    )
    for person in kit.rows(session, course.id, "people"):
        things.append(
            Thing(
                f"ground-{person.id}",
                "ground sheet",
                GROUND_SHEET_KG,
                person.id,
                weighs="ground",
            )
        )
        if bitten:
            things.append(
                Thing(f"net-{person.id}", "insect net", NET_KG, person.id, weighs="net")
            )
    return things
