"""Every kind of support: what it reaches, its stakes and lines, what it lacks; house rules; hostile
supports.
"""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.carried import BIPOD_LEG_M, BIPOD_LEG_SHARE
from tarvik.core.rig.house import TIP_DEG, House
from tarvik.core.rig.supports import CARRIER_KINDS, Carrier, Pole, Supports, Tree
from tarvik.core.rig.verdict import Verdict, assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.units import FOOT_M
from tests.reference import OBLONGS, some_settings

SHEET = Sheet.rectangle(3.0, 3.0)
PLOW = fold_sheet(PITCHES["plow-point"], SHEET, {"height": 1.3})
NOTHING = Supports((), (), 20, None)


def only(*others: Carrier, **more: object) -> Supports:
    return Supports((), (), 20, None, others, **more)  # type: ignore[arg-type]


def test_a_tripod_needs_no_guys() -> None:
    """Common practice: front legs as long as the sheet's side, the ridge pole twice that, and no
    guys at all.
    """
    found = assess(PLOW, only(Carrier("tripod", 3.0, 6.0)))
    assert found.verdict is Verdict.FORMS
    assert found.rig is not None
    assert found.rig.stakes_needed() == 3  # the sheet's own
    for carrier, gap in (
        (Carrier("tripod", 2.8, 6.0), 0.2),
        (Carrier("tripod", 3.0, 5.7), 0.3),
    ):
        short = assess(PLOW, only(carrier))
        assert [(r.code, r.short_by_m) for r in short.reasons if r.blocks] == [
            ("tripod_short", pytest.approx(gap))
        ]


def test_bipod_sticks_for_lifting() -> None:
    """Common practice: 7 ft sticks for a 10 ft sheet, 6.5 ft for 8 ft."""
    for side, leg in ((10, 7.0), (8, 6.5)):
        assert (
            pytest.approx(leg * FOOT_M, abs=0.002)
            == BIPOD_LEG_M + BIPOD_LEG_SHARE * side * FOOT_M
        )
    lifted = fold_sheet(PITCHES["plow-point-lifted"], SHEET, {"height": 1.3, "lift": 0.2})
    tree = Supports((Tree(),), (), 20, None, (Carrier("bipod", 2.2),))
    found = assess(lifted, tree)
    assert found.verdict is Verdict.FORMS
    assert found.rig is not None
    assert [s.kind for s in found.rig.supports] == ["tree", "bipod"]
    without = assess(lifted, Supports((Tree(),), (), 20, None))
    assert [r.code for r in without.reasons if r.blocks] == ["no_lift"]


def test_branch_fork_boat_and_fence() -> None:
    """Each with its own lines and stakes: a branch none, a forked stick two guys."""
    hung = assess(PLOW, only(Carrier("branch", 2.6)))
    assert hung.verdict is Verdict.FORMS
    assert hung.rig is not None
    assert (hung.rig.supports[0].kind, hung.rig.stakes_needed()) == ("branch", 3)
    assert next(
        x for x in hung.rig.lines if x.purpose == "to the branch"
    ).span_m == pytest.approx(1.3)
    fork = assess(PLOW, only(Carrier("forked stick", 1.4)))
    assert fork.rig is not None
    assert (fork.verdict, fork.rig.stakes_needed()) == (Verdict.FORMS, 5)
    low = assess(PLOW, only(Carrier("forked stick", 1.1)))
    assert [(r.code, r.short_by_m) for r in low.reasons if r.blocks] == [
        ("carrier_low", pytest.approx(0.2))
    ]
    lean = fold_sheet(PITCHES["lean-to"], SHEET, {"height": 1.3})
    assert assess(lean, only(Carrier("vehicle", 1.8, 4.2))).verdict is Verdict.FORMS
    stub = assess(lean, only(Carrier("fence", 1.8, 2.5)))
    assert [(r.code, r.short_by_m) for r in stub.reasons if r.blocks] == [
        ("carrier_short", pytest.approx(0.5))
    ]


