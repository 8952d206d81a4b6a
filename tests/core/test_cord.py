"""Cord for a course, against every way there is on small cases."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.cord import USABLE_M, CordPlan, handed_out, plan_cord, together
from tarvik.core.ready_lines import HANK_M, Line, ready_m
from tarvik.core.rig.lines import JOIN_M

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

CASES = 200
Value = tuple[int, int, int, int]


def wasted_cm(line: Line, pieces: Sequence[float]) -> int:
    rest = round(line.length_m * 100) - sum(round(piece * 100) for piece in pieces)
    return 0 if not pieces or rest >= round(USABLE_M * 100) else rest


def ways(needs: Sequence[float], lines: Sequence[Line]) -> Iterator[list[tuple[int, ...]]]:
    """Every way to serve each need: by nothing (), a line (i,), two joined (i, j), or a piece cut
    from a hank (i, -1).
    """
    for choice in itertools.product(
        *[
            [
                (),
                *((i,) for i, x in enumerate(lines) if x.length_m >= need - 1e-6),
                *(
                    (i, j)
                    for i, j in itertools.combinations(range(len(lines)), 2)
                    if not lines[i].is_long
                    and not lines[j].is_long
                    and lines[i].length_m + lines[j].length_m - JOIN_M >= need - 1e-6
                ),
                *((i, -1) for i, x in enumerate(lines) if x.is_hank),
            ]
            for need in needs
        ]
    ):
        whole = [i for way in choice for i in way if -1 not in way and i >= 0]
        cut = {way[0] for way in choice if -1 in way}
        if len(set(whole)) == len(whole) and not cut & set(whole):
            yield list(choice)


def value(
    choice: Sequence[tuple[int, ...]], needs: Sequence[float], lines: Sequence[Line]
) -> Value | None:
    """Left short, cuts and coils, joins, waste in cm; None where a hank is not long enough."""
    waste = 0
    for h, line in enumerate(lines):
        pieces = [ready_m(needs[n]) for n, way in enumerate(choice) if way == (h, -1)]
        if sum(round(p * 100) for p in pieces) > round(line.length_m * 100):
            return None
        waste += wasted_cm(line, pieces)
    return (
        sum(way == () for way in choice),
        sum(
            -1 in way or (len(way) == 1 and lines[way[0]].is_long and needs[n] < HANK_M)
            for n, way in enumerate(choice)
        ),
        sum(len(way) == 2 and -1 not in way for way in choice),
        waste,
    )


def value_of(plan: CordPlan, needs: Sequence[float], lines: Sequence[Line]) -> Value:
    """The same of a plan; and that it is one."""
    served = [n for n, _ in plan.whole] + [n for n, *_ in plan.joined]
    served += [n for _, pieces in plan.cut for n, _ in pieces] + list(plan.short)
    assert sorted(served) == list(range(len(needs)))
    used = [line for _, line in plan.whole] + [i for _, *two in plan.joined for i in two]
    assert len(set(used)) == len(used)
    lengths = plan.lengths(lines, len(needs))
    assert all(
        lengths[n] >= needs[n] - 1e-6 for n in range(len(needs)) if n not in plan.short
    )
    for hank, pieces in plan.cut:
        assert lines[hank].is_hank
        assert hank not in used
        assert sum(length for _, length in pieces) <= lines[hank].length_m + 0.01
    waste = sum(wasted_cm(lines[h], [length for _, length in p]) for h, p in plan.cut)
    cuts = sum(len(pieces) for _, pieces in plan.cut)
    cuts += sum(lines[i].is_long and needs[n] < HANK_M for n, i in plan.whole)
    return len(plan.short), cuts, len(plan.joined), waste


def test_no_way_does_better_on_small_cases() -> None:
    rng = np.random.default_rng(11)
    for _ in range(CASES):
        needs = [float(n) for n in rng.uniform(0.5, 7.0, rng.integers(1, 5)).round(2)]
        lines = [
            Line(float(x), bool(rng.random() < 0.7))
            for x in rng.choice([1.8, 2.4, 3.0, 4.5, 6.0, 8.0, 15.0], rng.integers(0, 5))
        ]
        plan = plan_cord(needs, lines)
        assert plan.proved
        every = (value(way, needs, lines) for way in ways(needs, lines))
        assert value_of(plan, needs, lines) == min(v for v in every if v is not None)


def test_lines_that_are_ready_come_first_then_joined_ones_then_a_cut() -> None:
    needs = [5.0, 2.5, 2.5]
    bag = [Line(2.6), Line(3.0), Line(3.0), Line(3.0), Line(30.0)]
    plan = plan_cord(needs, bag)
    assert (len(plan.whole), len(plan.joined), plan.cut) == (2, 1, ())
    (cut,) = plan_cord(needs, [Line(2.6), Line(2.6), Line(30.0)]).cut
    assert cut[0] == 2


def test_what_is_not_to_be_cut_stays_whole() -> None:
    """One hundred feet are not one line to cut into, where the leader says no."""
    hank = Line(100 * 0.3048, may_cut=False)
    plan = plan_cord([3.0, 3.0], [hank])
    assert plan.cut == ()
    assert len(plan.short) == 1
    assert not Line(HANK_M - 0.01).is_hank


@given(
    st.lists(st.lists(st.floats(0.3, 9.0), max_size=6), min_size=1, max_size=4),
)
def test_pieces_that_serve_all_nights_together_serve_each(
    nights: list[list[float]],
) -> None:
    pieces = together(nights)
    for night in nights:
        out = handed_out(night, pieces)
        assert -1 not in out
        assert len(set(out)) == len(out)
        assert all(pieces[p] >= need - 1e-6 for need, p in zip(night, out, strict=True))


@given(st.lists(st.lists(st.floats(0.3, 9.0), max_size=5), min_size=1, max_size=3))
def test_with_any_piece_shorter_some_night_lacks_one(nights: list[list[float]]) -> None:
    pieces = together(nights)
    for k in range(len(pieces)):
        shorter = [p - 0.01 * (n == k) for n, p in enumerate(pieces)]
        assert any(-1 in handed_out(night, shorter) for night in nights)


@pytest.mark.parametrize(
    ("need", "ready"), [(0.25, 1), (1.7, 6), (2.4, 8), (2.5, 10), (5.0, 20)]
)
def test_pieces_are_cut_to_ready_lengths(need: float, ready: int) -> None:
    """Loops of 12 in, guys of 6 to 10 ft, ridge lines of 15 to 20 ft (common practice)."""
    assert ready_m(need) == pytest.approx(ready * 0.3048)
