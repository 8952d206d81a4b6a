"""A participant's own card behind a link: shelter, mates' first names, steps, knots, the storm
move; and what they answer.

Nobody signs in here: the link is the key, and it opens this one card only. The leader's side of it:
links with their square codes, and answers to be confirmed.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Annotated, Any

import segno
from fastapi import Depends, Form, Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.errors import InputError
from tarvik.core.knots import knots_for
from tarvik.core.moves import outcomes
from tarvik.core.units import Units, format_length, format_size
from tarvik.store import courses, kit, links, nights, plans
from tarvik.store.accounts import Role
from tarvik.store.models import Answer, Course, Night, Person
from tarvik.store.scope import within
from tarvik.web.access import for_anyone, for_guests, for_role, guarded_router
from tarvik.web.drawing.knots import knot_drawing
from tarvik.web.night_words import weather_words
from tarvik.web.pages.account import address, loopback
from tarvik.web.pages.camp import shelter_cards
from tarvik.web.pages.common import page, tarvik
from tarvik.web.standing import ground_of, judge_of

router = guarded_router()
LEADERS = "/courses/{course_id:number}/cards"
PRIVATE = {"Cache-Control": "private, no-cache", "X-Robots-Tag": "noindex"}
"""A card is kept by its own person's browser on purpose, to be read without network."""


def _tonight(all_of_them: list[Night]) -> Night | None:
    """The night that is next: today's, or the first after today, else the last."""
    today = datetime.now(UTC).date()
    return next(
        (n for n in all_of_them if n.on is not None and n.on >= today),
        all_of_them[0] if all_of_them else None,
    )


def _own_kit(session: Session, course: Course, person: Person) -> list[tuple[str, str]]:
    """(key, words) of what is a person's own."""
    units = Units(course.units)
    words: dict[str, Callable[[Any], str]] = {
        "sheets": lambda r: f"sheet {format_size(r.width_m, r.length_m, units)}",
        "supports": lambda r: f"{r.count} × {r.kind}",
        "lines": lambda r: f"{r.count} × line of {format_length(r.length_m, units)}",
        "stakes": lambda r: f"{r.count} stakes",
    }
    own = [
        (f"{name}-{r.id}", str(say(r)))
        for name, say in words.items()
        for r in kit.rows(session, course.id, name)
        if r.owner_id == person.id
    ]
    return [
        *own,
        ("mat", "sleeping mat"),
        ("bag", "sleeping bag, packed dry"),
        ("lamp", "head lamp with fresh cells"),
        ("layer", "a warm layer and a hat for the night"),
    ]


def _card(
    request: Request, session: Session, course: Course, person: Person, night: Night
) -> dict[str, Any]:
    """What stands on one night's card; only what this person needs."""
    units = Units(course.units)
    tonight = nights.night_of(session, course, night)
    own = [
        (row, number)
        for number, row in enumerate(plans.shelters(session, night.id), start=1)
        if any(p.id == person.id for p in plans.sleepers(row))
    ]
    told: dict[str, Any] = {
        "night": night,
        "weather": weather_words(tonight.needs, units),
        "evening": tonight.needs.evening,
        "card": None,
    }
    if not own:
        return told
    solver = tarvik(request).solver
    judge = judge_of(request, session, course, tonight)
    ground = ground_of(session, night.site_id)
    made = shelter_cards(judge, [judge.of(*own[0])], ground)[0]
    solution, rig = made["solution"], made["rig"]
    moves = [o for o in outcomes(solution, solver.workings) if o.after is not None][:1]
    house = solution.question.supports.house
    buttons = solution.assessment.buttons > 0
    knots = knots_for({x.purpose for x in rig.lines}, house.hitch, buttons=buttons) if rig else []
    mates = [p.name.split()[0] for p in made["people"] if p.id != person.id]
    return {
        **told,
        "card": made,
        "mates": mates,
        "moves": moves,
        "knots": [(k, knot_drawing(k.slug)) for k in knots],
    }


async def _ticks(request: Request) -> dict[str, str]:
    """A form whose fields depend on the kit."""
    return {str(k): str(v) for k, v in (await request.form()).items()}


def _page(request: Request, token: str, status: int = 200, **more: Any) -> Any:
    with within(None), tarvik(request).database.session() as session:
        link, course, person = links.opened(session, token)
        own = list(courses.nights(session, course.id))
        asked = request.query_params.get("night", "")
        night = next((n for n in own if str(n.position) == asked), None) or _tonight(own)
        units = Units(course.units)
        told = _card(request, session, course, person, night) if night else None
        sheet = next(
            (s for s in kit.rows(session, course.id, "sheets") if s.owner_id == person.id), None
        )
        answer = page(
            request,
            "card.html",
            status,
            token=token,
            person=person,
            title=course.name,
            units=course.units,
            nights=[(n.position, n.title) for n in own],
            told=told,
            brings=_own_kit(session, course, person),
            ticked=links.ticked(session, person.id),
            ends=link.ends_at,
            stature=format_length(person.stature_m, units),
            cautions=cards.CAUTIONS,
            walk_round=cards.WALK_ROUND,
            size=format_size(sheet.width_m, sheet.length_m, units) if sheet else "",
            **{"fault": None, "done": "", **more},
        )
        answer.headers.update(PRIVATE)
        return answer


