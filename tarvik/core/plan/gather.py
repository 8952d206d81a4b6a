"""All offers of a night, in batches: every sheet of the bag (and pair of sheets joined) in its
forms at its spots.
"""

from __future__ import annotations

import math
from collections import deque
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import islice, product
from threading import Event
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.hang.fabric import fabric_named
from tarvik.core.measure.grades import fits
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.suits import Suit
from tarvik.core.plan.camps import Camp, Places, Stand, parts, stand_at
from tarvik.core.plan.forms import (
    HARD_MIN,
    MOST_SHARED,
    QUICK_PITCHES,
    USUAL_STATURE_M,
    Form,
    Weathered,
    forms_of,
    offered,
    questions,
    weathered,
)
from tarvik.core.plan.offers import LINE, LONG_STAKE, Offer, Pool, pruned
from tarvik.core.sheet import joined_sheet
from tarvik.core.site.placing import Spot

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping, Sequence

    from tarvik.core.plan.forms import Carrying, SolveAll
    from tarvik.core.plan.party import Camper
    from tarvik.core.plan.question import ExtraSheets, Standing
    from tarvik.core.rig.supports import Supports
    from tarvik.core.sheet import Sheet
    from tarvik.core.solve import Question, Solution
    from tarvik.core.tonight import Night

    Hand = Callable[["Depth", Sequence[int]], dict[int, list[Offer]]]
    Elsewhere = Callable[["Portion"], Hand]

SPOTS_EACH: Final = 8
SPOTS_LEAST: Final = 3
SPOTS_FIRST: Final = 2
SPOTS_ALL: Final = 128
"""Spots kept for each form and way of carrying it; with many sheets fewer, for they have many spots
together.
"""
CLASS_M: Final = constant(
    "stature_class",
    0.05,
    "m",
    ENGINEERING,
    "statures are rounded up to this when beds are counted",
)
FORMS_EACH: Final = 2
"""Forms kept of a sheet for each number of sleepers."""
PITCHES_LEAST: Final = 4
PITCHES_ALL: Final = 160
LIGHT_PITCHES: Final = 3
"""Pitches looked at for each sheet; with many sheets fewer, those first that suit the night."""
MANY_SHEETS: Final = 24
"""With more sheets, a first plan looks at one pitch only, and longer pitches are looked at more
sparingly.
"""
JOINS_MOST: Final = 6
"""Most pairs of sheets looked at joined, the largest first."""


@dataclass(frozen=True, slots=True)
class InBag:
    """A sheet of the bag by number; its owner by person's number, None for the group's."""

    number: int
    sheet: Sheet
    owner: int | None = None


