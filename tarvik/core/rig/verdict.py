"""The verdict of a sheet for a pitch: forms, needs, cannot, with every reason and its amount. Never
a bare no.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.kept import keep_last
from tarvik.core.pitches.base import Hold, Pitch
from tarvik.core.rig.lines import allot_lines
from tarvik.core.rig.rigging import rigs
from tarvik.core.shelter import MOST_KEPT, Refusal, Shelter
from tarvik.core.units import Units, format_length

if TYPE_CHECKING:
    from tarvik.core.rig.carried import Rig, Stake
    from tarvik.core.rig.supports import Supports

THING_COST: Final = constant(
    "thing_cost",
    2.5,
    "1",
    ENGINEERING,
    "trouble of a missing support; other shortfalls count 2",
)

BUTTON: Final = "button"
"""Code of the reason that tie-outs have to be made; its lengths are their places, two each."""


STAKE_ROOM_M: Final = constant(
    "stake_room", 0.05, "m", ENGINEERING, "room a stake needs beside a trunk or rock"
)


class Verdict(StrEnum):
    """Whether a sheet makes a pitch with what is at hand."""

    FORMS = "forms"
    NEEDS = "needs"
    CANNOT = "cannot"


@dataclass(frozen=True, slots=True)
class Reason:
    """One finding. `blocks` tells whether it stands in the way; a note does not.

    `template` has {0}, {1} ... where the `lengths` (metres) go, so that it can be said in metres or
    feet.
    """

    code: str
    template: str
    short_by_m: float | None = None
    blocks: bool = True
    remedy: str = ""
    lengths: tuple[float, ...] = ()

    def text(self, units: Units = Units.METRIC) -> str:
        """The finding in words."""
        return self.template.format(*(format_length(x, units) for x in self.lengths))

    @property
    def message(self) -> str:
        """The finding in words, metric."""
        return self.text()


@dataclass(frozen=True, slots=True)
class Assessment:
    """A verdict with its reasons and the rig it is about."""

    verdict: Verdict
    reasons: tuple[Reason, ...]
    rig: Rig | None

    @property
    def buttons(self) -> int:
        """How many tie-outs have to be made."""
        return sum(len(r.lengths) // 2 for r in self.reasons if r.code == BUTTON)


_REMEDY = {
    "no_support": "bring, borrow or cut one, or pitch where a tree stands",
    "trees_too_close": "choose a pair of trees further apart, or put a pole at one end",
    "pole_short": "lengthen it, stand it on a firm stone, or lower the pitch",
    "carrier_low": "choose a higher one, or lower the pitch",
    "carrier_high": "choose a lower one, or raise the pitch",
    "carrier_short": "choose a longer one, or hang one end from a pole",
    "tripod_short": "cut or lash longer legs, or carry the peak otherwise",
    "no_lift": "leave the middle unlifted, or bring one",
    "pole_long": "shorten it, dig in its foot, or raise the pitch",
}


def _buttons(shelter: Shelter, *, through_line: bool) -> list[Reason]:
    """Points that must be tied and have no tie-out. A line under the ridge carries its ends without
    any.
    """
    missing = []
    for anchor in shelter.pitch.anchors:
        carried = (
            through_line
            and anchor.hold is Hold.HIGH
            and not _rim_corner(shelter, anchor.point)
        )
        if (
            anchor.hold is not Hold.FREE
            and anchor.on_sheet
            and not carried
            and not shelter.sheet.has_tie_out(shelter.sheet_at(anchor.point))
        ):
            missing.append(anchor.point)
    if not missing:
        return []
    ringed = (
        "the ringed point" if len(missing) == 1 else f"the {len(missing)} ringed points"
    )
    return [
        Reason(
            BUTTON,
            f"tie a stone into the cloth at {ringed}: there is no tie-out",
            remedy=(
                "wrap a smooth stone or a wad of leaves in the cloth and tie a slip knot or "
                "jam "
                "knot round its neck"
            ),
            lengths=tuple(x for p in missing for x in shelter.sheet_at(p)),
        )
    ]


def _rim_corner(shelter: Shelter, point: str) -> bool:
    """Whether the point is a corner of the sheet: a line under the ridge does not hold a corner."""
    u, v = shelter.sheet_at(point)
    return any(abs(u - a) < 1e-6 and abs(v - b) < 1e-6 for a, b in shelter.sheet.outline)


def _cord(rig: Rig, supports: Supports) -> list[Reason]:
    if supports.lines_m is None:
        return []
    needs = [line.cord_m for line in rig.lines]
    allotment = allot_lines(needs, supports.lines_m)
    reasons = []
    for need, short in sorted(allotment.short.items()):
        line = rig.lines[need]
        text = f"the line from {line.start} ({line.purpose}) takes {{0}} of cord: short by {{1}}"
        remedy = "borrow a line, or join two short ones"
        reasons.append(
            Reason("line_short", text, short, remedy=remedy, lengths=(line.cord_m, short))
        )
    if allotment.joined and not reasons:
        lines = "one line is" if allotment.joined == 1 else f"{allotment.joined} lines are"
        reasons.append(
            Reason("line_joined", f"{lines} made of two shorter ones", blocks=False)
        )
    return reasons


def _assess_rig(rig: Rig, supports: Supports, buttons: list[Reason]) -> list[Reason]:
    reasons = [
        Reason(
            miss.code,
            miss.template,
            miss.short_by_m or None,
            remedy=_REMEDY[miss.code],
            lengths=miss.lengths,
        )
        for miss in rig.short
    ]
    reasons += buttons
    wanted = rig.stakes_needed()
    if supports.stakes is not None and wanted > supports.stakes:
        missing = wanted - supports.stakes
        reasons.append(
            Reason(
                "stakes_short",
                f"{wanted} stakes are needed and {supports.stakes} are there: {missing} more",
                remedy="carve some, or weight corners with stones or logs",
            )
        )
    return reasons + _cord(rig, supports) + _in_the_way(rig, supports)


def blocks(trunk: tuple[float, float, float], stake: Stake) -> bool:
    """Whether a trunk or rock (x, y, diameter) stands where a stake must go."""
    x, y, diameter = trunk
    return (
        not stake.optional
        and math.hypot(stake.at[0] - x, stake.at[1] - y) < diameter / 2 + STAKE_ROOM_M
    )


def _in_the_way(rig: Rig, supports: Supports) -> list[Reason]:
    """Stakes that would have to go where a trunk or a rock is."""
    out = []
    for stake in rig.stakes:
        for trunk in supports.in_the_way:
            if blocks(trunk, stake):
                diameter = trunk[2]
                back = diameter + 2 * STAKE_ROOM_M
                out.append(
                    Reason(
                        "stake_blocked",
                        (
                            f"a trunk or rock stands where the stake of {stake.point} goes "
                            f"({{0}} thick)"
                        ),
                        diameter,
                        blocks=False,
                        lengths=(diameter, back),
                        remedy="fold that corner back as far as the trunk is thick and stake the "
                        "edge on both sides "
                        "of it, or run "
                        "a longer line from the corner round it to a stake behind",
                    )
                )
    return out


def _cost(reasons: list[Reason]) -> float:
    """Trouble of a rig: each thing short counts, a long way short more."""
    return sum(
        (THING_COST if r.code == "no_support" else 2.0) + (r.short_by_m or 0.0)
        if r.blocks
        else 0.1
        for r in reasons
    )


@keep_last(MOST_KEPT)
def assess(shelter: Shelter, supports: Supports) -> Assessment:
    """The easiest rig of a folded shelter with what is at hand, and what it still needs."""
    best: tuple[float, Rig, list[Reason]] | None = None
    buttons: dict[bool, list[Reason]] = {}
    for rig in rigs(shelter, supports):
        if rig.through_line not in buttons:
            buttons[rig.through_line] = _buttons(shelter, through_line=rig.through_line)
        reasons = _assess_rig(rig, supports, buttons[rig.through_line])
        cost = _cost(reasons) + 0.01 * rig.stakes_needed() + 0.02 * rig.through_line
        if best is None or cost < best[0] - 1e-9:
            best = (cost, rig, reasons)
        if not reasons:  # ways come with the fewest lines and stakes first
            break
    if best is None:
        return Assessment(
            Verdict.NEEDS,
            (
                Reason(
                    "no_support",
                    "nothing to tie the high points to",
                    remedy=_REMEDY["no_support"],
                ),
            ),
            None,
        )
    _, rig, reasons = best
    if shelter.sheet.hood:
        reasons.append(
            Reason("hood", "tie off the hood before the rain, or it leaks", blocks=False)
        )
    verdict = Verdict.NEEDS if any(r.blocks for r in reasons) else Verdict.FORMS
    return Assessment(verdict, tuple(reasons), rig)


def refused(refusals: list[Refusal], pitch: Pitch) -> Assessment:
    """The verdict when the sheet does not allow the settings."""
    return Assessment(Verdict.CANNOT, tuple(_refusal(r, pitch) for r in refusals), None)


def _refusal(r: Refusal, pitch: Pitch) -> Reason:
    setting = pitch.setting(r.setting)
    label = setting.label.lower()
    code = f"{r.setting}_too_{'small' if r.too_small else 'large'}"
    if setting.is_choice or not math.isfinite(r.value):
        how = f" {setting.shown(r.value, Units.METRIC)}" if math.isfinite(r.value) else ""
        return Reason(
            code,
            f"{label}{how}: {r.why}; it cannot be with the rest as it is",
            remedy=f"choose another way for the {label}, or move the other settings",
        )
    edge = r.least if r.too_small else r.most
    known = r.short_by_m > 0
    if setting.is_length:
        value, limit = "{0}", "{1}"
    else:
        value, limit = (
            setting.shown(r.value, Units.METRIC),
            setting.shown(edge if known else 0.0, Units.METRIC),
        )
    extreme = (
        f"the {'least' if r.too_small else 'most'} is {limit}"
        if known
        else ("no such shape is possible with the other settings")
    )
    return Reason(
        code,
        f"{label} {value}: {r.why}; {extreme}",
        r.short_by_m if known and setting.is_length else None,
        remedy=f"{'raise' if r.too_small else 'lower'} the {label}, or take a larger sheet",
        lengths=(r.value, edge if known else 0.0),
    )
