"""What a repair of a plan lets go, read from the plan's own tags, and who may do it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonMapping
from tarvik.core.plan.constraint import Constraint, Kind, Repair
from tarvik.store.accounts import Role

if TYPE_CHECKING:
    pass

LOCKS: Final = {
    "person": "people",
    "spot": "standing",
    "pitch": "standing",
    "unused": "unused",
}
_FOR_PEOPLE: Final = (
    "this is for people to decide: ask them, or bring what is short, then change it on the group "
    "page or in the rules"
)


@dataclass(frozen=True)
class Step:
    """One thing a repair lets go: a lock, a pair."""

    kind: str
    what: str = ""
    numbers: tuple[int, ...] = ()

    @property
    def least(self) -> Role:
        """Who may do it: locks are the plan's, people and kit are a leader's."""
        return Role.ASSISTANT if self.kind == "lock" else Role.LEADER


def step_of(tag: str) -> Step:
    """What a plan's tag asks to let go. Raises InputError for what only people decide, and for what
    is no tag.
    """
    kept = Constraint.of_tag(tag)
    if kept.repair is not Repair.LET_GO:
        raise InputError("repair", _FOR_PEOPLE)
    what, numbers = "", kept.subjects
    if kept.kind is Kind.LOCK and numbers:
        what, numbers = str(numbers[0]), numbers[1:]
    wanted = 1 if kept.kind is Kind.LOCK else 2
    if len(numbers) != wanted or not all(isinstance(n, int) for n in numbers):
        raise InputError(
            "repair", f"“{tag[:40]}” is no part of a repair; make the plan again"
        )
    if kept.kind is Kind.LOCK and what not in LOCKS:
        raise InputError("repair", f"“{tag[:40]}” names no lock; make the plan again")
    return Step(kept.kind.value, what, tuple(int(n) for n in numbers))


def for_leaders(repair: JsonMapping) -> bool:
    """Whether a repair that a plan tells changes kit or rules, which is a leader's."""
    try:
        steps = [step_of(tag) for tag in repair["tags"]]
    except InputError:
        return True
    return any(step.least is Role.LEADER for step in steps)
