"""Lines that nobody may cut."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.add_column(
        "line", sa.Column("uncut", sa.Boolean(), nullable=False, server_default=sa.false())
    )
    op.alter_column("line", "uncut", server_default=None)


def downgrade() -> None:
    op.drop_column("line", "uncut")
