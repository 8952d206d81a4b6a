"""Tarvik's own PostgreSQL server: its own data folder, a free port on loopback, started and stopped
with the program.

PostgreSQL refuses to run as root, so root runs it as the `postgres` user in a folder that user can
reach. A server that dies is started again and recovers from its log; when this program dies, the
server is told to stop by the kernel. The application signs in as a plain role that owns its one
database and nothing else; only this module uses the server's own superuser.
"""

from __future__ import annotations

import ctypes
import hashlib
import logging
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

import psycopg
from psycopg import sql

log = logging.getLogger("tarvik.database")

ACCOUNT = "tarvik"
"""The superuser made with the data folder, and the name of the database."""
PLAIN = "tarvik_app"
"""The role of the application."""
QUIET_LOG = (
    "log_min_messages=log",
    "log_min_error_statement=panic",
    "log_statement=none",
    "log_error_verbosity=terse",
    "log_parameter_max_length=0",
    "log_parameter_max_length_on_error=0",
)
"""What keeps values out of the server's log: statements fail in the program's own log, by kind."""
HAND_OVER = """
do $$
declare one record;
begin
  for one in select c.oid::regclass as name from pg_class c
    where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'v', 'S')
      and pg_get_userbyid(c.relowner) <> '{role}'
      and not exists (select 1 from pg_depend d where d.objid = c.oid and d.deptype in ('a', 'i'))
  loop execute format('alter table %s owner to {role}', one.name); end loop;
  for one in select p.oid::regprocedure as name from pg_proc p
    where p.pronamespace = 'public'::regnamespace and pg_get_userbyid(p.proowner) <> '{role}'
  loop execute format('alter routine %s owner to {role}', one.name); end loop;
  for one in select t.oid::regtype as name from pg_type t
    where t.typnamespace = 'public'::regnamespace and t.typtype in ('e', 'd')
      and pg_get_userbyid(t.typowner) <> '{role}'
  loop execute format('alter type %s owner to {role}', one.name); end loop;
end $$
"""
"""Everything in a database that was made by the superuser becomes the plain role's."""
START_SECONDS = 60
_PR_SET_PDEATHSIG = 1


class ServerError(RuntimeError):
    """The database server cannot be had; the message says what to do."""


def binaries() -> Path:
    """Folder of the newest installed PostgreSQL programs. Raises ServerError when there are
    none.
    """
    found = sorted(
        Path("/usr/lib/postgresql").glob("*/bin/postgres"), key=lambda p: int(p.parts[4])
    )
    if found:
        return found[-1].parent
    program = shutil.which("postgres")
    if program:
        return Path(program).resolve().parent
    raise ServerError(
        "PostgreSQL is not installed: run “apt-get install postgresql” as root, "
        "then start again"
    )


def default_folder(checkout: Path) -> Path:
    """Where the data of this checkout lies: in it, or for root where the database user can reach
    it.
    """
    if named := os.environ.get("TARVIK_DATA"):
        return Path(named)
    if os.geteuid() == 0:
        return (
            Path("/var/lib/tarvik")
            / hashlib.sha256(str(checkout.resolve()).encode()).hexdigest()[:12]
        )
    return checkout / ".data"


def free_port() -> int:
    """A port on loopback that is free now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _die_with_parent() -> None:
    """In the child: ask the kernel for SIGINT (a fast, clean stop) when the parent goes."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGINT)


