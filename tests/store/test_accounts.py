"""Passwords, sign-ins, tries, one-time links, roles: what OWASP ASVS 4.0.3 asks of them."""

from __future__ import annotations

import threading
from datetime import timedelta
from typing import TYPE_CHECKING

import pytest
from sqlalchemy import select

from tarvik.core.errors import InputError
from tarvik.demo.course import demo_leader
from tarvik.store import accounts, courses, invitations, passwords, provider_people
from tarvik.store.accounts import Role
from tarvik.store.kit import NotFoundError
from tarvik.store.models import (
    Account,
    Change,
    Course,
    Mail,
    Membership,
    OneTime,
    Person,
    SignIn,
    now,
)
from tarvik.store.scope import NOBODY, SHARED, Scope, _criterion, kinds, within
from tarvik.store.tokens import hashed

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
WORDS = "tall grass under rain"


def somebody(
    session: Session,
    email: str = "ada@first.example",
    *,
    owner: bool = True,
    provider: int | None = None,
) -> Account:
    home = provider or accounts.home_provider(session)
    return accounts.new_account(session, home, email, "Ada", WORDS, owner=owner)


@pytest.mark.parametrize(
    "password",
    [
        "short",
        "elevenchars",
        "passwordpassword",
        "aaaaaaaaaaaaaaaa",
        "ada@first.example",
        "abababababab",
        "x" * 129,
    ],
)
def test_weak_passwords_are_refused(password: str) -> None:
    """ASVS 2.1.1 (12 letters), 2.1.2 (no more than 128), 2.1.7 (none of the common ones)."""
    with pytest.raises(InputError, match="password"):
        passwords.checked_password(password, "ada@first.example")


@pytest.mark.parametrize(
    "password",
    [
        WORDS,
        "päßwörter mit umlaut",
        "a b c d e f g h",
        "😀🌲⛺🌧 four of them",
        "x7" * 3 + "!qwert",
    ],
)
def test_any_letters_make_a_password(password: str) -> None:
    """ASVS 2.1.3, 2.1.4, 2.1.9: nothing is cut off, every letter counts, no rules of
    composition.
    """
    assert passwords.checked_password(password) == password


def test_passwords_are_kept_as_argon2id(database: Database) -> None:
    """ASVS 2.4.1; RFC 9106's second recommended set: 64 MiB, 3 passes, 4 lanes."""
    with database.session() as session:
        kept = somebody(session).password_hash
    assert kept.startswith("$argon2id$v=19$m=65536,t=3,p=4$")
    assert (
        passwords.matches(kept, WORDS)
        and not passwords.matches(kept, WORDS + " ")
        and not passwords.matches("", WORDS)
    )


def test_sign_ins_end_by_themselves_and_everywhere(database: Database) -> None:
    """ASVS 3.3.1 to 3.3.4, 3.2.1 (a new token each time), and only hashes are kept (2.9, 3.2.2: 256
    bits).
    """
    with database.session() as session:
        ada = somebody(session)
        tokens = {accounts.sign_in(session, ada) for _ in range(3)}
        assert len(tokens) == 3 and all(len(t) >= 43 for t in tokens)
        assert not {r.token_hash for r in session.scalars(select(SignIn))} & tokens
        one, two, three = sorted(tokens)
        row = session.scalars(select(SignIn).where(SignIn.token_hash == hashed(one))).one()
        row.seen_at = now() - accounts.IDLE - timedelta(seconds=1)
        row = session.scalars(select(SignIn).where(SignIn.token_hash == hashed(two))).one()
        row.ends_at = now() - timedelta(seconds=1)
        session.flush()
        assert (
            accounts.signed_in(session, one) is None
            and accounts.signed_in(session, two) is None
        )
        assert (
            accounts.signed_in(session, three) is not None
            and accounts.signed_in(session, "x") is None
        )
        fourth = accounts.sign_in(session, ada)
        accounts.change_password(session, ada, WORDS, "another four dry words", fourth)
        assert (
            accounts.signed_in(session, three) is None
            and accounts.signed_in(session, fourth) is not None
        )
        assert accounts.sign_out_everywhere(session, ada.id) == 1
        with pytest.raises(InputError, match="present password"):
            accounts.change_password(session, ada, WORDS, "yet another four words", None)