@router.get("/card/{token}")
@for_guests
def show(request: Request, token: str) -> Any:
    """One's own card."""
    return _page(request, token)


@router.post("/card/{token}/brings")
@for_guests
def brings(request: Request, token: str, form: Annotated[dict[str, str], Depends(_ticks)]) -> Any:
    """Tick the kit one brings."""
    with within(None), tarvik(request).database.session() as session:
        _, course, person = links.opened(session, token)
        links.say(session, person, course, "brings", form)
    return RedirectResponse(f"/card/{token}#brings", status_code=303)


@router.post("/card/{token}/{kind}")
@for_guests
def say(
    request: Request,
    token: str,
    kind: str,
    stature: Annotated[str, Form()] = "",
    sheet: Annotated[str, Form()] = "",
) -> Any:
    """Put the own stature or sheet right; a leader confirms it."""
    try:
        with within(None), tarvik(request).database.session() as session:
            _, course, person = links.opened(session, token)
            links.say(session, person, course, kind, {"stature": stature[:60], "sheet": sheet[:60]})
    except InputError as err:
        return _page(request, token, 422, fault=err)
    return _page(request, token, done="Thank you. Your leader looks at it before it counts.")


@router.get("/card-worker.js")
@for_anyone
def worker() -> Response:
    """The service worker that keeps a card for when there is no network."""
    from tarvik.web.app import HERE  # noqa: PLC0415

    headers = {"Service-Worker-Allowed": "/card/", "Cache-Control": "no-cache"}
    return FileResponse(
        HERE / "static" / "app" / "card-worker.js", media_type="text/javascript", headers=headers
    )


@router.get(LEADERS)
@for_role(Role.LEADER)
def leaders(request: Request, course_id: int) -> Any:
    """Every person's link with its square code, and the answers that wait."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        people = kit.rows(session, course_id, "people")
        there = links.links(session, course_id)
        names = {p.id: p.name for p in people}
        shown = []
        for person in people:
            link = there.get(person.id)
            url = f"{address(request)}/card/{links.token_of(session, link)}" if link else ""
            code = (
                segno.make(url, error="m").svg_inline(
                    scale=3, border=2, svgclass="qr", lineclass=None
                )
                if url
                else ""
            )
            shown.append(
                {
                    "person": person,
                    "link": link,
                    "url": url,
                    "code": code,
                    "ticked": len(links.ticked(session, person.id)),
                }
            )
        waiting = [
            (a, names[a.person_id], _said(a, Units(course.units)))
            for a in links.answers(session, course_id)
            if a.kind != "brings" and a.person_id in names
        ]
        return page(
            request,
            "cards.html",
            course=course,
            tab="cards",
            loopback=loopback(request),
            people=shown,
            waiting=waiting,
            first_night=next(iter(courses.nights(session, course_id)), None),
        )


def _said(answer: Answer, units: Units) -> str:
    if answer.kind == "stature":
        return f"is {format_length(answer.values['stature_m'], units)} tall"
    return (
        "brings a sheet of "
        f"{format_size(answer.values['width_m'], answer.values['length_m'], units)}"
    )


@router.post(LEADERS + "/all")
@for_role(Role.LEADER)
def make_all(request: Request, course_id: int) -> Any:
    """A link for everybody who has none."""
    with tarvik(request).database.session() as session:
        courses.course(session, course_id)
        there = links.links(session, course_id)
        for person in kit.rows(session, course_id, "people"):
            if person.id not in there:
                links.make_link(session, course_id, person.id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)


@router.post(LEADERS + "/{person_id:number}")
@for_role(Role.LEADER)
def make(request: Request, course_id: int, person_id: int) -> Any:
    """A new link; the old one ends."""
    with tarvik(request).database.session() as session:
        links.make_link(session, course_id, person_id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)


@router.post(LEADERS + "/{person_id:number}/revoke")
@for_role(Role.LEADER)
def revoke(request: Request, course_id: int, person_id: int) -> Any:
    """Take a link back."""
    with tarvik(request).database.session() as session:
        links.revoke(session, course_id, person_id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)


@router.post(LEADERS + "/answers/{answer_id:number}")
@for_role(Role.LEADER)
def settle(
    request: Request, course_id: int, answer_id: int, take: Annotated[str, Form()] = ""
) -> Any:
    """Take an answer over, or leave things as they are."""
    with tarvik(request).database.session() as session:
        links.settle(session, course_id, answer_id, take=take == "yes")
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)
