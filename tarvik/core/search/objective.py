"""What a search looks for, and what a shelter is worth by it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.body import STATURE_LEAST_M
from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.intent import OVER_TALL
from tarvik.core.measure.figures import fits_one_of, sitting_height
from tarvik.core.measure.runoff import STEEP_DEG, too_flat
from tarvik.core.plane import signed_area
from tarvik.core.weather.rain import CALM, Weather

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.body import Body
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.intent import Intent
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.figures import Figures
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.rig.supports import Supports

SIT_EACH_M2: Final = constant(
    "sit_each", 0.5, "m2", ENGINEERING, "sitting ground a sleeper that the search values"
)
MAT_FIRST: Final = constant(
    "mat_first", 100.0, "1", ENGINEERING, "a sleeper more outweighs any room"
)
DOOR_MOVED: Final = constant(
    "door_moved", 3.0, "1", ENGINEERING, "worth of a door left as the pitch has it"
)
NEARLY: Final = constant(
    "shorter_near",
    0.85,
    "1",
    ENGINEERING,
    "share of the stature looked for where nobody fits",
)
SMALL: Final = constant(
    "shorter_small",
    0.6,
    "1",
    ENGINEERING,
    "share of the stature looked for where none of that fits",
)
SHORTER: Final = (NEARLY, SMALL)


@dataclass(frozen=True, slots=True)
class Objective:
    """What the search looks for. `wanted` sleepers are enough; None: as many as fit. `weather`: the
    rain they lie under.
    `shorter`: where nobody fits, whether to look for what serves a shorter person. `also`: whether
    settings that have a usual value may leave it for more sleepers, or clearly more room.
    `more_than`: settings at which no more than so many lie dry are of no use.
    """

    body: Body
    intent: Intent
    supports: Supports
    clearance: Clearance
    wanted: int | None = None
    weather: Weather = CALM
    shorter: bool = True
    also: bool = True
    more_than: int = -1

    def shorter_m(self, share: float) -> float:
        """Stature of the shorter person looked for where nobody fits."""
        return max(share * self.body.stature_m, STATURE_LEAST_M)

    def tall_m(self) -> float:
        """Peak up to which more is of use."""
        return max(self.intent.tall * self.body.stature_m, sitting_height(self.body))

    def mat_m2(self) -> float:
        """Area of one mat."""
        return self.clearance.mat_length(self.body.stature_m) * self.clearance.mat_width_m


def worth_of_room(
    intent: Intent,
    peak: Floats,
    dry: Floats,
    sit: Floats,
    stand: Floats,
    floor: Floats,
    open_m2: Floats,
    slope_deg: Floats,
    heads: int,
    mat_m2: float,
    sit_m: float,
    tall_m: float,
) -> Floats:
    """What the intent makes of a shelter's room (N,), its mats apart, for `heads` sleepers. Lengths
    m, areas m2; `slope_deg`: of the flattest roof panel; `sit_m`, `tall_m`: peak up to which one
    sits up, and up to which more is of use.
    """
    out = intent.sit * np.minimum(sit, SIT_EACH_M2 * heads) + intent.headroom * np.minimum(
        peak, sit_m
    )
    out += intent.peak * np.maximum(np.minimum(peak, tall_m) - sit_m, 0.0)
    over = min(OVER_TALL, intent.peak)
    out += over * np.maximum(peak - tall_m, 0.0)
    out += intent.floor * np.minimum(floor, heads * mat_m2)
    for weight, amount in (
        (intent.stand, stand),
        (intent.covered, dry),
        (intent.air, open_m2),
    ):
        if weight:
            out += weight * amount
    if intent.flat:
        out += intent.flat * too_flat(slope_deg)
    return np.asarray(out)


def doors_worth(
    intent: Intent, pitch: Pitch, values: Mapping[str, Floats], size: int
) -> Floats:
    """What the intent makes of how the doors stand at many settings (size,): shut ones, and less of
    those that stand otherwise than the pitch has them on a night that does not ask for it: they are
    moved for a bed more, but not for room.
    """
    out = np.zeros(size)
    if intent.shut and pitch.doors:
        out = np.where(pitch.doors_shut(values, size), intent.shut, out)
    for door in pitch.doors:
        if not intent.moves_door(door):
            out = out - np.where(values[door.name] == door.default, 0.0, DOOR_MOVED)
    return out


def most_of_room(
    objective: Objective, box: tuple[float, float], tallest_m: float, *, floored: bool
) -> float:
    """More than which no room under a sheet of those sides, `tallest_m` high at most, can be worth;
    `floored`: some of it may be a floor.
    """
    sit_m = sitting_height(objective.body)
    ground, floor, gaps = (
        box[0] * box[1],
        box[0] * box[1] * floored,
        2 * (box[0] + box[1]) * tallest_m,
    )
    tall_m = objective.tall_m()
    peak = min(tall_m if objective.intent.peak > 0 else sit_m, tallest_m)
    peaks, grounds, floors, openings, steep = (
        np.array([x]) for x in (peak, ground, floor, gaps, STEEP_DEG)
    )
    room = worth_of_room(
        objective.intent,
        peaks,
        grounds,
        grounds,
        grounds,
        floors,
        openings,
        steep,
        objective.wanted or 1,
        objective.mat_m2(),
        sit_m,
        tall_m,
    )
    return float(room[0])


def worth(figures: Figures, objective: Objective) -> float:
    """The search's own yardstick, from the exact figures: 100 for each sleeper wanted who lies dry,
    then the room. Where nobody does, as much of 100 as a shorter person who would is tall, if such
    are looked for.
    """
    heads = objective.wanted or 1
    mats: float = (
        figures.sleepers
        if objective.wanted is None
        else min(figures.sleepers, objective.wanted)
    )
    if not mats and objective.shorter and figures.shelter.pitch.bed is None:
        fits = fits_one_of(figures)
        mats = next((share for share in SHORTER if fits(objective.shorter_m(share))), 0.0)
    floors = [p for p in figures.shelter.panels if p.role is Role.FLOOR and not p.doubled]
    floor = sum(
        abs(float(signed_area(figures.shelter.at_all(panel.points)))) for panel in floors
    )
    air = figures.open_area_m2 if objective.intent.air else 0.0
    peak, dry, sit, stand, low, gaps, slope = (
        np.array([x])
        for x in (
            figures.peak_m,
            figures.dry_area_m2,
            figures.sit_area_m2,
            figures.stand_area_m2,
            floor,
            air,
            figures.least_slope_deg,
        )
    )
    room = worth_of_room(
        objective.intent,
        peak,
        dry,
        sit,
        stand,
        low,
        gaps,
        slope,
        heads,
        objective.mat_m2(),
        sitting_height(objective.body),
        objective.tall_m(),
    )
    settings = {name: np.array([value]) for name, value in figures.shelter.settings.items()}
    doors = doors_worth(objective.intent, figures.shelter.pitch, settings, 1)
    return float(MAT_FIRST * mats + room[0] + doors[0])
