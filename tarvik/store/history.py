"""The trail of changes, written by the database itself, told in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import func, select

from tarvik.store.models import Account, Change

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from sqlalchemy.orm import Session

PLAN: Final = ("shelter", "shelter_member", "night_plan", "named_plan")
WORDS: Final = {
    "course": "course",
    "person": "person",
    "sheet": "sheet",
    "support": "support",
    "line": "line",
    "stake": "stakes",
    "site": "site",
    "ground_item": "ground",
    "night": "night",
    "shelter": "shelter",
    "shelter_member": "who sleeps where",
    "night_plan": "what is asked of the plan",
    "named_plan": "plan kept by name",
    "forecast": "forecast",
    "membership": "role",
    "card_link": "link to a card",
    "invitation": "invitation",
    "sign_in": "sign-in",
    "account": "account",
    "provider": "provider",
    "erasing": "erased for good",
}
HIDDEN: Final = frozenset(
    (
        "id",
        "version",
        "course_id",
        "night_id",
        "position",
        "created_at",
        "made_at",
        "provider_id",
        "account_id",
        "person_id",
        "ends_at",
        "agent",
        "form",
        "findings",
    )
)
MOST: Final = 200
TOGETHER_S: Final = 2.0
"""Changes of one person so close to each other are told as one."""


@dataclass(frozen=True)
class Told:
    """Changes made together: the first one's number, when, by whom, and each in words; the one
    night they are about, if it is one; whether they touch a plan; whether the course itself was
    made then, so that there is nothing before.
    """

    first: int
    at: Any
    by: str
    lines: tuple[str, ...]
    night_id: int | None
    plan: bool
    made: bool


def _value(value: Any) -> str:
    if value is None or value == "":
        return "nothing"
    shown = str(value)
    return shown if len(shown) <= 40 else shown[:39] + "…"


def words_of(change: Change, names: Mapping[int, str] | None = None) -> str:
    """One change as a sentence; `names`: of accounts by number."""
    what = WORDS.get(change.kind, change.kind)
    row = change.after or change.before or {}
    if change.kind == "erasing":
        return f"{what}: {row.get('what', '')}"
    if change.kind == "sign_in":
        return "signed in" if change.before is None else "signed out"
    named = (
        row.get("name")
        or row.get("label")
        or row.get("title")
        or row.get("pitch")
        or row.get("kind")
        or row.get("email")
        or (names or {}).get(row.get("account_id") or 0)
        or ""
    )
    what = f"{what} {named}".strip() if change.kind != "shelter_member" else what
    if change.before is None:
        return f"{what}: added"
    if change.after is None:
        return f"{what}: taken away"
    if change.before.get("deleted_at") != change.after.get("deleted_at"):
        return f"{what}: " + (
            "deleted" if change.after.get("deleted_at") else "brought back"
        )
    parts = [
        _part(key, change.before.get(key), value)
        for key, value in change.after.items()
        if key not in HIDDEN and change.before.get(key) != value
    ]
    return f"{what}: {', '.join(parts) or 'kept again'}"


def _part(key: str, before: Any, after: Any) -> str:
    """One value changed; of values inside values, their names."""
    name = key.removesuffix("_m").replace("_", " ")
    if isinstance(before, dict) and isinstance(after, dict):
        inner = sorted(
            k.replace("_", " ") for k in {*before, *after} if before.get(k) != after.get(k)
        )
        return f"{name}: {', '.join(inner)}"
    return f"{name} {_value(before)} → {_value(after)}"


def told(
    session: Session, course_id: int, before: int | None = None, most: int = MOST
) -> list[Told]:
    """A course's changes, the newest first, those of one moment and person together."""
    query = select(Change).where(Change.course_id == course_id)
    if before is not None:
        query = query.where(Change.id < before)
    return _grouped(
        session, session.scalars(query.order_by(Change.id.desc()).limit(most)).all()
    )


def told_of_provider(session: Session, provider_id: int, most: int = MOST) -> list[Told]:
    """What the trail tells of a provider beside its courses: sign-ins, accounts, choices, erasings;
    the newest first.
    """
    query = select(Change).where(
        Change.provider_id == provider_id, Change.course_id.is_(None)
    )
    return _grouped(
        session, session.scalars(query.order_by(Change.id.desc()).limit(most)).all()
    )


def _names(session: Session, rows: Sequence[Change]) -> dict[int, str]:
    """Names of the accounts that changed something or were changed."""
    numbers = {r.account_id for r in rows}
    numbers |= {(r.after or r.before or {}).get("account_id") for r in rows}
    wanted = select(Account).where(Account.id.in_(numbers - {None}))
    return {a.id: a.name for a in session.scalars(wanted)}


def _grouped(session: Session, rows: Sequence[Change]) -> list[Told]:
    names = _names(session, rows)
    groups: list[list[Change]] = []
    for row in rows:
        last = groups[-1][-1] if groups else None
        close = (
            last is not None
            and (last.at - row.at).total_seconds() <= TOGETHER_S
            and last.account_id == row.account_id
        )
        if close:
            groups[-1].append(row)
        else:
            groups.append([row])
    return [_told(g, names) for g in groups]


def _told(group: Sequence[Change], names: dict[int, str]) -> Told:
    first, nights = group[-1], {c.night_id for c in group}
    own = first.after or first.before or {}
    number = own.get("account_id") if first.kind == "sign_in" else first.account_id
    by = "the server" if number is None else names.get(number, "somebody gone")
    return Told(
        first.id,
        first.at,
        by,
        tuple(dict.fromkeys(words_of(c, names) for c in reversed(group))),
        nights.pop() if len(nights) == 1 else None,
        any(c.kind in PLAN for c in group),
        any(c.kind == "course" and c.before is None for c in group),
    )


def newest(session: Session, course_id: int) -> int:
    """The number of the last change of a course; 0 while there is none."""
    query = select(func.max(Change.id)).where(Change.course_id == course_id)
    return session.scalar(query) or 0