@dataclass
class Server:
    """One server on one data folder. Use `start`, then `url`, then `stop`."""

    folder: Path
    port: int = 0
    _process: subprocess.Popen[bytes] | None = None
    _stopping: threading.Event = field(default_factory=threading.Event)
    _watch: threading.Thread | None = None
    borrowed: bool = False

    @property
    def data(self) -> Path:
        return self.folder / "postgres"

    def _user(self) -> dict[str, object]:
        if os.geteuid() != 0:
            return {}
        try:
            account = pwd.getpwnam("postgres")
        except KeyError:
            raise ServerError(
                "there is no user “postgres”: install Debian's postgresql package"
            ) from None
        return {"user": account.pw_uid, "group": account.pw_gid, "extra_groups": []}

    def _run(self, *command: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(  # type: ignore[no-any-return]  # noqa: S603
            command,
            cwd="/",
            capture_output=True,
            text=True,
            check=False,
            env={**os.environ, "LC_ALL": "C.UTF-8"},
            **self._user(),  # type: ignore[call-overload]
        )

    @property
    def _password(self) -> str:
        return (self.folder / "password").read_text().strip()

    @property
    def _plain_password(self) -> str:
        """The application's own; made when it is missing."""
        path = self.folder / "password.app"
        if not path.exists():
            path.touch(mode=0o600)
            path.write_text(secrets.token_urlsafe(24))
        return path.read_text().strip()

    def url(self, database: str = ACCOUNT) -> str:
        """SQLAlchemy URL of one of its databases, for the application's plain role."""
        signed = f"{PLAIN}:{self._plain_password}"
        return f"postgresql+psycopg://{signed}@127.0.0.1:{self.port}/{database}"

    def connect(self, database: str = "postgres") -> psycopg.Connection[tuple[object, ...]]:
        """The superuser's connection, in autocommit."""
        return psycopg.connect(
            host="127.0.0.1",
            port=self.port,
            user=ACCOUNT,
            password=self._password,
            dbname=database,
            autocommit=True,
            connect_timeout=5,
        )

    def _initialise(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        if (self.data / "PG_VERSION").exists():
            return
        password = self.folder / "password"
        password.touch(mode=0o600)
        password.write_text(secrets.token_urlsafe(24))
        user = self._user()
        self.data.mkdir(mode=0o700, exist_ok=True)
        handed = self.folder / "password.init"
        handed.touch(mode=0o600)
        handed.write_text(password.read_text())
        if user:
            self.folder.chmod(0o755)
            for path in (self.data, handed):
                os.chown(path, user["user"], user["group"])  # type: ignore[arg-type]
        made = self._run(
            str(binaries() / "initdb"),
            "-D",
            str(self.data),
            "-U",
            ACCOUNT,
            "--auth=scram-sha-256",
            "--encoding=UTF8",
            f"--pwfile={handed}",
            "--no-locale",
        )
        handed.unlink(missing_ok=True)
        if made.returncode:
            shutil.rmtree(self.data, ignore_errors=True)
            raise ServerError(
                "the database folder could not be made: "
                f"{made.stderr.strip() or made.stdout.strip()}"
            )

    def _running_port(self) -> int | None:
        """Port of a server that already runs on this folder, else None."""
        try:
            lines = (self.data / "postmaster.pid").read_text().splitlines()
            os.kill(int(lines[0]), 0)
            port = int(lines[3])
            with psycopg.connect(
                host="127.0.0.1",
                port=port,
                user=ACCOUNT,
                password=self._password,
                dbname="postgres",
                connect_timeout=3,
            ):
                return port
        except PermissionError:
            return None
        except (OSError, ValueError, IndexError, psycopg.Error):
            return None

    def start(self) -> Server:
        """Start the server (or use the one that already runs on this folder) and make the database
        if it is missing.
        """
        self._initialise()
        running = self._running_port()
        if running:
            self.port, self.borrowed = running, True
        else:
            self.port = self.port or free_port()
            self._launch()
            self._watch = threading.Thread(
                target=self._keep_alive, name="database-watch", daemon=True
            )
            self._watch.start()
        self._make_plain_role()
        return self

    def _make_plain_role(self) -> None:
        """The application's role and its database; what an older program made there as superuser
        is handed over.
        """
        with self.connect() as connection:
            plain = "nosuperuser nocreatedb nocreaterole noreplication nobypassrls"
            there = "select 1 from pg_roles where rolname = %s"
            if not connection.execute(there, (PLAIN,)).fetchone():
                connection.execute(f"create role {PLAIN} login {plain}")
            password = sql.Literal(self._plain_password)
            change = sql.SQL("alter role {} {} password {}")
            connection.execute(
                change.format(sql.Identifier(PLAIN), sql.SQL(plain), password)
            )
            there = "select 1 from pg_database where datname = %s"
            if not connection.execute(there, (ACCOUNT,)).fetchone():
                connection.execute(f"create database {ACCOUNT} owner {PLAIN}")
            connection.execute(f"alter database {ACCOUNT} owner to {PLAIN}")
            connection.execute(f"revoke connect on database {ACCOUNT} from public")
        with self.connect(ACCOUNT) as connection:
            connection.execute(HAND_OVER.format(role=PLAIN))

    def _launch(self) -> None:
        log_file = self.folder / "postgres.log"
        handle = os.open(log_file, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
        os.fchmod(handle, 0o600)
        with os.fdopen(handle, "ab") as out:
            self._process = subprocess.Popen(  # noqa: S603
                [
                    str(binaries() / "postgres"),
                    "-D",
                    str(self.data),
                    "-p",
                    str(self.port),
                    "-c",
                    "listen_addresses=127.0.0.1",
                    "-c",
                    "unix_socket_directories=",
                    "-c",
                    "max_connections=60",
                    *(part for setting in QUIET_LOG for part in ("-c", setting)),
                ],
                cwd="/",
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=out,
                start_new_session=True,
                preexec_fn=_die_with_parent,  # noqa: PLW1509
                **self._user(),  # type: ignore[call-overload]
            )
        deadline = time.monotonic() + START_SECONDS
        while time.monotonic() < deadline:
            if self._process.poll() is not None:
                tail = log_file.read_text(errors="replace").strip().splitlines()[-3:]
                raise ServerError(
                    f"the database did not start: {' / '.join(tail)} (see {log_file})"
                )
            try:
                self.connect().close()
            except psycopg.OperationalError:
                time.sleep(0.1)
            else:
                return
        raise ServerError(
            f"the database did not answer within {START_SECONDS} s (see {log_file})"
        )

    def _keep_alive(self) -> None:
        """Start the server again when it dies although nobody stopped it."""
        while not self._stopping.wait(0.3):
            process = self._process
            if process is None or process.poll() is None:
                continue
            log.warning(
                "the database stopped unexpectedly (code %s); starting it again",
                process.returncode,
            )
            for pause in (0.2, 0.5, 1, 2, 4, 8):
                if self._stopping.wait(pause):
                    return
                try:
                    self._launch()
                    log.warning("the database is back")
                    break
                except ServerError as err:
                    log.error("%s", err)

    def stop(self) -> None:
        """Stop cleanly, unless the server was there before us."""
        self._stopping.set()
        if self._watch:
            self._watch.join(timeout=10)
        process = self._process
        if process is None or process.poll() is not None:
            return
        process.send_signal(signal.SIGINT)
        try:
            process.wait(timeout=20)
        except subprocess.TimeoutExpired:
            process.send_signal(signal.SIGQUIT)
            process.wait(timeout=10)

    def fresh_database(self, name: str, like: str = "template1") -> str:
        """Drop and make a database, a copy of another that nobody is connected to; returns its URL
        (for tests).
        """
        with self.connect() as connection:
            connection.execute(f'drop database if exists "{name}" with (force)')
            connection.execute(f'create database "{name}" template "{like}" owner {PLAIN}')
        return self.url(name)
