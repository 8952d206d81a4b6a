"""What a plan must keep: its name in what is kept of a plan is read back as it was written."""

from __future__ import annotations

import pytest

from tarvik.core.errors import InputError
from tarvik.core.plan.constraint import SAFEGUARDS, Constraint, Kind, Repair

EVERY = [
    Constraint(Kind.BED, (3,)),
    Constraint(Kind.KIT, ("stake",)),
    Constraint(Kind.KIT, ("longer stake",)),
    Constraint(Kind.LOCK, ("person", 3)),
    Constraint(Kind.ALWAYS, (1, 2)),
    Constraint(Kind.NEVER, (1, 2)),
    Constraint(Kind.CONSENT, (7,)),
    Constraint(Kind.LEND, (7,)),
    *(Constraint(Kind.RULE, (rule,)) for rule in (*sorted(SAFEGUARDS), "patrols_apart")),
]


@pytest.mark.parametrize("kept", EVERY, ids=lambda kept: kept.tag)
def test_a_tag_is_read_as_it_was_written(kept: Constraint) -> None:
    assert Constraint.of_tag(kept.tag) == kept


@pytest.mark.parametrize("tag", ["", "no such 1", "age_gap 2", "<b>", "lock\nx"])
def test_what_names_nothing_is_refused(tag: str) -> None:
    with pytest.raises(InputError):
        Constraint.of_tag(tag)


def test_what_is_let_go_brought_and_asked() -> None:
    """Common practice: no suggestion drops a rule that protects people."""
    ways = {kept.kind: kept.repair for kept in EVERY}
    assert {k for k, way in ways.items() if way is Repair.LET_GO} == {
        Kind.LOCK,
        Kind.ALWAYS,
    }
    assert {k for k, way in ways.items() if way is Repair.BRING} == {Kind.BED, Kind.KIT}
    assert {k.subjects[0] for k in EVERY if k.protects} == SAFEGUARDS
    assert min(EVERY, key=lambda kept: kept.effort).kind is Kind.LOCK
