"""All figures of one shelter together."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Final

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.measure.bed import bed_of
from tarvik.core.measure.clearance import SITTING_ROOM_M, Clearance
from tarvik.core.measure.drips import Drip, drip_zones, drips, splash_zones, under_drips
from tarvik.core.measure.dry import DryGround, dry_ground
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.lying import Lying, pack_room
from tarvik.core.measure.mates import lay_people
from tarvik.core.measure.mats import Mat, fits_one, lay_mats
from tarvik.core.measure.openings import Opening, open_to_wind, openings
from tarvik.core.measure.roof import Region, Roof, roof_of
from tarvik.core.measure.runoff import least_slope_deg
from tarvik.core.weather.rain import CALM, Weather, rain_slope

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from tarvik.core.body import Body
    from tarvik.core.shelter import Shelter


SIT_LEAST_M2: Final = constant(
    "sit_least", 0.3, "m2", ENGINEERING, "ground on which one person sits"
)
SLUMPED: Final = constant(
    "sit_slumped",
    0.48,
    "of stature",
    COMMON_PRACTICE,
    "roof height under which people sit slumped",
)


@dataclass(frozen=True)
class Figures:
    """What a shelter gives these people on one kind of night. Metres, square metres, degrees.

    `wetted`: numbers of the mats within reach of a drip. `who`: which of the named people lies on
    each mat; empty when the mats are for equal people, whose stature is `stature_m`. `lost`: beds
    of the fold that are none as the sheet hangs, where these figures are of the hung sheet.
    `dry_known`: the dry ground, where it was worked out already.
    """

    peak_m: float
    covered_area_m2: float
    dry_area_m2: float
    sit_area_m2: float
    kneel_area_m2: float
    stand_area_m2: float
    mats: tuple[Mat, ...]
    who: tuple[int, ...]
    wetted: tuple[int, ...]
    clearance: Clearance
    lying: Lying
    roof: Roof
    shelter: Shelter
    weather: Weather
    stature_m: float
    lost: int = 0
    dry_known: DryGround | None = field(default=None, compare=False, repr=False)

    @cached_property
    def dry(self) -> Region:
        """Ground that no drop reaches."""
        return self.dry_ground.region

    @cached_property
    def dry_ground(self) -> DryGround:
        """The same as mats are laid on it."""
        return (
            dry_ground(self.roof, self.weather)
            if self.dry_known is None
            else self.dry_known
        )

    @cached_property
    def bed_ground(self) -> DryGround | None:
        """The part of it on which beds may lie; None: all that the roof covers."""
        dry = None if self.rain_slope == 0 else self.dry_ground
        return bed_ground(self.shelter, self.roof, self.weather, dry)

    def of(self, shelter: Shelter) -> Figures:
        """The same figures, for a shelter folded alike from another sheet."""
        return replace(self, shelter=shelter)

    @property
    def drips(self) -> tuple[Drip, ...]:
        """Where the roof's water leaves."""
        return drips(self.shelter)

    @cached_property
    def least_slope_deg(self) -> float:
        """Slope of the flattest roof panel."""
        return least_slope_deg(self.roof)

    @cached_property
    def open_to_wind(self) -> float:
        """Share of the frontal area towards the wind that is open."""
        return open_to_wind(self.shelter.measured, self.weather.wind_from_deg)

    @cached_property
    def openings(self) -> tuple[Opening, ...]:
        """Every gap between a free edge and the ground, the largest first."""
        return tuple(sorted(openings(self.shelter.measured), key=lambda o: -o.area_m2))

    @property
    def open_area_m2(self) -> float:
        """Area of all openings."""
        return sum(o.area_m2 for o in self.openings)

    @property
    def sits(self) -> bool:
        """Whether one person sits up somewhere."""
        return self.sit_area_m2 >= SIT_LEAST_M2

    @cached_property
    def sits_slumped(self) -> bool:
        """Whether one person sits somewhere with a bent back."""
        return self.roof.area_above(SLUMPED * self.stature_m) >= SIT_LEAST_M2

    @property
    def rain_slope(self) -> float:
        """Horizontal travel of the rain per vertical travel."""
        return rain_slope(self.weather)

    @property
    def sleepers(self) -> int:
        """Largest number of mats that lie dry with their clearances."""
        return len(self.mats)

    @cached_property
    def packs(self) -> int:
        """Packs that lie dry beside the mats."""
        return pack_room(self.roof, self.dry, self.mats)[0]


_CLEAR_STRIDE: Final = 3
"""Headings tried first, every so many steps, when mats are moved clear of drips: mostly they are
enough.
"""


def sitting_height(body: Body) -> float:
    """Roof height under which the person sits up."""
    return body.height("sitting") + SITTING_ROOM_M


