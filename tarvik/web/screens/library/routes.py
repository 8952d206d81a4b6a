"""The provider's kit library: what there is, its condition, who has it; lending to a course."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from tarvik.core.errors import InputError
from tarvik.core.sheet import TieOuts
from tarvik.core.units import Units
from tarvik.store import courses, library
from tarvik.store.accounts import Role
from tarvik.store.library import CONDITIONS, ItemIn
from tarvik.store.models import Course, LibraryItem
from tarvik.web.access import for_members, for_owners, for_role, guarded_router
from tarvik.web.deps import Db, me, page

router = guarded_router()
Short = Annotated[str, Field(max_length=80)]


class ItemForm(BaseModel):
    """An item as typed. `units`: what bare numbers of its size are in."""

    number: Annotated[str, Field(max_length=20)] = ""
    name: Short = ""
    size: Short = ""
    ties: list[Short] = Field(default=[], max_length=len(TieOuts))
    material: Annotated[str, Field(max_length=40)] = ""
    condition: Annotated[str, Field(max_length=20)] = "good"
    checked_on: Annotated[str, Field(max_length=10)] = ""
    note: Annotated[str, Field(max_length=400)] = ""
    units: Units = Units.METRIC

    def item(self) -> ItemIn:
        """The same for the store. Raises InputError."""
        try:
            checked = date.fromisoformat(self.checked_on) if self.checked_on else None
        except ValueError:
            raise InputError("checked_on", f"“{self.checked_on}” is no date") from None
        return ItemIn(
            self.number,
            self.name,
            self.size,
            tuple(self.ties),
            self.material,
            self.condition,
            checked,
            self.note.strip(),
        )


@dataclass(frozen=True, slots=True)
class ItemShown:
    """An item with the courses that have it now."""

    item: LibraryItem
    with_courses: tuple[Course, ...]


@router.get("/library")
@for_members
def show(request: Request, session: Db) -> Response:
    """The library."""
    return _shown(request, session)


def _shown(
    request: Request,
    session: Session,
    status: int = 200,
    *,
    fault: InputError | None = None,
    typed: ItemForm | None = None,
) -> Response:
    asker = me(request)
    away = library.with_courses(session, asker.provider_id)
    rows = [
        ItemShown(item, tuple(away.get(item.id, ())))
        for item in library.items(session, asker.provider_id)
    ]
    return page(
        request,
        "library/library.html",
        status,
        rows=rows,
        conditions=CONDITIONS,
        patterns=[tie.value for tie in TieOuts if tie is not TieOuts.NONE],
        typed=typed or ItemForm(),
        fault=fault,
    )


@router.post("/library")
@for_owners
def add(request: Request, session: Db, form: Annotated[ItemForm, Form()]) -> Response:
    """Put something in; on a mistake show the form again with everything typed still there."""
    try:
        with session.begin_nested():
            library.add(session, me(request).provider_id, form.item(), form.units)
    except InputError as err:
        return _shown(request, session, 422, fault=err, typed=form)
    return RedirectResponse("/library", status_code=303)


@router.post("/library/{item_id:number}")
@for_owners
def change(
    request: Request, session: Db, item_id: int, form: Annotated[ItemForm, Form()]
) -> Response:
    """Put what is known of an item right."""
    library.change(session, me(request).provider_id, item_id, form.item(), form.units)
    return RedirectResponse(f"/library#item-{item_id}", status_code=303)


@router.post("/library/{item_id:number}/delete")
@for_owners
def delete(
    request: Request,
    session: Db,
    item_id: int,
    undo: Annotated[str, Form(max_length=3)] = "",
) -> Response:
    """Take an item off the list, or put it back."""
    library.delete(session, me(request).provider_id, item_id, undo=bool(undo))
    return RedirectResponse("/library", status_code=303)


@router.post("/courses/{course_id:number}/library/lend")
@for_role(Role.LEADER)
def lend(
    session: Db, course_id: int, item: Annotated[str, Form(max_length=12)] = ""
) -> Response:
    """Lend an item to a course."""
    courses.course(session, course_id)
    if not item.isdecimal():
        raise InputError("item", "choose something of the library")
    library.lend(session, course_id, int(item))
    return RedirectResponse(f"/courses/{course_id}/kit#library", status_code=303)


@router.post("/courses/{course_id:number}/library/{loan_id:number}/back")
@for_role(Role.LEADER)
def give_back(session: Db, course_id: int, loan_id: int) -> Response:
    """Give an item back."""
    courses.course(session, course_id)
    library.give_back(session, course_id, loan_id)
    return RedirectResponse(f"/courses/{course_id}/kit#library", status_code=303)
