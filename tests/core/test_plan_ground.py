"""Whole plans on random woods: every mat dry by rays, no shelter in another's way, nothing on the
path or the wrong tree.
"""

from __future__ import annotations

import itertools
import math
import threading
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pytest
import shapely
import shapely.affinity

from tarvik.commands.bench_plan import large_case
from tarvik.core.body import Body
from tarvik.core.measure.figures import measure
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.apart import conflicting
from tarvik.core.plan.camps import Camp
from tarvik.core.plan.choose import Chosen, Limits
from tarvik.core.plan.gather import Bag, InBag
from tarvik.core.plan.make import Case, Offers, make, stands_at, with_beds
from tarvik.core.plan.offers import LINE, POLE, STAKE, Offer, Pool
from tarvik.core.plan.party import Camper, Shares
from tarvik.core.plan.question import Locks, Standing, stands_as
from tarvik.core.rig.supports import Pole, Supports
from tarvik.core.sheet import Sheet
from tarvik.core.site.hazards import hazards
from tarvik.core.site.placing import place, wind_in_frame
from tarvik.core.site.things import Area, Ground, Kind, Sort, Thing
from tarvik.core.tonight import Night
from tarvik.core.weather.needs import NightNeeds
from tarvik.work.solving import Solver
from tests.brute_force import rain_ways
from tests.plan_cases import broken_rules
from tests.reference import ray_heights

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from tarvik.core.plan.model import PlanModel
    from tarvik.core.solve import Question, Solution

WIND_FROM = 230.0


def windy_case(seed: int) -> Case:
    """Five people in a wood with a path through it, rain driven by a fresh wind."""
    case = large_case(5, 34, seed=seed)
    assert case.camp is not None
    path = Area("path", Sort.PATH, ((0.0, 8.0), (40.0, 10.0)), 1.5)
    ground = Ground(case.camp.ground.things, (path,))
    night = Night(NightNeeds(rain_mm_h=4.0, wind_m_s=6.0, wind_from_deg=WIND_FROM))
    camp = Camp(
        ground,
        tuple(hazards(ground, wind_from_deg=WIND_FROM, rain_mm=20.0)),
        wind_from_deg=WIND_FROM,
        longest_line_m=11.0,
    )
    return replace(case, camp=camp, night=night)


@pytest.mark.parametrize("seed", [2, 3])
def test_a_plan_stands_on_its_ground(seed: int) -> None:
    case = windy_case(seed)
    assert case.camp is not None
    made = make(case, Solver().solve_all, Limits(workers=1), kept=Offers())
    chosen, offers = made.chosen, made.offers
    assert (
        chosen.possible
        and offers
        and not broken_rules(made.model.asked, offers, chosen.beds)
    )
    statures = {c.number: c.stature_m for c in case.bag.campers}
    trunks = {
        t.name: shapely.Point(t.at).buffer(t.across_m / 2) for t in case.camp.ground.things
    }
    path = case.camp.ground.areas[0].shape()
    for offer in offers:
        sheet = next(b.sheet for b in case.bag.sheets if (b.number,) == offer.sheets)
        assert offer.spot is not None and offer.ground is not None
        standing = place(
            PITCHES[offer.pitch], sheet, dict(offer.settings), offer.spot, case.camp.relief
        )
        assert offer.ground.buffer(0.01).covers(standing.cloth)
        assert not offer.ground.intersects(path)
        for name, trunk in trunks.items():
            assert name in offer.trees or not offer.ground.intersects(trunk), name
            assert not standing.cloth.intersects(trunk)
        people = [p for p, s in chosen.beds.items() if s == offer.sheets]
        weather = case.night.needs.weather(wind_in_frame(WIND_FROM, offer.spot.front_deg))
        tallest = Body(max(statures[p] for p in people))
        figures = measure(standing.shelter, tallest, weather)
        assert len(figures.mats) >= len(people)
        for mat in figures.mats[: len(people)]:
            corners = mat.corners()
            inside = np.array(
                [
                    np.average(corners, axis=0, weights=w)
                    for w in np.random.default_rng(1).dirichlet([1] * 4, 60)
                ]
            )
            for way in (None, *rain_ways(weather, 7)):
                assert np.isfinite(
                    ray_heights(standing.shelter, inside, way)
                ).all()  # every drop's path meets cloth
    for one, two in itertools.combinations(offers, 2):
        assert one.ground is not None and two.ground is not None
        assert one.ground.distance(two.ground) >= case.rules.gap_m - 1e-6
        assert not set(one.trees) & set(two.trees)


