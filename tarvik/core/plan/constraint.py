"""What a plan must keep, and may set aside where nothing else makes room: a bed for each person,
the kit there is, what the leader fixed, rules of sharing, people's consent.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping


class Kind(StrEnum):
    """Kinds of what must be kept."""

    BED = "bed"  # a person has a bed
    KIT = "kit"  # no more of a kind of kit is handed out than there is
    EXTRA = "extra"  # no more of something is handed out than is bought or borrowed
    LOCK = "lock"  # what the leader fixed
    ALWAYS = "always"  # two people share
    NEVER = "never"  # two people do not share
    CONSENT = "consent"  # whom a person shares with
    LEND = "lend"  # a person's own kit is for them alone
    RULE = "rule"  # a rule of sharing of the house


class Repair(StrEnum):
    """How what must be kept is set aside."""

    LET_GO = "let go"  # by a click
    BRING = "bring"  # more kit, or a sheet
    ASK = "ask"  # people decide


SAFEGUARDS: Final = frozenset({"leaders_apart", "adults_apart", "age_gap", "quarters"})
"""Rules of sharing that protect people: no repair of a plan suggests to drop one of them."""
EFFORT: Final[Mapping[Kind, int]] = MappingProxyType(
    {
        Kind.LOCK: 1,
        Kind.KIT: 2,
        Kind.EXTRA: 2,
        Kind.ALWAYS: 4,
        Kind.LEND: 4,
        Kind.NEVER: 6,
        Kind.CONSENT: 6,
        Kind.RULE: 9,
        Kind.BED: 12,
    }
)
"""How hard each is to set aside (engineering assumption)."""
_PREFIXES: Final = frozenset(kind.value for kind in Kind if kind is not Kind.RULE)
_REPAIRS: Final[Mapping[Kind, Repair]] = MappingProxyType(
    {
        Kind.LOCK: Repair.LET_GO,
        Kind.ALWAYS: Repair.LET_GO,
        Kind.KIT: Repair.BRING,
        Kind.EXTRA: Repair.BRING,
        Kind.BED: Repair.BRING,
    }
)


@dataclass(frozen=True, slots=True)
class Constraint:
    """One thing that a plan must keep: its kind, whom or what it is about, and in words."""

    kind: Kind
    subjects: tuple[str | int, ...]
    words: str = field(default="", compare=False)

    @property
    def tag(self) -> str:
        """Its name in what is kept of a plan and in addresses; `of_tag` reads it.

        >>> Constraint(Kind.LOCK, ("person", 3)).tag, Constraint(Kind.RULE, ("age_gap",)).tag
        ('lock person 3', 'age_gap')
        """
        parts = (
            self.subjects if self.kind is Kind.RULE else (self.kind.value, *self.subjects)
        )
        return " ".join(str(part) for part in parts)

    @classmethod
    def of_tag(cls, tag: str, words: str = "") -> Constraint:
        """What a tag names. Raises InputError for what names nothing.

        >>> Constraint.of_tag("always 1 2").subjects
        (1, 2)
        """
        first, *rest = tag.split(" ")
        if first not in _PREFIXES:
            if rest or not first.replace("_", "").isalpha():
                raise InputError(
                    "repair", f"“{tag[:40]}” names no rule; make the plan again"
                )
            return cls(Kind.RULE, (tag,), words)
        kind = Kind(first)
        subjects = (" ".join(rest),) if kind is Kind.KIT else tuple(map(_subject, rest))
        return cls(kind, subjects, words)

    @property
    def effort(self) -> int:
        """How hard it is to set aside."""
        return EFFORT[self.kind]

    @property
    def repair(self) -> Repair:
        """How it is set aside."""
        return _REPAIRS.get(self.kind, Repair.ASK)

    @property
    def protects(self) -> bool:
        """Whether it keeps people safe from each other: nothing suggests to set it aside."""
        return self.kind is Kind.RULE and self.subjects[0] in SAFEGUARDS


def _subject(part: str) -> str | int:
    return int(part) if part.isascii() and part.isdecimal() and len(part) < 10 else part
