"""A night's needs and a course's rules as text: what the forms show and send, and as plain values
for keeping.

Each field reads what a person writes and shows it in the course's units. All faults are told at
once.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields, replace
from datetime import date, time
from typing import TYPE_CHECKING, Annotated, Any, Final

import pydantic

from tarvik.core.errors import InputError
from tarvik.core.intent import INTENTS
from tarvik.core.loads.holding import GROUNDS, Holding, ground_named
from tarvik.core.measure.lying import HeadRule, Lying
from tarvik.core.measure.net import Net, NetKind
from tarvik.core.own_values import OwnValues
from tarvik.core.plan.aims import OWN, SHARING
from tarvik.core.plan.party import EARSHOT_M, GAP_M, PlanRules
from tarvik.core.quantities import (
    POINTS,
    compass,
    format_rain,
    format_speed,
    format_temperature,
    format_thickness,
    parse_bearing,
    parse_degrees,
    parse_rain,
    parse_speed,
    parse_temperature,
    parse_thickness,
    parse_time,
)
from tarvik.core.rig.house import CHOICES as HOUSE_CHOICES
from tarvik.core.rig.house import TITLES as HOUSE_TITLES
from tarvik.core.rig.house import House
from tarvik.core.site.hazards import USUAL, GroundRules
from tarvik.core.units import Units, format_length, parse_length
from tarvik.core.weather.needs import SPANS, Insects, NightNeeds, Stay
from tarvik.core.weather.surroundings import SURROUNDINGS, surroundings_named

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tarvik.core.plain import JsonMapping, JsonObject


@dataclass(frozen=True, slots=True)
class Field:
    """One field of a form. Empty text means not known, unless it has choices."""

    name: str
    title: str
    read: Callable[[str, Units, str], Any]
    show: Callable[[Any, Units], str]
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()

    def hint_in(self, units: str) -> str:
        """What may be typed here, as an example in the units of a course."""
        if units != Units.IMPERIAL or not self.hint:
            return self.hint
        try:
            value = self.read(self.hint.split(",")[0], Units.METRIC, self.name)
        except InputError:
            return self.hint
        return self.show(value, Units.IMPERIAL)


class FieldError(Exception):
    """Everything that is wrong with a form, by field."""

    def __init__(self, errors: Mapping[str, str]) -> None:
        super().__init__("; ".join(f"{k}: {v}" for k, v in errors.items()))
        self.errors = dict(errors)


def _number(least: float, most: float, unit: str) -> Callable[[str, Units, str], float]:
    def read(text: str, _: Units, field: str) -> float:
        clean = (
            text.strip()
            .removesuffix(unit)
            .removesuffix("°")
            .strip()
            .replace(",", ".")
            .replace("−", "-")
        )
        try:
            value = float(clean)
        except ValueError:
            raise InputError(field, f"“{text.strip()[:30]}” isn't a number") from None
        if not least <= value <= most:
            raise InputError(
                field, f"{value:g} is outside {least:g} to {most:g} {unit}".rstrip()
            )
        return value

    return read


def _thick(least_mm: float, most_mm: float) -> Callable[[str, Units, str], float]:
    def read(text: str, units: Units, field: str) -> float:
        return parse_thickness(text, units, field=field, least_mm=least_mm, most_mm=most_mm)

    return read


def _count(text: str, _: Units, field: str) -> int:
    if not text.strip().isdecimal() or len(text.strip()) > 4:
        raise InputError(field, f"“{text.strip()[:20]}” isn't a whole number")
    return int(text)


def _clock(text: str, _: Units, field: str) -> time:
    return parse_time(text, field=field)


def _choice(
    options: Mapping[str, str],
) -> tuple[Callable[[str, Units, str], str], tuple[tuple[str, str], ...]]:
    def read(text: str, _: Units, field: str) -> str:
        if text not in options:
            raise InputError(field, f"choose one of {', '.join(options.values())}")
        return text

    return read, tuple(options.items())


def _text(value: Any, _: Units) -> str:
    return str(value)


def _yes(text: str, _: Units, _field: str) -> bool:
    return text.strip().lower() in ("yes", "on", "true", "1")


def _show_yes(value: Any, _: Units) -> str:
    return "yes" if value else "no"


def _plain(value: Any, _: Units) -> str:
    return f"{value:g}"


def _degrees(letters: str, most: float) -> Callable[[str, Units, str], float]:
    def read(text: str, _: Units, field: str) -> float:
        return parse_degrees(text, letters, most, field=field)

    return read


def _bearing(text: str, _: Units, field: str) -> float:
    return parse_bearing(text, field=field)


def _show_bearing(value: Any, _: Units) -> str:
    point = compass(value)
    return point if abs(POINTS.index(point) * 22.5 - value) < 0.01 else f"{value:.0f}°"


FORMER: Final = "terrain"
"""What `surroundings` was called before."""
SurroundingsText = Annotated[
    str,
    pydantic.Field(
        max_length=20, validation_alias=pydantic.AliasChoices("surroundings", FORMER)
    ),
]
"""Surroundings in a file or a request, read under their former name too."""
_AROUND, _AROUNDS = _choice({s.slug: s.name for s in SURROUNDINGS.values()})
_STAY, _STAYS = _choice(
    {
        Stay.NIGHT.value: "one night",
        Stay.LUNCH.value: "lunch stop",
        Stay.FIXED.value: "fixed camp",
    }
)
_INSECT, _INSECTS = _choice(
    {Insects.NONE.value: "none", Insects.SOME.value: "some", Insects.MANY.value: "many"}
)
_YES_NO: Final = (("no", "no"), ("yes", "yes"))


def _temperature(text: str, units: Units, field: str) -> float:
    return round(parse_temperature(text, units, field=field), 2)


def _speed(text: str, units: Units, field: str) -> float:
    return round(parse_speed(text, units, field=field), 3)


def _rain(text: str, units: Units, field: str) -> float:
    return round(parse_rain(text, units, field=field), 3)


def _length(least: float, most: float) -> Callable[[str, Units, str], float]:
    def read(text: str, units: Units, field: str) -> float:
        return parse_length(text, units, field=field, least_m=least, most_m=most)

    return read


def _density(value: Any, _: Units) -> str:
    return f"{value:g} kg/m³"


FIELDS: Final = (
    Field(
        "latitude",
        "Latitude",
        _degrees("NS", 90),
        _plain,
        "54.62, 54° 37' N or 30U WF 55 40",
    ),
    Field("longitude", "Longitude", _degrees("EW", 180), _plain, "-2.48 or 2° 29' W"),
    Field("zone", "Time zone", lambda t, _u, _f: t.strip(), _text, "UTC"),
    Field("surroundings", "Surroundings", _AROUND, _text, "", _AROUNDS),
    Field("lowest_c", "Lowest temperature", _temperature, format_temperature, "6 °C"),
    Field("highest_c", "Highest temperature", _temperature, format_temperature, "14 °C"),
    Field("rain_mm_h", "Heaviest rain", _rain, format_rain, "4 mm/h"),
    Field("rain_from", "Rain from", _clock, lambda v, _u: f"{v:%H:%M}", "21:00"),
    Field("rain_to", "Rain until", _clock, lambda v, _u: f"{v:%H:%M}", "03:00"),
    Field("wind_m_s", "Mean wind", _speed, format_speed, "7 m/s, 25 km/h"),
    Field("gust_m_s", "Gusts", _speed, format_speed, "by rule"),
    Field("wind_from_deg", "Wind from", _bearing, _show_bearing, "WSW or 240"),
    Field(
        "spread_deg",
        "Wind may shift by",
        _number(0, 90, "°"),
        lambda v, _u: f"{v:g}°",
        "15°",
    ),
    Field(
        "humidity_pct", "Humidity", _number(1, 100, "%"), lambda v, _u: f"{v:g} %", "90 %"
    ),
    Field("cloud_pct", "Cloud", _number(0, 100, "%"), lambda v, _u: f"{v:g} %", "50 %"),
    Field("insects", "Biting insects", _INSECT, _text, "", _INSECTS),
    Field("snow", "Snow", _yes, _show_yes, "", _YES_NO),
    Field(
        "snow_depth_m", "New snow in the night", _length(0.0, 3.0), format_length, "0.15 m"
    ),
    Field("snow_kg_m3", "Snow weighs", _number(20, 600, "kg/m³"), _density, "100 kg/m³"),
    Field("lightning", "Thunder and lightning", _yes, _show_yes, "", _YES_NO),
    Field("sun", "Strong sun", _yes, _show_yes, "", _YES_NO),
    Field("people", "People", _count, _text, "everyone"),
    Field("stay", "How long", _STAY, _text, "", _STAYS),
    Field("fire", "Fire in front", _yes, _show_yes, "", _YES_NO),
    Field("overhead_checked", "Trees overhead looked at", _yes, _show_yes, "", _YES_NO),
)
BY_NAME: Final = {f.name: f for f in FIELDS}


def _value_text(name: str, value: Any, units: Units) -> str:
    return "" if value is None else BY_NAME[name].show(value, units)


def shown(needs: NightNeeds, units: Units) -> dict[str, str]:
    """Every field as text, empty where nothing is known."""
    return {f.name: _value_text(f.name, getattr(needs, f.name), units) for f in FIELDS}


def read_needs(typed: Mapping[str, str], before: NightNeeds, units: Units) -> NightNeeds:
    """The needs with the typed fields changed. A field left as it was shown keeps its full value.

    Raises FieldError with every fault.
    """
    errors: dict[str, str] = {}
    changed: JsonObject = {}
    was = shown(before, units)
    for name, text in typed.items():
        field = BY_NAME.get(name)
        if field is None or text == was[name]:
            continue
        try:
            changed[name] = (
                None
                if not text.strip() and not field.choices
                else field.read(text, units, name)
            )
            _within(field, changed[name], units)
        except InputError as err:
            errors[name] = err.message
    default = NightNeeds()
    for name in ("zone", "spread_deg"):
        if name in changed and changed[name] in (None, ""):
            changed[name] = getattr(default, name)
    made = before
    if not errors:
        try:
            made = replace(before, **changed)
        except InputError as err:
            errors[err.field] = err.message
    if errors:
        raise FieldError(errors)
    return made


def _within(field: Field, value: Any, units: Units) -> None:
    """Raises InputError, in the course's units, for a value outside of what its field takes."""
    if value is None or field.name not in SPANS:
        return
    least, most, _ = SPANS[field.name]
    if not least <= value <= most:
        shown = [field.show(v, units) for v in (value, least, most)]
        raise InputError(field.name, f"{shown[0]} is outside {shown[1]} to {shown[2]}")


