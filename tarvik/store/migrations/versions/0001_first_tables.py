"""First tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def _course() -> None:
    op.create_table(
        "course",
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("place", sa.String(length=200), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("units", sa.String(length=10), nullable=False),
        sa.Column("demo", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )


def _line() -> None:
    op.create_table(
        "line",
        sa.Column("length_m", sa.Double(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_line_course_id"), "line", ["course_id"], unique=False)


def _night() -> None:
    op.create_table(
        "night",
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("on", sa.Date(), nullable=True),
        sa.Column("intent", sa.String(length=40), nullable=False),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_night_course_id"), "night", ["course_id"], unique=False)


def _person() -> None:
    op.create_table(
        "person",
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("stature_m", sa.Double(), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column(
            "measured",
            sa.JSON().with_variant(postgresql.JSONB(astext_type=sa.Text()), "postgresql"),
            nullable=False,
        ),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_person_course_id"), "person", ["course_id"], unique=False)


def _stake() -> None:
    op.create_table(
        "stake",
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_stake_course_id"), "stake", ["course_id"], unique=False)


def _support() -> None:
    op.create_table(
        "support",
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("least_m", sa.Double(), nullable=True),
        sa.Column("most_m", sa.Double(), nullable=True),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_support_course_id"), "support", ["course_id"], unique=False)


def _plan_step() -> None:
    op.create_table(
        "plan_step",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("night_id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("before", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["night_id"], ["night.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_plan_step_night_id"), "plan_step", ["night_id"], unique=False)


def _sheet() -> None:
    op.create_table(
        "sheet",
        sa.Column("owner_id", sa.Integer(), nullable=True),
        sa.Column("label", sa.String(length=80), nullable=False),
        sa.Column("width_m", sa.Double(), nullable=False),
        sa.Column("length_m", sa.Double(), nullable=False),
        sa.Column("outline", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("tie_outs", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("hood_u_m", sa.Double(), nullable=True),
        sa.Column("hood_v_m", sa.Double(), nullable=True),
        sa.Column("material", sa.String(length=40), nullable=False),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["owner_id"], ["person.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_sheet_course_id"), "sheet", ["course_id"], unique=False)


def _shelter() -> None:
    op.create_table(
        "shelter",
        sa.Column("night_id", sa.Integer(), nullable=False),
        sa.Column("sheet_id", sa.Integer(), nullable=False),
        sa.Column("pitch", sa.String(length=40), nullable=False),
        sa.Column(
            "settings",
            sa.JSON().with_variant(postgresql.JSONB(astext_type=sa.Text()), "postgresql"),
            nullable=False,
        ),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("pitch <> ''", name="pitch_named"),
        sa.ForeignKeyConstraint(["night_id"], ["night.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["sheet_id"], ["sheet.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_shelter_night_id"), "shelter", ["night_id"], unique=False)
    op.create_index("one_shelter_a_sheet", "shelter", ["night_id", "sheet_id"], unique=True)


def _shelter_member() -> None:
    op.create_table(
        "shelter_member",
        sa.Column("shelter_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("night_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["night_id"], ["night.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["shelter_id"], ["shelter.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("shelter_id", "person_id"),
    )
    op.create_index(
        "one_bed_a_night", "shelter_member", ["night_id", "person_id"], unique=True
    )


def upgrade() -> None:
    _course()
    _line()
    _night()
    _person()
    _stake()
    _support()
    _plan_step()
    _sheet()
    _shelter()
    _shelter_member()


def downgrade() -> None:
    op.drop_index("one_bed_a_night", table_name="shelter_member")
    op.drop_table("shelter_member")
    op.drop_index("one_shelter_a_sheet", table_name="shelter")
    op.drop_index(op.f("ix_shelter_night_id"), table_name="shelter")
    op.drop_table("shelter")
    op.drop_index(op.f("ix_sheet_course_id"), table_name="sheet")
    op.drop_table("sheet")
    op.drop_index(op.f("ix_plan_step_night_id"), table_name="plan_step")
    op.drop_table("plan_step")
    op.drop_index(op.f("ix_support_course_id"), table_name="support")
    op.drop_table("support")
    op.drop_index(op.f("ix_stake_course_id"), table_name="stake")
    op.drop_table("stake")
    op.drop_index(op.f("ix_person_course_id"), table_name="person")
    op.drop_table("person")
    op.drop_index(op.f("ix_night_course_id"), table_name="night")
    op.drop_table("night")
    op.drop_index(op.f("ix_line_course_id"), table_name="line")
    op.drop_table("line")
    op.drop_table("course")
