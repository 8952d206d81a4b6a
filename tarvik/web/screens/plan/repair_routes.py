"""What would make a plan possible, done with one click: locks and pairs let go. Kit and sheets are
never written by a repair: people bring them and put them on the list. What only people can decide
(consent, lending) is left to them.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

from fastapi import Request
from fastapi.responses import Response
from pydantic import BaseModel, Field

from tarvik.store import asks, courses, night_plan
from tarvik.store.accounts import Role
from tarvik.web.access import RefusedError, for_role, guarded_router
from tarvik.web.deps import Db, me
from tarvik.web.screens.plan.routes import refreshed
from tarvik.web.shared.repairs import LOCKS, Step, step_of

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/plan")


class RepairIn(BaseModel):
    """A repair: what is let go, by tag."""

    tags: list[Annotated[str, Field(max_length=60)]] = Field(min_length=1, max_length=60)


@router.post("/repair")
@for_role(Role.ASSISTANT)
def repair(
    request: Request, session: Db, course_id: int, night_id: int, wanted: RepairIn
) -> Response:
    """Do what a repair says, and keep what it promises, to be checked by the next plan."""
    steps = [step_of(tag) for tag in wanted.tags]
    least = max(s.least for s in steps)
    role = me(request).role
    if role is None or role < least:
        raise RefusedError(403, "people, kit and rules are a leader's to change: ask one")
    courses.night(session, course_id, night_id)
    for step in steps:
        _let_go(session, course_id, night_id, step)
    asks.promise(session, night_id, _words(session, night_id, wanted.tags))
    return refreshed(request, session, course_id, night_id)


def _words(session: Session, night_id: int, tags: list[str]) -> str:
    """What the plan said of this repair."""
    plan = (night_plan.of_night(session, night_id).found or {}).get("plan") or {}
    for told in (plan.get("impasse") or {}).get("repairs", ()):
        if list(told["tags"]) == tags:
            return " and ".join(f"not holding to “{words}”" for words in told["words"])
    return "what was unlocked"


def _let_go(session: Session, course_id: int, night_id: int, step: Step) -> None:
    if step.kind == "lock":
        held = asks.asked_of(night_plan.of_night(session, night_id))["locks"]
        kind = LOCKS[step.what]
        if step.numbers[0] in held[kind]:
            asks.toggle_lock(session, night_id, kind, step.numbers[0])
    elif step.kind == "always":
        pairs = (courses.locked(session, course_id).rules or {}).get("pairs", [])
        left = [p for p in pairs if p != ["always", *step.numbers]]
        courses.set_rule(session, course_id, "pairs", left)