@dataclass(frozen=True)
class Bag:
    """What is there to plan with."""

    sheets: tuple[InBag, ...]
    campers: tuple[Camper, ...]
    supports: Supports
    pools: tuple[Pool, ...]
    join_sheets: bool = False
    buttons: bool = True
    light: bool = False  # a block of a large course: fewer pitches and forms are looked at
    tightly: bool = False  # people lie with the cloth close over head and feet
    extras: tuple[ExtraSheets, ...] = ()  # which of the sheets are not there yet

    @property
    def spots_each(self) -> int:
        """Spots kept for each form."""
        return min(SPOTS_EACH, max(SPOTS_LEAST, SPOTS_ALL // max(len(self.sheets), 1)))

    def cloth(self, numbers: Sequence[int]) -> Sheet:
        """One of its sheets, or two of them joined. Raises KeyError for a number it has not."""
        sheets = {one.number: one.sheet for one in self.sheets}
        first, *more = (sheets[number] for number in numbers)
        return joined_sheet(first, more[0]) if more else first

    def units(self) -> list[tuple[tuple[int, ...], Sheet, float | None]]:
        """Sheets, and pairs joined where the course allows it: (numbers, the sheet, the owner's
        stature).
        """
        tall = {c.number: c.stature_m for c in self.campers}
        out: list[tuple[tuple[int, ...], Sheet, float | None]] = [
            ((b.number,), b.sheet, tall.get(b.owner) if b.owner is not None else None)
            for b in self.sheets
        ]
        if not self.join_sheets:
            return out
        pairs = []
        for i, a in enumerate(self.sheets):
            for b in self.sheets[i + 1 :]:
                try:
                    pairs.append(
                        ((a.number, b.number), joined_sheet(a.sheet, b.sheet), None)
                    )
                except InputError:
                    continue
        return [*out, *sorted(pairs, key=lambda p: -p[1].area_m2)[:JOINS_MOST]]


@dataclass(frozen=True)
class Portion:
    """What offers are gathered from."""

    bag: Bag
    night: Night
    camp: Camp | None


@dataclass(frozen=True)
class Depth:
    """How closely each sheet is looked at: in which pitches, for how many people; the forms kept
    for each number of sleepers, the spots near the heart of the camp and those near the sheet's own
    part of it.
    """

    pitches: tuple[str, ...]
    people: int
    forms: int
    near_heart: int
    near_part: int

    @classmethod
    def first(cls, bag: Bag, slugs: tuple[str, ...]) -> Depth:
        """Only what a first plan needs, soon."""
        people = math.ceil(len(bag.campers) / max(len(bag.sheets), 1))
        quick = slugs[: QUICK_PITCHES if len(bag.sheets) <= MANY_SHEETS else 1]
        return cls(quick, min(people, MOST_SHARED), 1, 0, SPOTS_FIRST)

    @classmethod
    def whole(cls, bag: Bag, slugs: tuple[str, ...]) -> Depth:
        """All that is looked at."""
        near = bag.spots_each // 2
        return cls(
            slugs, MOST_SHARED, 1 if bag.light else FORMS_EACH, near, bag.spots_each - near
        )


def _key(question: Question) -> tuple[object, ...]:
    return question.sheet, question.pitch.slug, question.body.stature_m, question.wanted


def _alike(bag: Bag) -> list[tuple[int, ...]]:
    """The units by number, sheets alike together, for they share what is found; what takes longest
    first.
    """
    alike: dict[Sheet, list[int]] = {}
    for n, (_, sheet, _) in enumerate(bag.units()):
        alike.setdefault(sheet, []).append(n)
    return [
        tuple(some)
        for _, some in sorted(
            alike.items(), key=lambda item: -len(item[1]) * item[0].area_m2
        )
    ]


class Gatherer:
    """The offers of a night being gathered. What was gathered until a stop is kept: whoever asks
    again goes on from there. `camp` None: there is no map, so trees are counted and nothing is
    placed. Not for many threads at once.
    """

    def __init__(self, bag: Bag, night: Night, camp: Camp | None) -> None:
        slugs = offered(night)[
            : LIGHT_PITCHES
            if bag.light
            else max(PITCHES_LEAST, PITCHES_ALL // max(len(bag.sheets), 1))
        ]
        self._portion = Portion(bag, night, camp)
        self._depths = Depth.first(bag, slugs), Depth.whole(bag, slugs)
        self._waiting = [deque(_alike(bag)) for _ in self._depths]
        self._found: list[dict[int, list[Offer]]] = [{} for _ in self._depths]
        self._here = Gathering(self._portion)
        self._there: Hand | None = None

    def batches(
        self,
        solve_all: SolveAll,
        stop: Callable[[], bool] = lambda: False,
        elsewhere: Elsewhere | None = None,
    ) -> Iterator[list[Offer]]:
        """The offers in two batches: first those of a few pitches, for a first plan, then all,
        those that can only lose left out; after a stop no more. `elsewhere` takes a portion to
        other hands and returns what gathers the offers of some of its units there.
        """
        if self._there is None and elsewhere is not None and len(self._waiting[-1]) > 1:
            self._there = elsewhere(self._portion)
        for found in self._by_all_hands(solve_all, stop):
            if stop():
                return
            yield pruned(
                [offer for n in sorted(found) for offer in found[n]],
                self._portion.bag.pools,
            )

    def _by_all_hands(
        self, solve_all: SolveAll, stop: Callable[[], bool]
    ) -> Iterator[dict[int, list[Offer]]]:
        """The offers of all units by number, at one depth after the other. Each hand takes the next
        sheets when it is done with those before; the other goes on to the next depth while this
        one's offers are looked at.
        """
        over = Event()

        def work(number: int, hand: Hand) -> None:
            waiting = self._waiting[number]
            while not (over.is_set() or stop()):
                try:
                    some = waiting.popleft()
                except IndexError:
                    return
                try:
                    self._found[number].update(hand(self._depths[number], some))
                finally:
                    if left := tuple(n for n in some if n not in self._found[number]):
                        waiting.appendleft(left)

        with ThreadPoolExecutor(1) as pool:
            there = [
                pool.submit(work, n, self._there) if self._there else None
                for n in range(len(self._depths))
            ]
            try:
                for number, its in enumerate(there):
                    work(
                        number,
                        lambda depth, some: self._here.offers_of(
                            depth, some, solve_all, stop
                        ),
                    )
                    if its is not None:
                        its.result()
                    yield self._found[number]
            finally:
                over.set()  # after an error, or when no more is wanted, the other hand stops too


def standing_offers(
    bag: Bag,
    night: Night,
    camp: Camp | None,
    stood: Sequence[Standing],
    solve_all: SolveAll,
) -> list[Offer]:
    """What stands already, as offers: the same sheet, pitch, settings and spot, with what tonight's
    weather leaves of it.
    """
    numbers = {b.number for b in bag.sheets}
    work = Gathering(Portion(bag, night, camp))
    some = [s for s in stood if numbers.issuperset(s.sheets)]
    asked = [
        replace(q, settings=dict(s.settings))
        for s in some
        for q in questions(
            bag.cloth(s.sheets),
            [s.pitch],
            night,
            bag.supports,
            None,
            work.tallest,
            1,
            tightly=bag.tightly,
        )
    ]
    out = []
    for standing, found in zip(some, solve_all(asked), strict=True):
        for form in forms_of([found], night, bag.supports, buttons=bag.buttons):
            if form.stands:
                out += work.standing(standing, replace(form, settings=standing.settings))
    return out


class Gathering:
    """A portion being gathered, with what its sheets share: the spots of a form, and what the wind
    leaves of it there.
    """

    def __init__(self, portion: Portion) -> None:
        self.portion = portion
        self.bag, self.night, self.camp = bag, _, camp = (
            portion.bag,
            portion.night,
            portion.camp,
        )
        self.units = bag.units()
        self.tallest = max((c.stature_m for c in bag.campers), default=1.75)
        # A person counts as tall as the class: a mat more than is needed, never one too short.
        self.statures = sorted(
            {
                min(math.ceil(c.stature_m / CLASS_M - 1e-9) * CLASS_M, self.tallest)
                for c in bag.campers
            }
        )
        self.parts = [] if camp is None else parts(camp, len(bag.sheets))
        self.part_of = {
            b.number: n % max(len(self.parts), 1) for n, b in enumerate(bag.sheets)
        }
        self._places: dict[object, Places] = {}
        self._weathered: dict[object, Weathered] = {}

    def offers_of(
        self,
        depth: Depth,
        numbers: Sequence[int],
        solve_all: SolveAll,
        stop: Callable[[], bool] = lambda: False,
    ) -> dict[int, list[Offer]]:
        """The offers of some units, by the unit's number; of those come to before the stop."""
        bag, night = self.bag, self.night
        forms: dict[int, list[Form]] = {n: [] for n in numbers}
        full: set[tuple[int, str]] = set()  # units and pitches that hold no more people
        for slugs, wanted in product(
            self._rounds(depth.pitches), range(1, depth.people + 1)
        ):
            asked = {}
            for n in numbers:
                _, sheet, owner_m = self.units[n]
                open_ = (
                    []
                    if self.served(forms[n], wanted, depth.forms)
                    else [p for p in slugs if (n, p) not in full]
                )
                asked[n] = questions(
                    sheet,
                    open_,
                    night,
                    bag.supports,
                    owner_m,
                    self.tallest,
                    wanted,
                    tightly=bag.tightly,
                )
            distinct = {_key(q): q for some in asked.values() for q in some}
            answers = dict(zip(distinct, solve_all(list(distinct.values())), strict=True))
            for n, some in asked.items():
                if stop():
                    return {}
                told = [answers[_key(q)] for q in some]
                full |= {(n, t.question.pitch.slug) for t in told if self._full(t, wanted)}
                forms[n] = self.fittest(
                    [*forms[n], *forms_of(told, night, bag.supports, buttons=bag.buttons)],
                    depth.forms,
                    lambda question: solve_all([question])[0],
                )
        out: dict[int, list[Offer]] = {}
        for n, best in forms.items():
            if stop():
                break
            forms_once = {form.key: form for form in best}.values()
            out[n] = [
                offer
                for form in forms_once
                for offer in self.offers(self.units[n][0], form, depth)
            ]
        return out

    def _full(self, told: Solution, wanted: int) -> bool:
        """Whether a pitch that was to hold so many people does not, so that it holds no more
        either: those of usual stature, of whom more are asked, for that its tall owner does not fit
        says nothing of others.
        """
        if told.figures is not None and told.figures.sleepers >= wanted:
            return False
        return told.question.body.stature_m <= min(USUAL_STATURE_M, self.tallest)

    def _rounds(self, pitches: Sequence[str]) -> list[list[str]]:
        """The pitches in rounds, the quick ones first: of a later round only what those before
        leave unserved is asked. With many sheets, which have many forms together, every length of
        time is a round of its own.
        """
        many = len(self.bag.sheets) > MANY_SHEETS
        rounds: dict[float, list[str]] = {}
        for slug in pitches:
            minutes = PITCHES[slug].minutes
            rounds.setdefault(minutes if many else float(minutes > HARD_MIN), []).append(
                slug
            )
        return [rounds[key] for key in sorted(rounds)]

    def _spots(
        self, sheets: tuple[int, ...], form: Form, way: Carrying, camp: Camp, depth: Depth
    ) -> list[Stand]:
        """Spots near the heart, and near the part of the camp that is this sheet's; sheets alike
        share what was found.
        """
        mine = self.part_of[sheets[0]]
        places = [(camp.heart, depth.near_heart), (self.parts[mine], depth.near_part)]
        out: list[Stand] = []
        key = (form.key, way.rig)
        if key not in self._places:
            own = camp.for_cloth(fabric_named(form.sheet.fabric))
            self._places[key] = Places(form, way, own)
        for about, most in places:
            known = {(s.placed.spot, s.trees) for s in out}
            out += [
                s
                for s in self._places[key].near(about, most)
                if (s.placed.spot, s.trees) not in known
            ]
        return out

    def standing(self, standing: Standing, form: Form) -> list[Offer]:
        """Offers of one shelter where it stands; none where the ground does not allow it any
        more.
        """
        if self.camp is None or standing.at is None:
            return [
                o
                for way in self._ways(form)
                if (o := self._unplaced(standing.sheets, form, way)).beds
            ]
        spot = Spot(standing.at, standing.front_deg or 0.0, standing.anchor)
        camp = self.camp.for_cloth(fabric_named(form.sheet.fabric))
        found = [
            (way, stand_at(form, way, camp, spot, standing.trees))
            for way in self._ways(form)
            if way.trees == len(standing.trees)
        ]
        out = [
            self._placed(standing.sheets, form, way, stand)
            for way, stand in found
            if stand is not None
        ]
        return [o for o in out if o.beds]

    def fittest(
        self, forms: Sequence[Form], each: int, answer: Callable[[Question], Solution]
    ) -> list[Form]:
        """For each number of sleepers the forms that serve them best with their backs to the wind:
        out of the wind, suiting the night, sitting, quickly set. The rest is left out before spots
        are sought, for the number of offers is what a plan costs. A form found for several numbers
        of sleepers counts for each: where one serves all of them best, it needs no other beside it.
        One that the night stops is looked at lower. `answer` answers a question.
        """
        forms = list(forms)
        given = [self._given(f, f.back_deg, None) for f in forms]
        most = [g.most for g in given]
        kept: dict[int, None] = {}
        for people in range(1, max(most, default=0) + 1):
            fit = [n for n in range(len(forms)) if most[n] >= people]
            fit.sort(
                key=lambda n: (
                    -min(given[n].calm, people),
                    -forms[n].suit,
                    -min(given[n].sit, people),
                    self.night.own.minutes_of(forms[n].pitch),
                    n,
                )
            )
            stand = (n for n in fit if self._made_to_stand(forms, n, people, answer))
            kept |= dict.fromkeys(islice(stand, each))
        return [forms[n] for n in kept]

    @staticmethod
    def _made_to_stand(
        forms: list[Form], n: int, people: int, answer: Callable[[Question], Solution]
    ) -> bool:
        """Whether one of the forms stands tonight; a lower one takes its place where that does."""
        if forms[n].stands:
            return True
        lower = forms[n].held(people, answer)
        if lower is None or not lower.stands:
            return False
        forms[n] = lower
        return True

    def served(self, forms: Sequence[Form], people: int, each: int) -> bool:
        """Whether so many people are served well by `each` of these forms, out of the wind in a
        pitch that is a first choice for such a night: forms that take longer to set are not looked
        at then.
        """
        good = [
            g
            for f, g in ((f, self._given(f, f.back_deg, None)) for f in forms)
            if g.most >= people and g.calm >= people and f.suit is Suit.FIRST
        ]
        return len(good) >= each

    def offers(self, sheets: tuple[int, ...], form: Form, depth: Depth) -> list[Offer]:
        """Offers of one unit in one form."""
        out = []
        for way in self._ways(form):
            if self.camp is None:
                out.append(self._unplaced(sheets, form, way))
                continue
            out += [
                self._placed(sheets, form, way, stand)
                for stand in self._spots(sheets, form, way, self.camp, depth)
            ]
        return [o for o in out if o.beds]

    def _ways(self, form: Form) -> list[Carrying]:
        """Of the ways that hold tonight, on the same trees and poles, the one with the fewest lines
        to be joined, and the least cord.
        """
        lines = sorted((p.most_m for p in self.bag.pools if p.kind == LINE), reverse=True)
        longest = lines[0] if lines else 0.0

        def trouble(way: Carrying) -> tuple[float, float]:
            cords = [line.cord_m for line in way.rig.lines]
            return sum(c > longest for c in cords), sum(cords)

        best: dict[object, Carrying] = {}
        for way in sorted(form.ways, key=trouble):
            kind = way.trees, len(way.poles), way.others
            if kind not in best and form.holds(way):
                best[kind] = way
        return list(best.values())

    def _given(self, form: Form, from_deg: float, uphill_deg: float | None) -> Weathered:
        if not form.figures.lying.minds_uphill:
            uphill_deg = None
        key = (
            form.key,
            round(from_deg, 1) if self.night.needs.wind_m_s else None,
            None if uphill_deg is None else round(uphill_deg),
        )
        if key not in self._weathered:
            self._weathered[key] = weathered(
                form, self.night, from_deg, uphill_deg, self.statures
            )
        return self._weathered[key]

    def _placed(
        self, sheets: tuple[int, ...], form: Form, way: Carrying, stand: Stand
    ) -> Offer:
        assert self.camp is not None  # noqa: S101
        out = self.camp.way_m(stand.placed.spot.at)
        given = self._given(form, stand.from_deg, stand.uphill_deg)
        return self._offer(sheets, form, way, given, stand, out)

    def _unplaced(self, sheets: tuple[int, ...], form: Form, way: Carrying) -> Offer:
        return self._offer(
            sheets, form, way, self._given(form, form.back_deg, None), None, 0.0
        )

    def _offer(
        self,
        sheets: tuple[int, ...],
        form: Form,
        way: Carrying,
        given: Weathered,
        stand: Stand | None,
        out_m: float,
    ) -> Offer:
        trees = stand.trees if stand is not None else ()
        return Offer(
            sheets=sheets,
            pitch=form.pitch.slug,
            settings=form.settings,
            beds=given.beds,
            spot=stand.placed.spot if stand else None,
            trees=trees,
            ground=stand.taken if stand else None,
            at=stand.placed.spot.at if stand else None,
            sit=given.sit,
            calm=given.calm,
            ease=min(fits(form.figures).ease, given.most),
            poor=form.poor(way),
            unsuited=form.suit is Suit.NEVER,
            minutes=self.night.own.minutes_of(form.pitch),
            hard=form.pitch.minutes > HARD_MIN,
            stakes=form.stakes(way),
            poles=way.poles,
            cords=stand.cords if stand else tuple(line.cord_m for line in way.rig.lines),
            others=(
                *way.others,
                *(() if stand else ("tree",) * way.trees),
                *((LONG_STAKE,) * form.longer_stakes(way)),
            ),
            buttons=way.buttons,
            tight=form.tight,
            out_m=out_m,
            cautions=stand.cautions if stand else (),
            open_share=given.open_share,
            gale_force=form.move_at_force(way),
        )


def names_of(bag: Bag) -> Mapping[int, str]:
    """Sheets by number, in words for messages."""
    people = {c.number: c.name for c in bag.campers}
    return {
        b.number: f"{people[b.owner]}'s sheet"
        if b.owner in people
        else "a sheet of the group"
        for b in bag.sheets
    }
