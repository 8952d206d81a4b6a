"""When the wind rises or somebody is hurt: who goes where, against plain loops over people, beds
and rules.
"""

from __future__ import annotations

import itertools
import random
from dataclasses import replace
from functools import cache
from typing import TYPE_CHECKING

import pytest

from tarvik.core.pitches import PITCHES
from tarvik.core.plan.choose import choose
from tarvik.core.plan.mishap import casualty, foul_weather
from tarvik.core.plan.model import plan_model
from tarvik.core.rig.supports import Supports
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, Solution, solve
from tests.plan_cases import barred, random_course

if TYPE_CHECKING:
    from tarvik.core.plan.offers import Offer
    from tarvik.core.plan.party import Camper
    from tarvik.core.plan.question import PlanQuestion

Beds = dict[int, tuple[int, ...] | None]


def planned(seed: int) -> tuple[PlanQuestion, list[Offer], tuple[int, ...], Beds]:
    """A random course of up to eight people and its plan."""
    asked = random_course(seed, most_people=8, each=2)
    asked = replace(
        asked, standing=(), campers=tuple(c for c in asked.campers if c.number > 0)
    )
    chosen = choose(plan_model(asked))
    return asked, [asked.offers[n] for n in chosen.offers], chosen.offers, dict(chosen.beds)


def roomy(seed: int, dice: random.Random) -> tuple[PlanQuestion, list[Offer], Beds]:
    """A random course that lies anyhow, as the rules allow, under shelters with room to spare."""
    asked = random_course(seed, most_people=7)
    campers = tuple(c for c in asked.campers if c.number > 0)
    by_sheets = {o.sheets: o for o in asked.offers}
    offers = [
        replace(
            o, beds=((1.95, dice.choice([1, 2, 4])),), gale_force=dice.choice([5, 6, 7, 8])
        )
        for o in by_sheets.values()
    ]
    asked, beds = replace(asked, campers=campers), Beds()
    for camper in campers:
        places = [
            o
            for o in offers
            if holds(o, [*(there := inside(asked, beds, o.sheets)), camper])
            and not any(barred(camper, c, asked.rules) for c in there)
        ]
        beds[camper.number] = dice.choice(places).sheets if places else None
    return asked, offers, beds


def inside(asked: PlanQuestion, beds: Beds, sheets: tuple[int, ...]) -> list[Camper]:
    return [c for c in asked.campers if beds.get(c.number) == sheets]


def holds(offer: Offer, people: list[Camper]) -> bool:
    """Whether they all lie dry there."""
    return not people or sum(c.bulk for c in people) <= min(
        offer.room(c.stature_m) for c in people
    )


@pytest.mark.parametrize("part", range(4))
def test_where_somebody_hurt_lies(part: int) -> None:
    """60 random courses, each of their people hurt in turn: two dry beds, a leader beside, nobody
    wet or with whom they may not share for it, and nobody moved where that was not needed.
    """
    told = 0
    for seed in range(part, 60, 4):
        asked, offers, taken, beds = planned(seed)
        by_sheets = {o.sheets: o for o in offers}
        for hurt in asked.campers:
            found = casualty(asked, taken, beds, hurt.number)
            leaders = [
                c
                for c in asked.campers
                if c.leader and c.number != hurt.number and beds.get(c.number)
            ]
            after = beds | dict(found.moves)

            def free(sheets: tuple[int, ...], carer: Camper | None) -> bool:
                """Whether two could lie there with nobody moved out."""
                lying = [c for c in inside(asked, beds, sheets) if c not in (hurt, carer)]  # noqa: B023
                return holds(by_sheets[sheets], [*lying, hurt, *([carer] if carer else [])])  # noqa: B023

            carers = leaders or [None]

            def against(sheets: tuple[int, ...], carer: Camper | None, where: Beds) -> int:
                """Of those who lie there, how many may not share with somebody who comes there for
                it.
                """
                new = [c for c in (hurt, carer) if c is not None]  # noqa: B023
                come = [c for c in new if beds.get(c.number) != sheets]  # noqa: B023
                lying = [c for c in inside(asked, where, sheets) if c not in (hurt, carer)]  # noqa: B023
                return sum(any(barred(c, new, asked.rules) for new in come) for c in lying)  # noqa: B023

            possible = [(u, c) for u in by_sheets for c in carers if free(u, c)]
            if found.sheets is None:
                assert not possible
                continue
            without_a_move = [(u, c) for u, c in possible if not against(u, c, beds)]
            told += 1
            carer = next((c for c in asked.campers if c.number == found.carer), None)
            assert (carer in leaders) if leaders else carer is None
            after[hurt.number] = found.sheets
            if carer is not None:
                after[carer.number] = found.sheets
            for sheets, offer in by_sheets.items():
                assert holds(offer, inside(asked, after, sheets))
            for number, sheets in found.moves.items():
                mover = next(c for c in asked.campers if c.number == number)
                assert beds[number] == found.sheets != sheets
                assert not any(
                    barred(mover, c, asked.rules)
                    for c in inside(asked, after, sheets)
                    if c.number != number
                )
            bent = against(found.sheets, carer, after)
            assert not ((found.moves or bent) and without_a_move)
            assert bool(found.bent) == bool(bent)
            assert ("nobody" in found.words) == (not found.moves)
    assert told


