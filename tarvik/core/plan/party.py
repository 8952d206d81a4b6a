"""Who is to sleep, and which of them may share a shelter: consent, ages, quarters, patrols, and
pairs named by the leader.

The rules are the course's own; the provider's safeguarding policy and the qualified leader come
first.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from itertools import combinations
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.plan.aims import OWN
from tarvik.core.plan.constraint import Constraint, Kind

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

OF_AGE: Final = constant(
    "of_age", 18.0, "years", COMMON_PRACTICE, "from this age on an adult; local law first"
)
EARSHOT_M: Final = constant(
    "earshot",
    20.0,
    "m",
    ENGINEERING,
    "how far a leader hears a call at night in wind and rain",
)
GAP_M: Final = constant(
    "walking_gap",
    0.8,
    "m",
    ENGINEERING,
    "clear walking gap between the cloth and lines of two shelters",
)


NOVICE_SHARE: Final = constant(
    "evening_novice", 2.0, "1", COMMON_PRACTICE, "a novice's time over an able person's"
)
PRACTISED_SHARE: Final = constant(
    "evening_practised",
    0.75,
    "1",
    ENGINEERING,
    "a practised person's time over an able one's",
)


class Shares(StrEnum):
    """With whom a person has agreed to share."""

    ANYONE = "anyone"
    PATROL = "own patrol"
    NOBODY = "nobody"


class Skill(StrEnum):
    """What a person can be trusted to pitch."""

    NOVICE = "novice"
    ABLE = "able"
    PRACTISED = "practised"


SPEED: Final = {
    Skill.NOVICE: NOVICE_SHARE,
    Skill.ABLE: 1.0,
    Skill.PRACTISED: PRACTISED_SHARE,
}
"""Times an able person's minutes that people take, by skill."""


@dataclass(frozen=True, slots=True)
class Camper:
    """A person of the course, by number. `age` None: not told, taken as an adult for a leader and
    as under age for others only when the rule says so. `quarters`: people of different quarters
    never share. `lends`: whether their kit may serve others. `bulk`: beds wanted (a casualty and
    who sits by). `pace`: how many times an able person's minutes they take, as they were timed;
    None where nobody has timed them.
    """

    number: int
    name: str
    stature_m: float
    leader: bool = False
    age: int | None = None
    patrol: str = ""
    quarters: str = ""
    shares: Shares = Shares.ANYONE
    skill: Skill = Skill.ABLE
    snores: bool = False
    lends: bool = True
    bulk: int = 1
    pace: float | None = None

    @property
    def speed(self) -> float:
        """How many times an able person's minutes they take: as timed, else by skill."""
        return SPEED[self.skill] if self.pace is None else self.pace

    @property
    def adult(self) -> bool:
        """Leaders are adults unless an age says otherwise; anybody else whose age nobody told is
        not.
        """
        return self.leader if self.age is None else self.age >= OF_AGE


@dataclass(frozen=True, slots=True)
class PlanRules:
    """What the course holds to. Distances in metres; 0 switches a distance off. `school`: whether
    own sheets come first, or sharing does.
    """

    leaders_apart: bool = True
    adults_apart: bool = True
    age_gap: int | None = None
    patrols_apart: bool = False
    earshot_m: float = EARSHOT_M
    gap_m: float = GAP_M
    spare_beds: int = 0
    join_lines: bool = True
    join_sheets: bool = False
    buttons: bool = True
    school: str = OWN
    leaf_beds: bool = False
    never: frozenset[tuple[int, int]] = field(default_factory=frozenset)
    always: frozenset[tuple[int, int]] = field(default_factory=frozenset)

    def __post_init__(self) -> None:
        limits = (("earshot_m", 0, 500), ("gap_m", 0, 20), ("spare_beds", 0, 2))
        for name, low, high in limits:
            if not low <= getattr(self, name) <= high:
                raise InputError(
                    name, f"{getattr(self, name):g} is outside {low} to {high}"
                )
        if self.age_gap is not None and not 0 <= self.age_gap <= 20:
            raise InputError("age_gap", f"{self.age_gap} years are outside 0 to 20")


