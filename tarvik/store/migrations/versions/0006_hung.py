"""Hung shapes, kept by content"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "hung_shape",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("told", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("nodes", sa.LargeBinary(), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("hung_shape")
