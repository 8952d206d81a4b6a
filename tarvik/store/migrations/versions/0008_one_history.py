"""Undo takes back the order of the aims, what is fixed and what is accepted too: a step keeps
them.
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"

FULL = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    for column in ("asked", "asked_after"):
        op.add_column("plan_step", sa.Column(column, FULL, nullable=True))


def downgrade() -> None:
    for column in ("asked_after", "asked"):
        op.drop_column("plan_step", column)
