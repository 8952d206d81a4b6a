"""Participants' links: each opens one person's own card, can be taken back, and ends. And what
participants answer.

A link is its number and a signature (HMAC-SHA256 with a secret of this server over the number and
the row's own random part), so that neither a guessed number nor a copy of one table opens a card.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import re
import secrets
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from typing import TYPE_CHECKING, Final, NamedTuple

from sqlalchemy import select

from tarvik.core.errors import InputError
from tarvik.exchange.columns import TABLES
from tarvik.store import kit
from tarvik.store.accounts import clean_email
from tarvik.store.kit import NotFoundError
from tarvik.store.letters import drop_letters, post
from tarvik.store.models import Answer, CardLink, Course, Night, Person, now
from tarvik.store.secrets import CARD_LINKS, secret
from tarvik.store.tokens import hashed

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonObject

LASTS_AFTER: Final = timedelta(days=2)
"""How long after the last night a link still opens the card."""
LASTS_UNDATED: Final = timedelta(days=60)
GONE: Final = "this link does not open anything any more; ask your leader for a new one"
MOST_ANSWERS: Final = 2000
_NUMBER: Final = re.compile("[1-9][0-9]{0,8}")


def _signature(key: bytes, link_id: int, secret: str) -> str:
    made = hmac.new(key, f"{link_id}:{secret}".encode(), hashlib.sha256).digest()
    return base64.urlsafe_b64encode(made).decode().rstrip("=")


def token_of(session: Session, link: CardLink) -> str:
    """What stands in the link's address."""
    return f"{link.id}.{_signature(secret(session, CARD_LINKS), link.id, link.secret)}"


def _ends(session: Session, course_id: int) -> datetime:
    query = select(Night.on).where(
        Night.course_id == course_id, Night.on.is_not(None), Night.deleted_at.is_(None)
    )
    last = session.scalar(query.order_by(Night.on.desc()).limit(1))
    if last is None:
        return now() + LASTS_UNDATED
    return max(
        datetime.combine(last, time(23, 59), now().tzinfo) + LASTS_AFTER,
        now() + LASTS_AFTER,
    )


def make_link(session: Session, course_id: int, person_id: int) -> CardLink:
    """A new link for a person; the former ones end. Raises NotFoundError."""
    person = kit.one(session, course_id, "people", person_id)
    if person.deleted_at is not None:
        raise NotFoundError("this person was deleted")
    revoke(session, course_id, person_id)
    made = CardLink(
        course_id=course_id,
        person_id=person_id,
        secret=secrets.token_hex(16),
        ends_at=_ends(session, course_id),
    )
    session.add(made)
    session.flush()
    return made


def revoke(session: Session, course_id: int, person_id: int) -> None:
    """Take a person's links back."""
    query = select(CardLink).where(
        CardLink.course_id == course_id,
        CardLink.person_id == person_id,
        CardLink.revoked_at.is_(None),
    )
    for link in session.scalars(query):
        link.revoked_at = now()
        drop_letters(session, hashed(token_of(session, link)))
    session.flush()


@dataclass(frozen=True, slots=True)
class Addressed:
    """Whose card is sent to which address."""

    person: Person
    email: str


def read_addresses(text: str, people: Sequence[Person]) -> list[Addressed]:
    """Lines such as "Ada S, ada@her.example" or "ada@her.example Ada S", a person each. Raises
    InputError that names the line.
    """
    found: dict[int, Addressed] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        words = re.split(r"[,;<>\s]+", line.strip())
        emails = [word for word in words if "@" in word]
        name = " ".join(word for word in words if word and "@" not in word)
        if len(emails) != 1 or not name:
            raise InputError(
                "addresses", f"line {number}: write a name and one address, “{line}”"
            )
        called = [p for p in people if name.casefold() in (p.name.casefold(), _first(p))]
        if len(called) != 1:
            who = "nobody" if not called else f"{len(called)} people"
            raise InputError(
                "addresses", f"line {number}: {who} of the group is called “{name}”"
            )
        found[called[0].id] = Addressed(called[0], clean_email(emails[0]))
    if not found:
        raise InputError("addresses", "write a name and an address on each line")
    return list(found.values())


def _first(person: Person) -> str:
    return person.name.split()[0].casefold()


def send(
    session: Session, course: Course, addressed: Sequence[Addressed], address: str
) -> None:
    """Put a letter with the link of their card into the outbox for each; links that are missing are
    made. Addresses are kept nowhere but on the letters.
    """
    there = links(session, course.id)
    for one in addressed:
        link = there.get(one.person.id) or make_link(session, course.id, one.person.id)
        token = token_of(session, link)
        first = one.person.name.split()[0]
        post(
            session,
            course.provider_id,
            one.email,
            f"Your card for {course.name}",
            (token, link.ends_at),
            f"{first}, this is your card: where you sleep, how to set it up, what to bring.\n\n"
            f"{address}/card/{token}\n\nOpen it once where there is network: from then on the "
            "phone keeps it. Whoever has the link can read it.",
        )


