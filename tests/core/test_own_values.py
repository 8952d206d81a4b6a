"""Values of a provider's own log, once a course goes by them: what stakes hold, and minutes."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tarvik.core.body import Body
from tarvik.core.cards import minutes
from tarvik.core.errors import InputError
from tarvik.core.hang.hand_set import HAND_N, HAND_SHARE, hand_pull_n
from tarvik.core.hang.hung import Hanging, hang, usual_hanging
from tarvik.core.hang.tell import tell
from tarvik.core.hang.ties import TAUTNESS
from tarvik.core.loads.gale import in_gale
from tarvik.core.loads.holding import Holding, StakeKind, ground_named
from tarvik.core.own_values import BUILT_IN, OwnValues
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.exchange.night_form import holding_of, own_values_of


def test_nothing_chosen_leaves_every_value_as_it_is_built_in() -> None:
    assert own_values_of({}) == BUILT_IN
    assert holding_of({}, "turf") == Holding(ground_named("turf"))
    for pitch in PITCHES.values():
        assert BUILT_IN.minutes_of(pitch) == pitch.minutes


def test_a_grounds_own_value_counts_in_that_ground_alone() -> None:
    rules = {"own_values": {"holding": {"turf": 1.25}}}
    plain, own = holding_of({}, "turf"), holding_of(rules, "turf")
    assert own.trusted_stake_n == pytest.approx(1.25 * plain.trusted_stake_n)
    longer = StakeKind(0.3, 0.012, 4)
    assert own.trusted_n(longer) == pytest.approx(1.25 * plain.trusted_n(longer))
    assert replace(own, more=((2, 1.7),)).stake_at_n(2) == pytest.approx(
        1.7 * 1.25 * plain.trusted_stake_n
    )
    assert holding_of(rules, "litter") == holding_of({}, "litter")


def test_own_minutes_of_a_pitch_count_before_skill_and_hands() -> None:
    pitch = PITCHES["a-frame"]
    own = OwnValues(minutes={"a-frame": 1.5})
    assert own.minutes_of(pitch) == pytest.approx(1.5 * pitch.minutes)
    for skill in ("first time", "practised"):
        assert minutes(pitch, None, skill, 2, own) == pytest.approx(
            1.5 * minutes(pitch, None, skill, 2)
        )


@pytest.mark.parametrize(
    "told",
    [
        {"holding": {"moss": 1.0}},
        {"minutes": {"no-pitch": 1.0}},
        {"peak": {"a-frame": 1.0}},
        {"peak": {"all": 1.4}},
        {"taut": {"a-frame": 1.0}},
        {"taut": {"all": 3.5}},
        {"holding": {"turf": 40}},
        {"holding": {"turf": float("nan")}},
        {"minutes": {"a-frame": "long"}},
        {"holding": ["turf"]},
        ["turf"],
    ],
)
def test_what_no_log_teaches_is_refused(told: object) -> None:
    with pytest.raises(InputError):
        own_values_of({"own_values": told})


def test_heights_of_the_log_are_those_under_the_hung_sheet() -> None:
    """A group whose peaks stand at 0.94 of those planned lies and sits under cloth that is as much
    lower everywhere; what the stakes are pulled with stays, and 1 changes nothing at all.
    """
    own = own_values_of({"own_values": {"peak": {"all": 0.94}}})
    assert own.reached == 0.94 and BUILT_IN.reached == 1.0
    asked = Question(Sheet.rectangle(3.0, 3.0), PITCHES["a-frame"], {"height": 1.1})
    solution = solve(asked)
    shelter, rig, figures = solution.shelter, solution.assessment.rig, solution.figures
    assert shelter is not None and rig is not None and figures is not None
    plain, lower = (
        hang(shelter, rig, Hanging(lines=9, reached=reached)) for reached in (1.0, 0.94)
    )
    one, two = (tell(hung, figures, Body(1.75)) for hung in (plain, lower))
    assert two.peak_m == pytest.approx(0.94 * one.peak_m)
    assert two.headroom_m == pytest.approx(0.94 * one.headroom_m, abs=0.01)
    assert two.sit_m2 <= one.sit_m2
    assert two.forces == one.forces
    assert one == tell(hang(shelter, rig, Hanging(lines=9)), figures, Body(1.75))


def test_a_group_that_draws_softly_has_softer_stakes_and_looser_cloth() -> None:
    """Drawn at 0.6 of the usual pull: in still air each stake is pulled with less, and the hung
    ridge stands lower; where the log says nothing both are as built in.
    """
    rules = {"own_values": {"taut": {"all": 0.6}}}
    own = own_values_of(rules)
    assert own.drawn == 0.6 and BUILT_IN.drawn == 1.0
    soft = holding_of(rules, "turf")
    assert soft.trusted_stake_n == holding_of({}, "turf").trusted_stake_n
    assert hand_pull_n(400.0, soft.drawn) == pytest.approx(0.6 * HAND_N)
    assert hand_pull_n(40.0, soft.drawn) == pytest.approx(HAND_SHARE * 40.0)
    sheet = Sheet.rectangle(3.0, 3.0)
    solution = solve(Question(sheet, PITCHES["a-frame"], {"height": 1.1}))
    shelter, rig = solution.shelter, solution.assessment.rig
    assert shelter is not None and rig is not None
    still = [
        in_gale(shelter, rig, 90.0, 0.01, holding=h) for h in (soft, holding_of({}, "turf"))
    ]
    pulls = [max(p.pull_n for p in g.parts if p.kind == "stake") for g in still if g]
    assert pulls[0] < 0.75 * pulls[1]
    loose, usual = (hang(shelter, rig, usual_hanging(sheet, drawn=d)) for d in (0.4, 1.0))
    assert loose.hanging.tautness == pytest.approx(0.4 * TAUTNESS)
    assert usual.hanging == usual_hanging(sheet)
    slack = [float(h.slack.mean()) for h in (loose, usual)]
    assert slack[0] >= slack[1]