def kneeling_height(body: Body) -> float:
    """Roof height under which the person kneels upright."""
    return body.height("kneeling") + SITTING_ROOM_M


def standing_height(body: Body) -> float:
    """Roof height under which the person stands."""
    return body.stature_m + SITTING_ROOM_M


def measure(
    shelter: Shelter,
    body: Body,
    weather: Weather = CALM,
    clearance: Clearance | None = None,
    lying: Lying | None = None,
    people: Sequence[Body] = (),
) -> Figures:
    """Measure a shelter for as many sleepers of one stature as fit, or for the named `people`.

    Of equally many mats, those clear of drips are laid.
    """
    room, rules = clearance or Clearance(), lying or Lying()
    roof = roof_of(shelter)
    calm = rain_slope(weather) == 0
    dry = None if calm else dry_ground(roof, weather)
    beds = bed_ground(shelter, roof, weather, dry)
    headings = rules.headings(shelter)

    def lay(floor: DryGround | None, stride: int = 1) -> list[tuple[int, Mat]]:
        if shelter.pitch.bed is not None:
            return bed_of(shelter, people[0] if people else body, weather, room)
        ground = Ground.under(roof, floor, room)
        if people:
            return lay_people(
                ground, [p.stature_m for p in people], room, headings=headings
            )
        return list(
            enumerate(
                lay_mats(ground, body.stature_m, room, stride=stride, headings=headings)
            )
        )

    laid = lay(beds)
    wetted = under_drips([mat for _, mat in laid], shelter) if beds is dry else ()
    if wetted:
        apart = (dry_ground(roof, weather) if dry is None else dry).less(
            drip_zones(shelter)
        )
        clear = lay(apart, _CLEAR_STRIDE)
        if len(clear) < len(laid):  # fewer headings may have missed a place
            clear = lay(apart)
        if len(clear) == len(laid):
            laid, wetted = clear, under_drips([mat for _, mat in clear], shelter)
    return Figures(
        peak_m=roof.peak_m,
        covered_area_m2=roof.covered_m2,
        dry_area_m2=roof.covered_m2 if dry is None else dry.area_m2,
        sit_area_m2=roof.area_above(sitting_height(body)),
        kneel_area_m2=roof.area_above(kneeling_height(body)),
        stand_area_m2=roof.area_above(standing_height(body)),
        mats=tuple(mat for _, mat in laid),
        who=tuple(person for person, _ in laid) if people else (),
        wetted=wetted,
        clearance=room,
        lying=rules,
        roof=roof,
        shelter=shelter,
        weather=weather,
        stature_m=body.stature_m,
        dry_known=dry,
    )


def bed_ground(
    shelter: Shelter, roof: Roof, weather: Weather, dry: DryGround | None
) -> DryGround | None:
    """The dry ground on which beds may lie: clear of the drip lines where the weather asks for it.
    None: all that the roof covers.
    """
    if not weather.splash_m:
        return dry
    zones = splash_zones(shelter, weather.splash_m)
    if not len(zones):
        return dry
    return (dry_ground(roof, weather) if dry is None else dry).less(zones)


def more_in_calm(figures: Figures, body: Body, people: Sequence[Body] = ()) -> bool:
    """Whether more would lie dry if the rain fell straight down."""
    if figures.shelter.pitch.bed is not None:
        return False
    headings = figures.lying.headings(figures.shelter)
    calm_roof = replace(figures.weather, wind_m_s=0.0)
    beds = bed_ground(figures.shelter, figures.roof, calm_roof, None)
    ground = Ground.under(figures.roof, beds, figures.clearance)
    if people:
        calm = len(
            lay_people(
                ground, [p.stature_m for p in people], figures.clearance, headings=headings
            )
        )
    elif figures.sleepers == 0:
        calm = int(fits_one(ground, body.stature_m, figures.clearance, headings=headings))
    else:
        calm = len(lay_mats(ground, body.stature_m, figures.clearance, headings=headings))
    return calm > figures.sleepers


def fits_one_of(figures: Figures) -> Callable[[float], bool]:
    """Tells whether one mat for somebody of a stature (m) fits on the same night."""
    ground = Ground.under(figures.roof, figures.bed_ground, figures.clearance)
    headings = figures.lying.headings(figures.shelter)

    def fits(stature_m: float) -> bool:
        return fits_one(
            ground, stature_m, figures.clearance, stride=_CLEAR_STRIDE, headings=headings
        )

    return fits


def tallest_sleeper_m(figures: Figures, least_m: float = 0.9) -> float | None:
    """Tallest stature of which one mat fits on the same night, to a centimetre; None when not even
    the smallest does.
    """
    fits, low, high = fits_one_of(figures), least_m, 2.3
    if not fits(low):
        return None
    while high - low > 0.005:
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low
