"""Would more kit help: what might be had, and what the proposals come to, night by night."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from sqlalchemy.orm import Session

from tarvik.core.plain import JsonMapping
from tarvik.core.plan.aims import aim_named
from tarvik.core.plan.offers import STAKE
from tarvik.core.plan.shopping import CENTS, By, Item
from tarvik.core.sentences import sentence
from tarvik.core.sheet import Sheet
from tarvik.core.units import Units, format_load
from tarvik.exchange import more_kit_form
from tarvik.exchange.more_kit_form import BY_WORDS, USUAL, KeptKit, Loan
from tarvik.store import asks, courses, library
from tarvik.store.models import Course, PlanJob
from tarvik.web.screens.plan.job_view import shown

NAMES: Final = {
    "now": "What you have",
    "works": "Every night works",
    "ease": "All lie with ease",
    "own": "Your own",
}
"""Headings of the proposals."""
AIMS_SHOWN: Final = ("exposed", "rules", "comfort", "few", "quick")
"""Aims whose values stand beside each other, of those that every plan has."""


@dataclass(frozen=True, slots=True)
class Row:
    """One thing of the form. `size` None: it has none to be typed; `usual_kg`: what is reckoned."""

    key: str
    words: str
    size: str | None
    most: str
    price: str | None
    weight: str
    usual_kg: str


@dataclass(frozen=True, slots=True)
class NightCell:
    """What a proposal gives on one night. `good`: everybody has a dry place."""

    good: bool
    words: str
    aims: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Proposal:
    """One proposal: what to get, what that comes to, and each night's outcome. `proof`: what is
    known of there being something better.
    """

    name: str
    heading: str
    get: tuple[str, ...]
    price: float
    weight: str
    nights: tuple[NightCell, ...]
    proof: str
    packs: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Outcome:
    """All that was worked out, and when."""

    at: datetime | None
    titles: tuple[str, ...]
    left_out: tuple[tuple[str, str], ...]
    proposals: tuple[Proposal, ...]
    line: str
    ease: str
    items: tuple[tuple[str, str, int], ...]  # key, words, most: for a proposal of one's own
    priced: bool


@dataclass(frozen=True, slots=True)
class MoreKitView:
    """The page. `night_id`: the night whose jobs these are; None while there is none."""

    course: Course
    rows: tuple[Row, ...]
    by: str
    by_words: Mapping[By, str]
    night_id: int | None
    running: JsonMapping | None
    outcome: Outcome | None
    failed: str
    tab: str = "packing"


def more_kit_view(
    session: Session, course: Course, typed: Mapping[str, str] | None = None
) -> MoreKitView:
    """The page of a course; `typed`: what was typed, where it could not be kept."""
    units = Units(course.units)
    kept = more_kit_form.kept_of(course.rules or {}, units)
    loans = library.to_lend(session, course)
    texts = {**more_kit_form.texts_of(kept, loans, units), **(typed or {})}
    nights = courses.nights(session, course.id)
    night_id = nights[0].id if nights else None
    done = running = None
    if night_id is not None:
        done = asks.latest_job(session, night_id, "kit")
        running = done if done is not None and done.state in asks.OPEN else None
        if running is not None:
            done = asks.latest_job(session, night_id, "kit", state="done")
    failed = ""
    if done is not None and done.state == "failed":
        failed = str((done.result or {}).get("words", ""))
    return MoreKitView(
        course=course,
        rows=_rows(kept, loans, texts, units),
        by=texts["by"],
        by_words=BY_WORDS,
        night_id=night_id,
        running=None if running is None else shown(running, units),
        outcome=None if done is None or failed else _outcome(done, units),
        failed=failed,
    )


def _rows(
    kept: KeptKit, loans: list[Loan], texts: Mapping[str, str], units: Units
) -> tuple[Row, ...]:
    items = {item.key: item for item in more_kit_form.every_item(kept, loans)}
    out = []
    for usual in USUAL:
        key = usual.key
        each = "" if usual.pieces == 1 else f", {usual.pieces} a pack"
        out.append(
            Row(
                key,
                f"{KIND_WORDS[key]}{each}",
                None if usual.kind == STAKE else texts[f"size-{key}"],
                texts[f"most-{key}"],
                texts[f"price-{key}"],
                texts[f"weight-{key}"],
                format_load(more_kit_form.pack_kg(items[key]), units),
            )
        )
    for loan in loans:
        item = items[loan.key]
        words = more_kit_form.words_of(item, units)
        out.append(
            Row(
                loan.key,
                f"{sentence(words)} ({loan.count} to lend)",
                None,
                texts[f"most-{loan.key}"],
                None,
                texts[f"weight-{loan.key}"],
                format_load(more_kit_form.pack_kg(item), units),
            )
        )
    return tuple(out)


KIND_WORDS: Final = {
    "square": "Sheet",
    "large": "Larger sheet",
    "poles": "Pole in sections, as long as it gets",
    "stakes": "Stakes",
    "guys": "Guy lines",
    "ridges": "Ridge line",
}


def _outcome(job: PlanJob, units: Units) -> Outcome | None:
    told = job.result or {}
    if not told.get("proposals"):
        return None
    items = {one["key"]: _item(one) for one in told["items"]}
    words = {key: more_kit_form.words_of(item, units) for key, item in items.items()}
    stopped = {n["night"]: n["stopped"] for n in told["nights"] if n["stopped"]}
    titles = {n["night"]: n["title"] for n in told["nights"]}
    proposals = tuple(
        _proposal(one, words, units, By(told["by"])) for one in told["proposals"]
    )
    return Outcome(
        at=job.ended_at,
        titles=tuple(title for night, title in titles.items() if night not in stopped),
        left_out=tuple((titles[night], why) for night, why in stopped.items()),
        proposals=proposals,
        line=_line(proposals),
        ease=_ease(proposals),
        items=tuple((key, words[key], item.most) for key, item in items.items()),
        priced=any(item.price is not None for item in items.values()),
    )


def _item(plain: JsonMapping) -> Item:
    size = plain["size_m"]
    return Item(
        plain["key"],
        plain["kind"],
        plain["most"],
        plain["pieces"],
        Sheet.rectangle(size[0], size[1]) if len(size) > 1 else None,
        size[0] if len(size) == 1 else 0.0,
        plain["price"],
        plain["kg"],
        plain["lent"],
    )


def _proposal(
    plain: JsonMapping, words: Mapping[str, str], units: Units, by: By
) -> Proposal:
    packs = plain["packs"]
    return Proposal(
        plain["name"],
        NAMES[plain["name"]],
        tuple(f"{n} × {words[key]}" for key, n in packs.items()),
        plain["price"],
        format_load(plain["kg"], units),
        tuple(_cell(night, units) for night in plain["nights"]),
        _proof(plain, by),
        packs,
    )


def _proof(plain: JsonMapping, by: By) -> str:
    parts = []
    if plain["proved"]:
        parts.append("proved: nothing less does as well")
    elif plain["proved"] is False:
        amount = {By.PACKS: "{:g}", By.PRICE: "{:.2f}", By.WEIGHT: "{:.0f} g"}[by]
        bound, cost = plain["bound"], plain["cost"]
        if by is By.PRICE:
            bound, cost = bound / CENTS, cost / CENTS
        parts.append(
            f"the search ran out of time: {amount.format(cost)} found, "
            f"{amount.format(bound)} might be enough"
        )
    if not plain["held"]:
        parts.append("some of its shelters need another look once their sheets hang")
    return "; ".join(parts)


def _cell(plain: JsonMapping, units: Units) -> NightCell:
    without, close = plain["without"], plain["close"]
    if without:
        words = f"{without} without a dry place"
    elif close:
        words = f"all dry, {close} closer than with ease"
    else:
        words = "all dry and with ease"
    reached = {one["aim"]: one["value"] for one in plain["reached"]}
    aims = tuple(
        (aim_named(slug).heading, aim_named(slug).told(reached[slug], units))
        for slug in AIMS_SHOWN
        if slug in reached
    )
    return NightCell(not without, words, aims)


def _line(proposals: tuple[Proposal, ...]) -> str:
    """What it comes to, in a sentence."""
    found = {one.name: one for one in proposals}
    now, works = found["now"], found.get("works")
    if not now.nights:
        return "Kit does not help here: every night is left out."
    if all(cell.good for cell in now.nights):
        return "What you have is enough: everybody lies dry on every night."
    if works is None:
        return "The search was stopped before it found anything."
    if all(cell.good for cell in works.nights):
        return f"Every night works with {', '.join(works.get)} more."
    return "No amount of these things gives everybody a dry place on every night."


def _ease(proposals: tuple[Proposal, ...]) -> str:
    """The same of lying with ease."""
    ease = next((one for one in proposals if one.name == "ease"), None)
    if ease is None or not ease.nights:
        return ""
    if not all(cell.good for cell in ease.nights):
        return "No amount of them lets everybody lie with ease on every night."
    if ease.get:
        return f"All lie with ease with {', '.join(ease.get)} more."
    return (
        "All can lie with ease with it too, if people share otherwise than your order of aims has "
        "them."
    )