def to_plain(needs: NightNeeds) -> JsonObject:
    """Values for keeping, without the date and the intent, which the night itself keeps."""
    out: JsonObject = {}
    for item in fields(needs):
        value = getattr(needs, item.name)
        if item.name in ("on", "intent") or value is None:
            continue
        out[item.name] = f"{value:%H:%M}" if isinstance(value, time) else value
    return out


def from_plain(kept: JsonMapping, on: date | None, intent: str | None) -> NightNeeds:
    """Needs from kept values. What cannot be read any more is left out."""
    known = {item.name for item in fields(NightNeeds)}
    values: JsonObject = {k: v for k, v in kept.items() if k in known}
    around = kept.get("surroundings", kept.get(FORMER, "open"))
    values["surroundings"] = surroundings_named(around).slug
    for name in ("rain_from", "rain_to"):
        if name in values:
            values[name] = time.fromisoformat(values[name])
    for name, kind in (("stay", Stay), ("insects", Insects)):
        if name in values:
            values[name] = kind(values[name])
    return NightNeeds(on=on, intent=intent if intent in INTENTS else None, **values)


_HEAD, _HEADS = _choice(
    {
        HeadRule.ANY.value: "any way",
        HeadRule.UPHILL.value: "uphill",
        HeadRule.AWAY.value: "away from the opening",
    }
)
_GROUND, _GROUNDS = _choice({g.slug: g.name for g in GROUNDS.values()})
_SPARE, _SPARES = _choice(
    {"0": "none", "1": "one bed", "2": "two beds: casualty and who sits by"}
)
_SCHOOL, _SCHOOLS = _choice(
    {OWN: "sleeps under it", SHARING: "shares, to be warmer and to pitch fewer"}
)
_NETKIND, _NETKINDS = _choice(
    {
        "": "no net",
        NetKind.BOX.value: "box net",
        NetKind.POINT.value: "net hung from one point",
    }
)


