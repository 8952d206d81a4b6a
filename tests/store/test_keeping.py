"""The trail and what is restored from it, backups, course files, erasing."""

from __future__ import annotations

import json
import stat
import zipfile
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select, text

from tarvik.core.errors import InputError
from tarvik.demo.course import FILE, ensure_demo
from tarvik.exchange import course_file as form
from tarvik.store import (
    accounts,
    asks,
    backup,
    course_file,
    course_in,
    courses,
    erasing,
    history,
    kit,
    links,
    plans,
)
from tarvik.store.database import Database
from tarvik.store.kit import NotFoundError
from tarvik.store.models import (
    Base,
    Change,
    Course,
    Night,
    now,
)
from tarvik.store.scope import Scope, within
from tests.small_course import small_course

if TYPE_CHECKING:
    from tarvik.store.server import Server

pytestmark = pytest.mark.database
ROOT = Path(__file__).parents[2]


def everything(database: Database) -> dict[str, list[Any]]:
    """All rows of all tables."""
    with database.engine.connect() as connection:
        return {
            t.name: sorted(
                map(
                    repr,
                    connection.execute(
                        text(f'select to_jsonb(t) from "{t.name}" t')  # noqa: S608
                    ).scalars(),
                )
            )
            for t in Base.metadata.sorted_tables
        }


ODD: list[Any] = [
    None,
    -1,
    0,
    1e308,
    2**70,
    "",
    "x" * 300,
    "=1+1",
    [],
    {},
    [[]],
    True,
    "\x00",
    "nan",
    0.5,
]


def as_it_is(database: Database, course: int) -> str:
    """A course as its file tells it."""
    with database.session() as session:
        return form.write(course_file.export(session, course))


def put_up(database: Database, night_id: int, people: int = 2) -> None:
    with database.session() as session:
        night = session.get(Night, night_id)
        assert night is not None
        sheet = kit.rows(session, night.course_id, "sheets")[0]
        who = [p.id for p in kit.rows(session, night.course_id, "people")][:people]
        plans.choose(
            session,
            night,
            plans.Choice(sheet.id, "plow-point", {"height": 1.2}, tuple(who)),
        )


def test_every_change_is_on_the_trail_with_who_made_it(database: Database) -> None:
    with database.session() as session:
        course, _ = small_course(session)
        ada = accounts.new_account(
            session,
            accounts.home_provider(session),
            "ada@first.example",
            "Ada",
            "tall grass under rain",
        )
        scope = Scope(ada.provider_id, ada.id)
    with within(scope), database.session() as session:
        person = kit.rows(session, course, "people")[0]
        kit.change(
            session,
            courses.course(session, course),
            "people",
            person.id,
            "name",
            "Ada Long",
            person.version,
            "Ada L",
        )
    with database.session() as session:
        told = history.told(session, course)[0]
        assert told.by == "Ada" and told.lines == (
            "person Ada Long: name Ada L → Ada Long",
        )
        assert all(
            (c.course_id is None) == (c.kind in ("provider", "account"))
            and (c.kind == "provider" or c.provider_id == ada.provider_id)
            for c in session.scalars(select(Change))
        )


def test_a_backup_comes_back_as_it_was(
    database: Database, server: Server, tmp_path: Path
) -> None:
    """Every row of every table the same in an empty server, and new rows get new numbers."""
    with database.session() as session:
        ensure_demo(session)
        course, night = small_course(session)
        links.make_link(session, course, kit.rows(session, course, "people")[0].id)
        accounts.new_account(
            session,
            accounts.home_provider(session),
            "ada@first.example",
            "Ada",
            "tall grass under rain",
        )
    put_up(database, night)
    out = tmp_path / "all.zip"
    backup.back_up(database, out)
    other = Database(server.fresh_database("tarvik_restored"))
    backup.restore(other, out)
    assert everything(other) == everything(database)
    with other.session() as session:
        made = courses.new_course(session, "After", "", "metric", 1, None)
        assert made.id > course
    with pytest.raises(backup.BackupError, match="not empty"):
        backup.restore(other, out)
    other.close()


def _without(source: Path, out: Path, part: str, table: str = "") -> None:
    """A backup without a part, and without the mention of a table in its manifest."""
    with zipfile.ZipFile(source) as good, zipfile.ZipFile(out, "w") as worse:
        for name in good.namelist():
            data = good.read(name)
            if name == "manifest.json" and table:
                told = json.loads(data)
                del told["tables"][table]
                data = json.dumps(told).encode()
            if name != part:
                worse.writestr(name, data)


def test_open_jobs_are_called_off_in_what_comes_back(
    database: Database, server: Server, tmp_path: Path
) -> None:
    """The queue is not part of a backup: nobody would ever take them up."""
    with database.session() as session:
        _, night = small_course(session)
        asks.new_job(session, session.get_one(Night, night), "plan", {})
    backup.back_up(database, tmp_path / "all.zip")
    other = Database(server.fresh_database("tarvik_jobs"))
    backup.restore(other, tmp_path / "all.zip")
    with other.session() as session:
        assert not asks.any_waiting(session) and asks.open_jobs(session) == 0
    other.close()


