"""When a thing learned is asked again: Leitner's boxes."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from tarvik.core.drills.boxes import LATER, Answered, learnt, level_of, urgency

DAY = timedelta(days=1)
START = datetime(2026, 6, 1, 8, tzinfo=UTC)


def answers(*right: bool, item: str = "knot:slip") -> list[Answered]:
    return [Answered(item, one, START + n * DAY) for n, one in enumerate(right)]


def test_what_is_known_is_asked_later_each_time_and_what_is_not_at_once() -> None:
    now = [learnt(answers(*(True,) * n))["knot:slip"] for n in range(1, 7)]
    assert [one.box for one in now] == [1, 2, 3, 4, 4, 4]
    assert [one.due - (START + (n - 1) * DAY) for n, one in enumerate(now, start=1)] == [
        LATER[one.box] for one in now
    ]
    missed = learnt(answers(True, True, True, False))["knot:slip"]
    assert (missed.box, missed.asked, missed.known) == (0, 4, 3)
    assert missed.due == START + 3 * DAY


def test_the_order_in_which_answers_arrive_does_not_matter() -> None:
    told = answers(True, False, True, True)
    assert learnt(told) == learnt(reversed(told))


def test_what_is_due_is_asked_first_then_what_is_new_then_the_rest() -> None:
    known = learnt(
        [*answers(False, item="knot:slip"), *answers(True, True, True, item="knot:jam")]
    )
    at = START + 3 * DAY
    order = sorted(
        ("knot:jam", "knot:new", "knot:slip"), key=lambda i: urgency(known, i, at)
    )
    assert order == ["knot:slip", "knot:new", "knot:jam"]


def test_drills_grow_harder_with_what_is_known() -> None:
    assert level_of({}, "knot") == 1
    assert level_of(learnt(answers(*(True,) * 2)), "knot") == 2
    assert level_of(learnt(answers(*(True,) * 5)), "knot") == 3
    assert level_of(learnt(answers(*(True,) * 5)), "fault") == 1
