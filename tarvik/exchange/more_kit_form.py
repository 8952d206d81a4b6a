"""The kit that a course might buy or borrow, as a leader types it and as it is kept with the
course's rules.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Final

from pydantic import BaseModel, Field, ValidationError

from tarvik.core.errors import InputError
from tarvik.core.hang.fabric import DEFAULT_FABRIC, fabric_named
from tarvik.core.kit_weights import CORD_KG_M, POLE_KG_M, STAKE_KG_M, STAKE_M, sheet_kg
from tarvik.core.plan.offers import LINE, POLE, STAKE
from tarvik.core.plan.shopping import SHEET, By, Item
from tarvik.core.quantities import parse_weight
from tarvik.core.sheet import SIDE_LEAST_M, SIDE_MOST_M, Sheet, TieOuts, tie_out_points
from tarvik.core.units import (
    FOOT_M,
    Units,
    format_length,
    format_load,
    format_size,
    parse_length,
    parse_size,
)

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plain import JsonMapping

RULE: Final = "more_kit"
"""The course's rule that keeps it."""
MOST: Final = 6
"""Most packs of a thing that are looked at."""
PRICE_MOST: Final = 100_000.0
LEAST_M: Final = 0.3


@dataclass(frozen=True, slots=True)
class Usual:
    """A thing that every course is asked about: packs of `pieces`, so many at most; its size in
    metres, and in feet where the course is kept in feet.
    """

    key: str
    kind: str
    pieces: int
    most: int
    size_m: tuple[float, ...] = ()
    size_ft: tuple[float, ...] = ()

    def size(self, units: Units) -> tuple[float, ...]:
        """Its size in metres."""
        if units is Units.IMPERIAL:
            return tuple(feet * FOOT_M for feet in self.size_ft)
        return self.size_m


USUAL: Final = (
    Usual("square", SHEET, 1, 2, (3.0, 3.0), (10.0, 10.0)),
    Usual("large", SHEET, 1, 1, (3.0, 4.0), (10.0, 13.0)),
    Usual("poles", POLE, 1, 2, (1.5,), (5.0,)),
    Usual("stakes", STAKE, 8, 2),
    Usual("guys", LINE, 4, 2, (3.0,), (10.0,)),
    Usual("ridges", LINE, 1, 2, (6.0,), (20.0,)),
)
TIES: Final = frozenset({TieOuts.CORNERS, TieOuts.QUARTERS, TieOuts.CENTRE})
"""Tie-outs of a sheet that is bought."""
BY_WORDS: Final[Mapping[By, str]] = MappingProxyType(
    {By.PACKS: "fewest things", By.PRICE: "lowest price", By.WEIGHT: "least weight"}
)


class Kept(BaseModel):
    """One thing as it is kept; SI, of one pack. Weight None: as worked out."""

    size_m: list[Annotated[float, Field(ge=LEAST_M, le=SIDE_MOST_M)]] = Field(
        default=[], max_length=2
    )
    most: int = Field(ge=0, le=MOST)
    price: float | None = Field(default=None, ge=0, le=PRICE_MOST)
    kg: float | None = Field(default=None, ge=0)


class KeptKit(BaseModel):
    """All of it; `by`: what the least is least of."""

    by: By = By.PACKS
    things: dict[str, Kept] = {}


@dataclass(frozen=True, slots=True)
class Loan:
    """Sheets alike that the provider's library has to lend: so many."""

    key: str
    sheet: Sheet
    count: int


def kept_of(rules: JsonMapping, units: Units) -> KeptKit:
    """What a course keeps; what is usual where it keeps nothing, or nothing that can be read."""
    try:
        found = KeptKit.model_validate(rules.get(RULE) or {})
    except ValidationError:
        found = KeptKit()
    usual = {u.key: Kept(size_m=list(u.size(units)), most=u.most) for u in USUAL}
    for u in USUAL:
        kept = found.things.get(u.key)
        if kept is not None and len(kept.size_m) == len(u.size_m):
            usual[u.key] = kept
    rest = {key: kept for key, kept in found.things.items() if key not in usual}
    return KeptKit(by=found.by, things={**usual, **rest})


def items_of(kept: KeptKit, loans: Sequence[Loan]) -> list[Item]:
    """The things that may be had, of which any is."""
    return [item for item in every_item(kept, loans) if item.most]


def every_item(kept: KeptKit, loans: Sequence[Loan]) -> list[Item]:
    """All things of the form, those of which none is wanted too."""
    out = [_item(usual, kept.things[usual.key]) for usual in USUAL]
    for loan in loans:
        told = kept.things.get(loan.key)
        most = loan.count if told is None else min(told.most, loan.count)
        item = Item(loan.key, SHEET, most, sheet=loan.sheet, lent=True)
        out.append(_weighed(item, told))
    return out