def test_a_backup_is_for_its_owner_alone_or_not_there(
    database: Database, tmp_path: Path
) -> None:
    """Mode 0600; on a full disk, or where nobody may write, a sentence and no half file."""
    out = tmp_path / "all.zip"
    out.write_bytes(b"older")
    out.chmod(0o644)
    backup.back_up(database, out)
    assert stat.S_IMODE(out.stat().st_mode) == 0o600
    with pytest.raises(backup.BackupError, match="could not be written"):
        backup.back_up(database, tmp_path / "nowhere" / "all.zip")
    full = tmp_path / "full.zip"
    (tmp_path / "full.zip.part").symlink_to("/dev/full")
    with pytest.raises(backup.BackupError, match="No space left"):
        backup.back_up(database, full)
    assert not full.exists()


def test_a_damaged_backup_is_refused_whole(
    database: Database, server: Server, tmp_path: Path
) -> None:
    with database.session() as session:
        small_course(session)
    out, bad = tmp_path / "all.zip", tmp_path / "bad.zip"
    backup.back_up(database, out)
    with zipfile.ZipFile(out) as good, zipfile.ZipFile(bad, "w") as worse:
        for name in good.namelist():
            data = good.read(name)
            worse.writestr(
                name, data.replace(b"Ada L", b"Eve L") if name == "person.copy" else data
            )
    other = Database(server.fresh_database("tarvik_refused"))
    with pytest.raises(backup.BackupError, match="person"):
        backup.restore(other, bad)
    for without in ("person.copy", "change.copy", "manifest.json"):
        _without(out, bad, without)
        with pytest.raises(backup.BackupError, match=r"missing"):
            backup.restore(other, bad)
    for table in ("change", "person"):
        _without(out, bad, f"{table}.copy", table)
        with pytest.raises(backup.BackupError, match=f"incomplete: it lacks {table}"):
            backup.restore(other, bad)
    whole = out.read_bytes()
    for cut in (whole[: len(whole) // 2], whole[:-30], whole[100:], b"PK" + b"x" * 500):
        bad.write_bytes(cut)
        with pytest.raises(backup.BackupError) as refused:
            backup.restore(other, bad)
        assert len(str(refused.value).splitlines()) == 1
    for manifest in (
        "[]",
        "{}",
        '{"form": 3, "tables": {}, "revision": ""}',
        '{"form": "tarvik-backup-1", "tables": {"person": 1}, "revision": "0007"}',
        '{"form": "tarvik-backup-1", "tables": {}, "revision": "from later"}',
    ):
        with zipfile.ZipFile(bad, "w") as worse:
            worse.writestr("manifest.json", manifest)
        with pytest.raises(backup.BackupError):
            backup.restore(other, bad)
    (tmp_path / "no.zip").write_bytes(b"nothing")
    with pytest.raises(backup.BackupError):
        backup.restore(other, tmp_path / "no.zip")
    other.close()


def test_a_filled_database_goes_back_and_forward(server: Server) -> None:
    """The accounts' migration taken back and made again keeps the courses; earlier courses get a
    provider.
    """
    database = Database(server.fresh_database("tarvik_back"))
    database.migrate()
    with database.session() as session:
        course, night = small_course(session)
    put_up(database, night)
    before = as_it_is(database, course)
    database.unmigrate("0004")
    database.migrate()
    assert as_it_is(database, course) == before
    with database.session() as session:
        assert session.get_one(Course, course).provider_id == accounts.home_provider(
            session
        )
    database.close()


def renumbered(text_: str) -> Any:
    """A course file with its keys counted from one, so that two servers' files compare."""
    told = json.loads(text_)
    order = {
        name: {one["key"]: n for n, one in enumerate(told[name], 1)}
        for name in ("people", "sheets", "sites")
    }

    def walk(value: Any, name: str = "", inside: str = "") -> Any:
        if isinstance(value, dict):
            return {k: walk(v, k, inside or name) for k, v in value.items()}
        if isinstance(value, list):
            return [walk(v, name, inside) for v in value]
        kind = {
            "owner": "people",
            "people": "people",
            "sheet": "sheets",
            "site": "sites",
            "key": inside,
            "one": "people",
            "two": "people",
            "locked_people": "people",
            "locked_unused": "sheets",
            "locked_standing": "sheets",
            "gone": "people",
            "person": "people",
        }.get(name, "")
        return (
            order[kind].get(value, value)
            if kind in order and isinstance(value, int)
            else value
        )

    return {k: walk(v, k) for k, v in told.items()}


def test_a_course_file_brought_in_tells_the_same_course(database: Database) -> None:
    with database.session() as session:
        course, night = small_course(session)
        people, sheets = (
            kit.rows(session, course, "people"),
            kit.rows(session, course, "sheets"),
        )
        session.get_one(Course, course).rules = {
            "pairs": [["never", people[0].id, people[2].id]],
            "net_kind": "box",
        }
        asks.set_asked(
            session,
            night,
            {"locks": {"people": [people[1].id], "standing": [], "unused": [sheets[2].id]}},
        )
    put_up(database, night)
    with database.session() as session:
        asks.keep_as(session, session.get_one(Night, night), "low")
        ensure_demo(session)
    for number in (course, course + 1):
        told = as_it_is(database, number)
        with database.session() as session:
            again = course_in.bring_in(session, form.read(told)).id
        assert again != number
        assert renumbered(as_it_is(database, again)) == renumbered(told)


def test_the_demo_is_a_course_file_and_meets_the_published_schema() -> None:
    """Checked by an independent reader of JSON Schema."""
    import jsonschema_rs

    schema = form.schema()
    jsonschema_rs.validate(schema, json.loads(FILE.read_text()))
    assert json.loads((ROOT / "docs" / "course.schema.json").read_text()) == schema
    with pytest.raises(jsonschema_rs.ValidationError):
        jsonschema_rs.validate(schema, {"form": "tarvik-course-1", "name": ""})


@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
    max_examples=120,
)
@given(data=st.data())
def test_a_file_with_anything_wrong_is_refused_or_taken_never_more(
    database: Database, data: st.DataObject
) -> None:
    """One value anywhere in the demo's file is replaced: the answer is a course or an InputError,
    and nothing half.
    """
    told = json.loads(FILE.read_text())
    told["sites"][0]["items"] = told["sites"][0]["items"][:6]
    places: list[tuple[Any, Any]] = []

    def walk(value: Any) -> None:
        for key, inner in value.items() if isinstance(value, dict) else enumerate(value):
            places.append((value, key))
            if isinstance(inner, dict | list):
                walk(inner)

    walk(told)
    holder, key = data.draw(st.sampled_from(places))
    holder[key] = data.draw(st.sampled_from(ODD))
    with database.session() as session:
        count = len(session.scalars(select(Course.id)).all())
    try:
        with database.session() as session:
            course_in.bring_in(session, form.read(json.dumps(told)))
    except InputError as err:
        assert err.field == "file" and err.message
        with database.session() as session:
            assert len(session.scalars(select(Course.id)).all()) == count


@pytest.mark.parametrize(
    "text_",
    [
        "",
        "[]",
        "{}",
        '{"form": "other"}',
        "[" * 100_000,
        '{"form": "tarvik-course-1", "name": NaN}',
    ],
)
def test_no_course_file_is_told_so(text_: str) -> None:
    with pytest.raises(InputError, match="file"):
        form.read(text_)


def test_a_person_is_given_out_and_erased(database: Database) -> None:
    """Nothing of the name is left in any table; the others' beds stay."""
    with database.session() as session:
        course, night = small_course(session)
        people = kit.rows(session, course, "people")
        gone, stays = people[1].id, people[0].id
        people[1].name = "Quillon Zz"
        people[1].note = "brought by Quillon Zz"
    put_up(database, night)
    with database.session() as session:
        asks.keep_as(session, session.get_one(Night, night), "low")
        links.make_link(session, course, gone)
        told = erasing.told_of(session, course, gone)
        assert (
            told["person"]["name"] == "Quillon Zz"
            and told["nights_with_a_bed"] == [night]
            and told["own_kit"]["sheets"]
        )
        erasing.erase(session, course, gone)
    assert not [
        name
        for name, rows in everything(database).items()
        if any("Quillon" in row for row in rows)
    ]
    with database.session() as session:
        beds = [p.id for row in plans.shelters(session, night) for p in plans.sleepers(row)]
        assert beds == [stays] and len(kit.rows(session, course, "sheets")) == 3


def test_links_open_one_card_and_end(database: Database) -> None:
    with database.session() as session:
        course, _ = small_course(session)
        people = kit.rows(session, course, "people")
        first = links.make_link(session, course, people[0].id)
        token = links.token_of(session, first)
        assert links.opened(session, token)[2].id == people[0].id
        number, _, mark = token.partition(".")
        second = links.make_link(session, course, people[1].id)
        for forged in (
            f"{second.id}.{mark}",
            f"{number}.{mark[:-1]}A",
            number,
            f"{number}.",
            "x.y",
            "99999999999.x",
            f"0{number}{mark}",
        ):
            if forged != token:
                with pytest.raises(NotFoundError, match="does not open anything"):
                    links.opened(session, forged)
        again = links.make_link(session, course, people[0].id)
        with pytest.raises(NotFoundError):
            links.opened(session, token)
        again.ends_at = now() - timedelta(seconds=1)
        session.flush()
        with pytest.raises(NotFoundError):
            links.opened(session, links.token_of(session, again))
