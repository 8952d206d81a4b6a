"""Tables. Every row belongs to a course and carries a version number, so that two leaders never
overwrite each other.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    CheckConstraint,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    String,
    Text,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import (
    DeclarativeBase,
    Mapped,
    declared_attr,
    mapped_column,
    relationship,
)

from tarvik.core.plain import JsonObject


def now() -> datetime:
    """Present time, UTC."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """Declarative base with the shared types."""

    type_annotation_map = {  # noqa: RUF012
        JsonObject: JSON().with_variant(JSONB(), "postgresql"),
        list[Any]: JSONB,
    }


class Versioned:
    """Key, version number (raised by every update), and a mark instead of deletion, so that
    deletion can be undone.
    """

    id: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(nullable=False)
    deleted_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))

    @declared_attr.directive
    def __mapper_args__(cls) -> JsonObject:  # noqa: N805
        """Let SQLAlchemy check and raise the version with every update."""
        return {"version_id_col": cls.version}


PROPOSED = "proposed"
"""The intent of a night whose leader leaves it to the weather."""


class Provider(Base):
    """An organisation that runs courses. `keep_people_days`: how long after a course its people are
    kept. `courses_by`, `invites_by`: who may make courses and invite people, as its owners choose.
    """

    __tablename__ = "provider"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    keep_people_days: Mapped[int] = mapped_column(default=180)
    demo: Mapped[bool] = mapped_column(default=False)
    courses_by: Mapped[str] = mapped_column(String(20), default="owners")
    invites_by: Mapped[str] = mapped_column(String(20), default="course owners")


class Account(Base):
    """Somebody who signs in. `owner`: of everything the provider has. `ended_at`: since when the
    account lets nobody in any more.
    """

    __tablename__ = "account"

    id: Mapped[int] = mapped_column(primary_key=True)
    provider_id: Mapped[int] = mapped_column(
        ForeignKey("provider.id", ondelete="CASCADE"), index=True
    )
    email: Mapped[str] = mapped_column(String(254), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    password_hash: Mapped[str] = mapped_column(String(200))
    owner: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    ended_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class Course(Versioned, Base):
    """A course: one group, its kit, its nights."""

    __tablename__ = "course"

    provider_id: Mapped[int] = mapped_column(
        ForeignKey("provider.id", ondelete="CASCADE"), index=True
    )

    name: Mapped[str] = mapped_column(String(120))
    place: Mapped[str] = mapped_column(String(200), default="")
    note: Mapped[str] = mapped_column(Text, default="")
    units: Mapped[str] = mapped_column(String(10), default="metric")
    demo: Mapped[bool] = mapped_column(default=False)
    rules: Mapped[JsonObject] = mapped_column(default=dict)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class Owned(Versioned):
    """A row of a course, in an order of its own."""

    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), index=True
    )
    position: Mapped[int] = mapped_column(default=0)


class Site(Owned, Base):
    """A place where the course spends nights: where on the earth (nobody need know), what grows
    round it, which ground, which way is uphill.
    """

    __tablename__ = "site"

    name: Mapped[str] = mapped_column(String(120))
    latitude: Mapped[float | None] = mapped_column()
    longitude: Mapped[float | None] = mapped_column()
    zone: Mapped[str] = mapped_column(String(60), default="UTC")
    surroundings: Mapped[str] = mapped_column("terrain", String(20), default="open")
    ground: Mapped[str] = mapped_column(String(20), default="turf")
    uphill_deg: Mapped[float | None] = mapped_column()


class GroundItem(Versioned, Base):
    """Something on a site's ground: a point, an area, a spot height, or a reading of its survey.
    `kind` says which.
    """

    __tablename__ = "ground_item"

    site_id: Mapped[int] = mapped_column(
        ForeignKey("site.id", ondelete="CASCADE"), index=True
    )
    kind: Mapped[str] = mapped_column(String(10))
    data: Mapped[JsonObject] = mapped_column(default=dict)


class GroundStep(Base):
    """One change of a site's ground, for undo and redo: each item's values before and after (None:
    not there).
    """

    __tablename__ = "ground_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(
        ForeignKey("site.id", ondelete="CASCADE"), index=True
    )
    what: Mapped[str] = mapped_column(String(200))
    changes: Mapped[list[Any]] = mapped_column()
    undone: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class Night(Owned, Base):
    """One night of a course. `intent` PROPOSED: as the weather proposes. `needs`: what is known of
    the weather and wanted.
    """

    __tablename__ = "night"

    title: Mapped[str] = mapped_column(String(120))
    on: Mapped[date | None] = mapped_column()
    intent: Mapped[str] = mapped_column(String(40), default=PROPOSED)
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="SET NULL"))
    needs: Mapped[JsonObject] = mapped_column(default=dict)


class Person(Owned, Base):
    """A leader or student. `measured` holds measured metres that override the body ratios."""

    __tablename__ = "person"

    name: Mapped[str] = mapped_column(String(80))
    stature_m: Mapped[float] = mapped_column()
    role: Mapped[str] = mapped_column(String(20), default="student")
    measured: Mapped[JsonObject] = mapped_column(default=dict)
    age: Mapped[int | None] = mapped_column()
    patrol: Mapped[str] = mapped_column(String(40), default="")
    quarters: Mapped[str] = mapped_column(String(40), default="")
    shares: Mapped[str] = mapped_column(String(20), default="anyone")
    skill: Mapped[str] = mapped_column(String(20), default="able")
    snores: Mapped[bool] = mapped_column(default=False)
    lends: Mapped[bool] = mapped_column(default=True)
    note: Mapped[str] = mapped_column(String(400), default="")


class Belonging:
    """Kit that may be one person's own; the group's when it is nobody's."""

    owner_id: Mapped[int | None] = mapped_column(
        ForeignKey("person.id", ondelete="SET NULL")
    )


