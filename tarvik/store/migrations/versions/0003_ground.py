"""Ground: a site's items, the steps of their changes, and where a shelter stands"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

PLAIN = sa.JSON().with_variant(postgresql.JSONB(astext_type=sa.Text()), "postgresql")
FULL = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.create_table(
        "ground_item",
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("data", PLAIN, nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        op.f("ix_ground_item_site_id"), "ground_item", ["site_id"], unique=False
    )
    op.create_table(
        "ground_step",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("changes", FULL, nullable=False),
        sa.Column("undone", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        op.f("ix_ground_step_site_id"), "ground_step", ["site_id"], unique=False
    )
    op.add_column("shelter", sa.Column("spot", PLAIN, nullable=True))


def downgrade() -> None:
    op.drop_column("shelter", "spot")
    op.drop_table("ground_step")
    op.drop_table("ground_item")
