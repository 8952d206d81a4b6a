"""A shelter may be of two sheets joined."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column(
        "shelter",
        sa.Column(
            "joined_id",
            sa.Integer(),
            sa.ForeignKey("sheet.id", ondelete="CASCADE", name="shelter_joined_id_fkey"),
            nullable=True,
        ),
    )
    op.create_check_constraint("ck_shelter_two_sheets", "shelter", "joined_id <> sheet_id")
    op.create_index(
        "one_shelter_a_joined_sheet", "shelter", ["night_id", "joined_id"], unique=True
    )


def downgrade() -> None:
    op.drop_index("one_shelter_a_joined_sheet", "shelter")
    op.drop_constraint("ck_shelter_two_sheets", "shelter")
    op.drop_column("shelter", "joined_id")
