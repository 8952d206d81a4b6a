"""All offers of a night, in batches: every sheet of the bag (and pair of sheets joined) in its forms at its spots."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.plan.camps import Camp, Stand, stand_at, stands
from tarvik.core.plan.forms import HARD_MIN, QUICK_PITCHES, Form, Weathered, forms_of, offered, questions, weathered
from tarvik.core.plan.offers import LINE, Offer, Pool, pruned
from tarvik.core.sheet import joined_sheet
from tarvik.core.site.placing import Spot

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping, Sequence

    from tarvik.core.plan.forms import Carrying, SolveAll
    from tarvik.core.plan.model import Standing
    from tarvik.core.plan.party import Camper
    from tarvik.core.rig.supports import Supports
    from tarvik.core.sheet import Sheet
    from tarvik.core.tonight import Night

SPOTS_EACH: Final = 8
"""Spots kept for each form and way of carrying it."""
FORMS_EACH: Final = 2
"""Forms kept of a sheet for each number of sleepers."""
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
    spots_each: int = SPOTS_EACH

    def units(self) -> list[tuple[tuple[int, ...], Sheet, float | None]]:
        """Sheets, and pairs joined where the course allows it: (numbers, the sheet, the owner's stature)."""
        tall = {c.number: c.stature_m for c in self.campers}
        out: list[tuple[tuple[int, ...], Sheet, float | None]] = [
            ((b.number,), b.sheet, tall.get(b.owner) if b.owner is not None else None) for b in self.sheets
        ]
        if not self.join_sheets:
            return out
        pairs = []
        for i, a in enumerate(self.sheets):
            for b in self.sheets[i + 1 :]:
                try:
                    pairs.append(((a.number, b.number), joined_sheet(a.sheet, b.sheet), None))
                except InputError:
                    continue
        return [*out, *sorted(pairs, key=lambda p: -p[1].area_m2)[:JOINS_MOST]]


def gather(
    bag: Bag, night: Night, camp: Camp | None, solve_all: SolveAll, stop: Callable[[], bool] = lambda: False
) -> Iterator[list[Offer]]:
    """The offers in two batches: first those of a few pitches, for a first plan, then all, those that can only lose left
    out. `camp` None: there is no map, so trees are counted and nothing is placed.
    """
    slugs = offered(night)
    made: list[Offer] = []
    seen: set[object] = set()
    work = _Work(bag, night, camp)
    for batch in (slugs[:QUICK_PITCHES], slugs[QUICK_PITCHES:]):
        units = bag.units()
        asked = [(unit, questions(unit[1], batch, night, bag.supports, unit[2], work.tallest)) for unit in units]
        distinct = list({(q.sheet, q.pitch.slug, q.body.stature_m, q.wanted): q for _, some in asked for q in some}.values())
        answers = dict(zip([(q.sheet, q.pitch.slug, q.body.stature_m, q.wanted) for q in distinct], solve_all(distinct),
                           strict=True))  # fmt: skip
        for (sheets, _, _), some in asked:
            if stop():
                return
            found = [answers[q.sheet, q.pitch.slug, q.body.stature_m, q.wanted] for q in some]
            for form in work.fittest(forms_of(found, night, bag.supports, buttons=bag.buttons)):
                key = (sheets, form.pitch.slug, form.settings)
                if key not in seen:
                    seen.add(key)
                    made += work.offers(sheets, form)
        made = pruned(made, bag.pools)
        yield made


def standing_offers(bag: Bag, night: Night, camp: Camp | None, stood: Sequence[Standing], solve_all: SolveAll) -> list[Offer]:
    """What stands already, as offers: the same sheet, pitch, settings and spot, with what tonight's weather leaves of it."""
    sheets = {b.number: b.sheet for b in bag.sheets}
    work = _Work(bag, night, camp)
    some = [s for s in stood if len(s.sheets) == 1 and s.sheets[0] in sheets]
    asked = [
        replace(q, settings=dict(s.settings))
        for s in some for q in questions(sheets[s.sheets[0]], [s.pitch], night, bag.supports, None, work.tallest)[:1]
    ]  # fmt: skip
    out = []
    for standing, found in zip(some, solve_all(asked), strict=True):
        for form in forms_of([found], night, bag.supports, buttons=bag.buttons):
            out += work.standing(standing, replace(form, settings=standing.settings))
    return out


class _Work:
    """What sheets alike share: the spots of a form, and what the wind leaves of it there."""

    def __init__(self, bag: Bag, night: Night, camp: Camp | None) -> None:
        self.bag, self.night, self.camp = bag, night, camp
        self.statures = sorted({c.stature_m for c in bag.campers})
        self.tallest = max(self.statures, default=1.75)
        self._stands: dict[object, list[Stand]] = {}
        self._weathered: dict[object, Weathered] = {}

    def standing(self, standing: Standing, form: Form) -> list[Offer]:
        """Offers of one shelter where it stands; none where the ground does not allow it any more."""
        if self.camp is None or standing.at is None:
            return [o for way in self._ways(form) if (o := self._unplaced(standing.sheets, form, way)).beds]
        spot = Spot(standing.at, standing.front_deg or 0.0, standing.anchor)
        found = [(way, stand_at(form, way, self.camp, spot, standing.trees)) for way in self._ways(form)
                 if way.trees == len(standing.trees)]  # fmt: skip
        out = [self._placed(standing.sheets, form, way, stand) for way, stand in found if stand is not None]
        return [o for o in out if o.beds]

    def fittest(self, forms: Sequence[Form]) -> list[Form]:
        """For each number of sleepers the forms that serve them best with their backs to the wind: out of the wind, sitting
        up, quickly set. The rest is left out before spots are sought, for the number of offers is what a plan costs.
        """
        given = [self._given(f, f.back_deg, None) for f in forms]
        most = [max((n for _, n in g.beds), default=0) for g in given]
        kept: dict[int, None] = {}
        for people in range(1, max(most, default=0) + 1):
            fit = [n for n in range(len(forms)) if most[n] >= people]
            fit.sort(key=lambda n: (-min(given[n].calm, people), -min(given[n].sit, people), forms[n].pitch.minutes, n))
            kept |= dict.fromkeys(fit[:FORMS_EACH])
        return [forms[n] for n in kept]

    def offers(self, sheets: tuple[int, ...], form: Form) -> list[Offer]:
        """Offers of one unit in one form."""
        out = []
        for way in self._ways(form):
            if self.camp is None:
                out.append(self._unplaced(sheets, form, way))
                continue
            key = (form.sheet, form.pitch.slug, form.settings, id(way.rig))
            if key not in self._stands:
                self._stands[key] = stands(form, way, self.camp, self.bag.spots_each)
            out += [self._placed(sheets, form, way, stand) for stand in self._stands[key]]
        return [o for o in out if o.beds]

    def _ways(self, form: Form) -> list[Carrying]:
        """Of the ways on the same trees and poles the one with the fewest lines to be joined, and the least cord."""
        lines = sorted((p.most_m for p in self.bag.pools if p.kind == LINE), reverse=True)
        longest = lines[0] if lines else 0.0

        def trouble(way: Carrying) -> tuple[float, float]:
            cords = [line.cord_m for line in way.rig.lines]
            return sum(c > longest for c in cords), sum(cords)

        best: dict[object, Carrying] = {}
        for way in sorted(form.ways, key=trouble):
            best.setdefault((way.trees, len(way.poles), way.others), way)
        return list(best.values())

    def _given(self, form: Form, from_deg: float, uphill_deg: float | None) -> Weathered:
        key = (form.sheet, form.pitch.slug, form.settings, round(from_deg, 1) if self.night.needs.wind_m_s else None,
               None if uphill_deg is None else round(uphill_deg))  # fmt: skip
        if key not in self._weathered:
            self._weathered[key] = weathered(form, self.night, from_deg, uphill_deg, self.statures)
        return self._weathered[key]

    def _placed(self, sheets: tuple[int, ...], form: Form, way: Carrying, stand: Stand) -> Offer:
        assert self.camp is not None  # noqa: S101
        out = math.dist(stand.placed.spot.at, self.camp.heart)
        given = self._given(form, stand.from_deg, stand.uphill_deg)
        return _offer(sheets, form, way, given, stand, out)

    def _unplaced(self, sheets: tuple[int, ...], form: Form, way: Carrying) -> Offer:
        return _offer(sheets, form, way, self._given(form, form.back_deg, None), None, 0.0)


def _offer(sheets: tuple[int, ...], form: Form, way: Carrying, given: Weathered, stand: Stand | None, out_m: float) -> Offer:
    trees = stand.trees if stand is not None else ()
    return Offer(
        sheets=sheets, pitch=form.pitch.slug, settings=form.settings, beds=given.beds,
        spot=stand.placed.spot if stand else None, trees=trees, ground=stand.taken if stand else None,
        at=stand.placed.spot.at if stand else None, sit=given.sit, calm=given.calm, minutes=form.pitch.minutes,
        hard=form.pitch.minutes > HARD_MIN, stakes=way.rig.stakes_needed(), poles=way.poles,
        cords=stand.cords if stand else tuple(line.cord_m for line in way.rig.lines),
        others=(*way.others, *(() if stand else ("tree",) * way.trees)), buttons=way.buttons, out_m=out_m,
        cautions=stand.cautions if stand else (), open_share=given.open_share, gale_force=form.move_at_force,
    )  # fmt: skip


def names_of(bag: Bag) -> Mapping[int, str]:
    """Sheets by number, in words for messages."""
    people = {c.number: c.name for c in bag.campers}
    return {b.number: f"{people[b.owner]}'s sheet" if b.owner in people else "a sheet of the group" for b in bag.sheets}
