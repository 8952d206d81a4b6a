"""Whole plans on random woods: every mat dry by rays, no shelter in another's way, nothing on the path or the wrong tree."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
import shapely

from tarvik.commands.bench_plan import large_case
from tarvik.core.body import Body
from tarvik.core.measure.figures import measure
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.camps import Camp
from tarvik.core.plan.choose import Limits
from tarvik.core.plan.make import Case, Offers, make
from tarvik.core.site.hazards import hazards
from tarvik.core.site.placing import place, wind_in_frame
from tarvik.core.site.things import Area, Ground, Sort
from tarvik.core.tonight import Night
from tarvik.core.weather.needs import NightNeeds
from tarvik.work.solving import Solver
from tests.brute_force import rain_ways
from tests.plan_cases import broken_rules
from tests.reference import ray_heights

WIND_FROM = 230.0


def windy_case(seed: int) -> Case:
    """Five people in a wood with a path through it, rain driven by a fresh wind."""
    case = large_case(5, 34, seed=seed)
    assert case.camp is not None
    path = Area("path", Sort.PATH, ((0.0, 8.0), (40.0, 10.0)), 1.5)
    ground = Ground(case.camp.ground.things, (path,))
    night = Night(NightNeeds(rain_mm_h=4.0, wind_m_s=6.0, wind_from_deg=WIND_FROM))
    camp = Camp(ground, tuple(hazards(ground, wind_from_deg=WIND_FROM, rain_mm=20.0)), wind_from_deg=WIND_FROM,
                longest_line_m=11.0)  # fmt: skip
    return replace(case, camp=camp, night=night)


@pytest.mark.parametrize("seed", [2, 3])
def test_a_plan_stands_on_its_ground(seed: int) -> None:
    case = windy_case(seed)
    assert case.camp is not None
    made = make(case, Solver().solve_all, Limits(workers=1), kept=Offers())
    chosen, offers = made.chosen, made.offers
    assert chosen.possible and offers and not broken_rules(made.model.asked, offers, chosen.beds)
    statures = {c.number: c.stature_m for c in case.bag.campers}
    trunks = {t.name: shapely.Point(t.at).buffer(t.across_m / 2) for t in case.camp.ground.things}
    path = case.camp.ground.areas[0].shape()
    for offer in offers:
        sheet = next(b.sheet for b in case.bag.sheets if (b.number,) == offer.sheets)
        assert offer.spot is not None and offer.ground is not None
        standing = place(PITCHES[offer.pitch], sheet, dict(offer.settings), offer.spot, case.camp.ground)
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
                [np.average(corners, axis=0, weights=w) for w in np.random.default_rng(1).dirichlet([1] * 4, 60)]
            )
            for way in (None, *rain_ways(weather, 7)):
                assert np.isfinite(ray_heights(standing.shelter, inside, way)).all()  # every drop's path meets cloth
    for one, two in itertools.combinations(offers, 2):
        assert one.ground is not None and two.ground is not None
        assert one.ground.distance(two.ground) >= case.rules.gap_m - 1e-6
        assert not set(one.trees) & set(two.trees)


def test_a_course_planned_in_blocks_breaks_no_rule(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nine people in three patrols, planned as a large course is: the whole keeps every rule the blocks keep."""
    monkeypatch.setattr("tarvik.core.plan.make.WHOLE_MOST", 6)
    monkeypatch.setattr("tarvik.core.plan.blocks.BLOCK", 3)
    case = large_case(9, 60, patrols=3)
    made = make(case, Solver().solve_all, Limits(workers=1), clock=(lambda: 0.0, 8.0))
    assert made.chosen.possible
    assert not broken_rules(made.model.asked, made.offers, made.chosen.beds)
    assert sum(s is not None for s in made.chosen.beds.values()) >= 8
