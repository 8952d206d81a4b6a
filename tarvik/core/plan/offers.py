"""What a plan chooses from: each sheet in a pitch at a spot, with what it gives and takes; and the
kit there is.

Plain values: the plan's model knows nothing of folding or rain.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from tarvik.core.rig.lines import JOIN_M

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from shapely.geometry.base import BaseGeometry

    from tarvik.core.site.placing import Spot

SAME_M: Final = 1e-6
POLE, LINE, STAKE = "pole", "line", "stake"
LONG_STAKE = "longer stake"
"""One that holds more than the usual ones; it is counted among these too."""


@dataclass(frozen=True, slots=True)
class Pool:
    """Kit alike: `count` pieces of one owner (None: the group's). Poles have a span, lines a
    length, others a kind. `extra`: as what it might be bought or borrowed; empty for what is there.
    """

    kind: str
    count: int
    least_m: float = 0.0
    most_m: float = 0.0
    owner: int | None = None
    extra: str = ""

    def serves(self, height_m: float) -> bool:
        """Whether a pole can be set to that height."""
        return self.least_m - SAME_M <= height_m <= self.most_m + SAME_M


@dataclass(frozen=True, slots=True)
class Offer:
    """One sheet (or two joined) in one pitch at one spot.

    `beds`: (tallest stature, how many people up to it lie dry), statures rising. `sit`, `calm`,
    `ease`: how many of them sit, lie out of the wind, and lie with ease. `poor`: tenths of a grade
    that it falls short of a first choice for the night; `holds`: whether nothing stops it tonight;
    `unsuited`: whether no leader picks that pitch for such a night. `tight`: whether people lie in
    it with less room than is usual.
    `minutes`, by one able person; `hard`: wants
    somebody practised. `poles`: heights to be carried;
    `cords`: lengths of cord; `others`: other carriers by kind; `cut`: how many of the poles'
    heights are cut sticks at need.
    `ground`: the ground taken, None while unplaced. `out_m`: metres of way to the camp's heart, and
    a share of those that it is farther from water. `cautions`: what it stands near.
    """

    sheets: tuple[int, ...]
    pitch: str
    settings: tuple[tuple[str, float], ...]
    beds: tuple[tuple[float, int], ...]
    spot: Spot | None = None
    trees: tuple[str, ...] = ()
    ground: BaseGeometry | None = None
    at: tuple[float, float] | None = None
    sit: int = 0
    calm: int = 0
    ease: int = 0
    poor: int = 0
    holds: bool = True
    unsuited: bool = False
    minutes: float = 3.0
    hard: bool = False
    stakes: int = 0
    poles: tuple[float, ...] = ()
    cords: tuple[float, ...] = ()
    others: tuple[str, ...] = ()
    buttons: int = 0
    tight: bool = False
    out_m: float = 0.0
    cautions: tuple[str, ...] = ()
    open_share: float = 0.0
    gale_force: int = 12

    def room(self, stature_m: float) -> int:
        """How many people of that stature lie dry."""
        for tallest, count in self.beds:
            if stature_m <= tallest + SAME_M:
                return count
        return 0

    @property
    def most(self) -> int:
        """Most people that lie dry, the shortest taken."""
        return max((count for _, count in self.beds), default=0)


def servers(
    need_m: float, lines: Sequence[Pool], join: bool
) -> tuple[tuple[int, ...], ...]:
    """Which lines serve a need: single lines by number, then pairs joined; pairs only of lines too
    short alone.
    """
    single = [(n,) for n, line in enumerate(lines) if line.most_m >= need_m - SAME_M]
    if not join:
        return tuple(single)
    short = [n for n, line in enumerate(lines) if line.most_m < need_m - SAME_M]
    pairs = [
        (a, b)
        for i, a in enumerate(short)
        for b in short[i:]
        if lines[a].most_m + lines[b].most_m - JOIN_M >= need_m - SAME_M
    ]
    return (*single, *pairs)


def pruned(offers: Sequence[Offer], pools: Sequence[Pool]) -> list[Offer]:
    """Offers without those that another of the same sheets, on the same trees and no more ground,
    beats or equals in all that the plan weighs and in every piece of kit it takes. Any plan with
    the one left out is no better than the same plan with the other, so the optimum stays. The order
    is kept.
    """
    groups: dict[object, list[int]] = {}
    for n, offer in enumerate(offers):
        groups.setdefault((offer.sheets, frozenset(offer.trees)), []).append(n)
    lines = [p for p in pools if p.kind == LINE]
    gone: set[int] = set()
    for group in groups.values():
        for a in group:
            for b in group:
                if (
                    a != b
                    and b not in gone
                    and a not in gone
                    and _beats(offers[a], offers[b], lines)
                    and (a < b or not _beats(offers[b], offers[a], lines))
                ):
                    gone.add(b)
    return [o for n, o in enumerate(offers) if n not in gone]


def _beats(one: Offer, two: Offer, lines: Sequence[Pool]) -> bool:
    """Whether the first does at least as well in everything."""
    statures = [s for s, _ in (*one.beds, *two.beds)]
    return (
        one.minutes <= two.minutes
        and one.hard <= two.hard
        and one.out_m <= two.out_m + SAME_M
        and one.stakes <= two.stakes
        and one.sit >= two.sit
        and one.calm >= two.calm
        and one.ease >= two.ease
        and one.poor <= two.poor
        and one.holds >= two.holds
        and one.unsuited <= two.unsuited
        and one.buttons <= two.buttons
        and one.tight <= two.tight
        and len(one.cautions) <= len(two.cautions)
        and all(one.room(s) >= two.room(s) for s in statures)
        and _within(sorted(one.poles), sorted(two.poles))
        and _shorter(one.cords, two.cords)
        and len(one.others) <= len(two.others)
        and set(one.others) <= set(two.others)
        and one.at == two.at
        and (
            one.ground is two.ground
            or (
                one.ground is not None
                and two.ground is not None
                and bool(two.ground.covers(one.ground))
            )
        )
    )


def _within(some: Sequence[float], more: Sequence[float]) -> bool:
    """Whether every height of the first is among the second, as often."""
    left = list(more)
    for height in some:
        match = next((h for h in left if math.isclose(h, height, abs_tol=SAME_M)), None)
        if match is None:
            return False
        left.remove(match)
    return True


def _shorter(some: Sequence[float], more: Sequence[float]) -> bool:
    """Whether the cords of the first are no more and, longest to longest, no longer."""
    a, b = sorted(some, reverse=True), sorted(more, reverse=True)
    return len(a) <= len(b) and all(x <= y + SAME_M for x, y in zip(a, b, strict=False))


def beds_of(room: Mapping[float, int]) -> tuple[tuple[float, int], ...]:
    """The table of `Offer.beds` from how many lie dry at each stature: a taller person never finds
    more room.
    """
    out: list[tuple[float, int]] = []
    least = math.inf
    for stature in sorted(room):
        least = min(least, room[stature])
        if least > 0:
            out.append((stature, int(least)))
    kept = [
        entry
        for n, entry in enumerate(out)
        if n + 1 == len(out) or out[n + 1][1] != entry[1]
    ]
    return tuple(kept)


def at_most(
    beds: tuple[tuple[float, int], ...], most: int
) -> tuple[tuple[float, int], ...]:
    """A table of beds with no more than `most` at any stature.

    >>> at_most(((1.7, 3), (1.9, 1)), 2)
    ((1.7, 2), (1.9, 1))
    """
    return beds_of({stature: min(count, most) for stature, count in beds})