@dataclass(frozen=True, slots=True)
class Bar:
    """A rule under which people of different `kinds` never share; `kind_of` gives a person's kind,
    None: not concerned.
    """

    rule: str
    words: str
    kind_of: Callable[[Camper], str | None]

    @property
    def constraint(self) -> Constraint:
        """The same as a plan keeps it."""
        return Constraint(Kind.RULE, (self.rule,), self.words)


def bars(rules: PlanRules) -> list[Bar]:
    """The rules that part people by kind."""
    out = [
        Bar("quarters", "sleeping groups do not share", lambda c: c.quarters or None),
    ]
    if rules.leaders_apart:
        out.append(
            Bar(
                "leaders_apart",
                "leaders do not share with students",
                lambda c: "leader" if c.leader else "student",
            )
        )
    if rules.adults_apart:
        out.append(
            Bar(
                "adults_apart",
                "adults do not share with under-age people",
                lambda c: "adult" if c.adult else "under age",
            )
        )
    if rules.patrols_apart:
        out.append(Bar("patrols_apart", "patrols sleep apart", lambda c: c.patrol or None))
    return out


def alone(camper: Camper) -> Constraint:
    """What somebody who shares with nobody asks."""
    return Constraint(Kind.CONSENT, (camper.number,), f"{camper.name} shares with nobody")


def pair_bars(
    campers: Sequence[Camper], rules: PlanRules
) -> list[tuple[Constraint, int, int]]:
    """Pairs that never share, and why: (why, one, two) by place in `campers`: the leader's, the age
    gap, a person's consent.
    """
    place = {c.number: i for i, c in enumerate(campers)}
    out = []
    for a, b in sorted(rules.never):
        if a in place and b in place:
            words = f"{campers[place[a]].name} and {campers[place[b]].name} never share"
            out.append((Constraint(Kind.NEVER, (a, b), words), place[a], place[b]))
    for (i, one), (j, two) in combinations(enumerate(campers), 2):
        young = (
            not one.adult and not two.adult and one.age is not None and two.age is not None
        )
        if (
            rules.age_gap is not None
            and young
            and abs((one.age or 0) - (two.age or 0)) > rules.age_gap
        ):
            words = f"ages more than {rules.age_gap} years apart do not share"
            out.append((Constraint(Kind.RULE, ("age_gap",), words), i, j))
        for who, other in ((one, two), (two, one)):
            if who.shares is Shares.PATROL and who.patrol != other.patrol:
                words = f"{who.name} shares with their own patrol only"
                out.append((Constraint(Kind.CONSENT, (who.number,), words), i, j))
                break
    return out


@dataclass(frozen=True, slots=True)
class Broken:
    """A rule that people under one sheet break: its tag, whom it concerns by number, and words."""

    rule: str
    people: tuple[int, ...]
    words: str


def broken(people: Sequence[Camper], rules: PlanRules) -> list[Broken]:
    """The rules that these people under one sheet break, each once for those it concerns."""
    out = []
    for bar in bars(rules):
        some = [c for c in people if bar.kind_of(c) is not None]
        if len({bar.kind_of(c) for c in some}) > 1:
            out.append(_broken(bar.constraint, some))
    for why, i, j in pair_bars(people, rules):
        out.append(_broken(why, [people[i], people[j]]))
    lonely = [c for c in people if c.shares is Shares.NOBODY] if len(people) > 1 else []
    return [*out, *(_broken(alone(one), people) for one in lonely)]


def _broken(why: Constraint, people: Sequence[Camper]) -> Broken:
    names, words = [c.name for c in people], why.words
    said = f"{', '.join(names[:-1])} and {names[-1]}"
    numbers = tuple(sorted(c.number for c in people))
    return Broken(
        why.tag, numbers, words if all(n in words for n in names) else f"{words}: {said}"
    )


def may_share(one: Camper, two: Camper, rules: PlanRules) -> str | None:
    """Why two people may not share a shelter; None when they may."""
    for bar in bars(rules):
        a, b = bar.kind_of(one), bar.kind_of(two)
        if a is not None and b is not None and a != b:
            return bar.words
    for who in (one, two):
        if who.shares is Shares.NOBODY:
            return alone(who).words
    pairs = pair_bars([one, two], rules)
    return pairs[0][0].words if pairs else None