class SheetRow(Owned, Base):
    """A sheet: its two sides, or an outline; its tie-outs by pattern; a poncho's hood."""

    __tablename__ = "sheet"

    owner_id: Mapped[int | None] = mapped_column(
        ForeignKey("person.id", ondelete="SET NULL")
    )
    label: Mapped[str] = mapped_column(String(80), default="")
    width_m: Mapped[float] = mapped_column()
    length_m: Mapped[float] = mapped_column()
    outline: Mapped[list[Any] | None] = mapped_column()
    tie_outs: Mapped[list[Any]] = mapped_column(default=list)
    hood_u_m: Mapped[float | None] = mapped_column()
    hood_v_m: Mapped[float | None] = mapped_column()
    material: Mapped[str] = mapped_column(String(40), default="")
    note: Mapped[str] = mapped_column(String(400), default="")

    owner: Mapped[Person | None] = relationship(lazy="joined")


class SupportRow(Belonging, Owned, Base):
    """Trees, poles or sticks: `count` alike."""

    __tablename__ = "support"

    kind: Mapped[str] = mapped_column(String(20))
    count: Mapped[int] = mapped_column(default=1)
    least_m: Mapped[float | None] = mapped_column()
    most_m: Mapped[float | None] = mapped_column()
    note: Mapped[str] = mapped_column(String(400), default="")


class LineRow(Belonging, Owned, Base):
    """Ready lengths of cord, or hanks: `count` alike. `uncut`: nobody may cut them."""

    __tablename__ = "line"

    length_m: Mapped[float] = mapped_column()
    count: Mapped[int] = mapped_column(default=1)
    uncut: Mapped[bool] = mapped_column(default=False)
    note: Mapped[str] = mapped_column(String(400), default="")


class StakeRow(Belonging, Owned, Base):
    """Stakes: `count` alike. `length_m` as driven and `width_m`; None where they are as the house
    rules say.
    """

    __tablename__ = "stake"

    count: Mapped[int] = mapped_column(default=1)
    length_m: Mapped[float | None] = mapped_column()
    width_m: Mapped[float | None] = mapped_column()
    note: Mapped[str] = mapped_column(String(400), default="")