def test_a_new_password_by_letter_works_once(database: Database) -> None:
    """ASVS 2.5.1 to 2.5.6: nothing is told of who has an account, the link works once and within
    its hour.
    """
    with database.session() as session:
        ada = somebody(session)
        browser = accounts.sign_in(session, ada)
        accounts.ask_reset(session, "nobody@first.example", "http://here", "192.0.2.1")
        assert session.scalars(select(Mail)).all() == []
        accounts.ask_reset(session, "Ada@first.example", "http://here", "192.0.2.1")
        letter = session.scalars(select(Mail)).one()
        token = letter.body.split("/reset/")[1].split()[0]
        with pytest.raises(InputError):
            accounts.reset_password(session, token, "short")
        accounts.reset_password(session, token, "seven wet woollen socks")
        assert session.scalars(select(Mail)).all() == []  # the letter went with its link
        assert accounts.signed_in(session, browser) is None
        assert (
            accounts.check_sign_in(session, "ada@first.example", "seven wet woollen socks")
            is not None
        )
        with pytest.raises(NotFoundError):
            accounts.reset_password(session, token, "seven wet woollen socks")
        accounts.ask_reset(session, "ada@first.example", "http://here", "192.0.2.1")
        session.scalars(select(OneTime)).one().ends_at = now() - timedelta(seconds=1)
        session.flush()
        late = session.scalars(select(Mail).order_by(Mail.id.desc())).first()
        assert late is not None
        with pytest.raises(NotFoundError):
            accounts.reset_password(
                session, late.body.split("/reset/")[1].split()[0], "seven wet woollen socks"
            )


def test_the_first_owner_is_made_once(database: Database) -> None:
    with database.session() as session:
        token = accounts.setup_token(session)
        assert token is not None
        with pytest.raises(NotFoundError):
            accounts.set_up(session, "guessed", "Club", "Ada", "ada@first.example", WORDS)
        made = accounts.set_up(session, token, "Club", "Ada", "ada@first.example", WORDS)
        assert made.owner and accounts.setup_token(session) is None
        with pytest.raises(NotFoundError):
            accounts.set_up(session, token, "Club", "Eve", "eve@first.example", WORDS)


def test_roles_invitations_and_the_last_owner(database: Database) -> None:
    with database.session() as session:
        ada = somebody(session)
        course = courses.new_course(session, "One", "", "metric", 1, None)
        accounts.set_role(session, course.id, ada.id, Role.OWNER)
        invitations.invite(
            session,
            ada.provider_id,
            course.id,
            "Bo@first.example",
            Role.VIEWER,
            "http://here",
            "Ada",
        )
        letter = session.scalars(select(Mail)).one()
        assert letter.to == "bo@first.example"
        token = letter.body.split("/invited/")[1].split()[0]
        bo = invitations.accept(session, token, "Bo", WORDS)
        assert session.scalars(select(Mail)).all() == []
        assert accounts.role_in(session, bo, course.id) is Role.VIEWER and not bo.owner
        with pytest.raises(NotFoundError):
            invitations.accept(session, token, "Bo", WORDS)
        invitations.invite(
            session,
            ada.provider_id,
            course.id,
            "bo@first.example",
            Role.LEADER,
            "http://here",
            "Ada",
        )
        assert (
            accounts.role_in(session, bo, course.id) is Role.LEADER
        )  # known already: no second letter
        with pytest.raises(InputError, match="at least one owner"):
            accounts.set_role(session, course.id, ada.id, None)
        accounts.set_role(session, course.id, bo.id, None)
        assert accounts.role_in(session, bo, course.id) is None and not accounts.courses_of(
            session, bo
        )
        stranger = somebody(
            session, "cy@other.example", provider=accounts.new_provider(session, "Other").id
        )
        assert accounts.role_in(session, stranger, course.id) is None
        with pytest.raises(NotFoundError):
            accounts.set_role(session, course.id, stranger.id, Role.VIEWER)