STAYS = [
    slug
    for slug in ("closed-wedge", "wind-wedge", "a-frame-closed", "bag")
    if not PITCHES[slug].moves
]
"""Pitches that no move brings down."""


@cache
def shelter(pitch: str, height: float) -> Solution:
    """A shelter that stands, high or low."""
    settings = {} if pitch in STAYS else {"height": height, "turn": 0.0}
    return solve(
        Question(
            Sheet.rectangle(3.0, 3.0),
            PITCHES[pitch],
            settings,
            wanted=1,
            supports=Supports(others=None),
        )
    )


def test_where_everybody_goes_when_the_wind_rises() -> None:
    """60 random courses: who cannot stay under a lowered sheet goes where there is room, where more
    wind is stood, and to those with whom sharing is allowed; who is left without finds no such
    place at the end either.
    """
    moved = without = lowered = 0
    for seed in range(60):
        dice = random.Random(1000 + seed)
        asked, offers, beds = roomy(seed, dice)
        pitches = ["a-frame", "lean-to", *STAYS]
        standing = [
            (
                o,
                inside(asked, beds, o.sheets),
                shelter(dice.choice(pitches), dice.choice([1.1, 1.5])),
            )
            for o in offers
        ]
        told = foul_weather(standing, asked.rules)
        assert [f.sheets for f in told] == [o.sheets for o in offers]
        ends: dict[tuple[int, ...], list[Camper]] = {f.sheets: [] for f in told}
        people = {c.number: c for c in asked.campers}
        force = {o.sheets: o.gale_force for o in offers}
        calm = {f.sheets: f for f in told}
        for (offer, own, _), plan in zip(standing, told, strict=True):
            assert plan.force == offer.gale_force
            if plan.move is not None:
                lowered += 1
                figures = plan.move.after.figures if plan.move.after else None
                assert figures is not None
                assert figures.sleepers >= len(own)
                assert not plan.go_to
                assert not plan.without
                ends[offer.sheets] += own
            assert {*plan.go_to, *plan.without} == (
                {c.number for c in own} if plan.move is None else set()
            )
            for number, sheets in plan.go_to.items():
                moved += 1
                assert sheets != offer.sheets
                assert calm[sheets].move is not None or force[sheets] > offer.gale_force
                ends[sheets].append(people[number])
        for (offer, own, _), plan in zip(standing, told, strict=True):
            if plan.move is None:
                ends[offer.sheets] += (
                    own if any(offer.sheets in p.go_to.values() for p in told) else []
                )
            assert len(ends[offer.sheets]) <= max(
                len(own),
                min((offer.room(c.stature_m) for c in ends[offer.sheets]), default=0),
            )
            pairs = itertools.combinations(ends[offer.sheets], 2)
            assert not any(barred(a, b, asked.rules) for a, b in pairs)
        without += sum(len(p.without) for p in told)
    assert moved
    assert without
    assert lowered
