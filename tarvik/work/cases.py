"""A night read from the database as the case a plan is made from, and a plan written back as the
night's choices.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik.core.plan.camps import Camp
from tarvik.core.plan.gather import Bag, InBag
from tarvik.core.plan.make import Case
from tarvik.core.plan.offers import LINE, LONG_STAKE, POLE, STAKE, Offer, Pool
from tarvik.core.plan.question import Locks, Standing
from tarvik.core.plan.stores import UNENDING
from tarvik.core.ready_lines import counted_as
from tarvik.core.rig.carried import CUT_MOST_M
from tarvik.core.rig.supports import CARRIER_KINDS
from tarvik.core.site.hazards import hazards
from tarvik.core.units import Units
from tarvik.exchange.night_form import ground_rules_of, holding_of, may_cut, plan_rules_of
from tarvik.store import asks, courses, ground, kit, night_plan, nights, plans, practice
from tarvik.store.kit import STICK_LEAST_M, camper_of, line_of, sheet_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonObject
    from tarvik.core.tonight import Night as CoreNight
    from tarvik.store.models import Course, Night, ShelterRow

NIGHT_RAIN_HOURS: Final = 10.0
"""Hours of the heaviest rain for which puddles are reckoned."""


def pools_of(
    session: Session, course: Course, night_id: int | None = None
) -> tuple[Pool, ...]:
    """The kit there is, or is present on a night, alike pieces of one owner together."""
    found: Counter[tuple[str, float, float, int | None]] = Counter()
    rules = course.rules or {}
    stakes, usual = kit.stakes_of(session, course.id, rules, night_id), holding_of(rules)
    for one in kit.pieces(session, course.id, "stakes", night_id):
        kind = kit.stake_kind(one.row, usual, one.count)
        if kind in stakes.left_out or not one.count:
            continue
        found[STAKE, 0.0, 0.0, one.row.owner_id] += one.count
        if kind in stakes.longer:
            found[LONG_STAKE, 0.0, 0.0, one.row.owner_id] += one.count
    for one in kit.pieces(session, course.id, "lines", night_id):
        for length in counted_as(line_of(one.row)):
            found[LINE, 0.0, length, one.row.owner_id] += one.count
    for one in kit.pieces(session, course.id, "supports", night_id):
        row = one.row
        if row.kind == "tree" or row.kind in CARRIER_KINDS:
            found[row.kind, 0.0, 0.0, row.owner_id] += one.count
        else:
            most = row.most_m or 1.4
            least = STICK_LEAST_M if row.kind == "stick" else (row.least_m or most)
            found[POLE, min(least, most), most, row.owner_id] += one.count
    if may_cut(rules):
        found[POLE, STICK_LEAST_M, CUT_MOST_M, None] += UNENDING
    return tuple(
        Pool(kind, count, least, most, owner)
        for (kind, least, most, owner), count in sorted(
            found.items(),
            key=lambda item: (item[0][0], item[0][2], item[0][1], item[0][3] or 0),
        )
    )


def camp_of(
    session: Session,
    course: Course,
    night: Night,
    tonight: CoreNight,
    pools: Sequence[Pool],
) -> Camp | None:
    """The night's ground; None while nothing is mapped."""
    if night.site_id is None:
        return None
    known = ground.ground_of(ground.items(session, night.site_id)).ground
    if not known.things and not known.areas:
        return None
    rules = ground_rules_of(course.rules or {}, Units(course.units))
    needs = tonight.needs
    wind = needs.wind_from_deg if needs.wind_m_s else None
    found = hazards(known, rules, wind, (needs.rain_mm_h or 0.0) * NIGHT_RAIN_HOURS)
    longest = sorted(
        (p.most_m for p in pools if p.kind == LINE for _ in range(min(p.count, 2))),
        reverse=True,
    )[:2]
    return Camp(known, tuple(found), rules, wind, tonight.uphill_deg, sum(longest) or None)


def standing_of(row: ShelterRow) -> Standing:
    """A shelter of the night as it stands."""
    spot = row.spot or {}
    return Standing(
        tuple(sheet.id for sheet in row.sheets),
        row.pitch,
        tuple(sorted((k, float(v)) for k, v in row.settings.items())),
        (spot["x"], spot["y"]) if spot else None,
        spot.get("front_deg"),
        tuple(p.id for p in plans.sleepers(row)),
        tuple(spot.get("anchor") or (0.0, 0.0)),
        tuple(spot.get("trees") or ()),
    )


def case_of(
    session: Session, course_id: int, night_id: int, *, few_moves: bool = False
) -> Case:
    """Everything a night's plan is made from, with what the leader fixed."""
    course = courses.course(session, course_id)
    night = courses.night(session, course_id, night_id)
    tonight = nights.night_of(session, course, night)
    pools = pools_of(session, course, night_id)
    rules = plan_rules_of(course.rules or {})
    asked = asks.asked_of(night_plan.of_night(session, night_id), rules.school)
    away = asks.absent(session, night_id)
    standing = tuple(
        replace(one, people=tuple(p for p in one.people if p not in away.people))
        for one in map(standing_of, plans.shelters(session, night_id))
        if not away.sheets & set(one.sheets)
    )
    bed = {p: s.sheets[0] for s in standing for p in s.people}
    held = asked["locks"]
    locks = Locks(
        people={p: bed[p] for p in held["people"] if p in bed},
        standing=frozenset(held["standing"]) - away.sheets,
        unused=frozenset(held["unused"]) - away.sheets,
    )
    paces = practice.paces(practice.timings(session, course_id))
    bag = Bag(
        tuple(
            InBag(s.id, sheet_of(s), s.owner_id)
            for s in kit.rows(session, course_id, "sheets")
            if s.id not in away.sheets
        ),
        tuple(
            replace(camper_of(p), pace=paces.get(p.id))
            for p in kit.rows(session, course_id, "people")
            if p.id not in away.people
        ),
        kit.supports_of(session, course_id, night_id),
        pools,
        rules.join_sheets,
        rules.buttons,
    )
    return Case(
        bag,
        tonight,
        camp_of(session, course, night, tonight, pools),
        rules,
        locks,
        standing,
        tuple(asked["aims"]),
        few_moves,
    )


def choices_of(
    offers: Sequence[Offer], beds: Mapping[int, tuple[int, ...] | None]
) -> list[plans.Choice]:
    """A plan as the night's choices; the spare shelter is nobody's bed and is kept apart."""
    out = []
    for offer in offers:
        people = tuple(p for p, sheets in beds.items() if sheets == offer.sheets and p >= 0)
        if people:
            out.append(
                plans.Choice(
                    offer.sheets[0],
                    offer.pitch,
                    dict(offer.settings),
                    people,
                    spot_of(offer),
                    offer.sheets[1] if len(offer.sheets) > 1 else None,
                )
            )
    return out


def spot_of(offer: Offer) -> JsonObject | None:
    """An offer's spot as it is kept."""
    if offer.spot is None:
        return None
    (x, y), (a, b) = offer.spot.at, offer.spot.anchor
    return {
        "x": x,
        "y": y,
        "front_deg": offer.spot.front_deg,
        "anchor": [a, b],
        "trees": list(offer.trees),
        "planned": True,
    }
