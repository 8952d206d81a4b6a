"""Turning one pitch into another with the same sheet and supports: when the weather turns, which
moves there are, what they take, and what headroom and dry ground are left.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import PullSide
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.rig.supports import POLE_KINDS, Pole, Supports, Tree
from tarvik.core.solve import PLAIN, Solution, SolverBackend, solve

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch

SWING: Final = Move(
    "",
    "Swing it round its support",
    (
        "Pull all stakes but leave their loops on the sheet.",
        "Walk the sheet round its support until its back is to the wind.",
        "Stake the far corner first, then the sides.",
        ROUND,
    ),
    3.0,
)
"""Any pitch on one support can be swung; its figures stay what they are, the wind's side changes.
"""


@dataclass(frozen=True, slots=True)
class Outcome:
    """A move worked out: what stands afterwards, None where the sheet or the supports do not allow
    it.
    """

    move: Move
    after: Solution | None
    why_not: str = ""


def swings(pitch: Pitch) -> bool:
    """Whether the pitch hangs on one support and can be swung round it."""
    return (
        pitch.pull is PullSide.LONE and len(pitch.high_points()) == 1 and pitch.bed is None
    )


def outcomes(standing: Solution, backend: SolverBackend = PLAIN) -> list[Outcome]:
    """Every move from the shelter that stands, with the supports it stands on; those that lower
    nothing are left out.
    """
    asked, out = standing.question, []
    if standing.shelter is None or standing.figures is None:
        return []
    for move in asked.pitch.moves:
        target = PITCHES[move.after]
        given = _carried_over(move, target, standing.settings)
        unchanged = move.after == asked.pitch.slug and all(
            abs(standing.settings.get(k, v) - v) < 1e-9 for k, v in given.items()
        )
        if move.sets and unchanged and len(given) == len(target.settings):
            continue  # it stands so already
        question = replace(
            asked,
            pitch=target,
            settings=given,
            intent=INTENTS["storm"],
            supports=_standing(standing),
            wanted=asked.wanted or 1,
        )
        after = _no_higher(solve(question, backend), standing, backend)
        if after.figures is None or after.shelter is None:
            why = "; ".join(r.message for r in after.assessment.reasons)
            out.append(Outcome(move, None, why))
        elif (
            move.after != asked.pitch.slug
            or move.sets
            or after.figures.peak_m < standing.figures.peak_m - 0.02
        ):
            out.append(Outcome(move, after))
    if swings(asked.pitch):
        out.append(Outcome(replace(SWING, after=asked.pitch.slug), standing))
    return out


def _no_higher(after: Solution, standing: Solution, backend: SolverBackend) -> Solution:
    """A move brings a shelter down: where the search went higher, the old height is kept."""
    height = standing.settings.get("height")
    if (
        after.figures is None
        or standing.figures is None
        or height is None
        or "height" not in after.settings
    ):
        return after
    if after.figures.peak_m <= standing.figures.peak_m + 1e-9:
        return after
    setting = after.question.pitch.setting("height")
    lower = min(max(height, setting.least), setting.most)
    again = solve(
        replace(after.question, settings={**after.question.settings, "height": lower}),
        backend,
    )
    return again if again.figures is not None else after


def _carried_over(
    move: Move, target: Pitch, settings: Mapping[str, float]
) -> dict[str, float]:
    known = {s.name: s for s in target.settings}
    kept = {n: settings[n] for n in move.keeps if n in known and n in settings}
    kept |= dict(move.sets)
    return {n: min(max(v, known[n].least), known[n].most) for n, v in kept.items()}


def _standing(standing: Solution) -> Supports:
    """The supports of the shelter that stands: trees take any height, poles may be shortened but
    not lengthened.
    """
    rig, supports = standing.assessment.rig, standing.question.supports
    if rig is None:
        return supports
    trees = tuple(Tree() for s in rig.supports if s.kind == "tree")
    poles = tuple(
        Pole(
            min(s.pole.least_m, s.height_m) if s.pole else min(0.3, s.height_m),
            max(s.height_m, s.pole.most_m) if s.pole else s.height_m,
            s.kind,
        )
        for s in rig.supports
        if s.kind in POLE_KINDS
    )
    return replace(supports, trees=trees, poles=poles)
