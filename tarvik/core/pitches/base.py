"""What a pitch is: data plus a short function that lays its points out.

A pitch names its settings, its points and panels, how each point is held (on the ground, at a
support, held off the ground by a guy), which settings the sheet allows, and the order in which it
is set up. Board, bench, cards, search and exports read only this.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.fold.pattern import stacked
from tarvik.core.units import Units, format_length

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Layout, Pattern
    from tarvik.core.pitches.move import Move
    from tarvik.core.pitches.suits import Suits


class Family(StrEnum):
    """Families of pitches, in the order they are shown."""

    RIDGE = "ridge"
    LEAN_TO = "lean-to"
    CORNER = "corner"
    WEDGE = "wedge"
    BOAT = "boat"
    BARE = "bare"

    @property
    def heading(self) -> str:
        """The family's name over its pitches."""
        return _FAMILY_TITLES[self.value]


_FAMILY_TITLES: Final = {
    "ridge": "Ridges",
    "lean-to": "Lean-tos",
    "corner": "Corners",
    "wedge": "Wedges and tents",
    "boat": "Against a boat",
    "bare": "Without a pitch",
}


DEGREES: Final = "degrees"


class Sought(StrEnum):
    """Whether a search moves a setting."""

    FIRST = "first"  # over its whole stretch
    ALSO = "also"  # off its default only for one more who lies dry, or clearly more room
    NEVER = "never"  # by hand alone, but doors, which open where air is wanted


@dataclass(frozen=True, slots=True)
class Setting:
    """A number the leader may move: a length ("m"), an angle ("degrees"), or a choice between whole
    numbers (any other unit).
    """

    name: str
    unit: str
    least: float
    most: float
    default: float
    meaning: str
    label: str
    step: float = 0.01
    sought: Sought = Sought.FIRST
    words: tuple[str, ...] = ()  # of a choice: what each number stands for
    shut_at: float | None = (
        None  # of a door, which stands open where air is wanted: the value at which it is shut
    )
    folds_far_edge: bool = False  # the crease lies this far from the far edge of the sheet
    handy_least: float = (
        0.0  # less makes it another pitch: taken up to this where no bed is lost
    )

    def checked(self, value: float) -> float:
        """The value; a choice is taken to the nearest whole number. Raises InputError when out of
        range.
        """
        if not np.isfinite(value) or not self.least <= value <= self.most:
            raise InputError(
                f"settings.{self.name}",
                f"{value:g} is outside {self.least:g} to {self.most:g} {self.unit}".rstrip(),
            )
        return float(round(value)) if self.is_choice else float(value)

    @property
    def searched(self) -> bool:
        """Whether a search may move it."""
        return self.sought is not Sought.NEVER

    @property
    def is_door(self) -> bool:
        """Whether it opens and shuts."""
        return self.shut_at is not None

    @property
    def is_length(self) -> bool:
        """Whether it is in metres."""
        return self.unit == "m"

    @property
    def is_choice(self) -> bool:
        """Whether it takes whole numbers only."""
        return self.unit not in ("m", DEGREES)

    def shown(self, value: float, units: Units) -> str:
        """A value in the course's units; a choice in words."""
        if self.words:
            return self.words[round(value - self.least)]
        return (
            format_length(value, units)
            if self.is_length
            else f"{value:.0f}{'°' if self.unit == DEGREES else ''}"
        )


class Hold(StrEnum):
    """How a point is held."""

    STAKED = "staked"  # at the ground, or held off it by a guy when it stands above
    HIGH = "high"  # carried by a support
    # off the ground: by a guy where the cloth hangs down to it, else on a pole with a guy
    FLOWN = "flown"
    LIFTED = "lifted"  # drawn up from outside by a cord to a tree or bipod, or propped from inside
    FREE = "free"  # follows from the fold


@dataclass(frozen=True, slots=True)
class Anchor:
    """How one point is held; `line` says what its line is for when it needs one. `on_sheet` False:
    a point in the air that something else than the sheet hangs from.
    """

    point: str
    hold: Hold
    line: str = "guy"
    optional: bool = False
    on_sheet: bool = True


def free(*points: str) -> tuple[Anchor, ...]:
    """Anchors of points that nothing holds but the fold."""
    return tuple(Anchor(p, Hold.FREE) for p in points)


def anchors(
    high: Iterable[str], staked: Iterable[str], line: str = "guy", flown: Iterable[str] = ""
) -> tuple[Anchor, ...]:
    """Anchors of points (single letters, or a tuple of names): those carried high, then those
    staked, then those flown.
    """
    return (
        *(Anchor(p, Hold.HIGH) for p in high),
        *(Anchor(p, Hold.STAKED, line) for p in staked),
        *(Anchor(p, Hold.FLOWN, line) for p in flown),
    )


class PullSide(StrEnum):
    """How the high points are rigged to their supports."""

    RIDGE_LINE = "ridge line"  # two points on one line between two supports
    FRONT_EDGE = "front edge"  # the same, along an edge: the pull is not along the line
    LONE = "lone"  # one point on one support


@dataclass(frozen=True, slots=True)
class Limit:
    """A setting's largest (and smallest) value (N,) that the sheet allows, given the others; NaN
    where none is.
    """

    setting: str
    most: Floats
    why: str
    least: Floats | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """One step of setting up. `text` may use {names} of figures that the card fills in; `stakes`
    are driven here.
    """

    text: str
    stakes: tuple[str, ...] = ()


class Shape(StrEnum):
    """Which sheets a pitch is folded from."""

    ANY = "any rectangle"
    SQUARE = "square"
    OBLONG = "oblong"


class Bed(StrEnum):
    """How one lies where no roof stands over the mat."""

    WORN = "worn"  # the cloth touches who lies in it
    OPEN = "open"  # under the sky, in dry weather