class ShelterRow(Versioned, Base):
    """A choice for a night: this sheet, or this and another joined to it, pitched so. At most one a
    sheet and night.
    """

    __tablename__ = "shelter"
    __table_args__ = (
        Index("one_shelter_a_sheet", "night_id", "sheet_id", unique=True),
        Index("one_shelter_a_joined_sheet", "night_id", "joined_id", unique=True),
        CheckConstraint("joined_id <> sheet_id", name="two_sheets"),
        CheckConstraint("pitch <> ''", name="pitch_named"),
    )

    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), index=True
    )
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id", ondelete="CASCADE"))
    joined_id: Mapped[int | None] = mapped_column(
        ForeignKey("sheet.id", ondelete="CASCADE")
    )
    pitch: Mapped[str] = mapped_column(String(40))
    settings: Mapped[JsonObject] = mapped_column(default=dict)
    spot: Mapped[JsonObject | None] = mapped_column()

    sheet: Mapped[SheetRow] = relationship(lazy="joined", foreign_keys=[sheet_id])
    joined: Mapped[SheetRow | None] = relationship(lazy="joined", foreign_keys=[joined_id])
    members: Mapped[list[ShelterMember]] = relationship(
        lazy="selectin", cascade="all, delete-orphan", order_by="ShelterMember.person_id"
    )

    @property
    def sheets(self) -> tuple[SheetRow, ...]:
        """The sheets it is made of: one, or two joined."""
        return (self.sheet,) if self.joined is None else (self.sheet, self.joined)


class ShelterMember(Base):
    """Who sleeps in a shelter. A person sleeps in one shelter a night."""

    __tablename__ = "shelter_member"
    __table_args__ = (Index("one_bed_a_night", "night_id", "person_id", unique=True),)

    shelter_id: Mapped[int] = mapped_column(
        ForeignKey("shelter.id", ondelete="CASCADE"), primary_key=True
    )
    person_id: Mapped[int] = mapped_column(
        ForeignKey("person.id", ondelete="CASCADE"), primary_key=True
    )
    night_id: Mapped[int] = mapped_column(ForeignKey("night.id", ondelete="CASCADE"))

    person: Mapped[Person] = relationship(lazy="joined")


class PlanStep(Base):
    """What a night's choices were before a change, for undo; once undone, what they were after it,
    for redo. `asked`: the order of the aims, what is fixed and accepted; None of old steps.
    """

    __tablename__ = "plan_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), index=True
    )
    what: Mapped[str] = mapped_column(String(200))
    before: Mapped[list[Any]] = mapped_column()
    after: Mapped[list[Any] | None] = mapped_column()
    asked: Mapped[JsonObject | None] = mapped_column(JSONB)
    asked_after: Mapped[JsonObject | None] = mapped_column(JSONB)
    undone: Mapped[bool] = mapped_column(default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class NightPlan(Base):
    """What a leader asks of a night's plan: the order of the aims, what is fixed, who is late.
    `found`: what was worked out about the choices, by kind, each with the step it is about.
    """

    __tablename__ = "night_plan"

    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), primary_key=True
    )
    asked: Mapped[JsonObject] = mapped_column(default=dict)
    found: Mapped[JsonObject] = mapped_column(default=dict)


class FieldEntry(Base):
    """Something said of a shelter where it stands: a check ticked, a note, something measured.
    `key`: made by the device that said it, so that what is sent twice is kept once; `said_at`: by
    that device's clock; `by`: the leader's name.
    """

    __tablename__ = "field_entry"
    __table_args__ = (Index("one_entry_a_key", "night_id", "key", unique=True),)

    id: Mapped[int] = mapped_column(primary_key=True)
    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), index=True
    )
    key: Mapped[str] = mapped_column(String(36))
    kind: Mapped[str] = mapped_column(String(20))
    sheet_id: Mapped[int | None] = mapped_column(ForeignKey("sheet.id", ondelete="CASCADE"))
    data: Mapped[JsonObject] = mapped_column(default=dict)
    by: Mapped[str] = mapped_column(String(80), default="")
    said_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    heard_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class LibraryItem(Base):
    """Something of the provider's own, by its number: a sheet with its size, or other kit.
    `condition`: one of those in `store/library.py`.
    """

    __tablename__ = "library_item"
    __table_args__ = (
        Index(
            "one_item_a_number",
            "provider_id",
            "number",
            unique=True,
            postgresql_where=text("deleted_at is null"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    provider_id: Mapped[int] = mapped_column(
        ForeignKey("provider.id", ondelete="CASCADE"), index=True
    )
    number: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(80), default="")
    width_m: Mapped[float | None] = mapped_column()
    length_m: Mapped[float | None] = mapped_column()
    tie_outs: Mapped[list[Any]] = mapped_column(default=list)
    material: Mapped[str] = mapped_column(String(40), default="")
    condition: Mapped[str] = mapped_column(String(20), default="good")
    checked_on: Mapped[date | None] = mapped_column()
    note: Mapped[str] = mapped_column(String(400), default="")
    deleted_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class Loan(Base):
    """An item of the library that a course has, from `made_at` until `ended_at`; of a sheet the row
    among the course's own.
    """

    __tablename__ = "loan"

    id: Mapped[int] = mapped_column(primary_key=True)
    item_id: Mapped[int] = mapped_column(
        ForeignKey("library_item.id", ondelete="CASCADE"), index=True
    )
    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), index=True
    )
    sheet_id: Mapped[int | None] = mapped_column(
        ForeignKey("sheet.id", ondelete="SET NULL")
    )
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    ended_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))

    item: Mapped[LibraryItem] = relationship(lazy="joined")