def _house(name: str) -> Callable[[str, Units, str], str]:
    def read(text: str, _: Units, field: str) -> str:
        return str(getattr(House(**{name: text.strip()}), name))

    return read


RULE_FIELDS: Final = (
    Field("head", "Head ends point", _HEAD, _text, "", _HEADS),
    Field("gear_in", "Packs under the roof", _yes, _show_yes, "", _YES_NO),
    Field("ground", "Ground for stakes", _GROUND, _text, "", _GROUNDS),
    Field("stake_depth_m", "Stakes driven", _length(0.05, 1.0), format_length, "0.20 m"),
    Field("stake_width_mm", "Stakes are wide", _thick(3, 200), format_thickness, "12 mm"),
    Field("guy_mm", "Guys are thick", _thick(1, 12), format_thickness, "3 mm"),
    Field("ridge_mm", "Ridge lines are thick", _thick(1, 16), format_thickness, "6 mm"),
    *(
        Field(f"house_{name}", HOUSE_TITLES[name], _house(name), _text, "", choices)
        for name, choices in HOUSE_CHOICES.items()
    ),
    Field("may_cut", "Sticks may be cut here", _yes, _show_yes, "", _YES_NO),
    Field(
        "ground_fall_zone",
        "Clear of dead trees, by tree heights",
        _number(1, 3, "heights"),
        _plain,
        "1.5",
    ),
    Field("ground_water_m", "From water", _length(0.0, 500.0), format_length, "30 m"),
    Field("ground_path_m", "From paths", _length(0.0, 500.0), format_length, "5 m"),
    Field(
        "ground_fire_ring_m",
        "Clear ring round a fire",
        _length(1.0, 20.0),
        format_length,
        "3 m",
    ),
    Field(
        "ground_steep_deg",
        "Steepest ground to lie on, degrees",
        _number(1, 30, "degrees"),
        _plain,
        "8",
    ),
    Field(
        "plan_leaders_apart",
        "Leaders and students sleep apart",
        _yes,
        _show_yes,
        "",
        _YES_NO,
    ),
    Field(
        "plan_adults_apart",
        "Adults and under-age people sleep apart",
        _yes,
        _show_yes,
        "",
        _YES_NO,
    ),
    Field("plan_patrols_apart", "Patrols sleep apart", _yes, _show_yes, "", _YES_NO),
    Field(
        "plan_age_gap",
        "Most years between under-age people who share",
        _number(0, 20, "years"),
        _plain,
        "any",
    ),
    Field(
        "plan_earshot_m",
        "Keep novices within … of a leader",
        _length(0.0, 500.0),
        format_length,
        "20 m",
    ),
    Field(
        "plan_gap_m",
        "Walking gap between shelters",
        _length(0.0, 20.0),
        format_length,
        "0.8 m",
    ),
    Field("plan_spare_beds", "Spare shelter for a casualty", _SPARE, _text, "", _SPARES),
    Field("plan_join_lines", "Short lines may be joined", _yes, _show_yes, "", _YES_NO),
    Field(
        "plan_join_sheets",
        "Two sheets may be joined to one shelter",
        _yes,
        _show_yes,
        "",
        _YES_NO,
    ),
    Field("plan_buttons", "Buttons may be made", _yes, _show_yes, "", _YES_NO),
    Field("plan_leaf_beds", "Beds are gathered of leaves", _yes, _show_yes, "", _YES_NO),
    Field(
        "plan_school", "Who lies dry under their own sheet", _SCHOOL, _text, "", _SCHOOLS
    ),
    Field("net_kind", "Net", _NETKIND, _text, "", _NETKINDS),
    Field("net_length_m", "Net length", _length(0.2, 6.0), format_length, "2.00 m"),
    Field("net_width_m", "Net width", _length(0.2, 6.0), format_length, "0.80 m"),
    Field("net_height_m", "Net height", _length(0.2, 4.0), format_length, "1.10 m"),
)
RULES_BY_NAME: Final = {f.name: f for f in RULE_FIELDS}
RULE_DEFAULTS: Final[JsonMapping] = {
    "head": "any",
    "gear_in": False,
    "ground": "turf",
    "stake_depth_m": Holding().stake_depth_m,
    "stake_width_mm": 1000 * Holding().stake_width_m,
    "guy_mm": Holding().guy_mm,
    **{f"house_{name}": choices[0][0] for name, choices in HOUSE_CHOICES.items()},
    "may_cut": False,
    **{f"ground_{name}": value for name, value in asdict(USUAL).items()},
    "plan_leaders_apart": True,
    "plan_adults_apart": True,
    "plan_patrols_apart": False,
    "plan_age_gap": None,
    "plan_earshot_m": EARSHOT_M,
    "plan_gap_m": GAP_M,
    "plan_spare_beds": "0",
    "plan_join_lines": True,
    "plan_join_sheets": False,
    "plan_buttons": True,
    "plan_leaf_beds": False,
    "plan_school": OWN,
    "ridge_mm": Holding().ridge_mm,
    "net_kind": "",
    "net_length_m": 2.0,
    "net_width_m": 0.8,
    "net_height_m": 1.1,
}