SheetBox = tuple[float, float]
Values = Mapping[str, "Floats"]


@dataclass(frozen=True, slots=True)
class Pitch:
    """One pitch. `layout` and `limits` take the sheet's (W, L) and arrays (N,) of every setting by
    name.

    `layout` puts NaN where the sheet does not allow a setting; `limits` explains that.
    """

    slug: str
    name: str
    also_known_as: tuple[str, ...]
    family: Family
    summary: str
    settings: tuple[Setting, ...]
    pattern: Pattern
    anchors: tuple[Anchor, ...]
    pull: PullSide
    layout: Callable[[SheetBox, Values], Layout]
    limits: Callable[[SheetBox, Values], tuple[Limit, ...]]
    steps: tuple[Step, ...]
    minutes: float
    suits: Suits
    faults: tuple[str, ...]
    shape: Shape = Shape.ANY
    carried_by: tuple[str, ...] = ()  # kinds of support its high points take; empty: any
    bed: Bed | None = None  # how one lies where the clearances do not apply
    laps: tuple[
        tuple[str, str], ...
    ] = ()  # free edges that lie on, or are tied to, another panel while the doors are shut
    lifted: bool = False  # the cloth may give on the bias, up to a cap
    outlined: Callable[[tuple[tuple[float, float], ...]], Pitch | None] | None = (
        None  # the same for a shaped outline
    )
    hooded: Callable[[tuple[float, float]], Pitch] | None = (
        None  # the same lifted by a poncho's hood
    )
    named: Callable[[SheetBox, Values], NDArray[np.bool_]] | None = (
        None  # settings (N,) at which it is what its name says; others are made by hand only
    )
    moves: tuple[Move, ...] = ()  # what it can be turned into when the weather turns

    def __hash__(self) -> int:
        return hash(self.slug)

    def setting(self, name: str) -> Setting:
        """The setting of that name. Raises InputError naming the ones there are."""
        for setting in self.settings:
            if setting.name == name:
                return setting
        known = ", ".join(s.name for s in self.settings)
        raise InputError(
            f"settings.{name}", f"{self.name} has no such setting; it has {known}"
        )

    def sealed(self, settings: Mapping[str, float]) -> frozenset[frozenset[str]]:
        """Free edges that open nothing at these settings."""
        shut = self.doors_shut(
            {name: np.array([value]) for name, value in settings.items()}, 1
        )[0]
        return frozenset(frozenset(edge) for edge in self.laps) if shut else frozenset()

    @property
    def folds_far_edge(self) -> bool:
        """Whether any of its creases lies a set way from the far edge of the sheet, and so best
        ends on tie-outs.
        """
        return any(s.folds_far_edge for s in self.settings)

    @property
    def doors(self) -> tuple[Setting, ...]:
        """The settings of its doors."""
        return tuple(s for s in self.settings if s.is_door)

    def doors_shut(self, values: Values, size: int) -> NDArray[np.bool_]:
        """At which of many settings (size,) the doors are shut; at all where there are none. Laps
        open nothing then.
        """
        shut = np.ones(size, dtype=np.bool_)
        for door in self.doors:
            shut &= values[door.name] == door.shut_at
        return shut

    def checked(self, settings: Mapping[str, float]) -> dict[str, float]:
        """Check every given setting. Raises InputError for an unknown name or a value out of
        range.
        """
        return {name: self.setting(name).checked(value) for name, value in settings.items()}

    def high_points(self) -> tuple[str, ...]:
        """Ids of the points that a support carries, front or left first."""
        return tuple(anchor.point for anchor in self.anchors if anchor.hold is Hold.HIGH)


def batch(settings: Mapping[str, float], pitch: Pitch, size: int = 1) -> dict[str, Floats]:
    """Arrays (size,) of every setting, defaults where none is given."""
    return {
        s.name: np.full(size, settings.get(s.name, s.default), dtype=np.float64)
        for s in pitch.settings
    }


def turned_box(box: SheetBox, values: Values) -> tuple[Floats, Floats]:
    """(W, L) arrays: with `turn` = 1 the sheet's length lies across instead of its width."""
    width, length = box
    turn = values["turn"] > 0.5
    return np.where(turn, length, width), np.where(turn, width, length)


def place_uv(values: Values, across: list[Floats], along: list[Floats]) -> Floats:
    """Sheet places (N, P, 2) from places across and along the pitch, undoing `turn`."""
    turned = values["turn"] > 0.5
    uv = stacked(list(zip(across, along, strict=True)), len(turned))
    uv[turned] = uv[turned][..., ::-1]
    return uv


NARROWEST_SPAN_M: Final = constant(
    "narrowest_span",
    0.15,
    "m",
    ENGINEERING,
    "a fold that leaves less ground between a high point and its stake is no use",
)


def root(value: Floats) -> Floats:
    """Square root; NaN, without a warning, where there is none: that setting cannot be folded."""
    return np.sqrt(np.where(value > 0, value, np.nan))


def foot_reach(side: Floats, height: Floats) -> Floats:
    """Level distance of a straight side from its end at `height` to its end on the ground; NaN
    under NARROWEST_SPAN_M.
    """
    reach = root(side**2 - height**2)
    return np.where((reach >= NARROWEST_SPAN_M) & (side > 0), reach, np.nan)


def most_height(side: Floats) -> Floats:
    """Largest height of one end of a straight side whose other end stands on the ground."""
    return root(side**2 - NARROWEST_SPAN_M**2)


TURN = Setting(
    "turn",
    "0 or 1",
    0,
    1,
    0,
    "0: the sheet's first side lies across the ridge or slope; 1: its second side does",
    "Sheet lies",
    words=("as given", "turned"),
)
