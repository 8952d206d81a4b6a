"""A participant's own card behind a link: shelter, mates' first names, steps, knots, the storm
move; and what they answer.

Nobody signs in here: the link is the key, and it opens this one card only. The leader's side of it:
links with their square codes, and answers to be confirmed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any

import segno
from fastapi import Depends, Form, Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.drills.drill import Kind
from tarvik.core.errors import InputError
from tarvik.core.units import Units, format_length, format_size
from tarvik.store import courses, kit, links, practice
from tarvik.store.accounts import Role
from tarvik.store.models import CardLink, Course, Person
from tarvik.store.scope import within
from tarvik.web.access import for_anyone, for_guests, for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, page, part, pdf_page
from tarvik.web.screens.account.routes import address, loopback
from tarvik.web.screens.card.view import card_of, next_night, own_kit, said_by
from tarvik.web.screens.practice.routes import AnswersIn, Heard
from tarvik.web.screens.practice.view import ROUND, progress_of, round_of
from tarvik.web.state import STATIC, parts_of

router = guarded_router()
LEADERS = "/courses/{course_id:number}/cards"
PRIVATE = {"Cache-Control": "private, no-cache", "X-Robots-Tag": "noindex"}
"""A card is kept by its own person's browser on purpose, to be read without network."""


async def _ticks(request: Request) -> dict[str, str]:
    """A form whose fields depend on the kit."""
    return {str(k): str(v) for k, v in (await request.form()).items()}


