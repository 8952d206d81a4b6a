"""A night made again."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import pytest

from tarvik.store import courses, kit, nights, plans
from tarvik.store.kit import NotFoundError
from tarvik.store.night_copy import copied
from tests.small_course import small_course

if TYPE_CHECKING:
    from tarvik.store.database import Database

pytestmark = pytest.mark.database


def test_a_night_again_has_the_same_place_weather_and_shelters(database: Database) -> None:
    """And is one of its own: what is changed there leaves the first as it was."""
    with database.session() as session:
        course, first = small_course(session)
        night = courses.night(session, course, first)
        sheet = kit.rows(session, course, "sheets")[0].id
        people = [p.id for p in kit.rows(session, course, "people")][:2]
        spot = {"x": 2.0, "y": 3.0, "front_deg": 90.0, "trees": []}
        plans.choose(
            session,
            night,
            plans.Choice(sheet, "a-frame", {"height": 1.0}, tuple(people), spot=spot),
        )
        made = copied(session, course, first)
        assert made.position == max(n.position for n in courses.nights(session, course))
        assert made.title == f"{night.title} again"
        assert replace(nights.needs_of(made), on=None) == replace(
            nights.needs_of(night), on=None
        )
        assert made.site_id == night.site_id
        (again,) = plans.shelters(session, made.id)
        (before,) = plans.shelters(session, first)
        assert plans.as_choice(again) == plans.as_choice(before)
        plans.remove(session, made, again.id)
        assert len(plans.shelters(session, first)) == 1


def test_another_courses_night_is_not_copied(database: Database) -> None:
    with database.session() as session:
        course, _ = small_course(session)
        with pytest.raises(NotFoundError):
            copied(session, course, 999_999)
