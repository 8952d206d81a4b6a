"""Providers, accounts, roles by course, invitations, sign-ins, participants' links, outbox, and a
trail of every change
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

FULL = postgresql.JSONB(astext_type=sa.Text())
STAMP = sa.DateTime(timezone=True)
NEW = (
    "answer",
    "card_link",
    "attempt",
    "mail",
    "invitation",
    "one_time",
    "sign_in",
    "membership",
    "account",
)
# How a traced table's row tells its course: by itself, its own column, its site or its night.
TRACED = {
    "course": "self",
    "person": "course",
    "sheet": "course",
    "support": "course",
    "line": "course",
    "stake": "course",
    "site": "course",
    "night": "course",
    "ground_item": "site",
    "shelter": "night",
    "shelter_member": "night",
    "named_plan": "night",
    "night_plan": "night",
}
TRACE = """
create function tarvik_trace() returns trigger language plpgsql as $$
declare
  old_row jsonb := case when tg_op = 'INSERT' then null else to_jsonb(old) end;
  new_row jsonb := case when tg_op = 'DELETE' then null else to_jsonb(new) end;
  one jsonb := coalesce(new_row, old_row);
  of_course integer;
  of_night integer;
begin
  if tg_table_name = 'night_plan' then
    old_row := old_row - 'found'; new_row := new_row - 'found';
  end if;
  if old_row = new_row then return null; end if;
  if tg_table_name = 'night' then of_night := (one->>'id')::integer;
  else of_night := (one->>'night_id')::integer; end if;
  of_course := case tg_argv[0]
    when 'self' then (one->>'id')::integer
    when 'course' then (one->>'course_id')::integer
    when 'site' then (select course_id from site where id = (one->>'site_id')::integer)
    else (select course_id from night where id = of_night) end;
  insert into change (at, account_id, course_id, night_id, kind, row_key, before, after)
  values (clock_timestamp(), nullif(current_setting('tarvik.account', true), '')::integer,
    of_course, of_night, tg_table_name,
    case when tg_table_name = 'shelter_member'
         then (one->>'shelter_id') || '/' || (one->>'person_id')
         when tg_table_name = 'night_plan' then one->>'night_id' else one->>'id' end,
    old_row, new_row);
  return null;
end $$
"""


def _key() -> sa.Column[int]:
    return sa.Column("id", sa.Integer(), primary_key=True)


def _of(
    table: str,
    column: str,
    *,
    index: bool = True,
    nullable: bool = False,
    ondelete: str = "CASCADE",
) -> sa.Column[int]:
    key = sa.ForeignKey(f"{table}.id", ondelete=ondelete)
    return sa.Column(column, sa.Integer(), key, nullable=nullable, index=index)


def upgrade() -> None:
    op.create_table(
        "provider",
        _key(),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("keep_people_days", sa.Integer(), nullable=False, server_default="180"),
        sa.Column("demo", sa.Boolean(), nullable=False, server_default=sa.false()),
    )
    op.create_table(
        "account",
        _key(),
        _of("provider", "provider_id"),
        sa.Column("email", sa.String(254), nullable=False, unique=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("password_hash", sa.String(200), nullable=False),
        sa.Column("owner", sa.Boolean(), nullable=False),
        sa.Column("made_at", STAMP, nullable=False),
    )
    op.add_column("course", sa.Column("provider_id", sa.Integer(), nullable=True))
    op.execute(
        "insert into provider (name) select 'First provider' where exists (select 1 from course)"
    )
    op.execute("update course set provider_id = (select min(id) from provider)")
    op.alter_column("course", "provider_id", nullable=False)
    op.create_foreign_key(
        "course_provider_id_fkey",
        "course",
        "provider",
        ["provider_id"],
        ["id"],
        ondelete="CASCADE",
    )
    op.create_index("ix_course_provider_id", "course", ["provider_id"])
    op.create_table(
        "membership",
        _of("course", "course_id"),
        _of("account", "account_id"),
        sa.Column("role", sa.String(20), nullable=False),
        sa.PrimaryKeyConstraint("course_id", "account_id"),
    )
    op.create_table(
        "sign_in",
        _key(),
        _of("account", "account_id"),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("made_at", STAMP, nullable=False),
        sa.Column("seen_at", STAMP, nullable=False),
        sa.Column("ends_at", STAMP, nullable=False),
        sa.Column("agent", sa.String(120), nullable=False),
    )
    op.create_table(
        "one_time",
        _key(),
        _of("account", "account_id", nullable=True),
        sa.Column("purpose", sa.String(20), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("ends_at", STAMP, nullable=False),
    )
    op.create_table(
        "invitation",
        _key(),
        _of("provider", "provider_id"),
        _of("course", "course_id", nullable=True),
        sa.Column("email", sa.String(254), nullable=False),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("ends_at", STAMP, nullable=False),
    )
    op.create_table(
        "mail",
        _key(),
        _of("provider", "provider_id"),
        sa.Column("to", sa.String(254), nullable=False),
        sa.Column("subject", sa.String(200), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("made_at", STAMP, nullable=False),
    )
    op.create_table(
        "attempt",
        _key(),
        sa.Column("who", sa.String(64), nullable=False, index=True),
        sa.Column("at", STAMP, nullable=False),
    )
    op.create_table(
        "card_link",
        _key(),
        _of("course", "course_id"),
        _of("person", "person_id"),
        sa.Column("secret", sa.String(64), nullable=False),
        sa.Column("ends_at", STAMP, nullable=False),
        sa.Column("revoked_at", STAMP, nullable=True),
        sa.Column("made_at", STAMP, nullable=False),
    )
    op.create_table(
        "answer",
        _key(),
        _of("course", "course_id"),
        _of("person", "person_id"),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("values", FULL, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("made_at", STAMP, nullable=False),
    )
    op.create_table(
        "change",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("at", STAMP, nullable=False),
        sa.Column("account_id", sa.Integer(), nullable=True),
        sa.Column("course_id", sa.Integer(), nullable=True),
        sa.Column("night_id", sa.Integer(), nullable=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("row_key", sa.String(40), nullable=False),
        sa.Column("before", FULL, nullable=True),
        sa.Column("after", FULL, nullable=True),
    )
    op.create_index("ix_change_course", "change", ["course_id", "id"])
    op.create_table(
        "secret",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("value", sa.String(100), nullable=False),
    )
    op.execute(TRACE)
    for table, way in TRACED.items():
        op.execute(
            f"create trigger trace after insert or update or delete on {table} for each row "
            f"execute function tarvik_trace('{way}')"
        )


def downgrade() -> None:
    for table in TRACED:
        op.execute(f"drop trigger if exists trace on {table}")
    op.execute("drop function if exists tarvik_trace()")
    for table in ("secret", "change", *NEW):
        op.drop_table(table)
    op.drop_index("ix_course_provider_id", "course")
    op.drop_constraint("course_provider_id_fkey", "course")
    op.drop_column("course", "provider_id")
    op.drop_table("provider")
