"""What a repair of a plan lets go, read from the plan's own tags, and who may do it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from tarvik.core.errors import InputError
from tarvik.store.accounts import Role

if TYPE_CHECKING:
    from collections.abc import Mapping

LOCKS: Final = {"person": "people", "spot": "standing", "pitch": "standing", "unused": "unused"}
_SHAPES: Final = {"lock": (1, 1), "always": (0, 2)}
"""Of each kind of tag that is let go by a click: how many words and numbers follow its kind."""
_FOR_PEOPLE: Final = (
    "this is for people to decide: ask them, or bring what is short, then change it on the group "
    "page or in the rules"
)
TO_BRING: Final = ("kit", "bed")
"""Kinds of tag that stand for what people bring."""


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
    kind, *rest = tag.split(" ")
    shape = _SHAPES.get(kind)
    if shape is None:
        raise InputError("repair", _FOR_PEOPLE)
    words, numbers = rest[: shape[0]], rest[shape[0] :]
    good = len(words) == shape[0] and len(numbers) == shape[1]
    if not good or not all(n.isascii() and n.isdecimal() and len(n) < 10 for n in numbers):
        raise InputError("repair", f"«{tag[:40]}» is no part of a repair; make the plan again")
    if kind == "lock" and words[0] not in LOCKS:
        raise InputError("repair", f"«{tag[:40]}» names no lock; make the plan again")
    return Step(kind, words[0] if words else "", tuple(int(n) for n in numbers))


def for_people(tag: str) -> bool:
    """Whether a tag is for people to decide."""
    return tag.split(" ", maxsplit=1)[0] not in _SHAPES


def to_bring(tag: str) -> bool:
    """Whether a tag stands for kit or a sheet that people bring."""
    return tag.split(" ", maxsplit=1)[0] in TO_BRING


def for_leaders(repair: Mapping[str, Any]) -> bool:
    """Whether a repair that a plan tells changes kit or rules, which is a leader's."""
    try:
        steps = [step_of(tag) for tag in repair["tags"]]
    except InputError:
        return True
    return any(step.least is Role.LEADER for step in steps)
