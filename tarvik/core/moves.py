"""Turning one pitch into another with the same sheet and supports: when the weather turns, which
moves there are, what they take, and what headroom and dry ground are left.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import PullSide
from tarvik.core.rig.supports import POLE_KINDS, Pole, Supports, Tree
from tarvik.core.solve import PLAIN, Solution, Workings, solve

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.pitches.base import Pitch


@dataclass(frozen=True, slots=True)
class Move:
    """From one pitch to another, or to another setting of the same. `keeps` settings of the old
    carry over by name; `sets` are what the move changes; the others are searched for a storm within
    the supports that stand.
    """

    before: str
    after: str
    title: str
    steps: tuple[str, ...]
    minutes: float
    keeps: tuple[str, ...] = ()
    sets: tuple[tuple[str, float], ...] = ()
    foul: bool = True


_ROUND: Final = "Go round all stakes once more: moving one slackens its neighbours."

MOVES: Final = (
    Move(
        "a-frame-flown",
        "a-frame",
        "Drop the corners",
        (
            "Lower the ridge first, both ends alike, as far as the new height.",
            "Drop the weather side's two corners and stake them; leave their guys on.",
            "Drop and stake the other two.",
            _ROUND,
        ),
        3.0,
        keeps=("turn",),
    ),
    Move(
        "a-frame-porch",
        "a-frame",
        "Drop the porch",
        (
            "Take the porch's poles away and bring its corners down.",
            (
                "Stake both corners straight out from the ridge, and lower the ridge as far as "
                "the new height."
            ),
            _ROUND,
        ),
        2.5,
        keeps=("turn",),
    ),
    Move(
        "a-frame",
        "a-frame",
        "Lower the ridge",
        (
            "Slacken the side stakes' loops, lower both ridge ends alike.",
            "Move the stakes of both sides out, weather side first.",
            _ROUND,
        ),
        4.0,
        keeps=("turn",),
    ),
    Move(
        "a-frame-closed",
        "a-frame-closed",
        "Shut the ends",
        (
            "Lay each end's flap in a pleat under its ridge tie, the weather side outside.",
            "Tie the pleats; leave a hand's breadth open at the top.",
        ),
        2.0,
        keeps=("height", "inset", "turn"),
        sets=(("doors", 0.0),),
    ),
    Move(
        "a-frame-doored",
        "a-frame-doored",
        "Shut the doors",
        (
            "Turn the weather flaps in and stake their hems in the middle.",
            "Lap the other flaps over them and stake those.",
        ),
        2.0,
        keeps=("height", "overlap", "turn"),
        sets=(("doors", 0.0),),
    ),
    Move(
        "a-frame-floored",
        "a-frame-floored",
        "Lower the ridge",
        ("Slacken the ridge at both ends, lower it, and draw the floor's edge out.", _ROUND),
        4.0,
        keeps=("turn",),
    ),
    Move(
        "lean-to",
        "lean-to-awning",
        "Draw it over the line and drop an awning in front",
        (
            "Lower the line to the new height, both ends alike.",
            "Draw the sheet forward over the line as far as the awning is to reach, and tie "
            "it there (buttons if there are no "
            "tie-outs).",
            "Guy the awning's corners out and down.",
            "Move the rear stakes in until the roof is tight.",
            _ROUND,
        ),
        6.0,
        keeps=("turn",),
    ),
    Move(
        "lean-to",
        "lean-to",
        "Lower the front edge",
        ("Lower both ends alike.", "Move the rear stakes back until the roof is tight.", _ROUND),
        3.0,
        keeps=("turn",),
    ),
    Move(
        "lean-to-awning",
        "wind-wedge",
        "Drop the awning to a flap",
        (
            "Lower the ridge, both ends alike.",
            "Bring the awning's corners in and down until the flap stands steep.",
            "Move the rear stakes back until the roof is tight.",
            _ROUND,
        ),
        4.0,
        keeps=("turn",),
    ),
    Move(
        "lean-to-floored",
        "lean-to-floored",
        "Lower the front edge",
        ("Lower both ends alike until the roof reaches well beyond the floor.", _ROUND),
        3.0,
        keeps=("floor", "turn"),
    ),
    Move(
        "lean-to-lifted",
        "lean-to",
        "Let the middle down and lower the front",
        (
            "Untie the lifting cord.",
            "Lower both ends of the front alike.",
            "Move the rear stakes back.",
            _ROUND,
        ),
        4.0,
        keeps=("turn",),
    ),
    Move(
        "lean-to-walled",
        "lean-to-walled",
        "Lower the poles",
        (
            "Shorten both front poles alike.",
            "Move the front corners out until the walls are tight.",
            _ROUND,
        ),
        4.0,
        keeps=("inset", "turn"),
    ),
    Move(
        "wind-wedge",
        "wind-wedge",
        "Lower the ridge",
        ("Lower both ends alike.", "Move the rear stakes back, the flap's guys in.", _ROUND),
        3.0,
        keeps=("flap", "turn"),
    ),
    Move(
        "plow-point",
        "plow-point",
        "Lower the peak",
        (
            "Slip the peak's line down the trunk, or shorten the pole.",
            "Move the far stake back and the side stakes out: more "
            "ground is covered the lower it is.",
            _ROUND,
        ),
        2.0,
    ),
    Move(
        "plow-point-lifted",
        "plow-point",
        "Let the middle down and lower the peak",
        (
            "Untie the lifting cord, or take the stick away.",
            "Slip the peak's line down.",
            "Move the far stake back.",
            _ROUND,
        ),
        3.0,
    ),
    Move(
        "plow-point-floored",
        "plow-point-floored",
        "Lower the peak",
        (
            "Slip the peak's line down.",
            "Move the side stakes out until both edges are tight.",
            _ROUND,
        ),
        2.5,
        keeps=("tip",),
    ),
    Move(
        "plow-point-awning",
        "plow-point-awning",
        "Lower the peak and the awning",
        (
            "Let the awning's outer corner down to level.",
            "Slip the peak's line down.",
            "Move the far stake back.",
            _ROUND,
        ),
        3.5,
        sets=(("angle", 0.0),),
    ),
    Move(
        "diagonal-fly",
        "diagonal-fly",
        "Bring the corners to the ground and lower the ridge",
        (
            "Lower both ends of the ridge alike.",
            "Bring the side corners down and stake them, weather side first.",
            _ROUND,
        ),
        3.0,
        sets=(("corner_height", 0.0),),
    ),
    Move(
        "four-corner-shade",
        "diagonal-fly",
        "Bring the low corners to the ground",
        ("Lower the two high corners alike.", "Stake the low corners, weather side first.", _ROUND),
        3.0,
        sets=(("corner_height", 0.0),),
    ),
    Move(
        "corner-wrap",
        "corner-wrap",
        "Let the awning hang down in front",
        (
            "Untie the awning's guy and let the corner hang.",
            "Lower the ridge, both ends alike, and move the side corners out.",
            _ROUND,
        ),
        3.0,
        keeps=("inset",),
        sets=(("awning", 80.0),),
    ),
    Move(
        "closed-wedge",
        "closed-wedge",
        "Shut the doors",
        (
            "Bring the front corners round and in until the hems meet.",
            "Lap one over the other, weather side outside, and stake both.",
        ),
        2.0,
        keeps=("height", "side", "strip"),
        sets=(("doors", 0.0),),
    ),
    Move(
        "pole-tent",
        "pole-tent",
        "Lower the pole",
        ("Shorten the pole.", "Draw the side and rear stakes out.", _ROUND),
        4.0,
    ),
    Move(
        "awning-wedge",
        "awning-wedge",
        "Stake the corner down as a door",
        ("Untie the awning's guy.", "Bring the corner down and stake it on the ground in front."),
        2.0,
        keeps=("pole", "pole_far", "tie"),
        sets=(("door", 1.0),),
    ),
    Move(
        "half-cone",
        "half-cone",
        "Lower the peak",
        (
            "Slip the peak down.",
            "Move the stakes out from the middle of the back to the front.",
            _ROUND,
        ),
        4.0,
    ),
    Move(
        "boat-porch",
        "boat-night",
        "Stake the front and raise a line over the middle",
        (
            "Take the front poles away.",
            (
                "Run a line from the middle of the hull to one pole in front and lay the sheet "
                "over it."
            ),
            "Stake the front corners and stuff the gaps under the hull's ends.",
        ),
        6.0,
        keeps=("hull",),
    ),
    Move(
        "net-only",
        "lean-to",
        "Put the sheet over the net",
        (
            "Take the sheet from under the mats and hang it as a roof over the net's point.",
            "Stake its low edge to the wind.",
        ),
        5.0,
    ),
)
"""Every move. A foul-weather move starts from each pitch that can stand open."""

SWING: Final = Move(
    "",
    "",
    "Swing it round its support",
    (
        "Pull all stakes but leave their loops on the sheet.",
        "Walk the sheet round its support until its back is to the wind.",
        "Stake the far corner first, then the sides.",
        _ROUND,
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


def moves_from(slug: str) -> tuple[Move, ...]:
    """The moves that start from a pitch, foul-weather moves first."""
    return tuple(m for m in MOVES if m.before == slug)


def swings(pitch: Pitch) -> bool:
    """Whether the pitch hangs on one support and can be swung round it."""
    return pitch.pull is PullSide.LONE and len(pitch.high_points()) == 1 and pitch.bed is None


def outcomes(standing: Solution, workings: Workings = PLAIN) -> list[Outcome]:
    """Every move from the shelter that stands, with the supports it stands on; those that lower
    nothing are left out.
    """
    asked, out = standing.question, []
    if standing.shelter is None or standing.figures is None:
        return []
    for move in moves_from(asked.pitch.slug):
        target = PITCHES[move.after]
        given = _carried_over(move, target, standing.settings)
        unchanged = move.after == move.before and all(
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
        after = _no_higher(solve(question, workings), standing, workings)
        if after.figures is None or after.shelter is None:
            why = "; ".join(r.message for r in after.assessment.reasons)
            out.append(Outcome(move, None, why))
        elif (
            move.before != move.after
            or move.sets
            or after.figures.peak_m < standing.figures.peak_m - 0.02
        ):
            out.append(Outcome(move, after))
    if swings(asked.pitch):
        out.append(
            Outcome(replace(SWING, before=asked.pitch.slug, after=asked.pitch.slug), standing)
        )
    return out


def _no_higher(after: Solution, standing: Solution, workings: Workings) -> Solution:
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
        replace(after.question, settings={**after.question.settings, "height": lower}), workings
    )
    return again if again.figures is not None else after


def _carried_over(move: Move, target: Pitch, settings: Mapping[str, float]) -> dict[str, float]:
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