def _item(usual: Usual, kept: Kept) -> Item:
    sheet, length = None, 0.0
    if usual.kind == SHEET:
        wide, long = kept.size_m
        ties = tie_out_points(wide, long, TIES)
        sheet = Sheet.rectangle(wide, long, ties, None, DEFAULT_FABRIC.slug)
    elif usual.kind != STAKE:
        (length,) = kept.size_m
    item = Item(usual.key, usual.kind, kept.most, usual.pieces, sheet, length, kept.price)
    return _weighed(item, kept)


def _weighed(item: Item, kept: Kept | None) -> Item:
    """The same with what a leader typed that it weighs, or what it is reckoned to."""
    typed = None if kept is None else kept.kg
    return replace(item, kg=pack_kg(item) if typed is None else typed)


def pack_kg(item: Item) -> float:
    """What a pack weighs by its size, kg."""
    if item.sheet is not None:
        cloth = fabric_named(item.sheet.fabric)
        return sheet_kg(item.sheet.area_m2, cloth.weight_kg_m2)
    each = {
        STAKE: STAKE_M * STAKE_KG_M,
        POLE: item.length_m * POLE_KG_M,
        LINE: item.length_m * CORD_KG_M,
    }[item.kind]
    return each * item.pieces


def words_of(item: Item, units: Units) -> str:
    """A pack in words.

    >>> words_of(Item("guys", LINE, 2, 4, length_m=3.0), Units.METRIC)
    '4 lines of 3.00 m'
    """
    if item.sheet is not None and item.sheet.box is not None:
        size = format_size(*item.sheet.box, units)
        return f"sheet {size}{' from the library' if item.lent else ''}"
    if item.kind == STAKE:
        return f"{item.pieces} stakes"
    length = format_length(item.length_m, units)
    if item.kind == POLE:
        return f"pole of up to {length}"
    return f"line of {length}" if item.pieces == 1 else f"{item.pieces} lines of {length}"


def texts_of(kept: KeptKit, loans: Sequence[Loan], units: Units) -> dict[str, str]:
    """The form's fields as they are shown."""
    out = {"by": kept.by.value}
    for usual in USUAL:
        one = kept.things[usual.key]
        if usual.kind == SHEET:
            out[f"size-{usual.key}"] = format_size(one.size_m[0], one.size_m[1], units)
        elif usual.kind != STAKE:
            out[f"size-{usual.key}"] = format_length(one.size_m[0], units)
        out[f"price-{usual.key}"] = "" if one.price is None else f"{one.price:g}"
    for key in (*(u.key for u in USUAL), *(loan.key for loan in loans)):
        told = kept.things.get(key)
        count = next((loan.count for loan in loans if loan.key == key), 0)
        out[f"most-{key}"] = str(count if told is None else told.most)
        kg = None if told is None else told.kg
        out[f"weight-{key}"] = "" if kg is None else format_load(kg, units)
    return out


def read(form: Mapping[str, str], loans: Sequence[Loan], units: Units) -> KeptKit:
    """The form as typed, to be kept. Raises InputError naming the field."""
    by = form.get("by", By.PACKS.value)
    if by not in set(By):
        raise InputError("by", f"“{by[:20]}” is none of {', '.join(BY_WORDS.values())}")
    things = {}
    for usual in USUAL:
        size = _size(form.get(f"size-{usual.key}", ""), usual, units)
        things[usual.key] = _rest(form, usual.key, size, units)
    for loan in loans:
        things[loan.key] = _rest(form, loan.key, [], units)
    if by == By.PRICE:
        for usual in USUAL:
            if things[usual.key].most and things[usual.key].price is None:
                words = "to look for the lowest price, give a price, or set how many to 0"
                raise InputError(f"price-{usual.key}", words)
    return KeptKit(by=By(by), things=things)


def _size(text: str, usual: Usual, units: Units) -> list[float]:
    field = f"size-{usual.key}"
    if usual.kind == STAKE:
        return []
    if usual.kind == SHEET:
        least, most = SIDE_LEAST_M, SIDE_MOST_M
        return list(parse_size(text, units, field=field, least_m=least, most_m=most))
    most_m = 10.0 if usual.kind == POLE else SIDE_MOST_M
    return [parse_length(text, units, field=field, least_m=LEAST_M, most_m=most_m)]


def _rest(form: Mapping[str, str], key: str, size: list[float], units: Units) -> Kept:
    count, price = form.get(f"most-{key}", "0").strip() or "0", form.get(f"price-{key}", "")
    if not count.isdecimal() or not count.isascii() or int(count) > MOST:
        words = f"“{count[:20]}” isn't a number of packs; give 0 to {MOST}"
        raise InputError(f"most-{key}", words)
    weight = form.get(f"weight-{key}", "").strip()
    return Kept(
        size_m=size,
        most=int(count),
        price=_price(price.strip(), f"price-{key}"),
        kg=parse_weight(weight, units, field=f"weight-{key}") if weight else None,
    )


def _price(text: str, field: str) -> float | None:
    if not text:
        return None
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        value = -1.0
    if not 0 <= value <= PRICE_MOST:
        words = f"“{text[:20]}” is no price; write it like 24.50"
        raise InputError(field, words)
    return value