def _page(request: Request, token: str, status: int = 200, **more: Any) -> Response:
    with within(None), parts_of(request).database.session() as session:
        link, course, person = links.opened(session, token)
        own = list(courses.nights(session, course.id))
        asked = request.query_params.get("night", "")
        night = next((n for n in own if str(n.position) == asked), None) or next_night(own)
        units = Units(course.units)
        told = card_of(request, session, course, person, night) if night else None
        sheet = next(
            (s for s in kit.rows(session, course.id, "sheets") if s.owner_id == person.id),
            None,
        )
        answer = part(
            request,
            "card/card.html",
            status,
            token=token,
            person=person,
            title=course.name,
            units=course.units,
            nights=[(n.position, n.title) for n in own],
            told=told,
            brings=own_kit(session, course, person),
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
def show(request: Request, token: str) -> Response:
    """One's own card."""
    return _page(request, token)


@router.post("/card/{token}/brings")
@for_guests
def brings(
    request: Request, token: str, form: Annotated[dict[str, str], Depends(_ticks)]
) -> Response:
    """Tick the kit one brings."""
    with within(None), parts_of(request).database.session() as session:
        _, course, person = links.opened(session, token)
        links.say(session, person, course, "brings", form)
    return RedirectResponse(f"/card/{token}#brings", status_code=303)


@router.get("/card/{token}/practice")
@for_guests
def practise(request: Request, token: str) -> Response:
    """Drills for whose card it is, kept on the phone like the card."""
    with within(None), parts_of(request).database.session() as session:
        _, course, person = links.opened(session, token)
        answer = part(
            request,
            "card/practice.html",
            token=token,
            person=person,
            title=course.name,
            units=course.units,
            kinds=ROUND,
            progress=progress_of(practice.known(session, person.id)),
        )
        answer.headers.update(PRIVATE)
        return answer


@router.get("/card/{token}/practice/{kind}")
@for_guests
def practise_kind(request: Request, token: str, kind: Kind) -> Response:
    """Today's drills of a kind."""
    with within(None), parts_of(request).database.session() as session:
        _, course, person = links.opened(session, token)
        shown = round_of(request, session, course, person.id, kind)
        answer = part(request, "practice/drills.html", drills=shown, units=course.units)
        answer.headers.update(PRIVATE)
        return answer


@router.post("/card/{token}/practice")
@for_guests
def practised(request: Request, token: str, said: AnswersIn) -> Heard:
    """Keep what was answered, each answer once."""
    with within(None), parts_of(request).database.session() as session:
        _, course, person = links.opened(session, token)
        entries = [one.practised() for one in said.answers]
        return Heard(new=practice.keep(session, course.id, person.id, entries))


@router.post("/card/{token}/{kind}")
@for_guests
def say(
    request: Request,
    token: str,
    kind: str,
    stature: Annotated[str, Form()] = "",
    sheet: Annotated[str, Form()] = "",
) -> Response:
    """Put one's stature or sheet right; a leader confirms it."""
    try:
        with within(None), parts_of(request).database.session() as session:
            _, course, person = links.opened(session, token)
            links.say(
                session,
                person,
                course,
                kind,
                {"stature": stature[:60], "sheet": sheet[:60]},
            )
    except InputError as err:
        return _page(request, token, 422, fault=err)
    return _page(
        request, token, done="Thank you. Your leader looks at it before it counts."
    )


@router.get("/card-worker.js")
@for_anyone
def worker() -> Response:
    """The service worker that keeps a card for when there is no network."""

    headers = {"Service-Worker-Allowed": "/card/", "Cache-Control": "no-cache"}
    return FileResponse(
        STATIC / "app" / "card-worker.js", media_type="text/javascript", headers=headers
    )


@dataclass(frozen=True, slots=True)
class LinkOf:
    """A person's link: its address and square code, empty where there is none, and how many things
    they ticked.
    """

    person: Person
    link: CardLink | None
    url: str
    code: str
    ticked: int


def _links_of(
    request: Request, session: Db, people: Sequence[Person], there: Mapping[int, CardLink]
) -> list[LinkOf]:
    """The link of everybody."""
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
        shown.append(LinkOf(person, link, url, code, len(links.ticked(session, person.id))))
    return shown


@router.get(LEADERS + "/squares.pdf")
@for_role(Role.LEADER)
def squares(
    request: Request, session: Db, course: CourseHere, paper: str = "a4"
) -> Response:
    """The square codes on paper, each with its name, to be cut apart."""
    people = kit.rows(session, course.id, "people")
    shown = _links_of(request, session, people, links.links(session, course.id))
    return pdf_page(
        request,
        "card/squares.html",
        "square-codes.pdf",
        drawn=False,
        headers=PRIVATE,
        course=course,
        people=[p for p in shown if p.link],
        letter=paper == "letter",
    )


@router.get(LEADERS)
@for_role(Role.LEADER)
def leaders(request: Request, session: Db, course: CourseHere) -> Response:
    """Every person's link with its square code, and the answers that wait."""
    return _leaders(request, session, course)


def _leaders(
    request: Request,
    session: Session,
    course: Course,
    status: int = 200,
    *,
    typed: str = "",
    fault: InputError | None = None,
    sent: int = 0,
) -> Response:
    """The same, with addresses as they were typed, what is wrong with them, or how many letters
    were written.
    """
    people = kit.rows(session, course.id, "people")
    names = {p.id: p.name for p in people}
    shown = _links_of(request, session, people, links.links(session, course.id))
    waiting = [
        (a, names[a.person_id], said_by(a, Units(course.units)))
        for a in links.answers(session, course.id)
        if a.kind != "brings" and a.person_id in names
    ]
    return page(
        request,
        "card/cards.html",
        status,
        course=course,
        tab="cards",
        loopback=loopback(request),
        people=shown,
        waiting=waiting,
        typed=typed,
        fault=fault,
        sent=sent,
    )


@router.post(LEADERS + "/send")
@for_role(Role.LEADER)
def send(
    request: Request,
    session: Db,
    course: CourseHere,
    addresses: Annotated[str, Form(max_length=20_000)] = "",
) -> Response:
    """Write a letter with the link of their card to each address, all at once."""
    try:
        addressed = links.read_addresses(addresses, kit.rows(session, course.id, "people"))
    except InputError as err:
        return _leaders(request, session, course, 422, typed=addresses, fault=err)
    links.send(session, course, addressed, address(request))
    return _leaders(request, session, course, sent=len(addressed))


@router.post(LEADERS + "/all")
@for_role(Role.LEADER)
def make_all(session: Db, course_id: int) -> Response:
    """A link for everybody who has none."""
    courses.course(session, course_id)
    there = links.links(session, course_id)
    for person in kit.rows(session, course_id, "people"):
        if person.id not in there:
            links.make_link(session, course_id, person.id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)


@router.post(LEADERS + "/{person_id:number}")
@for_role(Role.LEADER)
def make(session: Db, course_id: int, person_id: int) -> Response:
    """A new link; the old one ends."""
    links.make_link(session, course_id, person_id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)


@router.post(LEADERS + "/{person_id:number}/revoke")
@for_role(Role.LEADER)
def revoke(session: Db, course_id: int, person_id: int) -> Response:
    """Take a link back."""
    links.revoke(session, course_id, person_id)
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)


@router.post(LEADERS + "/answers/{answer_id:number}")
@for_role(Role.LEADER)
def settle(
    session: Db, course_id: int, answer_id: int, take: Annotated[str, Form()] = ""
) -> Response:
    """Take an answer over, or leave things as they are."""
    links.settle(session, course_id, answer_id, take=take == "yes")
    return RedirectResponse(f"/courses/{course_id}/cards", status_code=303)
