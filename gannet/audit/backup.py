"""Online backup and checked restore of the SQLite database (the one place that knows it)."""

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

from django.conf import settings
from django.db import connections


def backup(target: str) -> str:
    """Copy the running database to a file, page by page, without stopping anybody."""
    source = Path(settings.DATABASES["default"]["NAME"])
    with closing(sqlite3.connect(source)) as live, closing(sqlite3.connect(target)) as copy:
        live.backup(copy, pages=2000)
    return f"Kept in {target}: {_checked(Path(target))} events."


def restore(source: str) -> str:
    """Put a backup in place after checking it; what was there is kept beside it."""
    file = Path(source)
    if not file.is_file():
        raise SystemExit(f"There is no file {source}.")
    events = _checked(file)
    connections.close_all()
    target = Path(settings.DATABASES["default"]["NAME"])
    if target.exists():
        shutil.move(target, target.with_suffix(".before-restore"))
    for ending in ("-wal", "-shm"):
        Path(f"{target}{ending}").unlink(missing_ok=True)
    shutil.copy(file, target)
    return f"Restored {events} events. What was there is in {target.name}.before-restore."


def _checked(file: Path) -> int:
    with closing(sqlite3.connect(file)) as copy:
        (found,) = copy.execute("PRAGMA integrity_check").fetchone()
        if found != "ok":
            raise SystemExit(f"{file} is damaged: {found}")
        (events,) = copy.execute("SELECT count(*) FROM audit_event").fetchone()
        return int(events)