class PracticeEntry(Base):
    """Something practised: a drill answered (`item`: what it was about) or a pitch timed (`item`:
    its slug). `key`: made by the device, so that what is sent twice is kept once.
    """

    __tablename__ = "practice_entry"
    __table_args__ = (Index("one_practice_a_key", "person_id", "key", unique=True),)

    id: Mapped[int] = mapped_column(primary_key=True)
    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), index=True
    )
    person_id: Mapped[int] = mapped_column(
        ForeignKey("person.id", ondelete="CASCADE"), index=True
    )
    key: Mapped[str] = mapped_column(String(36))
    kind: Mapped[str] = mapped_column(String(20))
    item: Mapped[str] = mapped_column(String(80))
    data: Mapped[JsonObject] = mapped_column(default=dict)
    said_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class NamedPlan(Base):
    """A night's choices kept under a name, to be compared and taken up again."""

    __tablename__ = "named_plan"
    __table_args__ = (Index("one_plan_a_name", "night_id", "name", unique=True),)

    id: Mapped[int] = mapped_column(primary_key=True)
    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), index=True
    )
    name: Mapped[str] = mapped_column(String(80))
    shelters: Mapped[list[Any]] = mapped_column()
    value: Mapped[list[Any]] = mapped_column(default=list)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class PlanJob(Base):
    """Work for a worker: its state, how far it is, what came of it. `step`: the night's last change
    when it was asked for.
    """

    __tablename__ = "plan_job"

    id: Mapped[int] = mapped_column(primary_key=True)
    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), index=True
    )
    kind: Mapped[str] = mapped_column(String(20))
    asked: Mapped[JsonObject] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    step: Mapped[int] = mapped_column(default=0)
    runs: Mapped[int] = mapped_column(default=0)
    wanted: Mapped[bool] = mapped_column(default=True)
    progress: Mapped[JsonObject] = mapped_column(default=dict)
    result: Mapped[JsonObject | None] = mapped_column()
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    ended_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class HungShape(Base):
    """How a sheet hangs, kept by what it was worked out from: no names, no course. `nodes`: where
    the mesh's nodes hang.
    """

    __tablename__ = "hung_shape"

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    told: Mapped[JsonObject] = mapped_column()
    nodes: Mapped[bytes | None] = mapped_column(LargeBinary)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class NeedsStep(Base):
    """What a night's needs were before a change, for undo."""

    __tablename__ = "needs_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), index=True
    )
    what: Mapped[str] = mapped_column(String(200))
    before: Mapped[JsonObject] = mapped_column()
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class ForecastRow(Base):
    """The last good forecast of a night, and the last failure to get a newer one.

    `feed`: what a service is asked for, empty when the forecast was imported by hand and is not
    asked for again. `form` is the open JSON form; None while none has come.
    """

    __tablename__ = "forecast"

    id: Mapped[int] = mapped_column(primary_key=True)
    night_id: Mapped[int] = mapped_column(
        ForeignKey("night.id", ondelete="CASCADE"), unique=True
    )
    feed: Mapped[JsonObject] = mapped_column(default=dict)
    form: Mapped[JsonObject | None] = mapped_column(JSONB)
    findings: Mapped[list[Any]] = mapped_column(default=list)
    fetched_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    asked_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    failure: Mapped[str] = mapped_column(String(400), default="")


class Membership(Base):
    """What an account may do in a course."""

    __tablename__ = "membership"

    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), primary_key=True
    )
    account_id: Mapped[int] = mapped_column(
        ForeignKey("account.id", ondelete="CASCADE"), primary_key=True
    )
    role: Mapped[str] = mapped_column(String(20))

    account: Mapped[Account] = relationship(lazy="joined")


