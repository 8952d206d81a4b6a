"""The kit library: numbers, condition, loans, and what two courses want on the same dates."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING

import pytest

from tarvik.core.errors import InputError
from tarvik.core.units import Units
from tarvik.store import courses, kit, library
from tarvik.store.kit import NotFoundError
from tarvik.store.library import ItemIn
from tests.small_course import small_course

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database
    from tarvik.store.models import Course

pytestmark = pytest.mark.database
SHEET = ItemIn("T-07", "green sheet", "3 x 3 m", ("corners", "mid-sides"), "nylon")


def course(session: Session, number: int) -> Course:
    return courses.course(session, number)


def dated(session: Session, number: int, *on: date) -> None:
    nights = list(courses.nights(session, number))
    while len(nights) < len(on):
        nights.append(courses.add_night(session, number))
    for night, day in zip(nights, on, strict=False):
        night.on = day
    session.flush()


def test_a_lent_sheet_is_one_of_the_courses_sheets_until_it_is_given_back(
    database: Database,
) -> None:
    with database.session() as session:
        number, _ = small_course(session)
        before = len(kit.rows(session, number, "sheets"))
        provider = course(session, number).provider_id
        item = library.add(session, provider, SHEET, Units.METRIC)
        loan = library.lend(session, number, item.id)
        (sheet,) = [s for s in kit.rows(session, number, "sheets") if s.id == loan.sheet_id]
        assert (sheet.width_m, sheet.length_m, sheet.owner_id) == (3.0, 3.0, None)
        assert sheet.label == "T-07 green sheet"
        assert sheet.tie_outs == ["corners", "mid-sides"]
        assert [one.course_id for one in library.open_loans(session, item.id)] == [number]
        with pytest.raises(InputError, match="with this course already"):
            library.lend(session, number, item.id)
        with pytest.raises(InputError, match="give it back first"):
            library.delete(session, provider, item.id)
        library.give_back(session, number, loan.id)
        assert len(kit.rows(session, number, "sheets")) == before
        assert library.open_loans(session, item.id) == []
        library.delete(session, provider, item.id)
        assert library.items(session, provider) == []
        library.delete(session, provider, item.id, undo=True)
        assert [one.number for one in library.items(session, provider)] == ["T-07"]


def test_two_courses_on_the_same_dates_are_told(database: Database) -> None:
    with database.session() as session:
        one, _ = small_course(session)
        other = courses.new_course(session, "Other", "", "metric", 1, None).id
        provider = course(session, one).provider_id
        course(session, other).provider_id = provider
        item = library.add(session, provider, SHEET, Units.METRIC)
        kits = library.add(session, provider, ItemIn("K-1", "repair kit"), Units.METRIC)
        for number in (one, other):
            library.lend(session, number, item.id)
        library.lend(session, one, kits.id)
        assert library.clashes(session, one) == []  # nobody has dates
        dated(session, one, date(2027, 6, 1), date(2027, 6, 3))
        dated(session, other, date(2027, 6, 4))
        assert library.clashes(session, one) == []
        dated(session, other, date(2027, 6, 3), date(2027, 6, 8))
        (clash,) = library.clashes(session, one)
        assert (clash.item.number, clash.other.id) == ("T-07", other)
        assert (clash.first, clash.last) == (date(2027, 6, 3), date(2027, 6, 3))
        assert [c.other.id for c in library.clashes(session, other)] == [one]
        library.give_back(session, other, library.loans(session, other)[0].id)
        assert library.clashes(session, one) == []


@pytest.mark.parametrize(
    ("told", "words"),
    [
        (ItemIn(" "), "give it a number"),
        (ItemIn("9"), "say what it is"),
        (ItemIn("9", size="tall"), "not a length"),
        (ItemIn("9", size="0.3 x 0.3 m"), "no size of a sheet"),
        (ItemIn("9", "net", condition="new"), "choose one of"),
        (ItemIn("T-07", "net"), "there is a number T-07"),
    ],
)
def test_what_cannot_be_is_told(database: Database, told: ItemIn, words: str) -> None:
    with database.session() as session:
        number, _ = small_course(session)
        provider = course(session, number).provider_id
        library.add(session, provider, SHEET, Units.METRIC)
        with pytest.raises(InputError, match=words):
            library.add(session, provider, told, Units.METRIC)


def test_what_is_to_be_mended_is_not_lent_and_strangers_get_nothing(
    database: Database,
) -> None:
    with database.session() as session:
        number, _ = small_course(session)
        provider = course(session, number).provider_id
        item = library.add(session, provider, SHEET, Units.METRIC)
        worse = ItemIn("T-07", size="10 x 10 ft", condition="mend", note="a tear")
        library.change(session, provider, item.id, worse, Units.METRIC)
        assert item.width_m == pytest.approx(3.048)
        with pytest.raises(InputError, match="to be mended"):
            library.lend(session, number, item.id)
        with pytest.raises(NotFoundError):
            library.item(session, provider + 1, item.id)
        with pytest.raises(NotFoundError):
            library.give_back(session, number, 12345)
