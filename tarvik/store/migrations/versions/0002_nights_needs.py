"""Nights' needs: sites, needs and their undo, forecasts, course rules"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

PLAIN = sa.JSON().with_variant(postgresql.JSONB(astext_type=sa.Text()), "postgresql")
FULL = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.create_table(
        "site",
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("latitude", sa.Double(), nullable=False),
        sa.Column("longitude", sa.Double(), nullable=False),
        sa.Column("zone", sa.String(length=60), nullable=False),
        sa.Column("terrain", sa.String(length=20), nullable=False),
        sa.Column("ground", sa.String(length=20), nullable=False),
        sa.Column("uphill_deg", sa.Double(), nullable=True),
        sa.Column("course_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["course.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_site_course_id"), "site", ["course_id"], unique=False)
    op.create_table(
        "needs_step",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("night_id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("before", PLAIN, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["night_id"], ["night.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        op.f("ix_needs_step_night_id"), "needs_step", ["night_id"], unique=False
    )
    op.create_table(
        "forecast",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("night_id", sa.Integer(), nullable=False),
        sa.Column("feed", PLAIN, nullable=False),
        sa.Column("form", FULL, nullable=True),
        sa.Column("findings", FULL, nullable=False),
        sa.Column("fetched_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("failure", sa.String(length=400), nullable=False),
        sa.ForeignKeyConstraint(["night_id"], ["night.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("night_id"),
    )
    op.add_column("night", sa.Column("needs", PLAIN, nullable=False, server_default="{}"))
    op.add_column("night", sa.Column("site_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        "night_site", "night", "site", ["site_id"], ["id"], ondelete="SET NULL"
    )
    op.add_column("course", sa.Column("rules", PLAIN, nullable=False, server_default="{}"))
    op.alter_column("night", "needs", server_default=None)
    op.alter_column("course", "rules", server_default=None)


def downgrade() -> None:
    # A night left to the weather had no name for that before; steady rain was what it meant.
    op.execute("update night set intent = 'steady-rain' where intent = 'proposed'")
    op.drop_column("course", "rules")
    op.drop_constraint("night_site", "night", type_="foreignkey")
    op.drop_column("night", "site_id")
    op.drop_column("night", "needs")
    op.drop_table("forecast")
    op.drop_table("needs_step")
    op.drop_table("site")