def links(session: Session, course_id: int) -> dict[int, CardLink]:
    """The links that stand, by person."""
    query = select(CardLink).where(
        CardLink.course_id == course_id,
        CardLink.revoked_at.is_(None),
        CardLink.ends_at > now(),
    )
    return {link.person_id: link for link in session.scalars(query.order_by(CardLink.id))}


class Opened(NamedTuple):
    """What a link opens: the link, the course, whose card it is."""

    link: CardLink
    course: Course
    person: Person


def opened(session: Session, token: str) -> Opened:
    """What a link opens. Whatever is wrong with it, the words are the same. Raises
    NotFoundError.
    """
    number, _, signature = token.partition(".")
    link = session.get(CardLink, int(number)) if _NUMBER.fullmatch(number) else None
    own = link.secret if link else ""
    wanted = _signature(secret(session, CARD_LINKS), link.id if link else 0, own)
    good = hmac.compare_digest(wanted.encode(), signature.encode("utf-8", "replace"))
    if link is None or not good or link.revoked_at is not None or link.ends_at < now():
        raise NotFoundError(GONE)
    course, person = (
        session.get(Course, link.course_id),
        session.get(Person, link.person_id),
    )
    if (
        course is None
        or course.deleted_at is not None
        or person is None
        or person.deleted_at is not None
    ):
        raise NotFoundError(GONE)
    return Opened(link, course, person)


def say(
    session: Session, person: Person, course: Course, kind: str, text: Mapping[str, str]
) -> Answer:
    """Keep what a participant says: `stature`, `sheet`, or `brings` (the kit ticked). Raises
    InputError.
    """
    told = kit.context(session, course)
    values: JsonObject
    if kind == "stature":
        values = TABLES["people"].column("stature").read(text.get("stature", ""), told)
    elif kind == "sheet":
        values = TABLES["sheets"].column("size").read(text.get("sheet", ""), told)
    elif kind == "brings":
        values = {
            "ticked": sorted(k for k, v in text.items() if v == "yes" and len(k) < 40)[:200]
        }
    else:
        raise InputError("kind", "there is no such answer")
    query = select(Answer).where(
        Answer.person_id == person.id, Answer.kind == kind, Answer.state == "waiting"
    )
    for old in session.scalars(query):
        session.delete(old)
    made = Answer(course_id=course.id, person_id=person.id, kind=kind, values=values)
    session.add(made)
    session.flush()
    return made


def answers(session: Session, course_id: int) -> Sequence[Answer]:
    """What waits for a leader, and the kit people ticked."""
    query = (
        select(Answer)
        .where(Answer.course_id == course_id, Answer.state == "waiting")
        .order_by(Answer.id)
    )
    return session.scalars(query.limit(MOST_ANSWERS)).all()


def ticked(session: Session, person_id: int) -> frozenset[str]:
    """What a person said to bring."""
    query = select(Answer).where(
        Answer.person_id == person_id, Answer.kind == "brings", Answer.state == "waiting"
    )
    found = session.scalars(query.order_by(Answer.id.desc()).limit(1)).first()
    return frozenset(found.values.get("ticked", ())) if found else frozenset()


def settle(session: Session, course_id: int, answer_id: int, *, take: bool) -> None:
    """A leader takes an answer over, or not. Raises NotFoundError."""
    found = session.scalars(
        select(Answer)
        .where(
            Answer.id == answer_id, Answer.course_id == course_id, Answer.state == "waiting"
        )
        .with_for_update()
    ).one_or_none()
    if found is None:
        raise NotFoundError("this answer was settled by somebody else")
    found.state = "taken" if take else "left"
    if take and found.kind == "stature":
        kit.one(
            session, course_id, "people", found.person_id, lock=True
        ).stature_m = found.values["stature_m"]
    if take and found.kind == "sheet":
        own = [
            s
            for s in kit.rows(session, course_id, "sheets")
            if s.owner_id == found.person_id
        ]
        if own:
            sheet = kit.one(session, course_id, "sheets", own[0].id, lock=True)
            sheet.width_m, sheet.length_m, sheet.outline = (
                found.values["width_m"],
                found.values["length_m"],
                None,
            )
        else:
            kit.add(
                session,
                course_id,
                "sheets",
                [{**found.values, "owner_id": found.person_id, "tie_outs": ["corners"]}],
            )
    session.flush()
