"""What people practised: drills they answered, pitches they timed."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"

STAMP = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "practice_entry",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "course_id",
            sa.Integer(),
            sa.ForeignKey("course.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column(
            "person_id",
            sa.Integer(),
            sa.ForeignKey("person.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("key", sa.String(36), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("item", sa.String(80), nullable=False),
        sa.Column("data", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("said_at", STAMP, nullable=False),
    )
    op.create_index(
        "one_practice_a_key", "practice_entry", ["person_id", "key"], unique=True
    )


def downgrade() -> None:
    op.drop_table("practice_entry")