def rules_shown(kept: JsonMapping, units: Units) -> dict[str, str]:
    """A course's rules as text."""
    values = {**RULE_DEFAULTS, **kept}
    return {
        f.name: "" if values[f.name] is None else f.show(values[f.name], units)
        for f in RULE_FIELDS
    }


def read_rule(name: str, text: str, units: Units) -> object:
    """One rule from text. Raises InputError."""
    if name not in RULES_BY_NAME:
        raise InputError(name, "there is no such rule")
    field = RULES_BY_NAME[name]
    return (
        RULE_DEFAULTS[name]
        if not text.strip() and not field.choices
        else field.read(text, units, name)
    )


def lying_of(kept: JsonMapping) -> Lying:
    """How the course's people lie."""
    values = {**RULE_DEFAULTS, **kept}
    return Lying(HeadRule(values["head"]), gear_in=bool(values["gear_in"]))


def holding_of(kept: JsonMapping, ground: str | None = None) -> Holding:
    """What the course's stakes and cords hold; a site's own ground goes before the course's."""
    values = {**RULE_DEFAULTS, **kept}
    here = ground_named(ground or values["ground"])
    own = own_values_of(kept)
    return Holding(
        here,
        values["stake_depth_m"],
        values["guy_mm"],
        values["ridge_mm"],
        values["stake_width_mm"] / 1000,
        own=own.holding.get(here.slug, 1.0),
        drawn=own.drawn,
    )


