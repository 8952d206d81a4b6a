"""Who may make courses and invite; ended accounts; letters that end; erasing announced; the trail
tells of roles, links, sign-ins and erasings, by provider.
"""

from __future__ import annotations

from importlib import import_module

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

STAMP = sa.DateTime(timezone=True)
KNOWN_TO_TRACE = {
    "membership": "course",
    "card_link": "course",
    "invitation": "course",
    "forecast": "night",
    "sign_in": "account",
    "account": "provider",
    "provider": "provider",
}
"""Tables the trail tells of from now on, and where their course or provider is found."""
ANY = "insert or update or delete"
TRACE = """
create or replace function tarvik_trace() returns trigger language plpgsql as $$
declare
  asker integer := nullif(current_setting('tarvik.account', true), '')::integer;
  old_row jsonb := case when tg_op = 'INSERT' then null else to_jsonb(old) end;
  new_row jsonb := case when tg_op = 'DELETE' then null else to_jsonb(new) end;
  secret text[] := array['secret', 'token_hash', 'password_hash', 'seen_at'];
  one jsonb := coalesce(new_row, old_row);
  of_course integer;
  of_night integer;
  of_provider integer;
begin
  if tg_table_name = 'night_plan' then
    old_row := old_row - 'found'; new_row := new_row - 'found';
  end if;
  if tg_table_name = 'forecast' and asker is null then return null; end if;
  if tg_table_name = 'account' and old_row->>'password_hash' <> new_row->>'password_hash' then
    old_row := old_row || '{"password": "the old one"}';
    new_row := new_row || '{"password": "a new one"}';
  end if;
  old_row := old_row - secret;
  new_row := new_row - secret;
  if old_row = new_row then return null; end if;
  if tg_table_name = 'night' then of_night := (one->>'id')::integer;
  else of_night := (one->>'night_id')::integer; end if;
  of_course := case tg_argv[0]
    when 'self' then (one->>'id')::integer
    when 'course' then (one->>'course_id')::integer
    when 'site' then (select course_id from site where id = (one->>'site_id')::integer)
    when 'account' then null
    when 'provider' then null
    else (select course_id from night where id = of_night) end;
  of_provider := coalesce(
    (one->>'provider_id')::integer,
    (select provider_id from course where id = of_course),
    (select provider_id from account where id = (one->>'account_id')::integer),
    case when tg_table_name = 'provider' then (one->>'id')::integer end);
  insert into change
    (at, account_id, provider_id, course_id, night_id, kind, row_key, before, after)
  values (clock_timestamp(), asker, of_provider, of_course, of_night, tg_table_name,
    case when tg_table_name = 'shelter_member'
         then (one->>'shelter_id') || '/' || (one->>'person_id')
         when tg_table_name = 'membership'
         then (one->>'course_id') || '/' || (one->>'account_id')
         when tg_table_name = 'night_plan' then one->>'night_id' else one->>'id' end,
    old_row, new_row);
  return null;
end $$
"""


def upgrade() -> None:
    op.add_column(
        "provider",
        sa.Column("courses_by", sa.String(20), nullable=False, server_default="owners"),
    )
    op.add_column(
        "provider",
        sa.Column(
            "invites_by", sa.String(20), nullable=False, server_default="course owners"
        ),
    )
    op.add_column("account", sa.Column("ended_at", STAMP, nullable=True))
    op.execute("delete from mail")  # their links cannot be told apart, and most are over
    op.add_column("mail", sa.Column("token_hash", sa.String(64), nullable=True))
    op.add_column("mail", sa.Column("ends_at", STAMP, nullable=True))
    op.create_index("ix_mail_token_hash", "mail", ["token_hash"])
    op.add_column("change", sa.Column("provider_id", sa.Integer(), nullable=True))
    op.execute(
        "update change set provider_id = course.provider_id from course "
        "where course.id = change.course_id"
    )
    op.create_index("ix_change_provider", "change", ["provider_id", "id"])
    op.create_table(
        "erasure",
        sa.Column(
            "course_id",
            sa.Integer(),
            sa.ForeignKey("course.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("announced_at", STAMP, nullable=False),
        sa.Column("due_at", STAMP, nullable=False),
    )
    op.execute(TRACE)
    for table, way in KNOWN_TO_TRACE.items():
        op.execute(
            f"create trigger trace after {'insert' if table == 'sign_in' else ANY} on {table} "
            f"for each row execute function tarvik_trace('{way}')"
        )


def downgrade() -> None:
    for table in KNOWN_TO_TRACE:
        op.execute(f"drop trigger if exists trace on {table}")
    op.drop_table("erasure")
    op.drop_index("ix_change_provider", "change")
    op.drop_column("change", "provider_id")
    op.drop_index("ix_mail_token_hash", "mail")
    op.drop_column("mail", "ends_at")
    op.drop_column("mail", "token_hash")
    op.drop_column("account", "ended_at")
    op.drop_column("provider", "invites_by")
    op.drop_column("provider", "courses_by")
    before = import_module("tarvik.store.migrations.versions.0005_accounts")
    op.execute(before.TRACE.replace("create function", "create or replace function"))
