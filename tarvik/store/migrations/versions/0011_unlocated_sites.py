"""A site may be mapped before anybody knows where on the earth it is."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    for column in ("latitude", "longitude"):
        op.alter_column("site", column, existing_type=sa.Float(), nullable=True)


def downgrade() -> None:
    op.execute("UPDATE site SET latitude = 0, longitude = 0 WHERE latitude IS NULL")
    for column in ("latitude", "longitude"):
        op.alter_column("site", column, existing_type=sa.Float(), nullable=False)