def test_a_scope_hides_what_is_anothers(database: Database) -> None:
    """Even a query that forgot to ask whose it is finds nothing of another provider."""
    with database.session() as session:
        other = accounts.new_provider(session, "Other").id
        mine = accounts.new_provider(session, "Mine").id
        theirs = courses.new_course(session, "Theirs", "", "metric", 1, None, other)
        session.add(Person(course_id=theirs.id, name="Zoe", stature_m=1.7))
        courses.new_course(session, "Mine", "", "metric", 1, None, mine)
        somebody(session, "zed@other.example", provider=other)
        number = theirs.id
    for scope, seen in ((Scope(mine), ["Mine"]), (Scope(other), ["Theirs"]), (NOBODY, [])):
        with within(scope), database.session() as session:
            assert [
                c.name for c in session.scalars(select(Course).order_by(Course.id))
            ] == seen
            assert (session.get(Course, number) is None) == (scope.provider_id != other)
            assert bool(session.scalars(select(Person)).all()) == (
                scope.provider_id == other
            )
            assert bool(session.scalars(select(Account)).all()) == (
                scope.provider_id == other
            )
    with database.session() as session:
        assert len(session.scalars(select(Course)).all()) == 2


def test_every_table_hangs_on_the_providers_scope() -> None:
    """A new table says by a column whose it is, or is named as nobody's."""
    assert {kind for kind in kinds() if _criterion(kind, 1) is None} == set(SHARED)


