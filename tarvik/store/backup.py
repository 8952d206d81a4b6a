"""The whole database as one file, and back into an empty server: every table's rows as PostgreSQL's
own COPY text, with the schema's revision, the number of rows and a SHA-256 of each table, in a ZIP
file.
"""

from __future__ import annotations

import hashlib
import json
import os
import zipfile
import zlib
from typing import IO, TYPE_CHECKING, Any, Final

import psycopg
from alembic.util import CommandError
from psycopg import sql

from tarvik.store.database import conninfo
from tarvik.store.models import Base, now

if TYPE_CHECKING:
    from pathlib import Path

    from tarvik.core.plain import JsonObject
    from tarvik.store.database import Database

FORM: Final = "tarvik-backup-1"
MANIFEST: Final = "manifest.json"
_BROKEN: Final = (KeyError, ValueError, OSError, EOFError, zipfile.BadZipFile, zlib.error)
"""What reading a damaged archive raises."""


class BackupError(ValueError):
    """A backup cannot be made or used; the message says why."""


def tables() -> list[str]:
    """Every table, parents first."""
    return [t.name for t in Base.metadata.sorted_tables]


def _columns(connection: psycopg.Connection[Any], table: str) -> list[str]:
    query = (
        "select column_name from information_schema.columns where table_schema = "
        "current_schema() and table_name = %s "
        "order by ordinal_position"
    )
    return [row[0] for row in connection.execute(query, (table,))]


def back_up(database: Database, out: Path) -> JsonObject:
    """Write the backup, all tables as of one moment; returns its manifest. The file is complete or
    not there. Raises BackupError where it cannot be written.
    """
    manifest: JsonObject = {"form": FORM, "made_at": now().isoformat(), "tables": {}}
    part = out.with_name(out.name + ".part")
    try:
        _write_whole(database, part, manifest)
        part.replace(out)
    except OSError as err:
        part.unlink(missing_ok=True)
        raise BackupError(f"{out} could not be written: {err.strerror or err}") from err
    return manifest


def _write_whole(database: Database, part: Path, manifest: JsonObject) -> None:
    """Everything into a file that only its owner reads."""
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with (
        os.fdopen(handle, "wb") as file,
        psycopg.connect(conninfo(database.url)) as connection,
        zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive,
    ):
        os.fchmod(handle, 0o600)
        connection.isolation_level = psycopg.IsolationLevel.REPEATABLE_READ
        connection.read_only = True
        row = connection.execute("select version_num from alembic_version").fetchone()
        manifest["revision"] = row[0] if row else ""
        for table in tables():
            manifest["tables"][table] = _write(connection, archive, table)
        archive.writestr(MANIFEST, json.dumps(manifest, indent=2))


def _write(
    connection: psycopg.Connection[Any], archive: zipfile.ZipFile, table: str
) -> JsonObject:
    columns = _columns(connection, table)
    named = sql.SQL(", ").join(map(sql.Identifier, columns))
    key = sql.SQL(", ").join(
        map(sql.Identifier, [c.name for c in Base.metadata.tables[table].primary_key])
    )
    digest, rows = hashlib.sha256(), 0
    query = sql.SQL("copy (select {} from {} order by {}) to stdout").format(
        named, sql.Identifier(table), key
    )
    with (
        archive.open(f"{table}.copy", "w") as file,
        connection.cursor().copy(query) as copy,
    ):
        for block in copy:
            digest.update(block)
            rows += bytes(block).count(b"\n")
            file.write(block)
    return {"columns": columns, "rows": rows, "sha256": digest.hexdigest()}


def read_manifest(archive: zipfile.ZipFile) -> JsonObject:
    """The manifest of a backup whose parts are all as they were written. Raises BackupError."""
    try:
        manifest: JsonObject = json.loads(archive.read(MANIFEST))
        form, listed = manifest["form"], manifest["tables"].items()
        parts = [
            (str(name), list(told["columns"]), told["sha256"]) for name, told in listed
        ]
        str(manifest["revision"])
    except (*_BROKEN, AttributeError, TypeError) as err:
        raise BackupError(
            "this is no Tarvik backup: its manifest is missing or broken"
        ) from err
    if form != FORM:
        raise BackupError(
            f"this backup is of the form {form!r}; this program reads {FORM!r}"
        )
    for table, _, digest in parts:
        if _digest(archive, table) != digest:
            raise BackupError(
                f"the part {table} was changed or is damaged; use another copy of the backup"
            )
    return manifest


