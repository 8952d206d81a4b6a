"""Cord in words: which lines of the bag serve what, what is joined and cut, and each night's
hand-out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tarvik.core.cord import CordPlan, handed_out, plan_cord, together
from tarvik.core.ready_lines import Line
from tarvik.core.units import Units, format_length


@dataclass(frozen=True, slots=True)
class Need:
    """A cord that a night wants: its shelter's number, what it is for, and how long (m)."""

    shelter: int
    purpose: str
    metres: float


@dataclass(frozen=True, slots=True)
class NightCord:
    """One night's cords; `moved`: those after the foul-weather moves."""

    title: str
    needs: tuple[Need, ...]
    moved: tuple[Need, ...]


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece with its label, its length, and where it comes from."""

    label: str
    length: str
    source: str


@dataclass(frozen=True, slots=True)
class Cut:
    """What is cut from one hank, in words, and what is left of it."""

    hank: str
    pieces: tuple[str, ...]
    rest: str


@dataclass(frozen=True, slots=True)
class HandOut:
    """What one shelter of a night gets."""

    shelter: int
    pieces: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class CordView:
    """The cord of a course. `short`: lengths that nothing in the bag serves."""

    pieces: tuple[Piece, ...]
    joined: tuple[str, ...]
    cuts: tuple[Cut, ...]
    short: tuple[str, ...]
    nights: tuple[tuple[str, tuple[HandOut, ...]], ...]
    cord_m: float
    proved: bool


def cord_view(nights: Sequence[NightCord], lines: Sequence[Line], units: Units) -> CordView:
    """The cord of all nights and of the moves from each."""
    variants = [some for night in nights for some in (night.needs, night.moved) if some]
    needs = together([[need.metres for need in some] for some in variants])
    plan = plan_cord(needs, lines)
    lengths = plan.lengths(lines, len(needs))
    sources = _sources(plan, lines, units)
    order = sorted(range(len(needs)), key=lambda n: -lengths[n])
    there = [n for n in order if n not in plan.short]
    labels = {n: f"L{place}" for place, n in enumerate(there, start=1)}
    return CordView(
        pieces=tuple(
            Piece(labels[n], format_length(lengths[n], units), sources[n]) for n in there
        ),
        joined=tuple(
            f"{format_length(lines[a].length_m, units)} and "
            f"{format_length(lines[b].length_m, units)}: {labels[n]}, "
            f"{format_length(lengths[n], units)}"
            for n, a, b in plan.joined
        ),
        cuts=tuple(_cut(hank, pieces, labels, lines, units) for hank, pieces in plan.cut),
        short=tuple(format_length(needs[n], units) for n in plan.short),
        nights=tuple(
            (night.title, _hand_out(night.needs, [lengths[n] for n in there], units))
            for night in nights
        ),
        cord_m=sum(lengths),
        proved=plan.proved,
    )


def _sources(plan: CordPlan, lines: Sequence[Line], units: Units) -> dict[int, str]:
    told = {n: "as it is" for n, _ in plan.whole}
    told |= {n: "joined" for n, *_ in plan.joined}
    for hank, pieces in plan.cut:
        words = f"cut from the hank of {format_length(lines[hank].length_m, units)}"
        told |= {n: words for n, _ in pieces}
    return told


def _cut(
    hank: int,
    pieces: Sequence[tuple[int, float]],
    labels: dict[int, str],
    lines: Sequence[Line],
    units: Units,
) -> Cut:
    rest = lines[hank].length_m - sum(length for _, length in pieces)
    return Cut(
        format_length(lines[hank].length_m, units),
        tuple(f"{labels[n]}: {format_length(length, units)}" for n, length in pieces),
        format_length(max(rest, 0.0), units),
    )


def _hand_out(
    needs: Sequence[Need], lengths: Sequence[float], units: Units
) -> tuple[HandOut, ...]:
    given = handed_out([need.metres for need in needs], lengths)
    shelters: dict[int, list[str]] = {}
    for need, piece in zip(needs, given, strict=True):
        words = f"{need.purpose} {format_length(need.metres, units)}"
        told = f"L{piece + 1} ({words})" if piece >= 0 else f"{words}: none is long enough"
        shelters.setdefault(need.shelter, []).append(told)
    return tuple(HandOut(number, tuple(told)) for number, told in sorted(shelters.items()))
