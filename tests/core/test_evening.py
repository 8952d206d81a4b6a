"""The evening's schedule against plain rules: nobody in two places, stages in order, mallets
shared, late comers wait.
"""

from __future__ import annotations

import itertools
import random
from dataclasses import replace

from tarvik.core.plan.choose import Limits
from tarvik.core.plan.evening import (
    AFTER,
    CLEAR,
    LEAVES,
    RIDGE,
    STAGES,
    Evening,
    Hands,
    ToPitch,
    evening,
    work_of,
)
from tarvik.core.plan.party import Camper, Skill

LIMITS = Limits(workers=1)


def crew(count: int) -> list[Camper]:
    return [
        Camper(n, f"P{n}", 1.7, leader=n == 1, skill=list(Skill)[n % 3])
        for n in range(1, count + 1)
    ]


def check(found: Evening, shelters: list[ToPitch], hands: Hands) -> None:
    """Every rule of the evening, by plain loops."""
    for shelter in shelters:
        mine = sorted(
            (t for t in found.tasks if t.shelter == shelter.number),
            key=lambda t: STAGES.index(t.stage),
        )
        leaves = [] if shelter.leaf_beds else [LEAVES]
        assert [t.stage for t in mine] == [s for s in STAGES if s not in leaves]
        ends = {t.stage: t.end for t in mine}
        for task in mine:
            assert all(
                ends[s] <= task.start for s in AFTER.get(task.stage, ()) if s in ends
            )
    for person in hands.campers:
        mine = sorted((t.start, t.end) for t in found.tasks if person.number in t.who)
        assert all(a[1] <= b[0] for a, b in itertools.pairwise(mine))
        assert all(start >= hands.from_min.get(person.number, 0) for start, _ in mine)
        assert person.number not in hands.gone or not mine
    for minute in range(found.done):
        assert (
            sum(t.start <= minute < t.end for t in found.tasks if t.mallet) <= hands.mallets
        )
    assert found.done == max(t.end for t in found.tasks)


def test_random_evenings_keep_every_rule() -> None:
    dice = random.Random(12)
    for _ in range(12):
        people = crew(dice.randint(2, 6))
        numbers = [c.number for c in people]
        cuts = sorted(
            dice.sample(range(1, len(numbers)), dice.randint(0, min(2, len(numbers) - 1)))
        )
        groups = [numbers[a:b] for a, b in itertools.pairwise([0, *cuts, len(numbers)])]
        shelters = [
            ToPitch(
                n,
                tuple(g),
                dice.choice([3, 5, 8]),
                dice.choice([1, 2]),
                4,
                dice.random() < 0.3,
                dice.random() < 0.2,
            )
            for n, g in enumerate(groups, start=1)
        ]
        hands = Hands(
            people,
            {numbers[0]: dice.choice([0, 15])},
            frozenset(numbers[-1:] if len(numbers) > 4 else ()),
            1,
        )
        check(evening(shelters, hands, 40, LIMITS), shelters, hands)


def test_a_second_pair_of_hands_and_mallet_is_never_slower() -> None:
    shelters = [ToPitch(1, (1, 2), 6, 2, 4), ToPitch(2, (3, 4), 6, 2, 4)]
    one, two = (
        evening(shelters, Hands(crew(4), {}, mallets=m), None, LIMITS).done for m in (1, 2)
    )
    assert two <= one
    alone = evening(shelters[:1], Hands(crew(1), {}), None, LIMITS).done
    helped = evening(shelters[:1], Hands(crew(3), {}), None, LIMITS).done
    assert helped <= alone


def test_what_cannot_be_in_time_is_told_as_late() -> None:
    shelters = [ToPitch(1, (1,), 6, 1, 4)]
    found = evening(shelters, Hands(crew(1), {1: 30}), 20, LIMITS)
    assert found.late[1] == found.done - 20 > 0


def test_finished_tasks_are_not_planned_again() -> None:
    shelters = [ToPitch(1, (1, 2), 6, 1, 4)]
    done = {(1, STAGES[0]): 5, (1, STAGES[1]): 12}
    found = evening(shelters, Hands(crew(2), {}), None, LIMITS, done)
    assert {t.stage for t in found.tasks} == set(STAGES[2:]) - {LEAVES}
    assert min(t.start for t in found.tasks) >= 12


def test_two_tasks_of_one_shelter_at_the_same_time() -> None:
    """While one clears the ground the other ties the peak; one alone does one after the other."""
    shelter = [ToPitch(1, (1, 2), 6, 1, 4)]

    def begins(people: int) -> set[int]:
        found = evening(shelter, Hands(crew(people), {}), None, LIMITS)
        return {t.start for t in found.tasks if t.stage in (CLEAR, RIDGE)}

    assert begins(2) == {0}
    assert len(begins(1)) == 2


def test_a_bed_of_leaves_takes_one_person_45_to_60_minutes() -> None:
    """Common practice."""
    shelter = ToPitch(1, (1, 2), 6, 1, 4, leaf_beds=True)
    people = crew(2)
    minutes = {stage: (m, hands) for stage, m, hands, _ in work_of(shelter, people)}
    assert 45 <= minutes[LEAVES][0] * minutes[LEAVES][1] / 2 <= 60
    plain = evening([replace(shelter, leaf_beds=False)], Hands(people, {}), None, LIMITS)
    leafy = evening([shelter], Hands(people, {}), None, LIMITS)
    assert leafy.done > plain.done + 30
