"""The group's plan: what a person agrees to, kit with owners, aims and locks, named plans, jobs and
their queue
"""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

PLAIN = sa.JSON().with_variant(postgresql.JSONB(astext_type=sa.Text()), "postgresql")
FULL = postgresql.JSONB(astext_type=sa.Text())
KIT = ("support", "line", "stake")


def _night() -> list[sa.schema.SchemaItem]:
    return [
        sa.Column("night_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["night_id"], ["night.id"], ondelete="CASCADE"),
    ]


def upgrade() -> None:
    for name, kind, usual in (
        ("patrol", sa.String(40), "''"),
        ("quarters", sa.String(40), "''"),
        ("shares", sa.String(20), "'anyone'"),
        ("skill", sa.String(20), "'able'"),
        ("snores", sa.Boolean(), "false"),
        ("lends", sa.Boolean(), "true"),
    ):
        op.add_column(
            "person", sa.Column(name, kind, nullable=False, server_default=sa.text(usual))
        )
        op.alter_column("person", name, server_default=None)
    op.add_column("person", sa.Column("age", sa.Integer(), nullable=True))
    for table in KIT:
        op.add_column(table, sa.Column("owner_id", sa.Integer(), nullable=True))
        op.create_foreign_key(
            f"{table}_owner_id_fkey",
            table,
            "person",
            ["owner_id"],
            ["id"],
            ondelete="SET NULL",
        )
    op.add_column("plan_step", sa.Column("after", FULL, nullable=True))
    op.add_column(
        "plan_step",
        sa.Column("undone", sa.Boolean(), nullable=False, server_default=sa.text("false")),
    )
    op.alter_column("plan_step", "undone", server_default=None)
    op.create_table(
        "night_plan",
        *_night(),
        sa.Column("asked", PLAIN, nullable=False),
        sa.Column("found", PLAIN, nullable=False),
        sa.PrimaryKeyConstraint("night_id"),
    )
    op.create_table(
        "named_plan",
        sa.Column("id", sa.Integer(), nullable=False),
        *_night(),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("shelters", FULL, nullable=False),
        sa.Column("value", FULL, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("one_plan_a_name", "named_plan", ["night_id", "name"], unique=True)
    op.create_index(
        op.f("ix_named_plan_night_id"), "named_plan", ["night_id"], unique=False
    )
    op.create_table(
        "plan_job",
        sa.Column("id", sa.Integer(), nullable=False),
        *_night(),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("asked", PLAIN, nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("step", sa.Integer(), nullable=False),
        sa.Column("runs", sa.Integer(), nullable=False),
        sa.Column("wanted", sa.Boolean(), nullable=False),
        sa.Column("progress", PLAIN, nullable=False),
        sa.Column("result", PLAIN, nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_plan_job_night_id"), "plan_job", ["night_id"], unique=False)
    op.get_bind().exec_driver_sql(SchemaManager.get_schema().replace("%", "%%"))


def downgrade() -> None:
    op.execute(
        """
        do $$ declare thing record; begin
          for thing in select p.oid::regprocedure as name
            from pg_proc p join pg_namespace n on n.oid = p.pronamespace
            where n.nspname = current_schema() and p.proname like 'procrastinate\\_%' loop
            execute format('drop function %s cascade', thing.name);
          end loop;
        end $$
        """
    )
    for table in (
        "procrastinate_events",
        "procrastinate_periodic_defers",
        "procrastinate_jobs",
        "procrastinate_workers",
    ):
        op.execute(f"drop table if exists {table} cascade")
    op.execute(
        "drop type if exists procrastinate_job_to_defer_v1, procrastinate_job_status, "
        "procrastinate_job_event_type cascade"
    )
    for table in ("plan_job", "named_plan", "night_plan"):
        op.drop_table(table)
    for column in ("undone", "after"):
        op.drop_column("plan_step", column)
    for table in KIT:
        op.drop_constraint(f"{table}_owner_id_fkey", table, type_="foreignkey")
        op.drop_column(table, "owner_id")
    for name in ("age", "patrol", "quarters", "shares", "skill", "snores", "lends"):
        op.drop_column("person", name)