def test_a_boat_pitch_wants_a_boat() -> None:
    """Trees and poles do not stand in for the hull; with one, the search keeps to its height."""
    asked = Question(
        Sheet.rectangle(3.0, 3.6),
        PITCHES["boat-night"],
        {},
        supports=Supports((Tree(),) * 4, (), 20, None),
    )
    assert any("boat" in r.message for r in solve(asked).assessment.reasons if r.blocks)
    boat = Supports((), (Pole(0.5, 1.6),), 20, None, (Carrier("boat", 0.85, 4.8),))
    found = solve(
        Question(Sheet.rectangle(3.0, 3.6), PITCHES["boat-night"], {}, supports=boat)
    )
    assert 0.8 * 0.85 <= found.settings["hull"] <= 1.02 * 0.85
    assert found.verdict is Verdict.FORMS


def test_sticks_are_cut_only_where_allowed() -> None:
    kept = assess(PLOW, NOTHING)
    assert kept.verdict is Verdict.NEEDS
    cut = assess(PLOW, only(may_cut=True))
    assert cut.verdict is Verdict.FORMS
    assert cut.rig is not None
    assert cut.rig.supports[0].kind == "cut stick"


def test_house_rules_choose_the_school() -> None:
    """A tipped pole must be longer than the peak is high; one through line or two end lines; lift
    from inside.
    """
    upright = assess(PLOW, Supports((), (Pole(1.3, 1.3),), 9, None))
    tipped = assess(
        PLOW, Supports((), (Pole(1.3, 1.3),), 9, None, house=House(pole="tipped"))
    )
    assert upright.verdict is Verdict.FORMS
    need = 1.3 / math.cos(math.radians(TIP_DEG))
    assert [r.short_by_m for r in tipped.reasons if r.blocks] == [pytest.approx(need - 1.3)]
    ridge = fold_sheet(PITCHES["a-frame"], SHEET, {"height": 1.0})
    trees = Supports((Tree(), Tree()), (), 9, None)
    for rule, through in (("through", True), ("ends", False)):
        rig = assess(ridge, Supports(trees.trees, (), 9, None, house=House(ridge=rule))).rig
        assert rig is not None
        assert rig.through_line is through
    lifted = fold_sheet(PITCHES["plow-point-lifted"], SHEET, {"height": 1.3, "lift": 0.2})
    inside = assess(
        lifted,
        Supports((Tree(), Tree()), (Pole(0.7, 1.0),), 9, None, house=House(lift="inside")),
    ).rig
    assert inside is not None
    assert inside.supports[-1].kind == "pole"
    with pytest.raises(InputError, match=r"house\.pole"):
        House(pole="sideways")


def test_a_trunk_where_a_stake_should_go() -> None:
    x, y = PLOW.at("R")[:2]
    found = assess(PLOW, Supports(in_the_way=((float(x) + 0.05, float(y), 0.3),)))
    (reason,) = [r for r in found.reasons if r.code == "stake_blocked"]
    assert "fold that corner back" in reason.remedy
    assert "longer line" in reason.remedy


@pytest.mark.parametrize("slug", PITCHES)
@settings(max_examples=40)
@given(data=st.data())
def test_random_and_hostile_supports_give_verdicts(slug: str, data: st.DataObject) -> None:
    """Zero trees, a pole of 0.1 m, a thousand trees, no stakes, odd carriers: a verdict with
    reasons, never an exception.
    """
    sheet = Sheet.rectangle(3.0, 3.8 if slug in OBLONGS else 3.0)
    trees = data.draw(st.sampled_from([None, 0, 1, 3, 1000]))
    carriers = st.builds(
        Carrier,
        st.sampled_from(CARRIER_KINDS),
        st.floats(0.05, 6),
        st.sampled_from([0.0, 0.5, 5.0]),
    )
    supports = Supports(
        None
        if trees is None
        else tuple(Tree((i * 0.7, (i * 37) % 11)) for i in range(trees)),
        data.draw(st.sampled_from([None, (), (Pole(0.1, 0.1),), (Pole(1.05, 1.45),) * 2])),
        data.draw(st.sampled_from([None, 0, 3, 40])),
        data.draw(st.sampled_from([None, (), (0.3,), (3.0,) * 9])),
        data.draw(st.none() | st.lists(carriers, max_size=3).map(tuple)),
        data.draw(st.booleans()),
    )
    shelter = fold_sheet(PITCHES[slug], sheet, some_settings(slug, sheet) or {})
    found = assess(shelter, supports)
    assert (found.verdict is Verdict.NEEDS) == any(r.blocks for r in found.reasons)
    assert all(
        r.message and (r.short_by_m is None or r.short_by_m > 0) for r in found.reasons
    )
    assert found.rig is not None
