"""What leaders say of shelters where they stand: checks, notes, measurements."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"

STAMP = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "field_entry",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "night_id",
            sa.Integer(),
            sa.ForeignKey("night.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("key", sa.String(36), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("sheet_id", sa.Integer(), sa.ForeignKey("sheet.id", ondelete="CASCADE")),
        sa.Column("data", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("by", sa.String(80), nullable=False),
        sa.Column("said_at", STAMP, nullable=False),
        sa.Column("heard_at", STAMP, nullable=False),
    )
    op.create_index("one_entry_a_key", "field_entry", ["night_id", "key"], unique=True)


def downgrade() -> None:
    op.drop_table("field_entry")
