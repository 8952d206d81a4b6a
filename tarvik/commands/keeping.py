"""`./run backup FILE`, `./run restore FILE` and `./run outbox`: what whoever runs the server does
with its data.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import select

from tarvik.commands.serve import database, say
from tarvik.settings import read_settings
from tarvik.store import backup
from tarvik.store.models import Mail

if TYPE_CHECKING:
    from pathlib import Path


def _counted(manifest: dict[str, object]) -> str:
    tables = manifest["tables"]
    rows = sum(t["rows"] for t in tables.values())  # type: ignore[attr-defined]
    return f"{rows:,} rows of {len(tables)} tables"  # type: ignore[arg-type]


def back_up(checkout: Path, out: Path) -> int:
    """Write everything to one file, and read it back to check it."""
    import zipfile

    try:
        with database(checkout, read_settings()) as opened:
            manifest = backup.back_up(opened, out)
        with zipfile.ZipFile(out) as archive:
            backup.read_manifest(archive)
    except backup.BackupError as err:
        say(str(err))
        return 1
    say(f"kept {_counted(manifest)} in {out}, read back and checked")
    return 0


def restore(checkout: Path, source: Path) -> int:
    """Bring a backup into an empty server."""
    try:
        with database(checkout, read_settings()) as opened:
            manifest = backup.restore(opened, source)
    except backup.BackupError as err:
        say(str(err))
        return 1
    say(f"brought back {_counted(manifest)}")
    return 0


def outbox(checkout: Path) -> int:
    """Print the letters that wait, the newest last."""
    with database(checkout, read_settings()) as opened, opened.session() as session:
        letters = session.scalars(select(Mail).order_by(Mail.id)).all()
        for letter in letters[-20:]:
            print(
                f"--- {letter.made_at:%Y-%m-%d %H:%M} UTC to {letter.to}: {letter.subject}\n"
                f"{letter.body}\n"
            )
    if not letters:
        say("no letter yet")
    return 0