def test_a_course_planned_in_blocks_breaks_no_rule(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nine people in three patrols, planned as a large course is: the whole keeps every rule the
    blocks keep.
    """
    monkeypatch.setattr("tarvik.core.plan.make.WHOLE_MOST", 6)
    monkeypatch.setattr("tarvik.core.plan.blocks.BLOCK", 3)
    case = large_case(9, 60, patrols=3)
    made = make(case, Solver().solve_all, Limits(workers=1), clock=(lambda: 0.0, 8.0))
    assert made.chosen.possible
    assert not broken_rules(made.model.asked, made.offers, made.chosen.beds)
    assert sum(s is not None for s in made.chosen.beds.values()) >= 8


def test_of_like_ground_that_near_water_is_taken() -> None:
    """One person in the open, the fire's own place closed: the same ground with the stream on the
    one side and on the other. Each offer's way is that to the fire and a quarter of what it is
    farther from the stream.
    """
    case = large_case(1, 0, seed=3)
    plenty = (Pool(STAKE, 20), Pool(POLE, 2, 1.05, 1.45), Pool(LINE, 9, 0.0, 5.5))
    supports = Supports((), (Pole(1.05, 1.45), Pole(1.05, 1.45)))
    case = replace(case, bag=replace(case.bag, pools=plenty, supports=supports))
    sides = []
    for x in (-30.0, 30.0):
        stream = Area("stream", Sort.WATER, ((x, -60.0), (x, 60.0)), 1.0)
        strip = Area(
            "strip", Sort.NO_GO, ((-1.0, -50.0), (1.0, -50.0), (1.0, 50.0), (-1.0, 50.0))
        )
        ground = Ground((Thing("fire", Kind.FIRE, (0.0, 0.0), 1.0),), (stream, strip))
        camp = Camp(
            ground,
            tuple(hazards(ground, wind_from_deg=None, rain_mm=0.0)),
            longest_line_m=11.0,
        )
        made = make(
            replace(case, camp=camp, night=Night(NightNeeds(rain_mm_h=2.0))), Solver().alone
        )
        assert made.chosen.proven
        for offer in made.model.asked.offers:
            assert offer.at is not None
            here, fire = (
                stream.shape().distance(shapely.Point(p)) for p in (offer.at, (0.0, 0.0))
            )
            assert offer.out_m == pytest.approx(
                math.hypot(*offer.at) + 0.25 * max(here - fire, 0.0), abs=1e-9
            )
        (taken,) = made.offers
        assert taken.at is not None
        sides.append(taken.at[0])
    assert sides[0] < 0 < sides[1]


def test_the_same_question_gives_the_same_plan_on_a_busy_machine() -> None:
    """Once alone, once beside a thread that takes what time it gets: the same offers and the same
    beds, not just as good.
    """
    case = windy_case(4)
    offers = Offers()
    first = make(case, Solver().alone, kept=offers)
    assert first.chosen.proven
    busy = threading.Event()

    def hinder() -> None:
        while not busy.is_set():
            sum(range(1000))

    thread = threading.Thread(target=hinder)
    thread.start()
    try:
        again = make(case, Solver().alone, kept=offers)
    finally:
        busy.set()
        thread.join()
    assert (again.chosen.offers, again.chosen.beds) == (
        first.chosen.offers,
        first.chosen.beds,
    )


@pytest.mark.parametrize("looks", [1, 4, 9, 40])
def test_what_was_gathered_until_a_stop_is_gone_on_with(looks: int) -> None:
    """Stopped at some look, in the first depth or the second, and asked again: the same offers, and
    fewer questions.
    """
    case = windy_case(3)
    solver = Solver()

    def gathered(
        kept: Offers, stop: Callable[[], bool] = lambda: False
    ) -> tuple[list[object], int]:
        asked = 0

        def solve_all(questions: Sequence[Question]) -> list[Solution]:
            nonlocal asked
            asked += len(questions)
            return solver.alone(questions)

        offers = kept.of(case, solve_all, stop, lambda _: None)
        return [
            (o.sheets, o.pitch, o.settings, o.spot, o.beds, o.trees) for o in offers
        ], asked

    whole, most = gathered(Offers())
    kept, left = Offers(), itertools.count(looks, -1)
    _, before = gathered(kept, lambda: next(left) <= 0)
    again, after = gathered(kept)
    assert again == whole and before < most
    assert after < most or looks == 1  # stopped before any sheet was done


def test_grounds_too_near_are_those_that_distances_tell() -> None:
    """Cloths with lines, at random: the pairs of different sheets nearer than the gap, looked at
    one by one.
    """
    dice = np.random.default_rng(9)
    offers = []
    for n in range(60):
        x, y = dice.uniform(0, 14, 2)
        cloth = shapely.affinity.rotate(
            shapely.box(x, y, x + 3, y + 2), float(dice.uniform(0, 180))
        )
        line = shapely.LineString([(x, y), (x - 1.5, y - 1.0)])
        ground = shapely.GeometryCollection(
            [cloth, shapely.MultiPoint([(x - 1.5, y - 1.0)]), line]
        )
        offers.append(
            Offer((n % 12,), "a-frame", (), ((1.9, 1),), ground=ground, at=(x, y))
        )
    told = {tuple(pair) for pair in conflicting(offers, 0.6).tolist()}
    wanted = {
        (a, b)
        for a, b in itertools.combinations(range(60), 2)
        if offers[a].sheets != offers[b].sheets
        and offers[a].ground.distance(offers[b].ground) < 0.6 - 1e-9  # type: ignore[union-attr]
    }
    assert told == wanted and 50 < len(wanted) < 1500


def test_after_a_hand_s_change_the_untouched_shelters_stay_at_first() -> None:
    """One person put under another's sheet and fixed there: the plans told first, over some of the
    offers only, leave every other shelter where it stood or take it down, keep every rule, and the
    last of all is no worse.
    """
    case, kept = windy_case(2), Offers()
    before = make(case, Solver().alone, kept=kept)
    standing = tuple(
        Standing(
            o.sheets,
            o.pitch,
            o.settings,
            o.spot.at,
            o.spot.front_deg,
            tuple(p for p, s in before.chosen.beds.items() if s == o.sheets),
            o.spot.anchor,
            o.trees,
        )
        for o in before.offers
        if o.spot is not None
    )
    assert len(standing) > 1
    person, goal = standing[0].people[0], standing[1].sheets[0]
    told: list[tuple[PlanModel, Chosen]] = []
    held = replace(case, standing=standing, locks=Locks(people={person: goal}))
    after = make(
        held,
        Solver().alone,
        tell=lambda model, chosen: told.append((model, chosen)),
        kept=kept,
    )
    near = [(m, c) for m, c in told if len(m.asked.offers) < len(after.model.asked.offers)]
    assert near
    untouched = {s.sheets: s for s in standing if s.sheets != (goal,)}
    for model, chosen in near:
        assert goal in (chosen.beds[person] or ())
        for offer in (model.asked.offers[n] for n in chosen.offers):
            assert offer.sheets not in untouched or stands_as(
                offer, untouched[offer.sheets]
            )
        assert not broken_rules(
            model.asked, [model.asked.offers[n] for n in chosen.offers], chosen.beds
        )
    assert after.chosen.value() <= near[-1][1].value()


def test_people_lie_tightly_only_where_they_would_have_no_bed_else() -> None:
    """Common practice: a small poncho sleeps one tightly as an A-frame in wind and rain. A plan
    says so, and lets nobody lie under it while a larger sheet is in the bag.
    """
    poncho = InBag(1, Sheet.rectangle(1.45, 2.0), 1)
    needs = NightNeeds(
        rain_mm_h=4.0, wind_m_s=9.0, wind_from_deg=WIND_FROM, surroundings="closed-wood"
    )
    large = InBag(2, Sheet.rectangle(3.05, 3.05), None)
    one = Camper(1, "A", 1.75)
    bag = Bag((poncho,), (one,), Supports(None, (), None, None), (Pool(STAKE, 40),))
    pools = (Pool(STAKE, 40), Pool(LINE, 12, 0.0, 6.0), Pool("tree", 8))
    alone = Case(replace(bag, pools=pools), Night(needs))
    tight = make(alone, Solver().alone)
    assert tight.chosen.beds[1] == (1,)
    assert [(o.pitch, o.tight) for o in tight.offers] == [("a-frame", True)]
    assert next(r.value for r in tight.chosen.reached if r.aim == "rules") == 10
    roomy = make(
        replace(alone, bag=replace(alone.bag, sheets=(poncho, large))), Solver().alone
    )
    assert roomy.chosen.beds[1] == (2,)
    assert not any(o.tight for o in roomy.model.asked.offers)
    two = (one, Camper(2, "B", 1.75, shares=Shares.NOBODY))
    both = make(
        replace(alone, bag=replace(alone.bag, sheets=(poncho, large), campers=two)),
        Solver().alone,
    )
    assert {o.sheets: o.tight for o in both.offers} == {(1,): True, (2,): False}


def test_where_a_shelter_is_stopped_nobody_is_put() -> None:
    """The same sheet may stand elsewhere; everybody still lies dry."""
    case = windy_case(2)
    made = make(case, Solver().alone)
    stopped = {stands_at(made.offers[0])}
    again = with_beds(made, {}, stopped, Limits())
    assert not stopped & {stands_at(o) for o in again.offers}
    assert None not in again.chosen.beds.values()
    assert not broken_rules(again.model.asked, again.offers, again.chosen.beds)