def own_values_of(kept: JsonMapping) -> OwnValues:
    """What the course goes by of what its provider's log teaches. Raises InputError."""
    told = kept.get("own_values") or {}
    try:
        return OwnValues(
            *(
                {str(slug): float(x) for slug, x in dict(told.get(name) or {}).items()}
                for name in ("holding", "minutes", "peak", "taut")
            )
        )
    except (AttributeError, TypeError, ValueError) as err:
        raise InputError(
            "own_values", "own values are factors by ground and by pitch"
        ) from err


def house_of(kept: JsonMapping) -> House:
    """Which schools of rigging the course follows."""
    values = {**RULE_DEFAULTS, **kept}
    return House(**{name: values[f"house_{name}"] for name in HOUSE_CHOICES})


def may_cut(kept: JsonMapping) -> bool:
    """Whether the rules of the land let the course cut sticks."""
    return bool({**RULE_DEFAULTS, **kept}["may_cut"])


def ground_rules_of(kept: JsonMapping, units: Units = Units.METRIC) -> GroundRules:
    """Distances the course keeps from what is dangerous or not its own, told in its units."""
    values = {**RULE_DEFAULTS, **kept}
    names = [name for name in asdict(USUAL) if name != "units"]
    return GroundRules(
        **{name: float(values[f"ground_{name}"]) for name in names}, units=units
    )


def plan_rules_of(kept: JsonMapping) -> PlanRules:
    """What the course holds to when beds are given out. `pairs` in the rules: [kind, one, two] with
    kind never or always.
    """
    values = {**RULE_DEFAULTS, **kept}
    gap = values["plan_age_gap"]
    pairs = [
        (str(k), min(int(a), int(b)), max(int(a), int(b)))
        for k, a, b in kept.get("pairs", [])
    ]
    return PlanRules(
        leaders_apart=values["plan_leaders_apart"],
        adults_apart=values["plan_adults_apart"],
        age_gap=None if gap is None else int(gap),
        patrols_apart=values["plan_patrols_apart"],
        earshot_m=values["plan_earshot_m"],
        gap_m=values["plan_gap_m"],
        spare_beds=int(values["plan_spare_beds"]),
        join_lines=values["plan_join_lines"],
        join_sheets=values["plan_join_sheets"],
        buttons=values["plan_buttons"],
        school=values["plan_school"],
        leaf_beds=values["plan_leaf_beds"],
        never=frozenset((a, b) for k, a, b in pairs if k == "never"),
        always=frozenset((a, b) for k, a, b in pairs if k == "always"),
    )


def net_of(kept: JsonMapping) -> Net | None:
    """The course's net, if it has one."""
    values = {**RULE_DEFAULTS, **kept}
    if not values["net_kind"]:
        return None
    return Net(
        NetKind(values["net_kind"]),
        values["net_length_m"],
        values["net_width_m"],
        values["net_height_m"],
    )
