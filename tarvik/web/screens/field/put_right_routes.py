"""Put right from the field: where a shelter stands, how thick a tree is."""

from __future__ import annotations

from typing import Annotated

from fastapi import Request
from pydantic import BaseModel, Field, StringConstraints

from tarvik.core.units import Units
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere
from tarvik.web.screens.field.put_right import Moved, measure_tree, move
from tarvik.web.screens.field.view import shelter_of
from tarvik.web.shared.standing import judge_of, scene_of

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/field")
Short = Annotated[str, StringConstraints(max_length=40)]
Words = Annotated[str, StringConstraints(max_length=120)]
Metres = Annotated[float, Field(ge=-5000, le=5000, allow_inf_nan=False)]
Degrees = Annotated[float, Field(ge=-720, le=720, allow_inf_nan=False)]


class MovedIn(BaseModel):
    """A move as the device sends it. `x`, `y`, `front_deg`: where it had the shelter, `was`: the
    same in words.
    """

    way: Short
    toward: Short
    front: Short = ""
    x: Metres
    y: Metres
    front_deg: Degrees
    was: Words


class Put(BaseModel):
    """What is kept now."""

    text: str
    version: int


class TreeIn(BaseModel):
    """A trunk as measured, and what the device had."""

    text: Short
    version: int
    was: Short = ""


@router.patch("/spot/{sheet_id:number}")
@for_role(Role.ASSISTANT)
def spot(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    sheet_id: int,
    told: MovedIn,
) -> Put:
    """Put a shelter where it was found to stand."""
    scene = scene_of(session, course.id, night.id)
    row, _ = shelter_of(session, night, sheet_id)
    judge = judge_of(request, session, scene.course, scene.tonight, night.id)
    words = move(session, judge, scene, row, Moved(**told.model_dump()))
    return Put(text=words, version=night.version)


@router.patch("/trees/{item_id:number}")
@for_role(Role.ASSISTANT)
def tree(
    session: Db, course: CourseHere, night: NightHere, item_id: int, told: TreeIn
) -> Put:
    """Keep how thick a tree is."""
    units = Units(course.units)
    kept = measure_tree(session, night, item_id, told.text, told.version, told.was, units)
    return Put(text=kept.text, version=kept.version)
