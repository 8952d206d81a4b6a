"""People erased once that was announced, unless the clock jumped; the bin of what was deleted."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING

import pytest
from sqlalchemy import delete, select

from tarvik.store import (
    accounts,
    courses,
    deleted,
    erasing,
    kit,
)
from tarvik.store.kit import NotFoundError
from tarvik.store.models import (
    Change,
    Course,
    Erasure,
    Person,
    SheetRow,
    SignIn,
    now,
)
from tests.small_course import small_course

if TYPE_CHECKING:
    from datetime import datetime

    from sqlalchemy.orm import Session

    from tarvik.store.database import Database


pytestmark = pytest.mark.database


def _over_for_long(session: Session, at: datetime) -> tuple[int, int]:
    """A course over for long and a fresh one, in a server somebody uses."""
    old, _ = small_course(session)
    fresh, _ = small_course(session)
    session.get_one(Course, old).created_at = at - timedelta(days=900)
    for one in courses.nights(session, old):
        one.on = (at - timedelta(days=200)).date()
    home = accounts.home_provider(session)
    ada = accounts.new_account(
        session, home, "ada@first.example", "Ada", "tall grass under rain"
    )
    accounts.sign_in(session, ada)
    return old, fresh


def _used(session: Session, at: datetime) -> None:
    """Somebody uses the server at that time."""
    for row in session.scalars(select(SignIn)):
        row.seen_at = at
    session.flush()


def _there(session: Session, course: int) -> int:
    return len(session.scalars(select(Person).where(Person.course_id == course)).all())


def test_people_of_courses_long_over_are_erased_once_it_was_announced(
    database: Database,
) -> None:
    with database.session() as session:
        at = now()
        old, fresh = _over_for_long(session, at)
        assert erasing.erasing_round(session, at).announced == 1
        told = erasing.announcement(session, old)
        assert told is not None and told.due_at == at + erasing.ANNOUNCED_FOR
        assert erasing.announcement(session, fresh) is None
        for days in (1, 13):
            _used(session, at + timedelta(days=days))
            done = erasing.erasing_round(session, at + timedelta(days=days))
            assert (done.announced, done.erased, _there(session, old)) == (0, 0, 4)
        _used(session, at + timedelta(days=14))
        assert erasing.erasing_round(session, at + timedelta(days=14)).erased == 4
        assert (_there(session, old), _there(session, fresh)) == (0, 4)
        assert erasing.announcement(session, old) is None
        assert erasing.erasing_round(session, at + timedelta(days=15)) == erasing.Round()


def test_an_announcement_goes_when_people_are_kept_longer(database: Database) -> None:
    with database.session() as session:
        at = now()
        old, _ = _over_for_long(session, at)
        erasing.erasing_round(session, at)
        courses.nights(session, old)[-1].on = at.date()
        session.flush()
        erasing.erasing_round(session, at)
        assert erasing.announcement(session, old) is None


@pytest.mark.parametrize(
    "ahead", [timedelta(days=4), timedelta(days=400), timedelta(days=90_000)]
)
def test_a_clock_that_jumps_erases_nobody(database: Database, ahead: timedelta) -> None:
    """Far ahead of the newest entry it is not believed, however often it is asked; and what was
    announced by a wrong clock does not hold once it is right again.
    """
    with database.session() as session:
        at = now()
        old, fresh = _over_for_long(session, at)
        erasing.erasing_round(session, at)
        for _ in range(3):
            assert erasing.erasing_round(session, at + ahead).doubted
        assert (_there(session, old), _there(session, fresh)) == (4, 4)
        session.execute(delete(Erasure))
        _used(session, at + ahead)
        erasing.erasing_round(session, at + ahead)
        _used(session, at)
        erasing.erasing_round(session, at)
        told = erasing.announcement(session, old)
        assert told is None or told.due_at <= at + erasing.ANNOUNCED_FOR
        assert erasing.announcement(session, fresh) is None


def test_what_was_deleted_comes_back_for_thirty_days(database: Database) -> None:
    with database.session() as session:
        at = now()
        _over_for_long(session, at)
        course, night = small_course(session)
        person = kit.rows(session, course, "people")[3]
        sheet = kit.rows(session, course, "sheets")[0]
        kit.delete(session, course, "people", person.id)
        kit.delete(session, course, "sheets", sheet.id)
        deleted.delete_night(session, course, night)
        assert [(d.kind, d.id) for d in deleted.of_course(session, course)] == [
            ("night", night),
            ("sheet", sheet.id),
            ("person", person.id),
        ]
        for kind, number in (("night", night), ("person", person.id)):
            deleted.bring_back(session, course, kind, number)
        assert courses.night(session, course, night) and _there(session, course) == 4
        for bad in (("moon", 1), ("person", 10**8), ("night", night + 100)):
            with pytest.raises(NotFoundError):
                deleted.bring_back(session, course, *bad)
        kit.delete(session, course, "people", person.id)
        other, _ = small_course(session)
        courses.delete_course(session, other)
        home = accounts.home_provider(session)
        assert [c.id for c in deleted.courses(session, home)] == [other]
        late = at + timedelta(days=31)
        _used(session, late)
        assert erasing.erasing_round(session, late).purged == 3
        assert session.get(Course, other) is None and _there(session, course) == 3
        assert session.get(SheetRow, sheet.id) is None
        assert str(person.id) not in {
            c.row_key
            for c in session.scalars(select(Change).where(Change.kind == "person"))
        }
