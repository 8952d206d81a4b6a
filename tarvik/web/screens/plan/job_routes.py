"""Jobs of a night's plan: asking for them, hearing how far they are (server-sent events), calling
them off.
"""

from __future__ import annotations

import asyncio
import json
from typing import TYPE_CHECKING, Annotated, Final

from fastapi import Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from tarvik.core.plain import JsonObject
from tarvik.core.units import Units
from tarvik.store import asks, courses
from tarvik.store.accounts import Role
from tarvik.web.access import RefusedError, for_role, guarded_router
from tarvik.web.deps import CourseHere, Db
from tarvik.web.screens.plan.job_view import shown
from tarvik.web.state import parts_of
from tarvik.work.queue import QueueError

if TYPE_CHECKING:
    from collections.abc import AsyncIterator

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/plan/jobs")
LOOK_EVERY_S: Final = 0.2
BREATHE_EVERY: Final = 50
"""Looks without news after which a line is sent all the same, so that nobody in between takes the
page for gone.
"""


class JobIn(BaseModel):
    """What is wanted."""

    kind: str = "plan"
    few_moves: bool = False
    hurt: int | None = None
    own: dict[Annotated[str, Field(max_length=40)], Annotated[int, Field(ge=0, le=99)]] = (
        Field(default={}, max_length=60)
    )


def ask(
    request: Request, course_id: int, night_id: int, kind: str, wish: JsonObject
) -> JsonObject:
    """Put a job in the queue."""
    with parts_of(request).database.session() as session:
        night = courses.night(session, course_id, night_id)
        units = Units(courses.course(session, course_id).units)
        job = asks.new_job(session, night, kind, wish)
        others = asks.open_jobs(session) - 1
        if others >= asks.MOST_OPEN:
            words = f"{others} plans are being made already; wait until one of them is done"
            raise RefusedError(429, words)
        told = shown(job, units)
    try:
        parts_of(request).queue.put(told["id"], others)
    except QueueError:
        with parts_of(request).database.session() as session:
            asks.call_off(session, night_id, told["id"])
        raise RefusedError(
            503, "no plan can be asked for just now; try again soon"
        ) from None
    return told


@router.post("")
@for_role(Role.ASSISTANT)
def begin(
    request: Request, course_id: int, night_id: int, wanted: JobIn
) -> dict[str, object]:
    """Ask for a job."""
    return ask(
        request,
        course_id,
        night_id,
        wanted.kind,
        {"few_moves": wanted.few_moves, "hurt": wanted.hurt, "own": wanted.own},
    )


@router.post("/begin")
@for_role(Role.ASSISTANT)
def begin_plan(request: Request, course_id: int, night_id: int) -> Response:
    """Ask for the whole plan, as a form does; the plan's page then shows how far it is."""
    ask(request, course_id, night_id, "plan", {"few_moves": False, "hurt": None})
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/plan", status_code=303)


@router.post("/{job_id:number}/cancel")
@for_role(Role.ASSISTANT)
def cancel(
    session: Db, course: CourseHere, course_id: int, night_id: int, job_id: int
) -> dict[str, object]:
    """Call a job off."""
    courses.night(session, course_id, night_id)
    units = Units(course.units)
    return shown(asks.call_off(session, night_id, job_id), units)


@router.get("/{job_id:number}")
@for_role(Role.VIEWER)
def look(request: Request, course_id: int, night_id: int, job_id: int) -> JsonObject:
    """How far a job is."""
    with parts_of(
        request
    ).database.session() as session:  # asked again and again while it streams
        courses.night(session, course_id, night_id)
        units = Units(courses.course(session, course_id).units)
        return shown(asks.one_job(session, night_id, job_id), units)


@router.get("/{job_id:number}/events")
@for_role(Role.VIEWER)
async def events(
    request: Request, course_id: int, night_id: int, job_id: int
) -> StreamingResponse:
    """How far a job is, each time there is news, until it ends."""
    first = await run_in_threadpool(
        look, request, course_id, night_id, job_id
    )  # a stranger's job is refused before streaming

    async def news() -> AsyncIterator[str]:
        told, quiet = "", 0
        state: JsonObject = first
        while True:
            text = json.dumps(state)
            if text != told:
                told, quiet = text, 0
                yield f"data: {text}\n\n"
            else:
                quiet += 1
                if quiet % BREATHE_EVERY == 0:
                    yield ": still at it\n\n"
            if not state["open"] or await request.is_disconnected():
                return
            await asyncio.sleep(LOOK_EVERY_S)
            state = await run_in_threadpool(look, request, course_id, night_id, job_id)

    return StreamingResponse(
        news(), media_type="text/event-stream", headers={"Cache-Control": "no-store"}
    )
