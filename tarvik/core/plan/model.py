"""The plan of a night as a linear model in whole numbers: who sleeps under which sheet, which offer
each sheet takes, what kit serves it, and the leader's aims one after another.

Everything that counts people in a shelter is of the form «people there less what the chosen offer
holds», so no product of two choices is needed and the model stays linear.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.plan.aims import AIMS
from tarvik.core.plan.apart import cliques
from tarvik.core.plan.earshot import heard
from tarvik.core.plan.linear import Linear
from tarvik.core.plan.party import PlanRules, Shares, Skill, bars, pair_bars
from tarvik.core.plan.stores import kit_rows

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from shapely.geometry.base import BaseGeometry

    from tarvik.core.plan.linear import Terms
    from tarvik.core.plan.offers import Offer, Pool
    from tarvik.core.plan.party import Camper

SPARE: Final = -1
"""Number of the «person» who stands for the spare shelter."""
FAR_COST, SPARE_COST, UNSKILLED_COST, SNORE_COST, UNSUITED_COST = 3, 10, 2, 1, 5
TIGHT_COST = 10
LENT_SHEET_COST, JOINED_SHEET_COST, GUEST_COST = 4, 3, 10
NO_SEAT_COST, NO_EASE_COST, ABREAST_COST = 4, 4, 15
"""Weights within the aims «rules», «own kit» and «comfort» (engineering assumptions)."""
ABREAST: Final = 2
"""More people than this under one sheet lie three abreast: only where nothing else does."""


@dataclass(frozen=True, slots=True)
class Standing:
    """A shelter as it stands, or as the leader fixed it."""

    sheets: tuple[int, ...]
    pitch: str
    settings: tuple[tuple[str, float], ...]
    at: tuple[float, float] | None
    front_deg: float | None
    people: tuple[int, ...]
    anchor: tuple[float, float] = (0.0, 0.0)
    trees: tuple[str, ...] = ()


@dataclass(frozen=True)
class Locks:
    """What the leader fixed: people to a sheet, sheets to a pitch, to what they stand as, or to
    stay in the bag.
    """

    people: Mapping[int, int] = field(default_factory=dict)
    pitches: Mapping[int, str] = field(default_factory=dict)
    standing: frozenset[int] = frozenset()
    unused: frozenset[int] = frozenset()


NO_LOCKS: Final = Locks()


@dataclass(frozen=True)
class PlanQuestion:
    """All that a plan is made from. `owners`: sheet -> person. `standing`: what stands already, for
    the fewest moves.
    `blinds`: ground through which nobody sees, such as thickets.
    """

    campers: tuple[Camper, ...]
    offers: tuple[Offer, ...]
    pools: tuple[Pool, ...] = ()
    rules: PlanRules = field(default_factory=PlanRules)
    owners: Mapping[int, int] = field(default_factory=dict)
    locks: Locks = NO_LOCKS
    standing: tuple[Standing, ...] = ()
    aims: tuple[str, ...] = AIMS
    blinds: BaseGeometry | None = None


@dataclass(frozen=True)
class PlanModel:
    """The linear model, and which variable says what."""

    asked: PlanQuestion
    linear: Linear
    units: tuple[tuple[int, ...], ...]
    sleeps: Mapping[tuple[int, int], int]  # (camper's place, unit) -> variable
    takes: tuple[int, ...]  # offer -> variable
    wet: tuple[int, ...]  # camper's place -> variable


def stands_as(offer: Offer, standing: Standing) -> bool:
    """Whether an offer is the shelter that stands."""
    if (
        offer.sheets != standing.sheets
        or offer.pitch != standing.pitch
        or dict(offer.settings) != dict(standing.settings)
    ):
        return False
    if offer.spot is None or standing.at is None:
        return offer.spot is None and standing.at is None
    near = np.hypot(offer.spot.at[0] - standing.at[0], offer.spot.at[1] - standing.at[1]) < 0.05
    turned = abs((offer.spot.front_deg - (standing.front_deg or 0.0) + 180) % 360 - 180)
    return bool(near and turned < 1.0)


_PEOPLE_BEYOND: Final[tuple[tuple[str, int, Callable[[Offer], int]], ...]] = (
    ("exposed", 1, lambda o: o.calm),
    ("comfort", NO_SEAT_COST, lambda o: o.sit),
    ("comfort", NO_EASE_COST, lambda o: o.ease),
    ("comfort", ABREAST_COST, lambda _: ABREAST),
)
"""Aims that count the people beyond what an offer has places for: (aim, weight, places)."""


class _Builder:
    """Builds one model; each method adds one kind of row."""

    def __init__(self, asked: PlanQuestion) -> None:
        self.asked, self.m = asked, Linear()
        self.units = tuple(dict.fromkeys(o.sheets for o in asked.offers))
        self.unit_of = {u: n for n, u in enumerate(self.units)}
        self.of_unit: list[list[int]] = [[] for _ in self.units]
        for n, offer in enumerate(asked.offers):
            self.of_unit[self.unit_of[offer.sheets]].append(n)
        self.most = [max(asked.offers[n].most for n in some) for some in self.of_unit]
        self.takes = [self.m.flag(f"offer {n}") for n in range(len(asked.offers))]
        self.place = {c.number: i for i, c in enumerate(asked.campers)}
        self.sleeps: dict[tuple[int, int], int] = {}
        self.wet: list[int] = []
        self.costs: dict[str, Terms] = {aim: {} for aim in AIMS}
        self.owned: dict[int, set[int]] = {}
        for sheet, person in asked.owners.items():
            self.owned.setdefault(person, set()).add(sheet)

    def cost(self, aim: str, terms: Mapping[int, int]) -> None:
        """Add to an aim."""
        for v, c in terms.items():
            self.costs[aim][v] = self.costs[aim].get(v, 0) + c

    def people(self, unit: int) -> Terms:
        """Beds taken in a unit."""
        return {v: self.asked.campers[i].bulk for (i, u), v in self.sleeps.items() if u == unit}

    def used(self, unit: int, share: Callable[[Offer], int] = lambda _: 1) -> Terms:
        """Sum over a unit's offers of what each gives."""
        return {self.takes[n]: share(self.asked.offers[n]) for n in self.of_unit[unit]}

    def beds(self) -> None:
        """Everybody sleeps somewhere, or is without a bed; nobody where no offer takes so tall a
        person.
        """
        takes: dict[tuple[int, tuple[int, ...]], int] = {}
        for i, camper in enumerate(self.asked.campers):
            without = self.m.flag(f"no bed {camper.number}")
            self.wet.append(without)
            mine: Terms = {without: 1}
            for u in range(len(self.units)):
                fits = tuple(
                    n
                    for n in self.of_unit[u]
                    if self.asked.offers[n].room(camper.stature_m) >= camper.bulk
                )
                if not fits:
                    continue
                v = self.m.flag(f"{camper.number} under {self.units[u]}")
                self.sleeps[i, u] = mine_v = v
                mine[mine_v] = 1
                if (
                    (u, fits) not in takes
                ):  # whom the same offers take share a row of them: a solver is spared much
                    takes[u, fits] = self._any_of({self.takes[n]: -1 for n in fits})
                self.m.row({v: 1, takes[u, fits]: -1}, high=0)
            self.m.row(mine, low=1, high=1)
            if camper.number < 0:
                self.cost("rules", {without: SPARE_COST})
            else:
                self.cost("wet", {without: 1})
                tag = f"bed {camper.number}"
                self.m.row({without: 1}, high=0, tag=tag)
                self.m.words[tag] = f"{camper.name} needs a dry bed"

    def rooms(self) -> None:
        """No more people than lie dry, by the tallest of them."""
        statures = sorted({c.stature_m for c in self.asked.campers})
        for u in range(len(self.units)):
            count = self.people(u)
            if not count:
                continue
            offers = [self.asked.offers[n] for n in self.of_unit[u]]
            tables = [tuple(o.room(s) for o in offers) for s in statures]
            full = sum(
                c
                for c in sorted(
                    (self.asked.campers[i].bulk for (i, w) in self.sleeps if w == u), reverse=True
                )
            )
            last: tuple[int, ...] | None = None
            for s, table in zip(statures, tables, strict=True):
                if table == last:
                    continue
                taller = [
                    i
                    for (i, w) in self.sleeps
                    if w == u and self.asked.campers[i].stature_m >= s - 1e-9
                ]
                room = {v: -t for v, t in zip(self.used(u), table, strict=True)}
                if last is None:
                    self.m.row({**count, **room}, high=0)
                elif taller:
                    tall = {self.sleeps[i, u]: self.asked.campers[i].bulk for i in taller}
                    self.m.row(
                        {**tall, **room}, high=0
                    )  # follows from the rows below, and tells a solver more
                    there = self.m.flag()
                    for i in taller:
                        self.m.row({self.sleeps[i, u]: 1, there: -1}, high=0)
                    bound = min(full, self.most[u])
                    self.m.row({**count, **room, there: bound}, high=bound)
                last = table

    def once(self) -> None:
        """A sheet, and a tree, is used once; shelters keep a walking gap; an offer of nobody's is
        not taken.
        """
        for clique in cliques(tuple(self.asked.offers), self.asked.rules.gap_m):
            self.m.row({self.takes[n]: 1 for n in clique}, high=1)
        for u in range(len(self.units)):
            self.m.row({**self.used(u), **dict.fromkeys(self.people(u), -1)}, high=0)

    def sharing(self) -> None:
        """Who never lies beside whom."""
        rules, campers = self.asked.rules, self.asked.campers
        kinds = [(bar, [bar.kind_of(c) for c in campers]) for bar in bars(rules)]
        pairs = pair_bars(campers, rules)
        for u in range(len(self.units)):
            here = [i for i in range(len(campers)) if (i, u) in self.sleeps]
            if self.most[u] < 2 or len(here) < 2:
                continue
            present: dict[tuple[int, ...], int] = {}
            for bar, kind in kinds:
                alike: dict[str, list[int]] = {}
                for i in here:
                    if (k := kind[i]) is not None:
                        alike.setdefault(k, []).append(i)
                if len(alike) > 1:
                    flags = [self._present(u, tuple(some), present) for some in alike.values()]
                    used = dict.fromkeys(self.used(u), -1)
                    self.m.row({**dict.fromkeys(flags, 1), **used}, high=0, tag=bar.rule)
                    self.m.words[bar.rule] = bar.words
            for tag, words, i, j in pairs:
                if (i, u) in self.sleeps and (j, u) in self.sleeps:
                    self.m.row({self.sleeps[i, u]: 1, self.sleeps[j, u]: 1}, high=1, tag=tag)
                    self.m.words[tag] = words
            count = self.people(u)
            for i in here:
                if (campers[i].shares is Shares.NOBODY and campers[i].number >= 0) or campers[
                    i
                ].number < 0:
                    tag = "" if campers[i].number < 0 else f"consent {campers[i].number}"
                    bound = self.most[u]
                    others = {v: c for v, c in count.items() if v != self.sleeps[i, u]}
                    self.m.row({**others, self.sleeps[i, u]: bound}, high=bound, tag=tag)
                    if tag:
                        self.m.words[tag] = f"{campers[i].name} shares with nobody"

    def _present(
        self, unit: int, people: tuple[int, ...], known: dict[tuple[int, ...], int]
    ) -> int:
        """The flag that says that some of these people (by place) are in a unit; rules that part
        the same share it.
        """
        if people not in known:
            known[people] = flag = self.m.flag()
            beds = {self.sleeps[i, unit]: self.asked.campers[i].bulk for i in people}
            for v in beds:
                self.m.row({v: 1, flag: -1}, high=0)
            # Follows from the rows before, and tells a solver far more: people of one kind share
            # what their part is given.
            self.m.row({**beds, flag: -min(self.most[unit], sum(beds.values()))}, high=0)
        return known[people]

    def together(self) -> None:
        """The leader's «always these two»."""
        for a, b in sorted(self.asked.rules.always):
            if a not in self.place or b not in self.place:
                continue
            i, j = self.place[a], self.place[b]
            tag = f"always {a} {b}"
            self.m.words[tag] = (
                f"{self.asked.campers[i].name} and {self.asked.campers[j].name} always share"
            )
            for u in range(len(self.units)):
                terms = {
                    v: c
                    for v, c in ((self.sleeps.get((i, u)), 1), (self.sleeps.get((j, u)), -1))
                    if v is not None
                }
                if terms:
                    self.m.row(terms, low=0, high=0, tag=tag)

    def locks(self) -> None:
        """What the leader fixed."""
        locks = self.asked.locks
        names = {c.number: c.name for c in self.asked.campers}
        for person, sheet in sorted(locks.people.items()):
            if person not in self.place:
                continue
            tag = f"lock person {person}"
            self.m.words[tag] = f"{names[person]} is fixed to sheet {sheet}"
            there = [u for u, sheets in enumerate(self.units) if sheet in sheets]
            beds = [
                self.sleeps[self.place[person], u]
                for u in there
                if (self.place[person], u) in self.sleeps
            ]
            self.m.row(dict.fromkeys(beds, 1), low=1, tag=tag)
        for sheet, pitch in sorted(locks.pitches.items()):
            tag = f"lock pitch {sheet}"
            self.m.words[tag] = f"sheet {sheet} is fixed to the pitch {pitch}"
            bad = [
                n for n, o in enumerate(self.asked.offers) if sheet in o.sheets and o.pitch != pitch
            ]
            self.m.row({self.takes[n]: 1 for n in bad}, high=0, tag=tag)
        for standing in self.asked.standing:
            for sheet in locks.standing & set(standing.sheets):
                tag = f"lock spot {sheet}"
                self.m.words[tag] = f"sheet {sheet} is fixed where it stands"
                good = [n for n, o in enumerate(self.asked.offers) if stands_as(o, standing)]
                self.m.row({self.takes[n]: 1 for n in good}, low=1, tag=tag)
        for sheet in sorted(locks.unused):
            tag = f"lock unused {sheet}"
            self.m.words[tag] = f"sheet {sheet} stays in the bag"
            self.m.row(
                {self.takes[n]: 1 for n, o in enumerate(self.asked.offers) if sheet in o.sheets},
                high=0,
                tag=tag,
            )

    def comfort(self) -> None:
        """Wind, how people sit and lie, snoring, skill, time, distance."""
        for u in range(len(self.units)):
            count = self.people(u)
            real = {
                v: c
                for (i, w), v in self.sleeps.items()
                if w == u
                and (c := self.asked.campers[i].bulk)
                and self.asked.campers[i].number >= 0
            }
            for aim, weight, share in _PEOPLE_BEYOND:
                if all(share(self.asked.offers[n]) >= self.most[u] for n in self.of_unit[u]):
                    continue
                over = self.m.var(0, max(self.most[u], 0))
                self.m.row(
                    {**real, **{v: -c for v, c in self.used(u, share).items()}, over: -1}, high=0
                )
                self.cost(aim, {over: weight})
            self.cost("comfort", self.used(u, lambda o: o.poor))
            self.cost("holds", self.used(u, lambda o: int(not o.holds)))
            self.cost("few", self.used(u))
            hard = {v: c for v, c in self.used(u, lambda o: int(o.hard)).items() if c}
            if hard:
                skilled = {
                    i
                    for i, c in enumerate(self.asked.campers)
                    if c.skill is Skill.PRACTISED or c.leader
                }
                able = {v: -1 for (i, w), v in self.sleeps.items() if w == u and i in skilled}
                short = self.m.flag()
                self.m.row({**hard, **able, short: -1}, high=0)
                self.cost("rules", {short: UNSKILLED_COST})
            snorers = [i for (i, w) in self.sleeps if w == u and self.asked.campers[i].snores]
            if snorers and self.most[u] > 1:
                kept = self.m.var(0, self.most[u])
                quiet = {
                    v: c for v, c in count.items() if v not in {self.sleeps[i, u] for i in snorers}
                }
                for i in snorers:
                    self.m.row(
                        {**quiet, self.sleeps[i, u]: self.most[u], kept: -1}, high=self.most[u]
                    )
                self.cost("rules", {kept: SNORE_COST})
            bent = self.used(
                u, lambda o: len(o.cautions) + UNSUITED_COST * o.unsuited + TIGHT_COST * o.tight
            )
            self.cost("rules", bent)
            self.cost("quick", self.used(u, lambda o: round(10 * o.minutes)))
            self.cost("compact", self.used(u, lambda o: round(10 * o.out_m)))

    def earshot(self) -> None:
        """A shelter of novices stands within earshot and eyeshot of a leader's."""
        reach, campers = self.asked.rules.earshot_m, self.asked.campers
        offers = self.asked.offers
        novices = [
            i
            for i, c in enumerate(campers)
            if c.skill is Skill.NOVICE and not c.leader and c.number >= 0
        ]
        placed = [n for n, o in enumerate(offers) if o.at is not None]
        if not reach or not novices or not any(c.leader for c in campers) or not placed:
            return
        hearing = heard(np.array([offers[n].at for n in placed]), reach, self.asked.blinds)
        kind_of = dict(zip(placed, hearing.kind.tolist(), strict=True))
        stands: list[dict[int, Terms]] = [
            {} for _ in self.units
        ]  # unit -> kind of place -> its offers there
        for u, numbers in enumerate(self.of_unit):
            for n in numbers:
                if n in kind_of:
                    stands[u].setdefault(kind_of[n], {})[self.takes[n]] = 1
        led: dict[
            int, Terms
        ] = {}  # kind of place -> flags of the units that stand there with a leader
        for u, here in enumerate(stands):
            leaders = {
                self.sleeps[i, u]: -1
                for i, c in enumerate(campers)
                if c.leader and (i, u) in self.sleeps
            }
            for kind, taken in here.items() if leaders else ():
                flag = self.m.flag()
                led.setdefault(kind, {})[flag] = -1
                self.m.row({flag: 1, **dict.fromkeys(taken, -1)}, high=0)
                self.m.row({flag: 1, **leaders}, high=0)
        flags = {kind: self._any_of(some) for kind, some in led.items()}
        cells = [self._any_of({flags[k]: -1 for k in some if k in flags}) for some in hearing.cells]
        for u, here in enumerate(stands):
            mine = [self.sleeps[i, u] for i in novices if (i, u) in self.sleeps]
            if not mine:
                continue
            some, far = self.m.flag(), self.m.flag()
            self.cost("rules", {far: FAR_COST})
            for v in mine:
                self.m.row({v: 1, some: -1}, high=0)
            for kind, taken in here.items():
                whole, single = hearing.hears[kind]
                hears = {cells[c]: -1 for c in whole} | {flags[k]: -1 for k in single if k in flags}
                self.m.row({**taken, some: 1, far: -1, **hears}, high=1)

    def _any_of(self, some: Terms) -> int:
        """A flag that is 1 only where one of these (each with -1) is; of one alone, that itself."""
        if len(some) == 1:
            return next(iter(some))
        flag = self.m.flag()
        self.m.row({flag: 1, **some}, high=0)
        return flag

    def lent(self) -> None:
        """Sheets used without their owners, people who leave theirs, buttons, sheets joined. Who
        does not lend sleeps under the own sheet, or it stays in the bag.
        """
        campers = {c.number: c for c in self.asked.campers}
        for u, sheets in enumerate(self.units):
            for sheet in sheets:
                owner = campers.get(self.asked.owners.get(sheet, 0))
                if owner is None:
                    continue
                there = self.sleeps.get((self.place[owner.number], u))
                mine = {} if there is None else {there: -1}
                if owner.lends:
                    away = self.m.flag()
                    self.m.row({**self.used(u), **mine, away: -1}, high=0)
                    self.cost("own kit", {away: LENT_SHEET_COST})
                else:
                    tag = f"lend {owner.number}"
                    self.m.words[tag] = f"{owner.name} does not lend"
                    self.m.row({**self.used(u), **mine}, high=0, tag=tag)
            guests = []
            for (i, w), v in self.sleeps.items():
                own = self.owned.get(self.asked.campers[i].number, set())
                if w == u and own and not own & set(sheets):
                    guests.append(v)
            self.cost(
                "own kit",
                {**self.used(u, lambda o: o.buttons), **dict.fromkeys(guests, GUEST_COST)},
            )
            if len(sheets) > 1:
                self.cost("own kit", self.used(u, lambda _: JOINED_SHEET_COST))

    def moves(self) -> None:
        """Changes to what stands: shelters not left as they are, new ones put up, people who change
        the sheet.
        """
        stood = {s.sheets: s for s in self.asked.standing}
        for u, sheets in enumerate(self.units):
            standing = stood.get(sheets)
            as_is = [
                n
                for n in self.of_unit[u]
                if standing is not None and stands_as(self.asked.offers[n], standing)
            ]
            if not self.asked.standing:
                continue
            self.cost("moves", {self.takes[n]: 1 for n in self.of_unit[u] if n not in as_is})
            if standing is not None:
                gone = self.m.flag()  # taken down: neither as it was nor otherwise
                self.m.row({gone: 1, **self.used(u)}, low=1)
                self.cost("moves", {gone: 1})
        for standing in self.asked.standing:
            unit = self.unit_of.get(standing.sheets)
            for person in standing.people:
                i = self.place.get(person)
                if i is None:
                    continue
                moved = self.m.flag()
                self.cost("moves", {moved: 1})
                stays = self.sleeps.get((i, unit)) if unit is not None else None
                self.m.row({moved: 1, **({stays: 1} if stays is not None else {})}, low=1)

    def build(self) -> PlanModel:
        """All of it."""
        self.beds()
        self.rooms()
        self.once()
        self.sharing()
        self.together()
        self.locks()
        self.lent()
        used = [
            (self.takes[n], offer, self.unit_of[offer.sheets])
            for n, offer in enumerate(self.asked.offers)
        ]
        there = {
            (c.number, u): self.sleeps[self.place[c.number], u]
            for c in self.asked.campers
            for u in range(len(self.units))
            if (self.place[c.number], u) in self.sleeps
        }
        lends = {c.number: c.lends for c in self.asked.campers}
        self.cost(
            "own kit",
            kit_rows(
                self.m, used, self.asked.pools, there, lends, join=self.asked.rules.join_lines
            ),
        )
        self.comfort()
        self.earshot()
        self.moves()
        for aim in self.asked.aims:
            if self.costs[aim]:
                self.m.aims[aim] = self.costs[aim]
        return PlanModel(
            self.asked, self.m, self.units, self.sleeps, tuple(self.takes), tuple(self.wet)
        )


def plan_model(asked: PlanQuestion) -> PlanModel:
    """The model of a plan. It always has a solution with people left without beds, unless a lock
    cannot be kept.
    """
    return _Builder(asked).build()
