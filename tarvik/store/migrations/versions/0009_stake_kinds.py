"""Stakes have a length and a width of their own."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    for column in ("length_m", "width_m"):
        op.add_column("stake", sa.Column(column, sa.Float(), nullable=True))


def downgrade() -> None:
    for column in ("width_m", "length_m"):
        op.drop_column("stake", column)