def test_two_owners_cannot_take_the_role_from_each_other_at_once(
    database: Database,
) -> None:
    """Each sees the other still there unless one waits for the other."""
    with database.session() as session:
        ada, bo = somebody(session), somebody(session, "bo@first.example")
        course = courses.new_course(session, "One", "", "metric", 1, None)
        for account in (ada, bo):
            accounts.set_role(session, course.id, account.id, Role.OWNER)
        numbers = (ada.id, bo.id, course.id, ada.provider_id)
    together = threading.Barrier(2)
    refused: list[str] = []

    def drop(account_id: int, *, of_course: bool) -> None:
        together.wait()
        try:
            with database.session() as session:
                if of_course:
                    accounts.set_role(session, numbers[2], account_id, None)
                else:
                    provider_people.end_account(session, numbers[3], account_id)
        except InputError as err:
            refused.append(err.message)

    for of_course in (True, False):
        refused.clear()
        threads = [
            threading.Thread(target=drop, args=(n,), kwargs={"of_course": of_course})
            for n in numbers[:2]
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert len(refused) == 1, of_course
    with database.session() as session:
        assert len([a for a in session.scalars(select(Account)) if not a.ended_at]) == 1


def test_an_account_ends_and_is_erased(database: Database) -> None:
    """Ended, it lets nobody in and has no role; erased, its name and address are nowhere."""
    with database.session() as session:
        ada, bo = somebody(session), somebody(session, "bo@first.example", owner=False)
        course = courses.new_course(session, "One", "", "metric", 1, None)
        accounts.set_role(session, course.id, bo.id, Role.LEADER)
        token = accounts.sign_in(session, bo)
        accounts.ask_reset(session, "bo@first.example", "http://here", "192.0.2.1")
        provider_people.end_account(session, ada.provider_id, bo.id)
        assert accounts.signed_in(session, token) is None
        assert accounts.check_sign_in(session, "bo@first.example", WORDS) is None
        assert session.scalars(select(Membership)).all() == []
        assert session.scalars(select(Mail)).all() == []
        with pytest.raises(NotFoundError):
            accounts.set_role(session, course.id, bo.id, Role.VIEWER)
        with pytest.raises(InputError, match="at least one owner"):
            provider_people.end_account(session, ada.provider_id, ada.id)
        with pytest.raises(InputError, match="at least one owner"):
            provider_people.set_owner(session, ada.provider_id, ada.id, owner=False)
        provider_people.erase_account(session, ada.provider_id, bo.id)
    with database.session() as session:
        told = [repr((c.before, c.after)) for c in session.scalars(select(Change))]
        assert not any("bo@first.example" in t for t in told)
        assert [
            c.after for c in session.scalars(select(Change).where(Change.kind == "erasing"))
        ]


def test_who_may_make_courses_and_invite_is_the_owners_choice(database: Database) -> None:
    with database.session() as session:
        ada, bo = somebody(session), somebody(session, "bo@first.example", owner=False)
        course = courses.new_course(session, "One", "", "metric", 1, None)

        def chosen(courses_by: str, invites_by: str) -> tuple[bool, bool]:
            provider_people.choose_who_may(session, ada.provider_id, courses_by, invites_by)
            return (
                provider_people.may_make_courses(session, bo),
                provider_people.may_invite(session, bo, course.id),
            )

        assert chosen("owners", "course owners") == (False, False)
        assert chosen("everyone", "leaders") == (True, False)
        accounts.set_role(session, course.id, bo.id, Role.LEADER)
        assert chosen("leaders", "leaders") == (True, True)
        assert chosen("owners", "course owners") == (False, False)
        accounts.set_role(session, course.id, bo.id, Role.OWNER)
        assert chosen("leaders", "course owners") == (True, True)
        assert chosen("owners", "owners") == (False, False)
        assert provider_people.may_make_courses(session, ada)
        with pytest.raises(InputError):
            provider_people.choose_who_may(session, ada.provider_id, "anybody", "owners")


def test_the_trail_tells_of_roles_links_sign_ins_and_letters_but_of_no_secret(
    database: Database,
) -> None:
    with database.session() as session:
        ada = somebody(session)
        course = courses.new_course(session, "One", "", "metric", 1, None)
        token = accounts.sign_in(session, ada)
        accounts.set_role(session, course.id, ada.id, Role.OWNER)
        invitations.invite(
            session,
            ada.provider_id,
            course.id,
            "bo@x.example",
            Role.VIEWER,
            "http://here",
            "Ada",
        )
        accounts.change_password(session, ada, WORDS, "another four dry words", token)
    with database.session() as session:
        kept = session.scalars(select(Change)).all()
        assert {"account", "sign_in", "membership", "invitation"} <= {c.kind for c in kept}
        of_first = [c for c in kept if c.kind in ("sign_in", "membership", "invitation")]
        assert all(c.provider_id is not None for c in of_first)
        told = repr([(c.before, c.after) for c in kept])
        assert "a new one" in told
        for row in (*session.scalars(select(SignIn)), *session.scalars(select(Account))):
            for name in ("token_hash", "password_hash"):
                assert getattr(row, name, "?") not in told
        assert "token_hash" not in told and "password_hash" not in told


def test_a_folder_that_ran_the_demo_still_asks_for_its_first_owner(
    database: Database,
) -> None:
    """The demo's leader does not count, gets nowhere, and the first owner's provider is new."""
    with database.session() as session:
        leader = demo_leader(session)
        invitations.invite(
            session, leader.provider_id, None, "x@x.example", Role.OWNER, "http://h", "D"
        )
        invited = session.scalars(select(Mail.body)).one().split("/invited/")[1].split()[0]
        token = accounts.setup_token(session)
        assert token is not None
        accounts.ask_reset(session, leader.email, "http://here", "192.0.2.1")
        assert not session.scalars(select(OneTime).where(OneTime.purpose == "reset")).all()
        with pytest.raises(NotFoundError):
            invitations.find_invitation(session, invited)
        assert invitations.find_invitation(session, invited, demo=True)
        leader.password_hash = passwords.hash_of(WORDS)
        session.flush()
        assert accounts.check_sign_in(session, leader.email, WORDS) is None
        assert accounts.check_sign_in(session, leader.email, WORDS, demo=True) is not None
        owner = accounts.set_up(session, token, "Club", "Ada", "ada@club.example", WORDS)
        assert owner.provider_id != leader.provider_id
        assert accounts.setup_token(session) is None