def _digest(archive: zipfile.ZipFile, table: str) -> str:
    """SHA-256 of a part. Raises BackupError where it cannot be read."""
    digest = hashlib.sha256()
    try:
        with archive.open(f"{table}.copy") as file:
            while block := file.read(1 << 20):
                digest.update(block)
    except _BROKEN as err:
        raise BackupError(
            f"the part {table} is missing or damaged; use another copy of the backup"
        ) from err
    return digest.hexdigest()


def restore(database: Database, source: Path) -> JsonObject:
    """Bring a backup into an empty database, all or nothing, and its tables to the present
    revision. Raises BackupError.
    """
    try:
        archive = zipfile.ZipFile(source)
    except (OSError, zipfile.BadZipFile) as err:
        raise BackupError(f"{source} cannot be read as a backup: {err}") from err
    with archive:
        manifest = read_manifest(archive)
        try:
            database.migrate(manifest["revision"])
        except CommandError as err:
            raise BackupError(
                f"this backup was made by another version of the program ({manifest['revision']})"
            ) from err
        try:
            _fill(database, archive, manifest)
        except psycopg.Error as err:
            raise BackupError(
                f"the backup does not fit its own tables: {str(err).splitlines()[0][:160]}"
            ) from err
    database.migrate()
    return manifest


def _fill(database: Database, archive: zipfile.ZipFile, manifest: JsonObject) -> None:
    """All rows into the empty tables, in one transaction. Raises BackupError."""
    with psycopg.connect(conninfo(database.url)) as connection:
        missing = sorted(set(_there(connection)) - set(manifest["tables"]))
        if missing:
            raise BackupError(
                f"this backup is incomplete: it lacks {', '.join(missing)}; use another copy"
            )
        for table in manifest["tables"]:
            found = connection.execute(
                sql.SQL("select exists (select 1 from {})").format(sql.Identifier(table))
            ).fetchone()
            if found and found[0]:
                raise BackupError(
                    f"the database is not empty: {table} has rows. Restore into an empty server"
                )
        for table in manifest[
            "tables"
        ]:  # rows come as they were: they are no changes for the trail
            connection.execute(
                sql.SQL("alter table {} disable trigger user").format(sql.Identifier(table))
            )
        for table, told in manifest["tables"].items():
            with archive.open(f"{table}.copy") as file:
                _read(connection, table, told["columns"], file)
        for table in manifest["tables"]:
            connection.execute(
                sql.SQL("alter table {} enable trigger user").format(sql.Identifier(table))
            )
        _sequences(connection, list(manifest["tables"]))
        _call_off_jobs(connection)


def _there(connection: psycopg.Connection[Any]) -> list[str]:
    """The program's tables at this revision, without those of its tools."""
    query = (
        "select table_name from information_schema.tables where table_schema = current_schema() "
        "and table_type = 'BASE TABLE' and table_name <> 'alembic_version' "
        "and table_name not like 'procrastinate%'"
    )
    return [row[0] for row in connection.execute(query)]


def _call_off_jobs(connection: psycopg.Connection[Any]) -> None:
    """Jobs that were open then are not in this server's queue: their leaders ask again."""
    connection.execute(
        "update plan_job set state = 'cancelled', wanted = false, ended_at = now() "
        "where state in ('waiting', 'running')"
    )


def _read(
    connection: psycopg.Connection[Any], table: str, columns: list[str], file: IO[bytes]
) -> None:
    named = sql.SQL(", ").join(map(sql.Identifier, columns))
    query = sql.SQL("copy {} ({}) from stdin").format(sql.Identifier(table), named)
    with connection.cursor().copy(query) as copy:
        while block := file.read(1 << 20):
            copy.write(block)


def _sequences(connection: psycopg.Connection[Any], names: list[str]) -> None:
    """Numbers given from now on are new."""
    for table in names:
        found = connection.execute(
            "select pg_get_serial_sequence(%s, 'id') where exists (select 1 from "
            "information_schema.columns "
            "where table_schema = current_schema() and table_name = %s and column_name = 'id')",
            (table, table),
        ).fetchone()
        if found and found[0]:
            connection.execute(
                sql.SQL(
                    "select setval({}, greatest((select coalesce(max(id), 0) from {}), 1))"
                ).format(sql.Literal(found[0]), sql.Identifier(table))
            )
