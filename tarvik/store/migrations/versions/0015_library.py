"""The provider's own kit, numbered, and to which course it is lent."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0015"
down_revision = "0014"

STAMP = sa.DateTime(timezone=True)


def _to(table: str, *, nullable: bool = False) -> sa.ForeignKey:
    return sa.ForeignKey(f"{table}.id", ondelete="SET NULL" if nullable else "CASCADE")


def upgrade() -> None:
    op.create_table(
        "library_item",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("provider_id", sa.Integer(), _to("provider"), nullable=False, index=True),
        sa.Column("number", sa.String(20), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("width_m", sa.Float()),
        sa.Column("length_m", sa.Float()),
        sa.Column("tie_outs", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("material", sa.String(40), nullable=False),
        sa.Column("condition", sa.String(20), nullable=False),
        sa.Column("checked_on", sa.Date()),
        sa.Column("note", sa.String(400), nullable=False),
        sa.Column("deleted_at", STAMP),
    )
    op.create_index(
        "one_item_a_number",
        "library_item",
        ["provider_id", "number"],
        unique=True,
        postgresql_where=sa.text("deleted_at is null"),
    )
    op.create_table(
        "loan",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("item_id", sa.Integer(), _to("library_item"), nullable=False, index=True),
        sa.Column("course_id", sa.Integer(), _to("course"), nullable=False, index=True),
        sa.Column("sheet_id", sa.Integer(), _to("sheet", nullable=True)),
        sa.Column("made_at", STAMP, nullable=False),
        sa.Column("ended_at", STAMP),
    )


def downgrade() -> None:
    op.drop_table("loan")
    op.drop_table("library_item")
