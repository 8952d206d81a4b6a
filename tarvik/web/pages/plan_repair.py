"""What would make a plan possible, done with one click: borrowed kit put into the bag and marked
so, locks and pairs let go. What only people can decide (consent, safeguarding, lending) is left to
them.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Final

from fastapi import Request
from pydantic import BaseModel, Field

from tarvik.store import asks, courses, kit
from tarvik.store.accounts import Role
from tarvik.store.models import Course
from tarvik.web.access import RefusedError, for_role, guarded_router
from tarvik.web.pages.common import me, tarvik
from tarvik.web.pages.plan import refreshed
from tarvik.web.repairs import LOCKS, Step, step_of

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/plan")
BORROWED: Final = "to borrow"


class RepairIn(BaseModel):
    """A repair: what is set aside, and the pieces of kit it wants."""

    tags: list[Annotated[str, Field(max_length=60)]] = Field(max_length=60)
    short: list[tuple[Annotated[str, Field(max_length=20)], int]] = Field(
        default_factory=list, max_length=20
    )


@router.post("/repair")
@for_role(Role.ASSISTANT)
def repair(request: Request, course_id: int, night_id: int, wanted: RepairIn) -> Any:
    """Do what a repair says."""
    steps = [step_of(tag) for tag in wanted.tags]
    least = max([Role.LEADER if wanted.short else Role.ASSISTANT, *(s.least for s in steps)])
    role = me(request).role
    if role is None or role < least:
        raise RefusedError(403, "people, kit and rules are a leader's to change: ask one")
    with tarvik(request).database.session() as session:
        courses.night(session, course_id, night_id)
        for kind, pieces in wanted.short:
            _borrow(session, course_id, kind, pieces)
        for step in steps:
            _let_go(session, course_id, night_id, step)
        return refreshed(request, session, course_id, night_id)


def _borrow(session: Session, course_id: int, kind: str, pieces: int) -> None:
    count = max(1, min(pieces, 200))
    values: dict[str, tuple[str, dict[str, Any]]] = {
        "stake": ("stakes", {"count": count}),
        "line": ("lines", {"count": count, "length_m": 5.5}),
        "pole": ("supports", {"kind": "pole", "count": count, "least_m": 0.9, "most_m": 1.45}),
        "tree": ("supports", {"kind": "tree", "count": count}),
    }
    if kind in values:
        table, row = values[kind]
        kit.add(session, course_id, table, [{**row, "note": BORROWED}])


def _let_go(session: Session, course_id: int, night_id: int, step: Step) -> None:
    if step.kind == "bed":
        sheet = {"width_m": 3.0, "length_m": 3.0, "tie_outs": ["corners", "mid-sides"]}
        kit.add(session, course_id, "sheets", [{**sheet, "label": BORROWED, "note": BORROWED}])
    elif step.kind == "lock":
        held = asks.asked_of(asks.of_night(session, night_id))["locks"]
        kind = LOCKS[step.what]
        if step.numbers[0] in held[kind]:
            asks.toggle_lock(session, night_id, kind, step.numbers[0])
    elif step.kind == "always":
        course = session.get_one(Course, course_id, with_for_update=True)
        pairs = (course.rules or {}).get("pairs", [])
        left = [p for p in pairs if p != ["always", *step.numbers]]
        course.rules = {**(course.rules or {}), "pairs": left}
