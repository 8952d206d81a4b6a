"""The knots of the set-up steps: what each is for and how it is tied, in our own words."""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from collections.abc import Mapping


@dataclass(frozen=True, slots=True)
class Knot:
    """A knot: its steps, what it is for, and what to look at before it is trusted."""

    slug: str
    name: str
    use: str
    steps: tuple[str, ...]
    check: str


KNOTS: Final[Mapping[str, Knot]] = MappingProxyType(
    {
        k.slug: k
        for k in (
            Knot(
                "fixed-hitch",
                "Fixed hitch",
                "ties the first end of a ridge line to a trunk; slips free with one pull",
                (
                    "Pass the end round the trunk.",
                    "Lay it over the standing part and twist it once round your fingers, back "
                    "over both.",
                    "Push a bight of the end through the loop on your fingers and draw it "
                    "tight against "
                    "the trunk.",
                ),
                "The bight points away from the trunk and the end is a hand long.",
            ),
            Knot(
                "tensioning-hitch",
                "Tensioning hitch",
                "tightens a ridge line at its second end, with a gain of two or more",
                (
                    "Make a slipped loop in the standing part an arm's length before the trunk.",
                    "Pass the end round the trunk and through that loop.",
                    "Pull back hard, pinch the turn, and lock it with two half hitches, the "
                    "last one slipped.",
                ),
                "The loop lies well clear of the trunk, or there is nothing left to pull.",
            ),
            Knot(
                "prusik-toggle",
                "Prusik with toggle",
                "holds the sheet out along a ridge line: grips when loaded, slides when not",
                (
                    "Lay a small loop of thinner cord over the line.",
                    "Wrap it round the line through itself three times (three also "
                    "when both cords are equally thick), the wraps side by side.",
                    "Push its end through the tie-out and a stick through its end as a toggle.",
                ),
                "No wrap lies on another; push it along and let it grip.",
            ),
            Knot(
                "larks-head",
                "Lark's head",
                "puts a loop on a tie-out or a ring",
                (
                    "Push the middle of the loop through the tie-out.",
                    "Pass the rest of the loop through its own middle and draw tight.",
                ),
                "Both parts lie side by side and both are loaded.",
            ),
            Knot(
                "taut-line",
                "Taut-line hitch",
                "an adjustable guy: slide it to tighten, it holds when let go",
                (
                    "Pass the end round the stake and back along the guy.",
                    "Wrap it twice round the guy inside the loop, towards the stake.",
                    (
                        "Cross over the wraps and finish with one half hitch outside the loop; "
                        "draw snug."
                    ),
                ),
                "Slippery cord wants a third wrap.",
            ),
            Knot(
                "marlinspike",
                "Marlinspike hitch",
                "ties a line to a stick or a stake's top and falls off when the stick is drawn out",
                (
                    "Lay a loop in the line, one part over the other.",
                    "Fold the loop over the standing part so that it shows through it.",
                    (
                        "Push the stake in over the loop's side, under the standing part, over "
                        "the other side."
                    ),
                ),
                "Pull comes on the standing part only, and the knot lies against the ground.",
            ),
            Knot(
                "slip",
                "Slip knot",
                "a stopper or a button's neck that comes undone with one pull",
                (
                    "Lay a loop, the end over the standing part.",
                    "Draw a bight of the standing part through the loop.",
                    "Pull the loop's end to set it.",
                ),
                "Leave a tail; pulling it undoes the knot.",
            ),
            Knot(
                "jam",
                "Jam knot",
                "draws down round a button and stays there",
                (
                    "Tie a stopper in the end.",
                    "Tie an overhand knot with the end round the standing part, the "
                    "stopper outside.",
                    "Put the loop over the button's neck and pull: the stopper jams on the knot.",
                ),
                "The stopper sits hard on the overhand knot.",
            ),
            Knot(
                "bowline",
                "Bowline",
                "a loop that neither slips nor jams",
                (
                    "Lay a small eye, the standing part underneath.",
                    "Bring the end up through the eye, round behind "
                    "the standing "
                    "part, and down through the eye again.",
                    "Draw tight.",
                ),
                "The tail ends inside the loop and is a hand long.",
            ),
            Knot(
                "half-hitches",
                "Two half hitches",
                "finishes almost any line on a trunk or a stake",
                (
                    "Pass the end round.",
                    "Wrap it once round the standing part and through.",
                    "Do the same again, the same way round.",
                ),
                "Both hitches go the same way: together they look like a clove hitch.",
            ),
            Knot(
                "clove",
                "Clove hitch",
                "starts a lashing, or ties a line to the middle of a pole",
                (
                    "Wrap the line round the pole.",
                    "Cross over and wrap once more.",
                    "Tuck the end under the crossing.",
                ),
                "It slips on a pole that turns: add a half hitch.",
            ),
            Knot(
                "timber",
                "Timber hitch",
                "ties a ridge line to a trunk; tighter the harder it is pulled",
                (
                    "Pass the end round the trunk and round the standing part.",
                    "Wrap it three times round its own part, along the trunk.",
                    "Draw tight against the trunk.",
                ),
                "It holds only while it is loaded.",
            ),
            Knot(
                "alpine-loop",
                "Alpine loop",
                "a fixed loop in the middle of a line that takes a pull from three ways",
                (
                    "Wrap the line three times round your hand.",
                    "Take the first turn over the second and third, and tuck it back under both.",
                    "Draw the loop out and pull both ends.",
                ),
                "Two parts cross on one side, two lie straight on the other.",
            ),
            Knot(
                "hanking",
                "Figure-eight hanking",
                "puts a cord away so that it runs out without a tangle",
                (
                    (
                        "Lay the end along your palm and wind the cord in a figure eight round "
                        "thumb and little finger."
                    ),
                    "Keep the last arm's length and wrap it round the middle.",
                    "Tuck a bight through the upper eye.",
                ),
                "Pull the first end: it runs out from inside.",
            ),
        )
    }
)
"""Every knot by its slug."""

PURPOSES: Final[Mapping[str, tuple[str, ...]]] = MappingProxyType(
    {
        "to the tree": ("fixed-hitch", "tensioning-hitch"),
        "ridge line": ("timber", "tensioning-hitch", "prusik-toggle"),
        "pole guy": ("clove", "taut-line"),
        "lashing": ("clove", "half-hitches"),
        "bipod guy": ("clove", "taut-line"),
        "fork guy": ("clove", "taut-line"),
        "lifting cord": ("larks-head", "half-hitches"),
        "to the branch": ("bowline", "half-hitches"),
    }
)
"""Knots of a line, by what the line is for; any other guy takes a lark's head on the sheet and the
course's hitch below.
"""
AFTERWARDS: Final = ("hanking",)
BUTTON: Final = ("slip", "jam")


def knots_for(purposes: set[str], hitch: str, *, buttons: bool) -> list[Knot]:
    """The knots a rig takes, in the order they are met: by the purposes of its lines, the course's
    hitch for guys, those of buttons if it takes any, and the one to put the cords away.
    """
    wanted: list[str] = [*BUTTON] if buttons else []
    for purpose in sorted(purposes):
        wanted += PURPOSES.get(purpose, ("larks-head", hitch))
    if hitch == "marlinspike":
        wanted = [hitch if k == "taut-line" else k for k in wanted]
    return [KNOTS[k] for k in dict.fromkeys([*wanted, *AFTERWARDS])]