class SignIn(Base):
    """A browser that is signed in. Only a hash of its token is kept."""

    __tablename__ = "sign_in"

    id: Mapped[int] = mapped_column(primary_key=True)
    account_id: Mapped[int] = mapped_column(
        ForeignKey("account.id", ondelete="CASCADE"), index=True
    )
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    seen_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    ends_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    agent: Mapped[str] = mapped_column(String(120), default="")


class OneTime(Base):
    """A link that works once: to set up the first owner, or to choose a new password."""

    __tablename__ = "one_time"

    id: Mapped[int] = mapped_column(primary_key=True)
    account_id: Mapped[int | None] = mapped_column(
        ForeignKey("account.id", ondelete="CASCADE"), index=True
    )
    purpose: Mapped[str] = mapped_column(String(20))
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    ends_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class Invitation(Base):
    """Somebody asked to join a provider, and a course of it in a role."""

    __tablename__ = "invitation"

    id: Mapped[int] = mapped_column(primary_key=True)
    provider_id: Mapped[int] = mapped_column(
        ForeignKey("provider.id", ondelete="CASCADE"), index=True
    )
    course_id: Mapped[int | None] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), index=True
    )
    email: Mapped[str] = mapped_column(String(254))
    role: Mapped[str] = mapped_column(String(20))
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    ends_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class Mail(Base):
    """A letter in the local outbox: the stand-in for a mail service. It goes when its link was
    used, taken back, or is over: `token_hash` says which link, `ends_at` when it is over.
    """

    __tablename__ = "mail"

    id: Mapped[int] = mapped_column(primary_key=True)
    provider_id: Mapped[int] = mapped_column(
        ForeignKey("provider.id", ondelete="CASCADE"), index=True
    )
    to: Mapped[str] = mapped_column(String(254))
    subject: Mapped[str] = mapped_column(String(200))
    body: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    token_hash: Mapped[str | None] = mapped_column(String(64), index=True)
    ends_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class Attempt(Base):
    """A failed try at something that may be tried a few times only. `who` is a hash, no address."""

    __tablename__ = "attempt"

    id: Mapped[int] = mapped_column(primary_key=True)
    who: Mapped[str] = mapped_column(String(64), index=True)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class CardLink(Base):
    """A participant's link to their own card."""

    __tablename__ = "card_link"

    id: Mapped[int] = mapped_column(primary_key=True)
    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), index=True
    )
    person_id: Mapped[int] = mapped_column(
        ForeignKey("person.id", ondelete="CASCADE"), index=True
    )
    secret: Mapped[str] = mapped_column(String(64))
    ends_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    revoked_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class Answer(Base):
    """What a participant said on their own card: kit brought, or a stature or sheet to be confirmed
    by a leader.
    """

    __tablename__ = "answer"

    id: Mapped[int] = mapped_column(primary_key=True)
    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), index=True
    )
    person_id: Mapped[int] = mapped_column(
        ForeignKey("person.id", ondelete="CASCADE"), index=True
    )
    kind: Mapped[str] = mapped_column(String(20))
    values: Mapped[JsonObject] = mapped_column()
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class Change(Base):
    """One row changed, written by the database itself: what it was and what it became, by whom
    (None: the server). Secrets and hashes of passwords and tokens are left out.
    """

    __tablename__ = "change"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    account_id: Mapped[int | None] = mapped_column()
    provider_id: Mapped[int | None] = mapped_column()
    course_id: Mapped[int | None] = mapped_column()
    night_id: Mapped[int | None] = mapped_column()
    kind: Mapped[str] = mapped_column(String(20))
    row_key: Mapped[str] = mapped_column(String(40))
    before: Mapped[JsonObject | None] = mapped_column(JSONB)
    after: Mapped[JsonObject | None] = mapped_column(JSONB)


class Erasure(Base):
    """The announcement that a course's people will be erased: when it was made, and when it falls
    due.
    """

    __tablename__ = "erasure"

    course_id: Mapped[int] = mapped_column(
        ForeignKey("course.id", ondelete="CASCADE"), primary_key=True
    )
    announced_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    due_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class Secret(Base):
    """A secret of this server, made at its first start and never shown."""

    __tablename__ = "secret"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(String(100))
